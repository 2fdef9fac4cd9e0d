import type { Field, Type } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Definition, Definitions } from './definitions.js'
import type { FieldSpecifics, QualifiedName } from './specifics.js'
import { wsdl } from './namespaces.js'
import { documentationOf, documented, qualifiedName, wantedAttribute } from './reading.js'
import type { TypeReader } from './type-reader.js'

/** Why something can't be had yet; told in a note, and the operation is left out. */
export class NotYet extends Error {}

/** A part of a message: of an element, or of a type. */
export interface Part {
  readonly name: string
  readonly element: XmlElement
  readonly elementName: string | undefined
  readonly typeName: string | undefined
}

/** Reads messages part by part (WSDL 1.1, section 2.3). */
export class MessageParts {
  private readonly definitions: Definitions
  private readonly types: TypeReader

  constructor(definitions: Definitions, types: TypeReader) {
    this.definitions = definitions
    this.types = types
  }

  /**
   * The parts of the message that one direction of an operation names.
   *
   * @param chosen those of these names; all when left out
   */
  of(direction: XmlElement, operation: string, chosen?: readonly string[]): Part[] {
    documentationOf(direction)
    direction.attribute('name')
    const parts = this.named(direction, 'operation', operation)
    return chosen === undefined ? parts : parts.filter((part) => chosen.includes(part.name))
  }

  /**
   * The parts of the message that an element names.
   *
   * @param what what the element belongs to, for messages, with its name: operation, `listBerths`
   */
  named(element: XmlElement, what: string, name: string): Part[] {
    const written = wantedAttribute(element, 'message')
    const from = { what, name, at: element, written }
    return partsOfMessage(
      this.definitions.require('message', qualifiedName(written, element), from),
    )
  }

  /** The component of a schema that a part names. */
  componentName(written: string, at: XmlElement): QualifiedName {
    return this.definitions.schemas.meant(qualifiedName(written, at), written, at)
  }

  /**
   * A part as a field.
   *
   * @param name the element it stands in, where it names a type
   * @throws NotYet where it names a type and there is no such element
   */
  field(part: Part, name?: QualifiedName): Field {
    const { origin } = part.element
    const documentation = documented(part.element)
    if (part.elementName !== undefined) {
      const component = this.definitions.schemas.require(
        'element',
        this.componentName(part.elementName, part.element),
        part.element,
      )
      return {
        name: part.name,
        type: this.types.elementType(component),
        optional: false,
        nullable: component.element.attribute('nillable') === 'true',
        ...documentation,
        origin,
        specifics: { place: 'element', name: component.name } satisfies FieldSpecifics,
      }
    }
    if (part.typeName === undefined)
      throw problem(
        'TM-2104',
        { what: `The part "${part.name}"`, attribute: 'element or type' },
        { place: part.element.place },
      )
    if (name === undefined)
      throw new NotYet(
        `its part "${part.name}" names a type where a document style message needs an element`,
      )
    const type: Type = this.types.typeNamed(
      this.componentName(part.typeName, part.element),
      part.element,
    )
    return {
      name: part.name,
      type,
      optional: false,
      nullable: false,
      ...documentation,
      origin,
      specifics: { place: 'element', name } satisfies FieldSpecifics,
    }
  }
}

function partsOfMessage(message: Definition): Part[] {
  message.element.read = true
  documentationOf(message.element)
  const names = new Set<string>()
  return message.element.take(wsdl, 'part').map((element) => {
    const name = wantedAttribute(element, 'name')
    if (names.has(name))
      throw problem('TM-2222', { name, message: message.name[1] }, { place: element.place })
    names.add(name)
    return {
      name,
      element,
      elementName: element.attribute('element'),
      typeName: element.attribute('type'),
    }
  })
}

/** A field that must be there, and stands in an element. */
export function elementField(
  name: string,
  type: Type,
  origin: Field['origin'],
  element: QualifiedName = ['', name],
): Field {
  const specifics: FieldSpecifics = { place: 'element', name: element }
  return { name, type, optional: false, nullable: false, origin, specifics }
}

import type { Field, InputField, Origin, Outcome, TypeId } from '../../contract/contract.js'
import { compareTexts } from '../../contract/ordering.js'
import { marked, present } from '../../contract/present.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Notes } from '../notes.js'
import type { Csdl, Declared } from './csdl.js'
import { documented } from './documentation.js'
import { ifMatchInput, keyInput, queryInputs } from './inputs.js'
import { fieldSpecifics, type FieldSpecifics, type InvocationSpecifics } from './specifics.js'
import { dataMetadata } from './namespaces.js'
import type { FoundOperation } from './operations.js'
import type { Resource } from './resources.js'
import { outerKey, propertyNames } from './subject.js'
import type { TypeReader } from './types.js'

/** What a function or an action is bound to. */
interface Binding {
  readonly resource: Resource
  /** All its entities, or one of them. */
  readonly many: boolean
  /** The type that the entities are taken for, where only some are of it. */
  readonly cast: TypeId | undefined
}

/** Where a function or an action can be called. */
interface CallPlace {
  readonly path: readonly string[]
  /** What is called there. */
  readonly call: string
  readonly documentation: string | undefined
  readonly origin: Origin
  readonly on?: Binding
}

/** Reads functions and actions (CSDL XML 4.01, section 12), and the imports that offer them. */
export class InvocationReader {
  private readonly csdl: Csdl
  private readonly types: TypeReader
  private readonly notes: Notes
  private readonly hear: (found: FoundOperation) => void
  /** Functions and actions that an import offers. */
  private readonly byImport = new Set<XmlElement>()

  /** @param hear gets what can be called */
  constructor(csdl: Csdl, types: TypeReader, notes: Notes, hear: (found: FoundOperation) => void) {
    this.csdl = csdl
    this.types = types
    this.notes = notes
    this.hear = hear
  }

  /** What the imports of a container offer. */
  readImports({ name: container, element }: Declared): void {
    for (const each of element.take(element.namespace, 'FunctionImport')) {
      for (const attribute of ['IncludeInServiceDocument', 'EntitySetPath', 'EntitySet'])
        each.attribute(attribute)
      const documentation = this.importDocumentation(each, container)
      const written = each.attribute('Function')
      if (written === undefined)
        this.orTell(each, [nameOf(each)], () => this.readFunctionImport2(each, documentation))
      else this.readImport(each, 'Function', written, documentation)
    }
    for (const each of element.take(element.namespace, 'ActionImport')) {
      each.attribute('EntitySet')
      const documentation = this.importDocumentation(each, container)
      this.readImport(each, 'Action', each.attribute('Action') ?? '', documentation)
    }
  }

  private importDocumentation(element: XmlElement, container: string): string | undefined {
    return this.csdl.documentation(element, `${container}/${nameOf(element)}`)
  }

  /** What an import offers: the overloads that are bound to nothing. */
  private readImport(
    element: XmlElement,
    local: 'Function' | 'Action',
    written: string,
    documentation: string | undefined,
  ): void {
    const call = nameOf(element)
    const overloads = inOrder(this.csdl.overloads(local, written)).filter(
      (each) => !isBound(each.element),
    )
    if (overloads.length === 0)
      this.leaveOut(element, `The import "${call}"`, `no document declares "${written}"`)
    for (const overload of overloads) {
      this.byImport.add(overload.element)
      this.readInvocation(overload, { path: [call], call, documentation, origin: element.origin })
    }
  }

  /** Of version 2: its parameters stand behind the question mark (CSDL 2, section 2.1.20). */
  private readFunctionImport2(element: XmlElement, documentation: string | undefined): void {
    const { origin } = element
    const name = nameOf(element)
    const what = `The function import "${name}"`
    const method = (element.attribute('HttpMethod', dataMetadata) ?? 'GET').toUpperCase()
    for (const attribute of ['IsSideEffecting', 'IsComposable']) element.attribute(attribute)
    if (element.attribute('IsBindable') === 'true') {
      this.refuse(element, what, 'it is bound to its first parameter, as only version 3 has it')
      return
    }
    const inputs = element.take(element.namespace, 'Parameter').map((each) => {
      each.attribute('Mode')
      return this.parameter(each, name)
    })
    const outcome = this.outcome(element, element.attribute('ReturnType'), name)
    if (method !== 'GET' && method !== 'POST') {
      this.refuse(element, what, `its method is ${method}`)
      return
    }
    const specifics: InvocationSpecifics = { kind: 'invoke', call: name, method, passing: 'query' }
    this.hear({ path: [name], inputs, outcome, documentation, origin, specifics })
  }

  /** Functions and actions that are bound to entities, at all resources that have such. */
  readBound(resources: readonly Resource[]): void {
    for (const local of ['Action', 'Function'] as const)
      for (const declared of inOrder(this.csdl.all(local)))
        if (isBound(declared.element)) this.readBoundOne(declared, resources)
        // Imports were read before: what none of them names can't be called (section 12.6).
        else if (!this.byImport.has(declared.element))
          this.leaveOut(declared.element, inWords(declared), 'no import offers it')
  }

  private readBoundOne(declared: Declared, resources: readonly Resource[]): void {
    const { element, name } = declared
    element.read = true
    const { type, many } = this.boundTo(element)
    if (type === undefined || !this.types.isEntity(type)) {
      this.refuse(element, inWords(declared), 'it is bound to something that is no entity')
      return
    }
    const isRelated = (entity: TypeId): boolean =>
      this.types.extends(entity, type) || this.types.extends(type, entity)
    const places = resources.filter(
      ({ specifics }) => isRelated(specifics.entity) && !(specifics.singleton === true && many),
    )
    for (const resource of places) {
      const cast = this.types.extends(resource.specifics.entity, type) ? undefined : type
      this.readInvocation(declared, {
        path: [resource.name, nameOf(element)],
        call: name,
        documentation: undefined,
        origin: element.origin,
        on: { resource, many, cast },
      })
    }
    if (places.length === 0)
      this.leaveOut(element, inWords(declared), 'no set has entities that it is bound to')
  }

  /** The type of the first parameter of what is bound, and whether it is a collection. */
  private boundTo(element: XmlElement): { type: TypeId | undefined; many: boolean } {
    const [binding] = element.children.filter((child) => child.local === 'Parameter')
    const written = binding?.attributes.find((each) => each.local === 'Type')?.value ?? ''
    const item = /^Collection\((.*)\)$/.exec(written)?.[1]
    const name = item ?? written
    const type = this.csdl.hasType(name) ? this.csdl.type(name, element).name : undefined
    return { type, many: item !== undefined }
  }

  /** Reads what can be called, or tells that it is broken. */
  private orTell(element: XmlElement, path: readonly string[], read: () => void): void {
    this.csdl.broken.attempt(read, (reason) => {
      element.readWhole()
      this.csdl.broken.addOperation({ path, origin: element.origin }, reason)
    })
  }

  private readInvocation(declared: Declared, place: CallPlace): void {
    this.orTell(declared.element, place.path, () => this.readCallable(declared, place))
  }

  private readCallable(declared: Declared, place: CallPlace): void {
    const { element, name } = declared
    const { on, origin } = place
    const isFunction = element.local === 'Function'
    element.read = true
    for (const attribute of ['Name', 'IsBound', 'IsComposable', 'EntitySetPath'])
      element.attribute(attribute)
    const parameters = element.take(element.namespace, 'Parameter')
    if (on !== undefined) parameters.shift()?.readWhole()
    const inputs = parameters.map((each) => this.parameter(each, name))
    const [returns] = element.take(element.namespace, 'ReturnType')
    const outcome = this.outcome(returns ?? element, returns?.attribute('Type'), name)
    const addressing = on === undefined ? noAddressing : this.addressing(on, origin)
    if (addressing === undefined) {
      const what = `${inWords(declared)} at "${on?.resource.name ?? ''}"`
      const reason = 'its entities have no key that can be written'
      this.notes.add('refused', 'TM-2407', { what, reason }, element.origin)
      return
    }
    const { keys, guards } = addressing
    const asks = isFunction ? this.askedOfRows(outcome, inputs, origin) : undefined
    const own = new Set([...keys, ...guards].map((each) => each.name))
    this.hear({
      path: place.path,
      inputs: [
        ...keys,
        ...inputs.map((each) => (own.has(each.name) ? renamed(each) : each)),
        ...guards,
        ...(asks?.inputs ?? []),
      ],
      outcome,
      documentation: place.documentation ?? this.csdl.documentation(element, name),
      origin,
      specifics: {
        kind: 'invoke',
        call: place.call,
        method: isFunction ? 'GET' : 'POST',
        passing: isFunction ? 'inline' : 'body',
        ...present({ asks: asks?.specifics, on: on && boundSpecifics(on) }),
      },
    })
  }

  /**
   * The keys of what something is bound to, and the version that it may be meant for; undefined
   * where it is bound to one entity that has no key.
   */
  private addressing(
    { resource, many }: Binding,
    origin: Origin,
  ): { keys: readonly InputField[]; guards: readonly InputField[] } | undefined {
    const { specifics, guarded } = resource
    const isOneOfSeveral = !many && specifics.singleton !== true
    const key = isOneOfSeveral ? keyInput(this.types.keyFields(specifics.entity), origin) : []
    if (isOneOfSeveral && key.length === 0) return undefined
    return {
      keys: [...outerKey(specifics, this.types, origin), ...key],
      guards: many ? [] : [ifMatchInput(guarded, resource.origin)],
    }
  }

  /**
   * What a query can ask of the entities that a function returns (Protocol, section 11.5.4.1): what
   * it calls one of its own parameters is that parameter. There is no place for a count.
   */
  private askedOfRows(
    outcome: Outcome,
    parameters: readonly InputField[],
    origin: Origin,
  ): { specifics: NonNullable<InvocationSpecifics['asks']>; inputs: InputField[] } | undefined {
    const entity = returnedEntities(outcome)
    if (entity === undefined || !this.types.isEntity(entity)) return undefined
    const taken = new Set(['count', ...parameters.map(({ name }) => name)])
    const properties = propertyNames(this.types.allFields(entity))
    const inputs = queryInputs(properties, this.csdl.version, origin).filter(
      ({ name }) => !taken.has(name),
    )
    if (inputs.length === 0) return undefined
    return { specifics: { entity, options: inputs.map(({ name }) => name) }, inputs }
  }

  private parameter(element: XmlElement, operation: string): InputField {
    const name = nameOf(element)
    const path = `${operation}/${name}`
    const { type, nullable } = this.types.placed(element, element.attribute('Type'), path)
    const optional =
      this.csdl.annotation(element, path, 'Org.OData.Core.V1.OptionalParameter') !== undefined
    // Who does not say it says null: the overload is told by all its parameters.
    const always: FieldSpecifics | undefined = nullable && !optional ? { always: true } : undefined
    return {
      name,
      type,
      optional: optional || nullable,
      nullable,
      place: 'body',
      ...documented(this.csdl.documentation(element, path)),
      origin: element.origin,
      ...present({ specifics: always }),
    }
  }

  private outcome(element: XmlElement, written: string | undefined, name: string): Outcome {
    if (written === undefined) return { kind: 'nothing' }
    const { type, nullable } = this.types.placed(element, written, name)
    // Version 2 does not say whether it may be null, and version 4 says so for most.
    const field: Field = {
      name: 'value',
      type,
      optional: false,
      nullable: nullable && type.kind !== 'list' && this.csdl.isNew,
      origin: element.origin,
    }
    return { kind: 'value', field }
  }

  private refuse(element: XmlElement, what: string, reason: string): void {
    this.notes.add('refused', 'TM-2407', { what, reason }, element.origin)
    element.readWhole()
  }

  private leaveOut(element: XmlElement, what: string, reason: string): void {
    this.notes.add('ignored', 'TM-2407', { what, reason }, element.origin)
    element.readWhole()
  }
}

const noAddressing = { keys: [], guards: [] }

function boundSpecifics({ resource, many, cast }: Binding): InvocationSpecifics['on'] {
  return { ...resource.specifics, ...marked({ many: many }), ...present({ cast }) }
}

/** A parameter that is called like our own words for keys. */
function renamed(parameter: InputField): InputField {
  const specifics: FieldSpecifics = { ...fieldSpecifics(parameter), wire: parameter.name }
  return { ...parameter, name: `${parameter.name}_`, specifics }
}

/** The type of the entities that are returned as a list. */
function returnedEntities(outcome: Outcome): TypeId | undefined {
  if (outcome.kind !== 'value' || outcome.field.type.kind !== 'list') return undefined
  const { item } = outcome.field.type
  return item.kind === 'reference' ? item.to : undefined
}

/**
 * Overloads in an order that does not depend on the document: by name and parameters. The first one
 * keeps the plain name.
 */
function inOrder(overloads: readonly Declared[]): Declared[] {
  return overloads
    .map((overload) => [signatureOf(overload), overload] as const)
    .sort(([a], [b]) => compareTexts(a, b))
    .map(([, overload]) => overload)
}

function signatureOf({ name, element }: Declared): string {
  const parameters = element.children.filter(({ local }) => local === 'Parameter')
  const named = parameters.map(
    ({ attributes }) => attributes.find(({ local }) => local === 'Name')?.value ?? '',
  )
  return [name, ...named].join(' ')
}

function inWords({ name, element }: Declared): string {
  return `The ${element.local.toLowerCase()} "${name}"`
}

function nameOf(element: XmlElement): string {
  return element.attribute('Name') ?? ''
}

function isBound(element: XmlElement): boolean {
  return element.attribute('IsBound') === 'true'
}

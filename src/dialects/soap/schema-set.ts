import { indexOf } from '../../documents/places.js'
import { nearestAdvice } from '../../contract/nearest.js'
import { problem } from '../../contract/problem.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'
import { parseXml, type XmlElement } from '../../documents/xml-tree.js'
import type { QualifiedName } from './specifics.js'
import { builtinTypes } from './builtin-types.js'
import { attachmentsProfile, soapEncodings, wsdl, xmlNamespace, xsd } from './namespaces.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { documentationOf, keyOf, qualifiedName } from './reading.js'

/** What holds for everything declared in one <xs:schema>. */
export interface SchemaContext {
  readonly namespace: string
  readonly qualifiedElements: boolean
  readonly qualifiedAttributes: boolean
  /** The schema has no namespace of its own and took that of the schema which includes it. */
  readonly chameleon: boolean
}

/** A global component with the schema it stands in. */
export interface Component {
  readonly name: QualifiedName
  readonly element: XmlElement
  readonly schema: SchemaContext
}

export type ComponentKind = 'type' | 'element' | 'attribute' | 'group' | 'attributeGroup'

/**
 * What follows the name of a component as it was before it was redefined; no name in XML can have
 * it.
 */
export const redefined = '~'

const kinds: Readonly<Record<string, ComponentKind>> = {
  complexType: 'type',
  simpleType: 'type',
  element: 'element',
  attribute: 'attribute',
  group: 'group',
  attributeGroup: 'attributeGroup',
}

/** The global components of all schemas of a contract (XML Schema part 1, section 4.2). */
export class SchemaSet {
  readonly documents: Documents
  readonly notes: Notes
  readonly broken: BrokenParts
  /** Every schema root that was read, for the sweep over what nobody looked at. */
  readonly roots: XmlElement[] = []
  private readonly components = new Map<string, Component>()
  private readonly parsed = new Map<LoadedDocument, XmlElement>()
  private readonly added = new Set<string>()
  /** Where a redefinition means the component as it was. */
  private readonly originals = new Map<XmlElement, QualifiedName>()

  /** The qualified names of components, by their local names. */
  private readonly byLocalName = new Map<string, Map<string, QualifiedName>>()

  constructor(documents: Documents, notes: Notes, broken: BrokenParts) {
    this.documents = documents
    this.notes = notes
    this.broken = broken
  }

  /** Adds a schema element and, following imports and includes, what it refers to. */
  async addSchema(
    schema: XmlElement,
    document: LoadedDocument,
    includedInto?: string,
  ): Promise<void> {
    const ownNamespace = schema.attribute('targetNamespace')
    const namespace = ownNamespace ?? includedInto ?? ''
    const identity = `${String(schema.origin)} ${namespace}`
    if (this.added.has(identity)) return
    this.added.add(identity)
    schema.read = true
    if (!this.roots.includes(schema)) this.roots.push(schema)
    const context: SchemaContext = {
      namespace,
      qualifiedElements: schema.attribute('elementFormDefault') === 'qualified',
      qualifiedAttributes: schema.attribute('attributeFormDefault') === 'qualified',
      chameleon: ownNamespace === undefined && namespace !== '',
    }
    for (const attribute of ['version', 'id', 'finalDefault', 'blockDefault'])
      schema.attribute(attribute)
    documentationOf(schema)
    await this.followReferences(schema, document, context)
    for (const child of schema.children) {
      const kind = child.namespace === xsd ? kinds[child.local] : undefined
      if (kind !== undefined) this.addOrTell(kind, child, context)
    }
  }

  /** Adds the schema in a document, which may also be a WSDL that has schemas inside. */
  async addDocument(
    document: LoadedDocument,
    from: XmlElement,
    includedInto?: string,
  ): Promise<void> {
    const root = this.rootOf(document)
    if (!root.is(xsd, 'schema'))
      throw problem(
        'TM-2010',
        { reference: document.label, reason: `it is not an XML Schema but <${root.name}>` },
        { place: from.place },
      )
    await this.addSchema(root, document, includedInto)
  }

  /** The document's tree; parsed once. */
  rootOf(document: LoadedDocument): XmlElement {
    let root = this.parsed.get(document)
    if (root === undefined) {
      root = parseXml(document.text, document.label, indexOf(this.documents, document))
      this.parsed.set(document, root)
    }
    return root
  }

  find(kind: ComponentKind, name: QualifiedName): Component | undefined {
    return this.components.get(`${kind} ${keyOf(name)}`)
  }

  /**
   * The component that a reference names.
   *
   * @param at where the reference stands
   * @throws Problem TM-2201 when no document declares it
   */
  require(kind: ComponentKind, name: QualifiedName, at: XmlElement): Component {
    const found = this.find(kind, name)
    if (found !== undefined) {
      found.element.read = true
      return found
    }
    const names = this.all(kind).map((component) => component.name[1])
    throw problem(
      'TM-2201',
      {
        kind: wordFor(kind),
        reference: keyOf(name),
        nearest: nearestAdvice(name[1], names),
      },
      { place: at.place },
    )
  }

  /** All components of a kind, in the order of reading; not those that were redefined. */
  all(kind: ComponentKind): Component[] {
    return [...this.components]
      .filter(([key]) => key.startsWith(`${kind} `) && !key.endsWith(redefined))
      .map(([, component]) => component)
  }

  /**
   * Resolves a reference that stands in a schema; unprefixed names of a chameleon schema are in the
   * namespace it took.
   */
  resolve(value: string, at: XmlElement, schema: SchemaContext): QualifiedName {
    const original = this.originals.get(at)
    if (original !== undefined) return original
    const name = qualifiedName(value, at)
    return name[0] === '' && schema.chameleon
      ? [schema.namespace, name[1]]
      : this.meant(name, value, at)
  }

  /**
   * What a name means that the default namespace sends into that of WSDL or XML Schema themselves,
   * which declare nothing of the kind: the only component that is called so; anything else as it
   * is.
   *
   * @param written the name as it stands at `at`
   */
  meant(name: QualifiedName, written: string, at: XmlElement): QualifiedName {
    const [namespace, local] = name
    if (namespace !== wsdl && namespace !== xsd) return name
    const [only, ...others] = this.byLocalName.get(local)?.values() ?? []
    if (only === undefined || others.length > 0 || written.includes(':')) return name
    if (namespace === xsd && (local === 'anyType' || Object.hasOwn(builtinTypes, local)))
      return name
    const told = { kind: 'component', reference: local, taken: keyOf(only) }
    this.notes.add('approximated', 'TM-2122', told, at.origin)
    return only
  }

  /** Adds a component; one that can't be, for want of a name, nobody can refer to either. */
  private addOrTell(kind: ComponentKind, element: XmlElement, schema: SchemaContext): void {
    this.broken.attempt(
      () => this.addComponent(kind, element, schema),
      (reason) => {
        element.readWhole()
        this.broken.add(wordFor(kind), { name: '', origin: element.origin }, reason)
      },
    )
  }

  private addComponent(kind: ComponentKind, element: XmlElement, schema: SchemaContext): void {
    const local = element.attribute('name')
    if (local === undefined)
      throw problem(
        'TM-2104',
        { what: `<${element.name}>`, attribute: 'name' },
        { place: element.place },
      )
    const name: QualifiedName = [schema.namespace, local]
    const key = `${kind} ${keyOf(name)}`
    const called = this.byLocalName.get(local) ?? new Map<string, QualifiedName>()
    this.byLocalName.set(local, called.set(keyOf(name), name))
    if (this.components.has(key)) {
      this.notes.add('ignored', 'TM-2202', { kind: wordFor(kind), name: local }, element.origin)
      element.readWhole()
      return
    }
    // Types and elements are all read in the end; the others count as unread until something refers
    // to them.
    element.read = kind === 'type' || kind === 'element'
    this.components.set(key, { name, element, schema })
  }

  private async followReferences(
    schema: XmlElement,
    document: LoadedDocument,
    context: SchemaContext,
  ): Promise<void> {
    for (const reference of schema.children) {
      if (
        !reference.is(xsd, 'import') &&
        !reference.is(xsd, 'include') &&
        !reference.is(xsd, 'redefine')
      )
        continue
      reference.read = true
      documentationOf(reference)
      reference.attribute('namespace')
      reference.attribute('id')
      const location = reference.attribute('schemaLocation')
      // An import without a location means schemas that are there anyway; the schemas of XML
      // itself, of XML Schema and of SOAP's encoding are built in.
      const imported = reference.attribute('namespace') ?? ''
      if (
        location !== undefined &&
        imported !== xsd &&
        imported !== xmlNamespace &&
        imported !== attachmentsProfile &&
        !soapEncodings.includes(imported)
      ) {
        const isImport = reference.is(xsd, 'import')
        const target = await this.documents.follow(location, document, reference.place, {
          namespace: isImport ? imported : context.namespace,
          root: 'schema',
        })
        await this.addDocument(target, reference, isImport ? undefined : context.namespace)
      }
      if (reference.is(xsd, 'redefine'))
        for (const child of reference.children) this.redefine(child, context)
    }
  }

  /**
   * Puts a redefinition in the place of the component, which it may refer to as it was (XML Schema
   * part 1, section 4.2.2).
   */
  private redefine(element: XmlElement, schema: SchemaContext): void {
    const kind = element.namespace === xsd ? kinds[element.local] : undefined
    if (kind === undefined) return
    const local = element.attribute('name') ?? ''
    const name: QualifiedName = [schema.namespace, local]
    const original = this.require(kind, name, element)
    const before: QualifiedName = [name[0], local + redefined]
    this.components.set(`${kind} ${keyOf(before)}`, { ...original, name: before })
    this.components.set(`${kind} ${keyOf(name)}`, { name, element, schema })
    element.read = true
    const mark = (each: XmlElement): void => {
      const attribute = each.namespace === xsd ? referring.get(each.local) : undefined
      const value =
        attribute === undefined
          ? undefined
          : each.attributes.find((one) => one.local === attribute)?.value
      if (value !== undefined && keyOf(this.resolve(value, each, schema)) === keyOf(name))
        this.originals.set(each, before)
      for (const child of each.children) mark(child)
    }
    mark(element)
  }
}

function wordFor(kind: ComponentKind): string {
  return kind === 'attributeGroup' ? 'attribute group' : kind
}

/** The attributes in which elements name what they build on. */
const referring = new Map([
  ['group', 'ref'],
  ['attributeGroup', 'ref'],
  ['extension', 'base'],
  ['restriction', 'base'],
])

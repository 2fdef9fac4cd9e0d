import { indexOf, placeOf } from '../../documents/places.js'
import { addTo, addEach } from '../../contract/lists.js'
import type { Origin, PlaceInDocument } from '../../contract/contract.js'
import { nearestAdvice, nearestNames } from '../../contract/nearest.js'
import { problem, type Problem } from '../../contract/problem.js'
import { parseData } from '../../documents/data-tree.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'
import { parseXml, type XmlElement } from '../../documents/xml-tree.js'
import type { BrokenParts } from '../broken-parts.js'
import { repairsInto, type Notes } from '../notes.js'
import { xmlFromJson } from './csdl-json.js'
import type { Version } from './specifics.js'
import { dataMetadata, edmx2, edmx4, isEdm, sap } from './namespaces.js'

/** Something with a name that a schema declares. */
export interface Declared {
  /** The qualified name: namespace and name. */
  readonly name: string
  readonly element: XmlElement
}

interface Schema {
  readonly namespace: string
  readonly alias: string | undefined
  readonly element: XmlElement
}

/**
 * The schemas of a service, from all documents that they need, with names and annotations resolved
 * (CSDL XML 4.01, sections 3 to 5 and 14).
 */
export class Csdl {
  readonly version: Version
  readonly root: XmlElement
  readonly roots: XmlElement[] = []
  readonly broken: BrokenParts
  private readonly documents: Documents
  private readonly notes: Notes
  private readonly schemas: Schema[] = []
  private readonly aliases = new Map<string, string>()
  /** References of documents by the namespaces that they include. */
  private readonly includes = new Map<
    string,
    { readonly reference: string; readonly from: LoadedDocument; readonly element: XmlElement }
  >()
  private readonly types = new Map<string, Declared>()
  private readonly others = new Map<string, Declared[]>()
  /** Annotations from outside, by the path of what they are about. */
  private readonly annotations = new Map<string, XmlElement[]>()
  private readonly annotationsInside = new WeakMap<XmlElement, ReadonlyMap<string, XmlElement>>()
  /** The actions and functions that parameters belong to. */
  private readonly operationOf = new Map<XmlElement, XmlElement>()
  /** Members of annotations that nobody knows, where the rest is read: each place once. */
  private readonly ignored = new Map<string, { readonly term: string; readonly origin: Origin }>()

  private constructor(
    root: XmlElement,
    version: Version,
    documents: Documents,
    notes: Notes,
    broken: BrokenParts,
  ) {
    this.root = root
    this.version = version
    this.documents = documents
    this.notes = notes
    this.broken = broken
  }

  /**
   * Reads a metadata document and those that it includes and needs.
   *
   * @throws Problem TM-2401 for a version or form that is not read, TM-2010 when a document can't
   *   be had
   */
  static async load(
    document: LoadedDocument,
    documents: Documents,
    notes: Notes,
    broken: BrokenParts,
  ): Promise<Csdl> {
    const root = parseMetadata(documents, document, notes)
    const csdl = new Csdl(root, versionOf(root), documents, notes, broken)
    csdl.addDocument(root, document)
    await csdl.fetchIncluded()
    return csdl
  }

  /** Where something of the contract stands, for messages. */
  placeOf(origin: Origin): PlaceInDocument {
    return placeOf(this.documents.all(), origin)
  }

  get isNew(): boolean {
    return this.version.startsWith('4')
  }

  /** All types, in the order of the documents. */
  allTypes(): Declared[] {
    return [...this.types.values()]
  }

  /** The type of this very name. */
  declared(name: string): Declared | undefined {
    return this.types.get(name)
  }

  all(local: string): Declared[] {
    return this.schemas.flatMap(({ namespace, element }) =>
      element
        .take(element.namespace, local)
        .map((each) => ({ name: `${namespace}.${each.attribute('Name') ?? ''}`, element: each })),
    )
  }

  /**
   * The declarations of a kind with a name as it was written: functions and actions can have
   * several.
   */
  overloads(
    local: 'Function' | 'Action' | 'Association' | 'EntityContainer',
    written: string,
  ): Declared[] {
    return (
      this.candidates(written)
        .map((name) => this.others.get(`${local} ${name}`) ?? [])
        .find((found) => found.length > 0) ?? []
    )
  }

  /**
   * The type of a qualified name as it was written.
   *
   * @throws Problem TM-2402 with the nearest names
   */
  type(written: string, at: XmlElement): Declared {
    for (const name of this.candidates(written)) {
      const found = this.types.get(name)
      if (found !== undefined) return found
    }
    throw this.unknownType(written, at)
  }

  /**
   * The entity type or complex type of a qualified name as it was written.
   *
   * @throws Problem TM-2402 where there is none, TM-2414 where it is another kind of type
   */
  structuredType(written: string, at: XmlElement): Declared {
    const found = this.type(written, at)
    const kind = unstructured[found.element.local]
    if (kind === undefined) return found
    const values = { what: nameInTag(at), reference: written, kind }
    throw problem('TM-2414', values, { place: at.place })
  }

  hasType(written: string): boolean {
    return this.candidates(written).some((name) => this.types.has(name))
  }

  private unknownType(written: string, at: XmlElement): Problem {
    const names = [...this.types.keys()]
    // Names of one namespace differ in their last part: that is where mistakes are.
    const last = (name: string): string => name.split('.').pop() ?? name
    const near = nearestNames(last(written), names.map(last)).flatMap((each) =>
      names.filter((name) => last(name) === each),
    )
    return problem(
      'TM-2402',
      {
        what: nameInTag(at),
        reference: written,
        nearest:
          near.length > 0
            ? `Nearest: ${near.map((name) => `"${name}"`).join(', ')}.`
            : nearestAdvice(written, names),
      },
      { place: at.place },
    )
  }

  /** What a name may mean: a namespace wins over an alias that is called like it. */
  private candidates(written: string): string[] {
    const dot = written.lastIndexOf('.')
    const namespace = this.aliases.get(written.slice(0, dot))
    return [written, ...(namespace === undefined ? [] : [`${namespace}${written.slice(dot)}`])]
  }

  private resolved(written: string): string {
    return this.candidates(written).at(-1) ?? written
  }

  /**
   * An annotation of something.
   *
   * @param path what it is about, for annotations that stand elsewhere: `Ns.Type/Property`
   * @param term the term's qualified name
   */
  annotation(element: XmlElement, path: string, term: string): XmlElement | undefined {
    const elsewhere = [path, this.withSignature(element, path)].flatMap(
      (each) => (each === undefined ? undefined : this.annotations.get(each)) ?? [],
    )
    const found =
      this.annotationsHere(element).get(term) ??
      elsewhere.find((each) => this.termOf(each) === term)
    found?.readWhole()
    return found
  }

  /**
   * The path to an action or function, or to one of its parameters, with the types of all its
   * parameters, which tell an overload (CSDL 4.01, section 14.2.2).
   */
  private withSignature(element: XmlElement, path: string): string | undefined {
    const operation = ['Function', 'Action'].includes(element.local)
      ? element
      : this.operationOf.get(element)
    if (operation === undefined) return undefined
    const types = operation.children
      .filter(({ local }) => local === 'Parameter')
      .map((each) => each.attributes.find(({ local }) => local === 'Type')?.value ?? '')
      .map((type) => type.replace(/[^()]+\.[^()]+/, (name) => this.resolved(name)))
    return path.replace(/^[^/]+/, (name) => `${name}(${types.join(',')})`)
  }

  /**
   * The annotations that stand inside an element, by their terms; the first where there are
   * several.
   */
  private annotationsHere(element: XmlElement): ReadonlyMap<string, XmlElement> {
    const known = this.annotationsInside.get(element)
    if (known !== undefined) return known
    const here = element.children.filter(
      (child) => child.local === 'Annotation' && isEdm(child.namespace),
    )
    const byTerm = new Map(here.reverse().map((each) => [this.termOf(each), each]))
    this.annotationsInside.set(element, byTerm)
    return byTerm
  }

  private termOf(annotation: XmlElement): string {
    return this.resolved(annotation.attributes.find(({ local }) => local === 'Term')?.value ?? '')
  }

  /** The text of an annotation, as attribute or element. */
  annotationText(element: XmlElement, path: string, term: string): string | undefined {
    const found = this.annotation(element, path, term)
    return found === undefined
      ? undefined
      : (found.attribute('String') ??
          found.children.find((child) => child.local === 'String')?.text)
  }

  /** Does an annotation say yes? Without a value it does. */
  annotationFlag(element: XmlElement, path: string, term: string): boolean {
    const found = this.annotation(element, path, term)
    return (
      found !== undefined &&
      (
        found.attribute('Bool') ??
        found.children.find((child) => child.local === 'Bool')?.text ??
        'true'
      ).trim() === 'true'
    )
  }

  /** Documentation in whatever way the versions have it. */
  documentation(element: XmlElement, path: string): string | undefined {
    const [old] = element.take(element.namespace, 'Documentation')
    old?.readWhole()
    const texts = [
      this.annotationText(element, path, 'Org.OData.Core.V1.Description'),
      this.annotationText(element, path, 'Org.OData.Core.V1.LongDescription'),
      ...(old?.children
        .filter((child) => ['Summary', 'LongDescription'].includes(child.local))
        .map((child) => child.text) ?? []),
      element.attribute('label', sap),
      element.attribute('quickinfo', sap),
    ]
    const parts = texts
      .map((text) => text?.trim() ?? '')
      .filter((text, at, all) => text !== '' && all.indexOf(text) === at)
    return parts.length === 0 ? undefined : parts.join('\n\n')
  }

  private addDocument(root: XmlElement, document: LoadedDocument): void {
    this.roots.push(root)
    root.read = true
    for (const attribute of ['Version']) root.attribute(attribute)
    const edmx = root.namespace
    // Documents of version 2 name vocabularies as version 4 does, in its namespace.
    const references = [...new Set([edmx, edmx4])].flatMap((each) => root.take(each, 'Reference'))
    for (const reference of references) {
      const uri = reference.attribute('Uri') ?? reference.attribute('Url')
      for (const include of reference.take(reference.namespace, 'Include')) {
        const namespace = include.attribute('Namespace') ?? ''
        const alias = include.attribute('Alias')
        if (alias !== undefined) this.aliases.set(alias, namespace)
        if (uri !== undefined && !this.includes.has(namespace))
          this.includes.set(namespace, { reference: uri, from: document, element: include })
      }
      for (const each of reference.take(reference.namespace, 'IncludeAnnotations')) {
        this.notes.add('ignored', 'TM-2404', { element: each.name }, each.origin)
        each.readWhole()
      }
      // What vocabularies say of themselves is nobody's business here.
      for (const annotation of reference.children.filter((child) => child.local === 'Annotation'))
        annotation.readWhole()
    }
    for (const services of root.take(edmx, 'DataServices')) {
      services.attribute('DataServiceVersion', dataMetadata)
      services.attribute('MaxDataServiceVersion', dataMetadata)
      for (const element of services.children.filter(
        (child) => child.local === 'Schema' && isEdm(child.namespace),
      ))
        this.addSchema(element)
    }
    if (root.local === 'Schema') this.addSchema(root)
  }

  /** A type without a name is one that nothing can refer to. */
  private tellNameless(element: XmlElement): void {
    const { origin, place } = element
    const values = { what: `<${element.name}>`, attribute: 'Name' }
    element.readWhole()
    this.broken.add('type', { name: '', origin }, problem('TM-2410', values, { place }))
  }

  private addSchema(element: XmlElement): void {
    element.read = true
    const namespace = element.attribute('Namespace') ?? ''
    const alias = element.attribute('Alias')
    if (alias !== undefined) this.aliases.set(alias, namespace)
    this.schemas.push({ namespace, alias, element })
    for (const using of element.take(element.namespace, 'Using')) {
      const used = using.attribute('Alias')
      if (used !== undefined) this.aliases.set(used, using.attribute('Namespace') ?? '')
    }
    for (const child of element.children) {
      const name = child.attributes.find((each) => each.local === 'Name')?.value
      if (['EntityType', 'ComplexType', 'EnumType', 'TypeDefinition'].includes(child.local)) {
        if (name === undefined) {
          this.tellNameless(child)
          continue
        }
        const qualified = `${namespace}.${name}`
        if (!this.types.has(qualified))
          this.types.set(qualified, { name: qualified, element: child })
      } else if (
        ['Function', 'Action', 'Association', 'EntityContainer'].includes(child.local) &&
        name !== undefined
      ) {
        const key = `${child.local} ${namespace}.${name}`
        for (const inner of child.children)
          if (['Parameter', 'ReturnType'].includes(inner.local)) this.operationOf.set(inner, child)
        addTo(this.others, key, { name: `${namespace}.${name}`, element: child })
      } else if (child.local === 'Annotations') {
        child.read = true
        const target = child.attribute('Target') ?? ''
        child.attribute('Qualifier')
        // Names of types stand at the start, in a signature, and as casts (CSDL 4.01, section
        // 14.2.2).
        const path = target.replace(/[^/(),]+/g, (name) =>
          name.includes('.') ? this.resolvedLater(name, namespace, alias) : name,
        )
        addEach(this.annotations, path, child.children)
        const cast = /^[^/(]+\/(?:.*\/)?([^/(),]+\.[^/(),]+\/[^/]+)$/.exec(path)?.[1]
        if (cast !== undefined) addEach(this.annotations, cast, child.children)
      }
    }
  }

  /**
   * Aliases of the schema that is being read are known; those of others too, once they were read.
   */
  private resolvedLater(written: string, namespace: string, alias: string | undefined): string {
    const dot = written.lastIndexOf('.')
    return alias !== undefined && written.slice(0, dot) === alias
      ? `${namespace}${written.slice(dot)}`
      : this.resolved(written)
  }

  /**
   * Fetches the documents whose namespaces the schemas speak of; vocabularies, which only
   * annotations need, stay where they are.
   */
  private async fetchIncluded(): Promise<void> {
    for (let more = true; more;) {
      more = false
      for (const namespace of this.namespacesNeeded()) {
        const include = this.includes.get(namespace)
        if (include === undefined) continue
        this.includes.delete(namespace)
        const document = await this.documents.follow(
          include.reference,
          include.from,
          include.element.place,
        )
        const root = parseMetadata(this.documents, document, this.notes)
        if (!this.roots.some((each) => each.source.label === document.label))
          this.addDocument(root, document)
        more = true
      }
    }
  }

  private namespacesNeeded(): Set<string> {
    const needed = new Set<string>()
    const declared = new Set(this.schemas.map(({ namespace }) => namespace))
    const visit = (element: XmlElement): void => {
      // What only annotations need stays where it is: the types of terms, too.
      if (['Annotation', 'Annotations', 'Term'].includes(element.local)) return
      for (const { local, value } of element.attributes) {
        if (
          ![
            'Type',
            'BaseType',
            'EntityType',
            'UnderlyingType',
            'ReturnType',
            'Relationship',
            'Association',
            'Extends',
            'Function',
            'Action',
          ].includes(local)
        )
          continue
        const name = this.resolved(value.replace(/^Collection\((.*)\)$/, '$1'))
        const namespace = name.slice(0, name.lastIndexOf('.'))
        if (namespace !== '' && namespace !== 'Edm' && !declared.has(namespace))
          needed.add(namespace)
      }
      element.children.forEach(visit)
    }
    for (const { element } of this.schemas) visit(element)
    return needed
  }

  /**
   * Remembers that a member of an annotation's record has no effect, to be told with what no reader
   * looked at.
   */
  ignore(term: string, { origin }: XmlElement): void {
    this.ignored.set(`${String(origin)} ${term}`, { term, origin })
  }

  /**
   * Tells what no reader looked at: elements each, attributes and annotations once with their
   * number.
   */
  noteUnread(): void {
    const counts = new Map<
      string,
      { count: number; origin: Origin; isAnnotation: boolean; name: string }
    >()
    const add = (name: string, origin: Origin, isAnnotation: boolean): void => {
      const key = `${isAnnotation ? '@' : ''}${name}`
      const known = counts.get(key)
      if (known === undefined) counts.set(key, { count: 1, origin, isAnnotation, name })
      else known.count += 1
    }
    const visit = (element: XmlElement): void => {
      if (element.local === 'Annotation' && isEdm(element.namespace)) {
        if (!element.read)
          add(
            this.resolved(element.attributes.find(({ local }) => local === 'Term')?.value ?? ''),
            element.origin,
            true,
          )
        return
      }
      if (!element.read) {
        this.notes.add('ignored', 'TM-2404', { element: element.name }, element.origin)
        return
      }
      for (const attribute of element.attributes)
        if (!attribute.read) add(`${attribute.name} of <${element.local}>`, element.origin, false)
      element.children.forEach(visit)
    }
    this.roots.forEach(visit)
    for (const { term, origin } of this.ignored.values()) add(term, origin, true)
    for (const { count, origin, isAnnotation, name } of counts.values()) {
      const times = count === 1 ? 'once' : `${count} times, here first`
      if (isAnnotation) this.notes.add('ignored', 'TM-2406', { term: name, count: times }, origin)
      else this.notes.add('ignored', 'TM-2405', { attribute: name, count: times }, origin)
    }
  }
}

/** Is it CSDL in JSON? */
export function isJsonMetadata(text: string): boolean {
  return /^\s*\{/.test(text) && /"\$Version"\s*:\s*"4/.test(text.slice(0, 5000))
}

/** A metadata document as XML, in whatever format it came. */
/** Kinds of types that no entity and no complex value is of. */
const unstructured: Readonly<Record<string, string>> = {
  EnumType: 'an enumeration',
  TypeDefinition: 'a type definition',
}

/** An element as its document has it, with its name. */
function nameInTag(at: XmlElement): string {
  const name = at.attribute('Name')
  return name === undefined ? `<${at.name}>` : `<${at.name} Name="${name}">`
}

function parseMetadata(documents: Documents, document: LoadedDocument, notes: Notes): XmlElement {
  const { text, label } = document
  const index = indexOf(documents, document)
  return isJsonMetadata(text)
    ? xmlFromJson(parseData(text, label, repairsInto(notes), index))
    : parseXml(text, label, index)
}

/** The version that a metadata document is of. */
function versionOf(root: XmlElement): Version {
  const written = root.attribute('Version') ?? ''
  if (root.namespace === edmx4) {
    if (/^4\.0$/.test(written)) return '4.0'
    if (/^4\./.test(written)) return '4.01'
    throw problem(
      'TM-2401',
      { what: `OData metadata of version "${written}"`, remedy: 'Versions 2, 3 and 4 are.' },
      { place: root.place },
    )
  }
  if (root.namespace === edmx2) {
    const services = root.children.find((child) => child.local === 'DataServices')
    const said =
      services?.attribute('DataServiceVersion', dataMetadata) ??
      services?.attribute('MaxDataServiceVersion', dataMetadata) ??
      '2.0'
    return said.startsWith('3') ? '3.0' : '2.0'
  }
  return root.namespace.startsWith('http://schemas.microsoft.com/') ? '2.0' : '4.0'
}

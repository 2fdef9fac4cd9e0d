import { addAll } from '../../contract/lists.js'
import { nearestAdvice } from '../../contract/nearest.js'
import { problem } from '../../contract/problem.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { QualifiedName } from './specifics.js'
import { wsdl, wsdl20, xsd } from './namespaces.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { documentationOf, keyOf, onlyOneMeant, wantedAttribute } from './reading.js'
import { SchemaSet } from './schema-set.js'
import { asDefinitions } from './wsdl20.js'

export type DefinitionKind = 'message' | 'portType' | 'binding' | 'service'

const words: Readonly<Record<DefinitionKind, string>> = {
  message: 'message',
  portType: 'port type',
  binding: 'binding',
  service: 'service',
}

/** A top-level component of a WSDL 1.1 document. */
export interface Definition {
  readonly name: QualifiedName
  readonly element: XmlElement
}

/**
 * All definitions and schemas of a contract, gathered over its documents (WSDL 1.1, section 2.1).
 */
export class Definitions {
  readonly schemas: SchemaSet
  /** The <definitions> of every document, the starting one first. */
  readonly roots: XmlElement[] = []
  private readonly documents: Documents
  private readonly notes: Notes
  private readonly broken: BrokenParts
  private readonly found = new Map<string, Definition>()
  private readonly added = new Set<LoadedDocument>()

  constructor(documents: Documents, notes: Notes, broken: BrokenParts) {
    this.documents = documents
    this.notes = notes
    this.broken = broken
    this.schemas = new SchemaSet(documents, notes, broken)
  }

  /** Reads a document and all that it imports. */
  async add(document: LoadedDocument, from?: XmlElement): Promise<void> {
    if (this.added.has(document)) return
    this.added.add(document)
    const written = this.schemas.rootOf(document)
    const root = written.is(wsdl20, 'description')
      ? asDefinitions(written, await this.included(written, document), this.notes, this.broken)
      : written
    if (root.is(xsd, 'schema') && from !== undefined) {
      await this.schemas.addSchema(root, document)
      return
    }
    if (!root.is(wsdl, 'definitions'))
      throw problem(
        'TM-2009',
        { found: `its root element is <${root.name}>` },
        { place: root.place },
      )
    root.read = true
    this.roots.push(root)
    const namespace = root.attribute('targetNamespace') ?? ''
    root.attribute('name')
    for (const imported of root.take(wsdl, 'import')) {
      documentationOf(imported)
      const wanted = { namespace: imported.attribute('namespace') ?? '', root: 'definitions' }
      const location = imported.attribute('location')
      if (location === undefined) continue
      await this.add(
        await this.documents.follow(location, document, imported.place, wanted),
        imported,
      )
    }
    for (const types of root.take(wsdl, 'types')) {
      documentationOf(types)
      for (const schema of types.take(xsd, 'schema')) await this.schemas.addSchema(schema, document)
    }
    for (const kind of ['message', 'portType', 'binding', 'service'] as const) {
      for (const element of root.take(wsdl, kind)) this.keepOrTell(kind, namespace, element)
    }
  }

  /**
   * The descriptions that one of WSDL 2.0 includes and imports (WSDL 2.0 part 1, section 4); their
   * schemas are added.
   */
  private async included(
    root: XmlElement,
    document: LoadedDocument,
    within: readonly LoadedDocument[] = [],
  ): Promise<XmlElement[]> {
    const found: XmlElement[] = []
    for (const each of root.children.filter(
      (child) => child.is(wsdl20, 'include') || child.is(wsdl20, 'import'),
    )) {
      const location = each.attribute('location')
      const target =
        location === undefined
          ? undefined
          : await this.documents.follow(location, document, each.place)
      if (target === undefined || within.includes(target)) continue
      const other = this.schemas.rootOf(target)
      for (const types of other.children.filter((child) => child.is(wsdl20, 'types')))
        for (const schema of types.children.filter((child) => child.is(xsd, 'schema')))
          await this.schemas.addSchema(schema, target)
      found.push(other)
      addAll(found, await this.included(other, target, [...within, document]))
    }
    return found
  }

  all(kind: DefinitionKind): Definition[] {
    return [...this.found]
      .filter(([key]) => key.startsWith(`${kind} `))
      .map(([, definition]) => definition)
  }

  /**
   * The definition that a reference names.
   *
   * @param from what refers to it, for the message: `binding "DeskLine11"`
   * @throws Problem TM-2102 when no document declares it
   */
  require(
    kind: DefinitionKind,
    name: QualifiedName,
    from: { what: string; name: string; at: XmlElement; written: string },
  ): Definition {
    const definition = this.found.get(`${kind} ${keyOf(name)}`)
    if (definition !== undefined) {
      definition.element.read = true
      return definition
    }
    const meant = onlyOneMeant(name, this.all(kind))
    if (meant !== undefined) {
      const told = { kind: words[kind], reference: from.written, taken: keyOf(meant.name) }
      this.notes.add('approximated', 'TM-2122', told, from.at.origin)
      meant.element.read = true
      return meant
    }
    const names = this.all(kind).map((each) => each.name[1])
    throw problem(
      'TM-2102',
      {
        what: from.what,
        name: from.name,
        kind: words[kind],
        reference: from.written,
        nearest: nearestAdvice(name[1], names),
      },
      { place: from.at.place },
    )
  }

  /** Keeps a definition; one without a name nobody can refer to, and a service is wanted anyway. */
  private keepOrTell(kind: DefinitionKind, namespace: string, element: XmlElement): void {
    const keep = (): void => this.keep(kind, [namespace, wantedAttribute(element, 'name')], element)
    if (kind === 'service') keep()
    else
      this.broken.attempt(keep, (reason) => {
        element.readWhole()
        this.broken.add(words[kind], { name: '', origin: element.origin }, reason)
      })
  }

  private keep(kind: DefinitionKind, name: QualifiedName, element: XmlElement): void {
    const key = `${kind} ${keyOf(name)}`
    if (this.found.has(key)) {
      this.notes.add('ignored', 'TM-2202', { kind: words[kind], name: name[1] }, element.origin)
      element.readWhole()
    } else {
      // Until something refers to it, it counts as unread.
      element.read = kind === 'service'
      this.found.set(key, { name, element })
    }
  }
}

import { indexOf } from '../../documents/places.js'
import { problem } from '../../contract/problem.js'
import { nearestAdvice } from '../../contract/nearest.js'
import { nodeAt, parseData } from '../../documents/data-tree.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Documents, LoadedDocument } from '../../documents/documents.js'
import { Overlays } from '../../documents/overlay.js'
import { repairsInto, type Notes } from '../notes.js'
import { hasSiblings } from './siblings.js'

/**
 * The documents of a description as trees, and what references in them mean: `$ref` by document and
 * JSON Pointer (OpenAPI 3.1, section 4.6; RFC 6901), and by the `$id`, `$anchor` and
 * `$dynamicAnchor` of schemas (JSON Schema 2020-12 Core, section 8.2).
 */
export class References {
  readonly root: DataNode
  /** The version of OpenAPI that the description says it follows. */
  readonly version: string
  /** Do the keywords beside a `$ref` count? Since 3.1. */
  readonly siblingsCount: boolean
  private readonly trees = new Map<string, DataNode>()
  private readonly documents: Documents
  private readonly notes: Notes
  private readonly byLabel = new Map<string, LoadedDocument>()
  /**
   * Schemas with an `$id`, by that as an absolute address; and what has an anchor, by
   * `address#name`.
   */
  private readonly identified = new Map<string, DataNode>()
  /** What references lead to, so that following one twice costs nothing. */
  private readonly found = new Map<DataNode, DataNode>()

  private constructor(documents: Documents, notes: Notes, root: DataNode) {
    this.documents = documents
    this.notes = notes
    this.root = root
    const declared = root.members.get('openapi') ?? root.members.get('swagger')
    this.version = declared?.kind === 'number' ? declared.written : String(declared?.value ?? '')
    this.siblingsCount = !/^(?:2\.|3\.0)/.test(this.version)
    this.trees.set(documents.root.label, root)
  }

  /** Parses a description and every document it refers to. */
  static async load(documents: Documents, notes: Notes): Promise<References> {
    const overlays = new Overlays(documents, (code, values, origin) =>
      notes.add(code === 'TM-2019' ? 'approximated' : 'ignored', code, values, origin),
    )
    const root = await parsed(documents, documents.root, notes, overlays)
    const references = new References(documents, notes, root)
    const waiting: LoadedDocument[] = [documents.root]
    for (let document = waiting.pop(); document !== undefined; document = waiting.pop()) {
      references.byLabel.set(document.label, document)
      const tree = references.trees.get(document.label)
      if (tree === undefined) continue
      const marks = marksOf(tree)
      for (const each of marks.identifiers) references.identify(each)
      for (const node of marks.references) {
        const reference = String(node.value)
        const [location = ''] = reference.split('#')
        if (
          location === '' ||
          references.identified.has(references.absolute(location, node)) ||
          references.named(reference) !== undefined
        )
          continue
        const target = await documents.follow(location, document, node.place)
        if (references.trees.has(target.label)) continue
        references.trees.set(target.label, await parsed(documents, target, notes, overlays))
        waiting.push(target)
      }
    }
    overlays.tellUnused()
    return references
  }

  /**
   * What a node stands for: itself, or what its `$ref` leads to in the end. One that leads nowhere
   * or in a circle is told in a note, and stands for an empty object.
   */
  settle(node: DataNode): DataNode {
    let current = node
    const passed: DataNode[] = []
    for (
      let reference = referenceOf(current);
      reference !== undefined && (current === node || !this.isMore(current));
      reference = referenceOf(current)
    ) {
      current.read = true
      reference.read = true
      for (const keyword of ['summary', 'description', '$id', '$anchor', '$dynamicAnchor', '$defs'])
        current.get(keyword)
      passed.push(current)
      if (passed.length > mostInside)
        throw problem(
          'TM-2221',
          { name: String(node.key), limit: mostInside },
          { place: node.place },
        )
      const target = this.follow(current, reference)
      const chain = passed.map((each) => String(referenceOf(each)?.value ?? ''))
      if (target === undefined) {
        const before = chain.slice(0, -1)
        this.notes.add(
          'approximated',
          'TM-2302',
          {
            reference: chain.at(-1) ?? '',
            chain: before.length === 0 ? '' : ` (reached through ${before.join(' -> ')})`,
            nearest: this.nearest(chain.at(-1) ?? ''),
          },
          reference.origin,
        )
      } else if (passed.includes(target))
        this.notes.add('approximated', 'TM-2303', { chain: chain.join(' -> ') }, reference.origin)
      else {
        current = target
        continue
      }
      const nothing = current.derive('object', '$ref')
      this.found.set(current, nothing)
      return nothing
    }
    current.read = true
    return current
  }

  /** The trees of all documents. */
  all(): DataNode[] {
    return [...this.trees.values()]
  }

  /** What a node's `$ref` leads to in the end, or undefined; marks nothing. */
  peek(node: DataNode): DataNode | undefined {
    let current: DataNode | undefined = node
    for (let step = 0; step < 100 && current !== undefined; step += 1) {
      const reference = referenceOf(current)
      if (reference === undefined || (current !== node && this.isMore(current))) return current
      current = this.follow(current, reference)
    }
    return undefined
  }

  /**
   * The node that a reference names, as it stands in `from`; undefined when there is none. For
   * references that are not in a `$ref`.
   */
  lookUp(reference: string, from: DataNode): DataNode | undefined {
    const target = this.target(reference, from)
    return target === undefined ? undefined : this.peek(target)
  }

  /** Tells of a reference outside `$ref` that leads nowhere. */
  tellMissing(reference: string, node: DataNode): void {
    this.notes.add(
      'approximated',
      'TM-2302',
      { reference, chain: '', nearest: this.nearest(reference) },
      node.origin,
    )
  }

  /** A stable id for a node: the document (unless it is the root) and its JSON Pointer. */
  idOf(node: DataNode): string {
    return `${node.document === this.documents.root.label ? '' : node.document}#${node.pointer}`
  }

  /** The anchor of this name in the schema resource that a node belongs to. */
  anchor(name: string, from: DataNode): DataNode | undefined {
    return this.identified.get(`${this.baseOf(from)}#${name}`)
  }

  /** Does a schema say more than what it refers to? Then it is one of its own. */
  isMore(node: DataNode): boolean {
    return (
      this.siblingsCount &&
      (hasSiblings(node) ||
        [...(node.members.get('$defs')?.members.values() ?? [])].some((each) =>
          each.members.has('$dynamicAnchor'),
        ))
    )
  }

  private follow(node: DataNode, reference: DataNode): DataNode | undefined {
    const known = this.found.get(node)
    if (known !== undefined) return known
    const target = this.target(String(reference.value), node)
    if (target !== undefined) this.found.set(node, target)
    return target
  }

  private target(reference: string, from: DataNode): DataNode | undefined {
    const [location = '', fragment = ''] = reference.split('#')
    const resource =
      this.identified.size === 0
        ? undefined
        : this.identified.get(location === '' ? this.baseOf(from) : this.absolute(location, from))
    const label =
      location === '' ? from.document : this.byLabel.get(from.document)?.refers.get(location)
    const tree = resource ?? this.trees.get(label ?? '')
    if (tree === undefined) return this.named(reference)
    if (fragment === '') return tree
    if (fragment.startsWith('/'))
      return (
        nodeAt(tree, fragment) ??
        (resource === undefined
          ? undefined
          : nodeAt(this.trees.get(tree.document) ?? tree, fragment)) ??
        this.moved(fragment, tree)
      )
    return this.anchor(decodeURIComponent(fragment), tree) ?? this.mended(`/${fragment}`, tree)
  }

  /**
   * Schemas keep their old addresses in descriptions that were converted by hand, or lose a slash:
   * what is meant is plain.
   */
  private moved(fragment: string, tree: DataNode): DataNode | undefined {
    const shelf =
      /^\/(definitions|components\/schemas|parameters|responses|components\/responses|components\/parameters)\//.exec(
        fragment,
      )?.[1] ?? ''
    const other = {
      definitions: 'components/schemas',
      'components/schemas': 'definitions',
      parameters: 'components/parameters',
      responses: 'components/responses',
      'components/parameters': 'parameters',
      'components/responses': 'responses',
    }[shelf]
    return other === undefined
      ? undefined
      : this.mended(`/${other}${fragment.slice(shelf.length + 1)}`, tree)
  }

  private mended(pointer: string, tree: DataNode): DataNode | undefined {
    const target = nodeAt(tree, pointer)
    if (target !== undefined)
      this.notes.add('approximated', 'TM-2312', { pointer: `#${pointer}` }, target.origin)
    return target
  }

  /**
   * A reference that is nothing but the name of a schema, as OpenAPI 1.2 had it and people still
   * write it.
   */
  private named(reference: string): DataNode | undefined {
    if (!/^[\w-]+$/.test(reference)) return undefined
    return (
      nodeAt(this.root, `/components/schemas/${reference}`) ??
      nodeAt(this.root, `/definitions/${reference}`)
    )
  }

  private nearest(reference: string): string {
    const shelf = /^#(.*)\/[^/]+$/.exec(reference)?.[1]
    const names = shelf === undefined ? [] : [...(nodeAt(this.root, shelf)?.members.keys() ?? [])]
    return names.length === 0 ? '' : nearestAdvice(reference.split('/').pop() ?? '', names)
  }

  private identify(node: DataNode): void {
    const id = node.members.get('$id')?.value
    if (typeof id === 'string') this.identified.set(this.baseOf(node), node)
    for (const keyword of ['$anchor', '$dynamicAnchor']) {
      const name = node.members.get(keyword)
      if (typeof name?.value === 'string')
        this.identified.set(`${this.baseOf(node)}#${name.value}`, node)
    }
  }

  /**
   * The address that references in a node start from: the nearest `$id` around it, else its
   * document's own (section 8.2.1).
   */
  private baseOf(node: DataNode): string {
    const ids: string[] = []
    for (let each: DataNode | undefined = node; each !== undefined; each = each.parent) {
      const id = each.members.get('$id')?.value
      if (typeof id === 'string' && each.parent !== undefined) ids.unshift(id)
    }
    const document = `tolmach:/${node.document}`
    return ids
      .reduce((base, id) => (URL.canParse(id, base) ? new URL(id, base).href : base), document)
      .replace(/#$/, '')
  }

  private absolute(location: string, from: DataNode): string {
    const base = this.baseOf(from)
    return URL.canParse(location, base) ? new URL(location, base).href : location
  }
}

/** So many schemas can lead to each other, one to the next. */
export const mostInside = 500

/**
 * The `$ref` of a node, where it is one: a property may be called so too, and then it is a schema.
 */
export function referenceOf(node: DataNode): DataNode | undefined {
  const reference = node.members.get('$ref')
  return reference !== undefined && typeof reference.value === 'string' ? reference : undefined
}

/** Members whose content is data, in which a `$ref` is no reference. */
const dataKeys = new Set([
  'example',
  'examples',
  'default',
  'enum',
  'const',
  'value',
  'dataValue',
  'x-example',
  'x-examples',
])

/** Every `$ref` of a document that is one, and every schema that names itself. */
function marksOf(root: DataNode): { references: DataNode[]; identifiers: DataNode[] } {
  const references: DataNode[] = []
  const identifiers: DataNode[] = []
  const waiting: [node: DataNode, names: boolean][] = [[root, false]]
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const [node, names] = next
    // Where members are names, they are not keywords.
    if (!names && node.kind === 'object') {
      const reference = referenceOf(node)
      if (reference !== undefined) references.push(reference)
      if (['$id', '$anchor', '$dynamicAnchor'].some((keyword) => node.members.has(keyword)))
        identifiers.push(node)
    }
    for (const [name, member] of node.members)
      if (member.kind === 'object' || member.kind === 'list')
        if (names || !dataKeys.has(name))
          waiting.push([
            member,
            !names &&
              [
                'properties',
                'patternProperties',
                'schemas',
                'definitions',
                '$defs',
                'examples',
              ].includes(name),
          ])
    for (const item of node.items)
      if (item.kind === 'object' || item.kind === 'list') waiting.push([item, false])
  }
  return { references, identifiers }
}

async function parsed(
  documents: Documents,
  document: LoadedDocument,
  notes: Notes,
  overlays: Overlays,
): Promise<DataNode> {
  const index = indexOf(documents, document)
  const tree = parseData(document.text, document.label, repairsInto(notes), index)
  await overlays.mend(tree, document)
  return tree
}

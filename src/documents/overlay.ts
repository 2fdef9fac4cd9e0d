import type { JSONPathEnvironment } from 'json-p3'
import type { Origin } from '../contract/contract.js'
import type { MessageCode } from '../contract/messages.js'
import { addAll } from '../contract/lists.js'
import { problem } from '../contract/problem.js'
import { messageOf } from '../contract/system-error.js'
import type { DataNode } from './data-node.js'
import { parseData, type HearRepair } from './data-tree.js'
import { labelFor, type Documents, type LoadedDocument } from './documents.js'
import { indexOf } from './places.js'
import type { SourceText } from './source-text.js'

/** Hears what is worth knowing of an overlay, by the code of a message. */
export type HearOverlay = (
  code: MessageCode,
  values: Readonly<Record<string, string | number>>,
  origin: Origin,
) => void

/**
 * The overlays of a contract (Overlay Specification 1.0 of the OpenAPI Initiative). Each mends one
 * document: that which its `extends` names, else the one that was asked for.
 */
export class Overlays {
  private readonly documents: Documents
  private readonly hear: HearOverlay
  private readonly trees: ReadonlyMap<DataNode, LoadedDocument>
  private readonly used = new Set<DataNode>()

  /** @throws Problem TM-2016 where one is no JSON or YAML, TM-2022, TM-2023 where one is no overlay */
  constructor(documents: Documents, hear: HearOverlay) {
    this.documents = documents
    this.hear = hear
    this.trees = new Map(
      (documents.overlays ?? []).map((each) => [
        overlayTree(each, hear, indexOf(documents, each)),
        each,
      ]),
    )
  }

  /**
   * Mends a document, one overlay after the other. What an overlay brings belongs to the document,
   * and has its place in the overlay.
   *
   * @param tree the document's, which is changed
   * @throws Problem TM-2023 for an action that can't be done, TM-2012 where they bring too much
   */
  async mend(tree: DataNode, document: LoadedDocument): Promise<void> {
    const own = [...this.trees.keys()].filter((each) => this.isFor(each, document))
    if (own.length === 0) return
    const target = new MendedTree(tree, await pathEnvironment())
    for (const overlay of own) {
      this.used.add(overlay)
      for (const action of overlay.list('actions')) {
        if (target.apply(action) > 0) continue
        const path = String(action.members.get('target')?.value)
        this.hear('TM-2024', { target: path }, action.origin)
      }
    }
  }

  /** Tells of overlays for documents that there are none of. */
  tellUnused(): void {
    for (const [tree, { label }] of this.trees) {
      const named = tree.members.get('extends')
      if (named !== undefined && !this.used.has(tree))
        this.hear('TM-2027', { overlay: label, named: String(named.value) }, named.origin)
    }
  }

  private isFor(overlay: DataNode, document: LoadedDocument): boolean {
    if (this.used.has(overlay)) return false
    const named = overlay.text('extends')
    return named === undefined
      ? document === this.documents.root
      : labelFor(named) === labelFor(document.from)
  }
}

/**
 * An overlay as a tree, its form checked.
 *
 * @throws Problem TM-2016, TM-2022, TM-2023
 */
export function overlayTree(
  { text, label }: Pick<LoadedDocument, 'text' | 'label'>,
  hear: HearOverlay,
  index = 0,
): DataNode {
  const repaired: HearRepair = (what, origin) => hear('TM-2019', { what }, origin)
  const tree = parseData(text, label, repaired, index)
  const version = tree.members.get('overlay')
  const unfit = (reason: string, place = tree.place): Error =>
    problem('TM-2022', { overlay: label, reason }, { place })
  if (version === undefined) throw unfit('it does not say "overlay: 1.0.0"')
  const said = version.kind === 'number' ? version.written : String(version.value)
  if (!/^1\.\d+(?:\.|$)/.test(said)) throw unfit(`it is of version ${said}`, version.place)
  const actions = tree.members.get('actions')
  if (actions?.kind !== 'list') throw unfit('it has no list of "actions"', actions?.place)
  for (const action of actions.items) checkAction(action)
  return tree
}

/** What an action may have (section 4.5 of the standard); extensions besides. */
const partsOfActions = new Set(['target', 'description', 'update', 'remove'])

function checkAction(action: DataNode): void {
  const { members } = action
  if (typeof members.get('target')?.value !== 'string')
    throw notDone(action, 'it has no "target" that is a JSONPath')
  const unknown = [...members.keys()].find(
    (name) => !partsOfActions.has(name) && !name.startsWith('x-'),
  )
  if (unknown !== undefined)
    throw notDone(members.get(unknown) ?? action, `"${unknown}" is nothing that version 1.0 knows`)
  if (!members.has('update') && members.get('remove')?.value !== true)
    throw notDone(action, 'it has neither "update" nor "remove: true"')
}

function notDone(node: DataNode, reason: string): Error {
  return problem('TM-2023', { overlay: node.source.label, reason }, { place: node.place })
}

async function pathEnvironment(): Promise<JSONPathEnvironment> {
  const { JSONPathEnvironment: Environment } = await import('json-p3')
  return new Environment({ maxRecursionDepth: deepest })
}

/** Trees are not nested deeper, and so much may come from overlays in all. */
const deepest = 1000
const mostBrought = 100_000

/** A description with a plain twin, in which paths are looked up. */
class MendedTree {
  private readonly root: DataNode
  private readonly plain: unknown
  private readonly paths: JSONPathEnvironment
  private brought = 0

  constructor(root: DataNode, paths: JSONPathEnvironment) {
    this.root = root
    this.plain = root.plain()
    this.paths = paths
  }

  /** Does an action everywhere it is meant. @returns at how many places */
  apply(action: DataNode): number {
    const nodes = this.find(action)
    const update = action.members.get('update')
    const isRemoval = action.members.get('remove')?.value === true
    if (!isRemoval && update !== undefined) this.count(nodes.size * sizeOf(update), action)
    for (const node of nodes)
      if (isRemoval || update === undefined) this.remove(node, action)
      else this.update(node, update)
    return nodes.size
  }

  /** An overlay that multiplies itself is refused. */
  private count(brought: number, action: DataNode): void {
    this.brought += brought
    if (this.brought <= mostBrought) return
    const limit = `${String(mostBrought)} values that overlays bring`
    throw problem('TM-2012', { limit }, { place: action.place })
  }

  private find(action: DataNode): Set<DataNode> {
    const target = action.members.get('target') ?? action
    try {
      const { nodes } = this.paths.query(String(target.value), this.plain as never)
      return new Set(nodes.flatMap(({ location }) => this.nodeAt(location) ?? []))
    } catch (error) {
      throw notDone(target, `its target is no JSONPath (RFC 9535): ${messageOf(error)}`)
    }
  }

  private nodeAt(location: readonly (string | number)[]): DataNode | undefined {
    let node: DataNode | undefined = this.root
    for (const key of location)
      node = typeof key === 'number' ? node?.items[key] : node?.members.get(key)
    return node
  }

  private remove(node: DataNode, action: DataNode): void {
    const { parent, key } = node
    if (parent === undefined) throw notDone(action, 'it removes the whole description')
    const twin = this.twinOf(parent)
    if (Array.isArray(twin)) twin.splice(Number(key), 1)
    else if (twin !== undefined) Reflect.deleteProperty(twin, key)
    if (parent.kind === 'list') parent.takeItem(Number(key))
    else parent.take(String(key))
  }

  private update(node: DataNode, update: DataNode): void {
    const source = update.source.putInto(this.root.document)
    if (node.kind === 'list') append(node, update, source)
    else if (node.kind === 'object' && update.kind === 'object') merge(node, update, source)
    else
      throw notDone(
        update,
        `the update is ${kindWords[update.kind]}, and what it is for is ${kindWords[node.kind]}: only objects can be merged, and only lists be added to`,
      )
    this.renew(node)
  }

  /** Makes the twin of a node what the node is now. */
  private renew(node: DataNode): void {
    const twin = this.twinOf(node)
    const now = node.plain()
    if (Array.isArray(twin)) addAll(twin, (now as unknown[]).slice(twin.length))
    else if (twin !== undefined)
      Object.defineProperties(twin, Object.getOwnPropertyDescriptors(now as object))
  }

  /** The plain twin of an object or a list; undefined where it is no longer in the description. */
  private twinOf(node: DataNode): object | undefined {
    const { parent, key } = node
    if (parent === undefined) return this.plain as object
    const isThere =
      parent.kind === 'list' ? parent.items[Number(key)] : parent.members.get(String(key))
    const around = isThere === node ? this.twinOf(parent) : undefined
    return around === undefined ? undefined : (Reflect.get(around, key) as object)
  }
}

/** How many nodes a tree has. */
function sizeOf(node: DataNode): number {
  const inside = [...node.members.values(), ...node.items]
  return inside.reduce((total, each) => total + sizeOf(each), 1)
}

const kindWords: Readonly<Record<DataNode['kind'], string>> = {
  object: 'an object',
  list: 'a list',
  text: 'a text',
  number: 'a number',
  boolean: 'a truth value',
  null: 'null',
}

function append(list: DataNode, entry: DataNode, source: SourceText): void {
  const at = list.items.length
  list.put(at, list.graft(entry, at, source))
}

/**
 * Merges an object into another one: members of both that are objects are merged, lists put
 * together, and anything else replaced.
 */
function merge(into: DataNode, update: DataNode, source: SourceText): void {
  for (const [name, value] of update.members) {
    const own = into.members.get(name)
    if (own?.kind === 'object' && value.kind === 'object') merge(own, value, source)
    else if (own?.kind === 'list' && value.kind === 'list')
      for (const entry of value.items) append(own, entry, source)
    else into.put(name, into.graft(value, name, source))
  }
}

/**
 * The documents of a description as others are to have them: mended, and without the overlays.
 *
 * @param documents after they were read: what they refer to is among them
 * @returns the description first
 */
export async function mendedDocuments(documents: Documents): Promise<LoadedDocument[]> {
  const { root, overlays = [] } = documents
  const others = documents.all().filter((each) => each !== root && !overlays.includes(each))
  if (overlays.length === 0) return [root, ...others]
  const mending = new Overlays(documents, () => undefined)
  return Promise.all([root, ...others].map((document) => mended(document, mending)))
}

async function mended(document: LoadedDocument, overlays: Overlays): Promise<LoadedDocument> {
  const tree = parseData(document.text, document.label, () => undefined)
  await overlays.mend(tree, document)
  const text = `${jsonText(tree)}\n`
  return { ...document, text, bytes: new TextEncoder().encode(text) }
}

/** A tree as JSON, numbers as they were written. */
function jsonText(node: DataNode, indent = ''): string {
  const inner = `${indent}  `
  const around = (open: string, parts: readonly string[], close: string): string =>
    parts.length === 0
      ? `${open}${close}`
      : `${open}\n${parts.map((part) => `${inner}${part}`).join(',\n')}\n${indent}${close}`
  if (node.kind === 'list')
    return around(
      '[',
      node.items.map((item) => jsonText(item, inner)),
      ']',
    )
  if (node.kind === 'number') return node.written
  if (node.kind !== 'object') return JSON.stringify(node.value)
  const members = [...node.members].map(
    ([name, member]) => `${JSON.stringify(name)}: ${jsonText(member, inner)}`,
  )
  return around('{', members, '}')
}

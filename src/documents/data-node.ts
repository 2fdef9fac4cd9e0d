import { pointerStep } from './json-pointer.js'
import { addAll } from '../contract/lists.js'
import type { Origin, PlaceInDocument } from '../contract/contract.js'
import type { SourceText } from './source-text.js'

const noMembers: ReadonlyMap<string, DataNode> = new Map()
const noItems: readonly DataNode[] = []

/**
 * A value of a JSON or YAML metadata document that remembers where it stood, and whether a reader
 * has looked at it. Documents have millions of them: what can be worked out when it is asked for
 * (line and column, JSON Pointer) is not kept.
 */
export class DataNode {
  readonly kind: 'object' | 'list' | 'text' | 'number' | 'boolean' | 'null'
  /** The value of a scalar. */
  readonly value: string | number | boolean | null
  /** The node that it stands in, and its name or position there. */
  readonly parent: DataNode | undefined
  private step: string | number
  read = false
  readonly source: SourceText
  /** The offset of its first character. */
  readonly start: number
  private inside: Map<string, DataNode> | DataNode[] | undefined

  constructor(
    kind: DataNode['kind'],
    source: SourceText,
    start: number,
    parent: DataNode | undefined,
    key: string | number,
    value: DataNode['value'] = null,
  ) {
    this.kind = kind
    this.source = source
    this.start = start
    this.parent = parent
    this.step = key
    this.value = value
    if (kind === 'object') this.inside = new Map()
    else this.inside = kind === 'list' ? [] : undefined
  }

  get key(): string | number {
    return this.step
  }

  /** The members of an object; none of anything else. */
  get members(): ReadonlyMap<string, DataNode> {
    return this.kind === 'object' ? (this.inside as Map<string, DataNode>) : noMembers
  }

  /** The items of a list; none of anything else. */
  get items(): readonly DataNode[] {
    return this.kind === 'list' ? (this.inside as DataNode[]) : noItems
  }

  /** Puts a node into an object or a list, while a tree is built. */
  put(name: string | number, node: DataNode): DataNode {
    if (this.inside instanceof Map) this.inside.set(String(name), node)
    else this.inside?.push(node)
    return node
  }

  /** Takes a member out, while a tree is translated. */
  take(name: string): DataNode | undefined {
    const found = this.members.get(name)
    if (this.inside instanceof Map) this.inside.delete(name)
    return found
  }

  /** Takes an item out of a list, while an overlay is applied: those behind it move up. */
  takeItem(at: number): void {
    if (!Array.isArray(this.inside)) return
    this.inside.splice(at, 1)
    for (const [position, item] of this.inside.entries()) item.step = position
  }

  /** A copy of a node, with all that lies in it, to be put into this one. */
  graft(node: DataNode, key: string | number, source: SourceText): DataNode {
    const copy = new DataNode(node.kind, source, node.start, this, key, node.value)
    for (const [name, member] of node.members) copy.put(name, copy.graft(member, name, source))
    for (const [at, item] of node.items.entries()) copy.put(at, copy.graft(item, at, source))
    return copy
  }

  /** A new node that stands where this one does: for what a translation puts in another form. */
  derive(kind: DataNode['kind'], name: string | number, value: DataNode['value'] = null): DataNode {
    return new DataNode(kind, this.source, this.start, this, name, value)
  }

  get origin(): Origin {
    return this.source.originAt(this.start)
  }

  /** Where it stands, for messages. */
  get place(): PlaceInDocument {
    return this.source.placeAt(this.start)
  }

  /** The label of the document that it belongs to, whatever overlay it came from. */
  get document(): string {
    return this.source.home
  }

  /** Its place in the document (RFC 6901). */
  get pointer(): string {
    return this.parent === undefined ? '' : this.parent.pointer + pointerStep(String(this.key))
  }

  /** A number as it was written. */
  get written(): string {
    if (this.kind !== 'number') return ''
    const written = /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?(?![\w.])/.exec(
      this.source.text.slice(this.start, this.start + 400),
    )?.[0]
    return written === undefined || Number(written) !== this.value ? String(this.value) : written
  }

  /** The member of this name, marked as read. */
  get(name: string): DataNode | undefined {
    const found = this.members.get(name)
    if (found !== undefined) found.read = true
    return found
  }

  /** The text of a member, or undefined when it is missing or something else. */
  text(name: string): string | undefined {
    const found = this.get(name)
    return typeof found?.value === 'string' ? found.value : undefined
  }

  flag(name: string): boolean {
    return this.get(name)?.value === true
  }

  /** A member's number, exactly as written. */
  number(name: string): string | undefined {
    const found = this.get(name)
    return found?.kind === 'number' ? found.written : undefined
  }

  /** The items of a member that is a list. */
  list(name: string): readonly DataNode[] {
    const found = this.get(name)
    for (const item of found?.items ?? []) item.read = true
    return found?.items ?? []
  }

  /** The members of a member that is an object, marked as read. */
  entries(name: string): [string, DataNode][] {
    const found = [...(this.get(name)?.members ?? [])]
    for (const [, node] of found) node.read = true
    return found
  }

  /** Marks it and everything inside as dealt with. */
  readWhole(): void {
    const waiting: DataNode[] = [this]
    for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
      node.read = true
      addAll(waiting, node.members.values())
      addAll(waiting, node.items)
    }
  }

  /** The value as plain JavaScript. */
  plain(): unknown {
    if (this.kind === 'list') return this.items.map((item) => item.plain())
    if (this.kind !== 'object') return this.value
    return Object.fromEntries([...this.members].map(([name, node]) => [name, node.plain()]))
  }
}

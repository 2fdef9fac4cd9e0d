import { parse } from 'lossless-json'
import { isMap, isScalar, isSeq, LineCounter, parseDocument } from 'yaml'
import type { Origin } from '../contract/contract.js'
import { problem } from '../contract/problem.js'

/** A value of a JSON or YAML metadata document that remembers where it stood, and whether a reader has looked at it. */
export class DataNode {
  readonly kind: 'object' | 'list' | 'text' | 'number' | 'boolean' | 'null'
  readonly origin: Origin
  /** Its place in the document (RFC 6901). */
  readonly pointer: string
  readonly members = new Map<string, DataNode>()
  readonly items: DataNode[] = []
  /** The value of a scalar. */
  readonly value: string | number | boolean | null
  /** A number as it was written. */
  readonly source: string
  read = false

  constructor(kind: DataNode['kind'], origin: Origin, pointer: string, value: DataNode['value'] = null, source = '') {
    this.kind = kind
    this.origin = origin
    this.pointer = pointer
    this.value = value
    this.source = source
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
    return found?.kind === 'number' ? found.source : undefined
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
    this.read = true
    for (const member of this.members.values()) member.readWhole()
    for (const item of this.items) item.readWhole()
  }

  /** The value as plain JavaScript. */
  plain(): unknown {
    if (this.kind === 'object') return Object.fromEntries([...this.members].map(([name, node]) => [name, node.plain()]))
    return this.kind === 'list' ? this.items.map((item) => item.plain()) : this.value
  }
}

/**
 * Parses a JSON or YAML 1.2 document, of which JSON is a part. Dates, `on` and `no` stay texts; keys are texts.
 *
 * @param document its label, for origins
 * @throws Problem TM-2016 with line and column when it is not well-formed or has a key twice
 */
export function parseData(text: string, document: string): DataNode {
  if (/\.json$/i.test(document)) checkJson(text, document)
  const lines = new LineCounter()
  const parsed = parseDocument(text, { lineCounter: lines, prettyErrors: false, strict: false })
  const originAt = (offset: number): Origin => {
    const { line, col } = lines.linePos(offset)
    return { document, line, column: col }
  }
  const [broken] = parsed.errors
  if (broken !== undefined) throw problem('TM-2016', { reason: broken.message.replace(/\.$/, '') }, { place: originAt(broken.pos[0]) })
  let aliases = 0
  const convert = (node: unknown, pointer: string): DataNode => {
    const range = typeof node === 'object' && node !== null && 'range' in node ? (node.range as [number] | null | undefined) : undefined
    const origin = originAt(range?.[0] ?? 0)
    if (isMap(node)) {
      const made = new DataNode('object', origin, pointer)
      for (const { key, value } of node.items) {
        const name = String(isScalar(key) ? (key.source ?? key.value) : key)
        made.members.set(name, convert(value, `${pointer}/${name.replaceAll('~', '~0').replaceAll('/', '~1')}`))
      }
      return made
    }
    if (isSeq(node)) {
      const made = new DataNode('list', origin, pointer)
      node.items.forEach((item, at) => made.items.push(convert(item, `${pointer}/${at}`)))
      return made
    }
    if (isScalar(node)) {
      const { value } = node
      if (typeof value === 'number' || typeof value === 'bigint') return new DataNode('number', origin, pointer, Number(value), node.source ?? String(value))
      if (typeof value === 'boolean') return new DataNode('boolean', origin, pointer, value)
      return value === null || value === undefined ? new DataNode('null', origin, pointer) : new DataNode('text', origin, pointer, String(value))
    }
    // An alias stands for its anchor; a document that multiplies itself with them is refused.
    if (typeof node === 'object' && node !== null && 'resolve' in node && typeof node.resolve === 'function') {
      aliases += 1
      if (aliases > 10_000) throw problem('TM-2012', { limit: '10000 aliases' }, { place: origin })
      return convert((node as { resolve(document: unknown): unknown }).resolve(parsed), pointer)
    }
    return new DataNode('null', origin, pointer)
  }
  return convert(parsed.contents, '')
}

/** YAML lets pass what JSON does not, such as a value that was forgotten: a .json file is held to JSON. */
function checkJson(text: string, document: string): void {
  try {
    parse(text.replace(/^\ufeff/, ''))
  } catch (error) {
    const message = error instanceof Error ? error.message : String(error)
    const at = Number(/position (\d+)/.exec(message)?.[1] ?? text.length)
    const before = text.slice(0, at).split('\n')
    throw problem('TM-2016', { reason: message.replace(/ at position \d+.*$/, '') }, { place: { document, line: before.length, column: (before.at(-1)?.length ?? 0) + 1 } })
  }
}

/** The node at a JSON Pointer, `''` being the root; percent-encoding undone, as in URL fragments. */
export function nodeAt(root: DataNode, pointer: string): DataNode | undefined {
  let node: DataNode | undefined = root
  for (const step of pointer.split('/').slice(1)) {
    const name = decodeStep(step).replaceAll('~1', '/').replaceAll('~0', '~')
    node = node?.kind === 'list' ? node.items[Number(name)] : node?.members.get(name)
  }
  return node
}

function decodeStep(step: string): string {
  try {
    return decodeURIComponent(step)
  } catch {
    return step
  }
}

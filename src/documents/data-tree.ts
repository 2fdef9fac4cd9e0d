import jsonc from 'jsonc-parser'
import { isMap, isScalar, isSeq } from 'yaml'
import type { Origin } from '../contract/contract.js'
import { problem } from '../contract/problem.js'
import { DataNode } from './data-node.js'
import { mendedYaml } from './mended-yaml.js'
import { SourceText } from './source-text.js'

/**
 * Deeper nesting than this is refused: it is an attack or an accident, and stacks are not endless.
 */
const deepest = 1000

/** Hears what was broken and is taken all the same, since it can mean one thing only. */
export type HearRepair = (what: string, origin: Origin) => void

/**
 * Parses a JSON or YAML 1.2 document. In YAML dates, `on` and `no` stay texts, and keys are texts.
 * A key may be there twice with the same value.
 *
 * @param label the document's, for messages
 * @param index its place among those of the contract, for origins
 * @throws Problem TM-2016 with line and column when it is not well-formed or has a key with two
 *   values; TM-2012 when it is nested too deeply
 */
export function parseData(text: string, label: string, hear: HearRepair, index = 0): DataNode {
  const source = new SourceText(label, text, index)
  // YAML lets pass what JSON does not, such as a value that was forgotten: a .json file is held to
  // JSON. JSON by another name is tried first, being much faster.
  if (/\.json$/i.test(label)) return parseJson(source, hear)
  if (/^\s*\{/.test(text)) {
    try {
      return parseJson(source, hear)
    } catch {
      // It may be YAML in braces.
    }
  }
  return parseYaml(source, hear)
}

const jsonErrors: Readonly<Record<number, string>> = {
  1: 'Unexpected text',
  2: 'A number is malformed',
  3: 'The name of a member is expected here',
  4: 'A value is expected here',
  5: 'A colon is expected here',
  6: 'A comma is expected here',
  7: 'A closing brace is expected here',
  8: 'A closing bracket is expected here',
  9: 'The document goes on after its end',
  10: 'JSON has no comments',
  11: 'A comment is not closed',
  12: 'A text is not closed',
  13: 'A number is malformed',
  14: 'An escape with \\u is malformed',
  15: 'An escape is malformed',
  16: 'There is a character that must be escaped',
}

function parseJson(source: SourceText, hear: HearRepair): DataNode {
  const text = source.text.startsWith('\ufeff') ? ` ${source.text.slice(1)}` : source.text
  const broken = (reason: string, offset: number): Error =>
    problem('TM-2016', { reason }, { place: source.placeAt(offset) })
  const open: DataNode[] = []
  let name: string | number = ''
  let root: DataNode | undefined
  const add = (
    kind: DataNode['kind'],
    offset: number,
    value: DataNode['value'] = null,
  ): DataNode => {
    const parent = open.at(-1)
    const key = parent?.kind === 'list' ? parent.items.length : name
    const node = new DataNode(kind, source, offset, parent, parent === undefined ? '' : key, value)
    if (parent === undefined) root = node
    else parent.put(key, node)
    return node
  }
  const begin =
    (kind: 'object' | 'list') =>
    (offset: number): void => {
      if (open.length >= deepest)
        throw problem(
          'TM-2012',
          { limit: `${deepest} levels of nesting` },
          { place: source.placeAt(offset) },
        )
      open.push(add(kind, offset))
    }
  const repeated: Repeated[] = []
  // The same names come again and again, and one copy of each is enough.
  const names = new Map<string, string>()
  jsonc.visit(
    text,
    {
      onObjectBegin: begin('object'),
      onObjectProperty(property, offset) {
        const object = open.at(-1)
        const before = object?.members.get(property)
        if (object !== undefined && before !== undefined)
          repeated.push({ object, name: property, before, offset })
        name = names.get(property) ?? property
        if (name === property) names.set(property, property)
      },
      onObjectEnd: () => void open.pop(),
      onArrayBegin: begin('list'),
      onArrayEnd: () => void open.pop(),
      onLiteralValue(value: unknown, offset) {
        if (typeof value === 'string') add('text', offset, value)
        else if (typeof value === 'number') add('number', offset, value)
        else if (typeof value === 'boolean') add('boolean', offset, value)
        else add('null', offset)
      },
      onError(error, offset) {
        throw broken(jsonErrors[error] ?? 'It is not JSON', offset)
      },
    },
    { disallowComments: true, allowTrailingComma: false },
  )
  if (root === undefined) throw broken('A value is expected here', 0)
  for (const { object, name: key, before, offset } of repeated) {
    if (!isSame(before, object.members.get(key)))
      throw broken(`The key "${key}" is there twice; keys must be unique`, offset)
    hear(`The key "${key}" is there twice, with the same value`, source.originAt(offset))
  }
  return root
}

/** A key that was there before. */
interface Repeated {
  readonly object: DataNode
  readonly name: string
  readonly before: DataNode
  readonly offset: number
}

function isSame(one: DataNode, other: DataNode | undefined): boolean {
  return JSON.stringify(one.plain()) === JSON.stringify(other?.plain())
}

function parseYaml(written: SourceText, hear: HearRepair): DataNode {
  let parsed
  let source = written
  try {
    const mended = mendedYaml(written.text)
    parsed = mended.document
    if (mended.repair !== undefined) {
      source = written.mended(mended.text)
      hear(mended.repair.what, source.originAt(mended.repair.offset))
    }
  } catch (error) {
    if (error instanceof RangeError)
      throw problem(
        'TM-2012',
        { limit: `${deepest} levels of nesting` },
        { place: { document: source.label } },
      )
    throw error
  }
  const [broken] = parsed.errors
  // The parser goes down level by level, and tells of its stack's end like of any mistake.
  if (broken !== undefined && /call stack/.test(broken.message))
    throw problem(
      'TM-2012',
      { limit: `${deepest} levels of nesting` },
      { place: source.placeAt(broken.pos[0]) },
    )
  if (broken !== undefined)
    throw problem(
      'TM-2016',
      { reason: broken.message.replace(/\.$/, '') },
      { place: source.placeAt(broken.pos[0]) },
    )
  const repeat = (text: string, before: DataNode, member: DataNode, name: unknown): void => {
    const start = startOf(name)
    if (!isSame(before, member))
      throw problem(
        'TM-2016',
        { reason: 'Map keys must be unique' },
        { place: source.placeAt(start) },
      )
    hear(`The key "${text}" is there twice, with the same value`, source.originAt(start))
  }
  let aliases = 0
  const convert = (
    node: unknown,
    parent: DataNode | undefined,
    key: string | number,
    depth: number,
  ): DataNode => {
    const start = startOf(node)
    const make = (kind: DataNode['kind'], value: DataNode['value'] = null): DataNode =>
      new DataNode(kind, source, start, parent, key, value)
    if (depth > deepest)
      throw problem(
        'TM-2012',
        { limit: `${deepest} levels of nesting` },
        { place: source.placeAt(start) },
      )
    if (isMap(node)) {
      const made = make('object')
      const own = new Set<string>()
      for (const { key: name, value } of node.items) {
        const text = String(isScalar(name) ? (name.source ?? name.value) : name)
        // A merge key brings the members of other maps, those that are there already excepted (YAML
        // 1.1, as many tools still write it).
        if (text === '<<')
          for (const [inherited, member] of merged(convert(value, made, text, depth + 1)))
            if (!made.members.has(inherited)) made.put(inherited, member)
        if (text === '<<') continue
        const before = own.has(text) ? made.members.get(text) : undefined
        const member = convert(value, made, text, depth + 1)
        if (before !== undefined) repeat(text, before, member, name)
        own.add(text)
        made.put(text, member)
      }
      return made
    }
    if (isSeq(node)) {
      const made = make('list')
      node.items.forEach((item, at) => made.put(at, convert(item, made, at, depth + 1)))
      return made
    }
    if (isScalar(node)) {
      const { value } = node
      if (typeof value === 'number' || typeof value === 'bigint')
        return make('number', Number(value))
      if (typeof value === 'boolean') return make('boolean', value)
      return value === null || value === undefined ? make('null') : make('text', String(value))
    }
    // An alias stands for its anchor; a document that multiplies itself with them is refused.
    if (
      typeof node === 'object' &&
      node !== null &&
      'resolve' in node &&
      typeof node.resolve === 'function'
    ) {
      aliases += 1
      if (aliases > 10_000)
        throw problem('TM-2012', { limit: '10000 aliases' }, { place: source.placeAt(start) })
      return convert(
        (node as { resolve(document: unknown): unknown }).resolve(parsed),
        parent,
        key,
        depth + 1,
      )
    }
    return make('null')
  }
  return convert(parsed.contents, undefined, '', 0)
}

/** Where a node of the parser's begins. */
function startOf(node: unknown): number {
  const range =
    typeof node === 'object' && node !== null && 'range' in node
      ? (node.range as [number] | null | undefined)
      : undefined
  return range?.[0] ?? 0
}

function merged(node: DataNode): Iterable<[string, DataNode]> {
  return node.kind === 'list' ? node.items.flatMap((item) => [...item.members]) : node.members
}

/**
 * The node at a JSON Pointer, `''` being the root; percent-encoding undone, as in URL fragments.
 */
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

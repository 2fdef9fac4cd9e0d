import jsonc from 'jsonc-parser'
import { isMap, isScalar, isSeq, LineCounter, parseDocument } from 'yaml'
import { problem } from '../contract/problem.js'
import { DataNode, DataSource } from './data-node.js'

/**
 * Deeper nesting than this is refused: it is an attack or an accident, and stacks are not endless.
 */
const deepest = 1000

/**
 * Parses a JSON or YAML 1.2 document. In YAML dates, `on` and `no` stay texts, and keys are texts.
 *
 * @param label the document's, for origins
 * @throws Problem TM-2016 with line and column when it is not well-formed or has a key twice;
 *   TM-2012 when it is nested too deeply
 */
export function parseData(text: string, label: string): DataNode {
  const source = new DataSource(label, text)
  // YAML lets pass what JSON does not, such as a value that was forgotten: a .json file is held to
  // JSON. JSON by another name is tried first, being much faster.
  if (/\.json$/i.test(label)) return parseJson(source)
  if (/^\s*\{/.test(text)) {
    try {
      return parseJson(source)
    } catch {
      // It may be YAML in braces.
    }
  }
  return parseYaml(source)
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

function parseJson(source: DataSource): DataNode {
  const text = source.text.startsWith('\ufeff') ? ` ${source.text.slice(1)}` : source.text
  const broken = (reason: string, offset: number): Error =>
    problem('TM-2016', { reason }, { place: source.originAt(offset) })
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
          { place: source.originAt(offset) },
        )
      open.push(add(kind, offset))
    }
  // The same names come again and again, and one copy of each is enough.
  const names = new Map<string, string>()
  jsonc.visit(
    text,
    {
      onObjectBegin: begin('object'),
      onObjectProperty(property, offset) {
        if (open.at(-1)?.members.has(property) === true)
          throw broken(`The key "${property}" is there twice; keys must be unique`, offset)
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
  return root
}

function parseYaml(source: DataSource): DataNode {
  const lines = new LineCounter()
  let parsed
  try {
    parsed = parseDocument(source.text, { lineCounter: lines, prettyErrors: false, strict: false })
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
      { place: source.originAt(broken.pos[0]) },
    )
  if (broken !== undefined)
    throw problem(
      'TM-2016',
      { reason: broken.message.replace(/\.$/, '') },
      { place: source.originAt(broken.pos[0]) },
    )
  let aliases = 0
  const convert = (
    node: unknown,
    parent: DataNode | undefined,
    key: string | number,
    depth: number,
  ): DataNode => {
    const range =
      typeof node === 'object' && node !== null && 'range' in node
        ? (node.range as [number] | null | undefined)
        : undefined
    const start = range?.[0] ?? 0
    const make = (kind: DataNode['kind'], value: DataNode['value'] = null): DataNode =>
      new DataNode(kind, source, start, parent, key, value)
    if (depth > deepest)
      throw problem(
        'TM-2012',
        { limit: `${deepest} levels of nesting` },
        { place: source.originAt(start) },
      )
    if (isMap(node)) {
      const made = make('object')
      for (const { key: name, value } of node.items) {
        const text = String(isScalar(name) ? (name.source ?? name.value) : name)
        // A merge key brings the members of other maps, those that are there already excepted (YAML
        // 1.1, as many tools still write it).
        if (text === '<<')
          for (const [inherited, member] of merged(convert(value, made, text, depth + 1)))
            if (!made.members.has(inherited)) made.put(inherited, member)
        if (text !== '<<') made.put(text, convert(value, made, text, depth + 1))
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
        throw problem('TM-2012', { limit: '10000 aliases' }, { place: source.originAt(start) })
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

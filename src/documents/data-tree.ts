import jsonc from 'jsonc-parser'
import { isAlias, isMap, isScalar, isSeq, type YAMLMap } from 'yaml'
import type { Origin } from '../contract/contract.js'
import { problem, Problem } from '../contract/problem.js'
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
  const builder = new TreeBuilder(source)
  jsonc.visit(
    text,
    {
      onObjectBegin: (offset) => builder.begin('object', offset),
      onObjectProperty: (name, offset) => builder.member(name, offset),
      onObjectEnd: () => builder.end(),
      onArrayBegin: (offset) => builder.begin('list', offset),
      onArrayEnd: () => builder.end(),
      onLiteralValue: (value: unknown, offset) => builder.value(value, offset),
      onError(error, offset) {
        throw malformed(jsonErrors[error] ?? 'It is not JSON', source, offset)
      },
    },
    { disallowComments: true, allowTrailingComma: false },
  )
  const { root } = builder
  if (root === undefined) throw malformed('A value is expected here', source, 0)
  for (const { object, name, before, offset } of builder.repeated) {
    if (!isSame(before, object.members.get(name)))
      throw malformed(`The key "${name}" is there twice; keys must be unique`, source, offset)
    hear(`The key "${name}" is there twice, with the same value`, source.originAt(offset))
  }
  return root
}

/** Builds a tree as the parts of a document of JSON come. */
class TreeBuilder {
  root: DataNode | undefined
  readonly repeated: Repeated[] = []
  private readonly source: SourceText
  private readonly open: DataNode[] = []
  /** The member that the next value is. */
  private name = ''
  /** The same names come again and again, and one copy of each is enough. */
  private readonly names = new Map<string, string>()

  constructor(source: SourceText) {
    this.source = source
  }

  begin(kind: 'object' | 'list', offset: number): void {
    if (this.open.length >= deepest) throw tooDeep(this.source, offset)
    this.open.push(this.add(kind, offset))
  }

  end(): void {
    this.open.pop()
  }

  member(name: string, offset: number): void {
    const object = this.open.at(-1)
    const before = object?.members.get(name)
    if (object !== undefined && before !== undefined)
      this.repeated.push({ object, name, before, offset })
    this.name = this.names.get(name) ?? name
    if (this.name === name) this.names.set(name, name)
  }

  value(value: unknown, offset: number): void {
    if (typeof value === 'string') this.add('text', offset, value)
    else if (typeof value === 'number') this.add('number', offset, value)
    else if (typeof value === 'boolean') this.add('boolean', offset, value)
    else this.add('null', offset)
  }

  private add(kind: DataNode['kind'], offset: number, value: DataNode['value'] = null): DataNode {
    const parent = this.open.at(-1)
    if (parent === undefined)
      return (this.root = new DataNode(kind, this.source, offset, undefined, '', value))
    const key = parent.kind === 'list' ? parent.items.length : this.name
    const node = new DataNode(kind, this.source, offset, parent, key, value)
    parent.put(key, node)
    return node
  }
}

function malformed(reason: string, source: SourceText, offset: number): Problem {
  return problem('TM-2016', { reason }, { place: source.placeAt(offset) })
}

function tooDeep(source: SourceText, offset: number): Problem {
  return tooMuch(`${deepest} levels of nesting`, source, offset)
}

function tooMuch(limit: string, source: SourceText, offset: number): Problem {
  return problem('TM-2012', { limit }, { place: source.placeAt(offset) })
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
  const { document, repair, text } = mendedOf(written)
  const source = repair === undefined ? written : written.mended(text)
  if (repair !== undefined) hear(repair.what, source.originAt(repair.offset))
  const [broken] = document.errors
  if (broken !== undefined) {
    const [offset] = broken.pos
    // The parser goes down level by level, and tells of its stack's end like of any mistake.
    throw /call stack/.test(broken.message)
      ? tooDeep(source, offset)
      : malformed(broken.message.replace(/\.$/, ''), source, offset)
  }
  return new YamlTree(document, source, hear).root()
}

function mendedOf(written: SourceText): ReturnType<typeof mendedYaml> {
  try {
    return mendedYaml(written.text)
  } catch (error) {
    if (!(error instanceof RangeError)) throw error
    const limit = `${deepest} levels of nesting`
    throw problem('TM-2012', { limit }, { place: { document: written.label } })
  }
}

/** A document that multiplies itself with aliases is refused. */
const mostAliases = 10_000

/** Turns the nodes of the parser of YAML into ours. */
class YamlTree {
  private readonly document: ReturnType<typeof mendedYaml>['document']
  private readonly source: SourceText
  private readonly hear: HearRepair
  private aliases = 0

  constructor(
    document: ReturnType<typeof mendedYaml>['document'],
    source: SourceText,
    hear: HearRepair,
  ) {
    this.document = document
    this.source = source
    this.hear = hear
  }

  root(): DataNode {
    return this.convert(this.document.contents, undefined, '', 0)
  }

  private convert(
    node: unknown,
    parent: DataNode | undefined,
    key: string | number,
    depth: number,
  ): DataNode {
    const start = startOf(node)
    if (depth > deepest) throw tooDeep(this.source, start)
    const make = (kind: DataNode['kind'], value: DataNode['value'] = null): DataNode =>
      new DataNode(kind, this.source, start, parent, key, value)
    if (isMap(node)) return this.fill(make('object'), node, depth)
    if (isSeq(node)) {
      const made = make('list')
      node.items.forEach((item, at) => made.put(at, this.convert(item, made, at, depth + 1)))
      return made
    }
    if (isAlias(node)) {
      this.aliases += 1
      if (this.aliases > mostAliases) throw tooMuch(`${mostAliases} aliases`, this.source, start)
      return this.convert(node.resolve(this.document), parent, key, depth + 1)
    }
    const value = isScalar(node) ? node.value : undefined
    if (value === null || value === undefined) return make('null')
    if (typeof value === 'number' || typeof value === 'bigint') return make('number', Number(value))
    return typeof value === 'boolean' ? make('boolean', value) : make('text', String(value))
  }

  private fill(made: DataNode, map: YAMLMap, depth: number): DataNode {
    const own = new Set<string>()
    for (const { key: name, value } of map.items) {
      const text = String(isScalar(name) ? (name.source ?? name.value) : name)
      const before = own.has(text) ? made.members.get(text) : undefined
      const member = this.convert(value, made, text, depth + 1)
      if (text === '<<') mergeInto(made, member)
      else {
        if (before !== undefined) this.repeat(text, before, member, startOf(name))
        own.add(text)
        made.put(text, member)
      }
    }
    return made
  }

  /** A key that is there twice may only have the same value. */
  private repeat(text: string, before: DataNode, member: DataNode, start: number): void {
    if (!isSame(before, member)) throw malformed('Map keys must be unique', this.source, start)
    const what = `The key "${text}" is there twice, with the same value`
    this.hear(what, this.source.originAt(start))
  }
}

/**
 * A merge key brings the members of other maps, those that are there already excepted (YAML 1.1, as
 * many tools still write it).
 */
function mergeInto(made: DataNode, others: DataNode): void {
  for (const [inherited, member] of merged(others))
    if (!made.members.has(inherited)) made.put(inherited, member)
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

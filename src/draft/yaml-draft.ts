import {
  Document,
  isCollection,
  isMap,
  isNode,
  isScalar,
  isSeq,
  parseDocument,
  YAMLMap,
  YAMLSeq,
  type Node,
} from 'yaml'
import { Remarked } from './remarked.js'
import type { Place } from './places.js'
import type { Edit } from './widen.js'

/**
 * A drafted description as YAML, made to be read and edited by hand: schemas of one line stand on
 * one, with their reason as a comment behind them.
 *
 * @param head what stands above it
 */
export function yamlDraft(description: object, head: readonly string[]): string {
  const document = new Document()
  document.contents = nodeFor(document, description) as never
  document.commentBefore = head.map((line) => ` ${line}`).join('\n')
  return document.toString({ lineWidth: 0, flowCollectionPadding: true })
}

/**
 * Writes something anew in a description, or into it; whatever else is in it, comments too, stays.
 *
 * @param text the description in YAML
 * @throws Error where it is no YAML
 */
export function yamlWith(text: string, edits: readonly Edit[]): string {
  const document = parseDocument(text)
  const [error] = document.errors
  if (error !== undefined) throw error
  for (const { place, value } of edits) {
    const keys = keysIn(document.contents, place)
    const before: unknown = document.getIn(keys, true)
    const node = nodeFor(document, value)
    // What somebody wrote beside it stays, where there is no new reason.
    const comment = isNode(before) ? (before.comment ?? '') : ''
    if (comment !== '' && !(value instanceof Remarked)) node.comment = comment
    document.setIn(keys, node)
  }
  return document.toString({ lineWidth: 0, flowCollectionPadding: true })
}

/** The keys of a place as the document has them: `"200"` may stand there as a number. */
function keysIn(contents: unknown, place: Place): unknown[] {
  const keys: unknown[] = []
  let node = contents
  for (const step of place) {
    const pair = isMap(node)
      ? node.items.find(({ key }) => String(isScalar(key) ? key.value : key) === step)
      : undefined
    if (isSeq(node)) {
      keys.push(Number(step))
      node = node.items[Number(step)]
    } else {
      keys.push(isScalar(pair?.key) ? pair.key.value : step)
      node = pair?.value
    }
  }
  return keys
}

function nodeFor(document: Document, value: unknown): Node {
  if (value instanceof Remarked) return remarked(nodeFor(document, value.value), value.remark)
  if (Array.isArray(value)) {
    const list = new YAMLSeq(document.schema)
    for (const each of value) list.add(nodeFor(document, each))
    list.flow = value.every((each) => typeof each !== 'object' || each === null)
    return list
  }
  if (typeof value !== 'object' || value === null) return document.createNode(value)
  const map = new YAMLMap(document.schema)
  for (const [name, each] of Object.entries(value))
    if (each !== undefined) map.add(document.createPair(name, nodeFor(document, each)))
  map.flow = isShort(map)
  return map
}

/** What is no longer than this on one line stands on one. */
const longestOnOne = 100

/** Of plain values alone, and few of them. */
function isShort(map: YAMLMap): boolean {
  const isPlain = map.items.every(
    ({ value }) =>
      (isScalar(value) && value.comment === undefined) ||
      (isCollection(value) && value.flow === true && value.comment === undefined),
  )
  return isPlain && JSON.stringify(map.toJSON()).length <= longestOnOne
}

function remarked(node: Node, remark: string): Node {
  const clean = remark.replace(/[\r\n\u0085\u2028\u2029]+/g, ' ')
  if (isMap(node) && node.flow !== true) node.commentBefore = ` ${clean}`
  else node.comment = ` ${clean}`
  return node
}

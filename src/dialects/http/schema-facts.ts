import type { DataNode } from '../../documents/data-node.js'
import { problem } from '../../contract/problem.js'
import { pascalCase } from '../../naming/identifiers.js'
import { mostInside, referenceOf, type References } from './references.js'
import { annotations } from './siblings.js'

/** What can be told of a schema by looking at it, before it is read. */

const objectKeywords = [
  'properties',
  'additionalProperties',
  'patternProperties',
  'required',
  'unevaluatedProperties',
]

/** Types that a schema names; `null` is left out, being a matter of places. */
export function typesOf(node: DataNode): string[] {
  const type = node.get('type')
  for (const each of type?.items ?? []) each.read = true
  if (type?.kind === 'list')
    return type.items.map((each) => String(each.value)).filter((each) => each !== 'null')
  if (typeof type?.value === 'string' && type.value !== 'null') return [type.value]
  return []
}

/**
 * The types of a schema; where it names none, those that its keywords speak of, though by the
 * letter it then allows all others too.
 */
export function impliedTypes(node: DataNode): string[] {
  const named = typesOf(node)
  if (named.length > 0 || node.members.has('type')) return named
  if (
    node.members.has('properties') ||
    node.members.has('additionalProperties') ||
    node.members.has('patternProperties')
  )
    return ['object']
  return node.members.has('items') || node.members.has('prefixItems') ? ['array'] : []
}

/** May a value of the schema be null, by its own words? */
export function isNullable(node: DataNode): boolean {
  const types = node.members.get('type')
  const hasNull =
    types?.value === 'null' || (types?.items.some((each) => each.value === 'null') ?? false)
  const alternatives = [
    ...(node.members.get('oneOf')?.items ?? []),
    ...(node.members.get('anyOf')?.items ?? []),
  ]
  const nullValue = node.members.get('enum')?.items.some((each) => each.kind === 'null') ?? false
  return (
    node.flag('nullable') ||
    node.flag('x-nullable') ||
    hasNull ||
    nullValue ||
    alternatives.some(isOnlyNull) ||
    node.members.get('const')?.kind === 'null' ||
    saysNothing(node)
  )
}

/** Keywords of a schema that allow and forbid nothing. */
const remarks = new Set(
  'title description summary default example examples deprecated externalDocs readOnly writeOnly xml $comment'.split(
    ' ',
  ),
)

/** Is anything allowed, null among it? */
function saysNothing(node: DataNode): boolean {
  return (
    node.kind === 'object' &&
    [...node.members.keys()].every((name) => remarks.has(name) || name.startsWith('x-'))
  )
}

/** Does it allow nothing but null? */
export function isOnlyNull(node: DataNode): boolean {
  const type = node.members.get('type')
  const values = node.members.get('enum')?.items ?? []
  return (
    type?.value === 'null' ||
    (type?.items.length === 1 && type.items[0]?.value === 'null') ||
    (values.length > 0 && values.every((each) => each.kind === 'null')) ||
    node.members.get('const')?.kind === 'null'
  )
}

/** Are all values of the schema objects, as far as its text goes? */
export function isObjectSchema(node: DataNode, references: References): boolean {
  return isObject(node, references, new Map(), 0)
}

/**
 * What is known of a schema is not asked again, or schemas that name others twice take twice as
 * long with every step; while it is being asked it counts as one.
 */
function isObject(
  node: DataNode,
  references: References,
  known: Map<DataNode, boolean>,
  depth: number,
): boolean {
  const already = known.get(node)
  if (already !== undefined) return already
  if (depth > mostInside)
    throw problem('TM-2221', { name: schemaName(node), limit: mostInside }, { place: node.place })
  known.set(node, true)
  const found = saysObject(node, references, (each) => isObject(each, references, known, depth + 1))
  known.set(node, found)
  return found
}

function saysObject(
  node: DataNode,
  references: References,
  is: (node: DataNode) => boolean,
): boolean {
  if (referenceOf(node) !== undefined) {
    const target = references.peek(node)
    return target !== undefined && target !== node && is(target)
  }
  const type = node.members.get('type')
  if (type !== undefined) {
    const types = type.kind === 'list' ? type.items.map((each) => each.value) : [type.value]
    return types.every((each) => each === 'object' || each === 'null') && types.includes('object')
  }
  if (objectKeywords.some((keyword) => node.members.has(keyword))) return true
  if (node.members.has('enum') || node.members.has('const') || node.members.has('items'))
    return false
  const all = node.members.get('allOf')?.items ?? []
  const alternatives = [
    ...(node.members.get('oneOf')?.items ?? []),
    ...(node.members.get('anyOf')?.items ?? []),
  ].filter((each) => !isOnlyNull(each))
  return all.some(is) || (alternatives.length > 0 && alternatives.every(is))
}

/**
 * Does the schema only say what of its surroundings must be there or not, without describing
 * anything? `oneOf: [{ required: [a] }, …]`.
 */
export function isMereCondition(node: DataNode): boolean {
  const own = [...node.members.keys()].filter(
    (key) => !annotations.has(key) && !key.startsWith('x-'),
  )
  if (node.kind === 'boolean') return true
  return (
    own.length > 0 &&
    own.every(
      (key) =>
        [
          'required',
          'not',
          'minProperties',
          'maxProperties',
          'if',
          'then',
          'else',
          'dependentRequired',
          'contains',
          'minItems',
          'maxItems',
          'uniqueItems',
        ].includes(key) ||
        (['allOf', 'anyOf', 'oneOf'].includes(key) &&
          (node.members.get(key)?.items ?? []).every(isMereCondition)) ||
        (key === 'type' && node.members.size === own.length && own.length > 1),
    )
  )
}

/** What a schema calls itself, where that is a name. */
export function titleOf(node: DataNode): string | undefined {
  const title = node.members.get('title')?.value
  return typeof title === 'string' && title.trim() !== '' ? title : undefined
}

/**
 * Where a parameter, header, body or response stands, for the names of types in it: what is
 * described once for many is known by the name that it has there.
 */
export function placeOf(node: DataNode, steps: readonly string[]): readonly string[] {
  const shelf = node.parent
  const isShelf =
    ['responses', 'requestBodies', 'parameters', 'headers'].includes(String(shelf?.key)) &&
    (shelf?.parent?.parent === undefined || shelf.parent.key === 'components')
  return isShelf ? [String(node.key)] : steps
}

/** The name of a schema that stands on a shelf, else one made of where it stands. */
export function schemaName(node: DataNode): string {
  if (isShelved(node)) return String(node.key)
  if (node.parent === undefined)
    return String(node.members.get('title')?.value ?? node.document.replace(/\.\w+$/, ''))
  const title = titleOf(node)
  if (title !== undefined) return title
  const words: string[] = []
  for (let each: DataNode | undefined = node; each.parent !== undefined; each = each.parent) {
    const key = String(each.key)
    if (key === 'items') words.unshift('Item')
    else if (key === 'additionalProperties') words.unshift('Value')
    else if (
      key === 'parameters' ||
      key === 'headers' ||
      key === 'requestBodies' ||
      key === 'responses'
    )
      continue
    else if (/^\d{3}$/.test(key)) words.unshift(`Answer ${key}`)
    else if (key === 'requestBody') words.unshift('Body')
    else if (
      !/^(?:components|schemas|definitions|\$defs|properties|paths|content|schema|allOf|oneOf|anyOf|\d+|.*\/.*json.*)$/.test(
        key,
      )
    )
      words.unshift(key)
    else if (key.startsWith('/')) words.unshift(key)
    if (isShelved(each)) break
  }
  return words.length === 0 ? 'Schema' : words.map(pascalCase).join('')
}

/** Does it stand among schemas that have names? */
export function isShelved(node: DataNode): boolean {
  const shelf = node.parent?.key
  return (
    node.parent !== undefined &&
    (shelf === 'schemas' || shelf === 'definitions' || shelf === '$defs') &&
    node.parent.parent?.key !== 'properties'
  )
}

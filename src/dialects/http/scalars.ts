import { kindOf } from './media-types.js'
import type { Constraints, EnumerationType, ScalarBase, Type } from '../../contract/contract.js'
import { filled, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { isLoosePattern } from '../patterns.js'

/**
 * Formats of texts that are more than texts (JSON Schema 2020-12 Validation, section 7; the OpenAPI
 * format registry).
 */
const textFormats: ReadonlyMap<string, ScalarBase> = new Map([
  ['date', 'date'],
  ['date-time', 'dateTime'],
  ['time', 'time'],
  ['duration', 'duration'],
  ['byte', 'bytes'],
  ['binary', 'bytes'],
  ['base64url', 'bytes'],
  ['int64', 'int64'],
  ['uint64', 'uint64'],
  ['decimal', 'decimal'],
  ['decimal128', 'decimal'],
])
const numberFormats: ReadonlyMap<string, ScalarBase> = new Map([
  ['int8', 'int8'],
  ['int16', 'int16'],
  ['int32', 'int32'],
  ['uint8', 'uint8'],
  ['uint16', 'uint16'],
  ['uint32', 'uint32'],
  ['int64', 'int64'],
  ['uint64', 'uint64'],
  ['decimal', 'decimal'],
  ['decimal128', 'decimal'],
  ['float', 'float'],
  ['double', 'double'],
])
/**
 * Formats of numbers that are written with digits that all count, where the wire has them as texts.
 */
const exactBases: readonly ScalarBase[] = ['int64', 'uint64', 'decimal']

/**
 * The type of a schema whose `type` is a number or a text, with its limits.
 *
 * @param type which of the types that the schema allows
 */
export function scalarType(
  node: DataNode,
  type: 'integer' | 'number' | 'string',
  notes: Notes,
): Type {
  const { origin } = node
  const format = node.text('format') ?? ''
  const isText = type === 'string'
  const encoding = isText ? node.text('contentEncoding')?.toLowerCase() : undefined
  const isBase64 = encoding === 'base64' || encoding === 'base64url'
  const byFormat = isText
    ? (textFormats.get(format) ?? 'text')
    : (numberFormats.get(format) ?? 'double')
  const base = isBase64 ? 'bytes' : byFormat
  const known = (isText ? textFormats : numberFormats).has(format)
  const limits: { -readonly [K in keyof Constraints]: Constraints[K] } = isText ? {} : bounds(node)
  if (base === 'text') {
    const [least, most, pattern] = [
      node.number('minLength'),
      node.number('maxLength'),
      node.text('pattern'),
    ]
    if (least !== undefined) limits.minLength = Number(least)
    if (most !== undefined) limits.maxLength = Number(most)
    if (pattern !== undefined && isLoosePattern(pattern)) limits.patterns = [[pattern]]
    else if (pattern !== undefined) notes.add('approximated', 'TM-2211', { pattern }, origin)
  } else if (isText) for (const keyword of ['minLength', 'maxLength', 'pattern']) node.get(keyword)
  const isUrlSafe = encoding === 'base64url' || format === 'base64url'
  const wire = wireFormat({ type, base, format, known, isUrlSafe })
  // Texts with constraints are made to fit them.
  const isFree = base === 'text' && Object.keys(limits).length === 0
  const example = isFree ? contentExample(node.text('contentMediaType')) : undefined
  return {
    kind: 'scalar',
    base,
    format: wire,
    ...filled({ constraints: limits }),
    ...present({ example }),
  }
}

/** A text that is of a media type (2020-12 Validation, section 8.4); undefined for any other. */
function contentExample(mediaType = ''): string | undefined {
  if (kindOf(mediaType) === 'json') return '{}'
  if (/^text\/html\b/i.test(mediaType)) return '<p>text</p>'
  return /^(?:application|text)\/(?:[\w.-]+\+)?xml\b/i.test(mediaType) ? '<a/>' : undefined
}

/**
 * In 3.0 `exclusiveMinimum` says of `minimum` that it is outside; in 3.1 it is a bound itself
 * (2020-12 Validation, section 6.2).
 */
export function bounds(
  node: DataNode,
): Pick<
  Constraints,
  'minimum' | 'maximum' | 'exclusiveMinimum' | 'exclusiveMaximum' | 'multipleOf'
> {
  const limits: { -readonly [K in keyof Constraints]: Constraints[K] } = {}
  for (const [keyword, exclusive] of [
    ['minimum', 'exclusiveMinimum'],
    ['maximum', 'exclusiveMaximum'],
  ] as const) {
    const value = node.number(keyword)
    const outside = node.get(exclusive)
    if (outside?.value === true && value !== undefined) limits[exclusive] = value
    else if (value !== undefined) limits[keyword] = value
    if (outside?.kind === 'number') limits[exclusive] = outside.written
  }
  const multiple = node.number('multipleOf')
  if (multiple !== undefined && Number(multiple) > 0) limits.multipleOf = multiple
  return limits
}

/**
 * What `const` or `enum` allow: the values that are neither lists nor objects; `others` says
 * whether there were such.
 */
export function enumerated(
  values: readonly DataNode[],
  node: DataNode,
  notes: Notes,
  isNamed: boolean,
): { type: Type; others: boolean } {
  const { origin } = node
  const stated = values.filter((each) => each.kind !== 'null')
  const others = stated.some((each) => each.kind === 'object' || each.kind === 'list')
  const declared = node.members.get('type')?.value
  // Numbers and flags that nobody quoted, where the type says texts.
  const isMeantAsText =
    declared === 'string' &&
    stated.some((each) => each.kind === 'number' || each.kind === 'boolean')
  if (isMeantAsText) notes.add('approximated', 'TM-2314', {}, origin)
  if (stated.length > 0 && (isMeantAsText || stated.every((each) => each.kind === 'text'))) {
    const texts = [
      ...new Set(
        stated
          .filter((each) => each.kind !== 'object' && each.kind !== 'list')
          .map((each) => (each.kind === 'number' ? each.written : String(each.value))),
      ),
    ]
    const [only, ...more] = texts
    // One value alone is written where it stands.
    if (only !== undefined && more.length === 0 && (!isNamed || node.members.has('const')))
      return { type: { kind: 'literal', value: only }, others }
    const type: EnumerationType = {
      kind: 'enumeration',
      members: texts.map((value) => ({ value, origin })),
      base: { kind: 'scalar', base: 'text', format: 'string' },
    }
    return { type, others }
  }
  const literals = [...new Set(stated.map((each) => each.value))].map((value): Type => ({
    kind: 'literal',
    value,
  }))
  if (others) return { type: { kind: 'anything' }, others }
  const [only, ...more] = literals
  const several: Type =
    only === undefined || more.length > 0 ? { kind: 'union', alternatives: literals } : only
  return {
    type: only === undefined ? { kind: 'literal', value: null } : several,
    others,
  }
}

/** How a value of a scalar type stands in JSON: the name that its codec is chosen by. */
function wireFormat({
  type,
  base,
  format,
  known,
  isUrlSafe,
}: {
  readonly type: 'integer' | 'number' | 'string'
  readonly base: ScalarBase
  readonly format: string
  readonly known: boolean
  readonly isUrlSafe: boolean
}): string {
  if (base === 'bytes') return isUrlSafe ? 'base64url' : 'byte'
  if (type === 'integer' && base === 'double') return 'integer'
  const isText = type === 'string'
  if (known && isText && exactBases.includes(base)) return `string:${base}`
  if (format === '') return type
  return known || isText ? format : type
}

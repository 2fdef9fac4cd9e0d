import { expression } from '../../contract/patterns.js'
import { endsInTime } from '../../contract/pattern-safety.js'
import { isRecord, NumberText, type JsonValue } from '../json-values.js'
import type { Schema } from '../join-schemas.js'
import { hasForm, type TextForm } from '../seen-texts.js'

/** Formats whose texts are known by their form. */
const forms: Readonly<Record<string, TextForm>> = {
  date: 'date',
  'date-time': 'dateTime',
  time: 'time',
  duration: 'duration',
  uuid: 'uuid',
  email: 'mail',
  ipv4: 'ipv4',
}

const largest: Readonly<Record<string, bigint>> = { int32: 2n ** 31n, int64: 2n ** 63n }

/**
 * The keywords of a schema that a value breaks (JSON Schema 2020-12, Validation,
 * sections 6.1 to 6.4 and 7), its type being right.
 */
export function brokenKeywords(schema: Schema, value: JsonValue): string[] {
  return Object.entries(rulesFor(value)).flatMap(([keyword, isBroken]) =>
    schema[keyword] !== undefined && isBroken(schema, value as never) ? [keyword] : [],
  )
}

function rulesFor(value: JsonValue): Rules<never> {
  if (typeof value === 'string') return textRules
  if (value instanceof NumberText) return numberRules
  if (Array.isArray(value)) return listRules
  return isRecord(value) ? recordRules : {}
}

type Rules<V> = Readonly<Record<string, (schema: Schema, value: V) => boolean>>

function limit(schema: Schema, keyword: string): number {
  const value = schema[keyword]
  return typeof value === 'number' ? value : Number.NaN
}

const textRules: Rules<string> = {
  minLength: (schema, text) => [...text].length < limit(schema, 'minLength'),
  maxLength: (schema, text) => [...text].length > limit(schema, 'maxLength'),
  pattern: ({ pattern }, text) => !matches(String(pattern), text),
  format: ({ format }, text) => {
    const form = Object.hasOwn(forms, String(format)) ? forms[String(format)] : undefined
    return form !== undefined && !hasForm(text, form)
  },
}

/** Does a text match a pattern? It does where the pattern is none, or could take for ever. */
export function matches(pattern: string, text: string): boolean {
  if (!endsInTime(pattern)) return true
  try {
    return expression(pattern).test(text)
  } catch {
    return true
  }
}

const numberRules: Rules<NumberText> = {
  minimum: ({ minimum, exclusiveMinimum }, { text }) =>
    Number(text) < Number(minimum) ||
    (exclusiveMinimum === true && Number(text) === Number(minimum)),
  maximum: ({ maximum, exclusiveMaximum }, { text }) =>
    Number(text) > Number(maximum) ||
    (exclusiveMaximum === true && Number(text) === Number(maximum)),
  exclusiveMinimum: (schema, { text }) => Number(text) <= limit(schema, 'exclusiveMinimum'),
  exclusiveMaximum: (schema, { text }) => Number(text) >= limit(schema, 'exclusiveMaximum'),
  multipleOf: (schema, { text }) => !isMultiple(Number(text), limit(schema, 'multipleOf')),
  format: ({ format }, { text }) => {
    const size = Object.hasOwn(largest, String(format)) ? largest[String(format)] : undefined
    if (size === undefined) return false
    if (!/^-?\d+$/.test(text)) return !isWhole(text) || Math.abs(Number(text)) >= Number(size)
    const number = BigInt(text)
    return number >= size || number < -size
  },
}

function isMultiple(value: number, of: number): boolean {
  const times = value / of
  return Math.abs(times - Math.round(times)) < 1e-9 * Math.max(1, Math.abs(times))
}

const listRules: Rules<readonly JsonValue[]> = {
  minItems: (schema, { length }) => length < limit(schema, 'minItems'),
  maxItems: (schema, { length }) => length > limit(schema, 'maxItems'),
  uniqueItems: ({ uniqueItems }, list) =>
    uniqueItems === true && new Set(list.map((each) => JSON.stringify(each))).size < list.length,
}

const recordRules: Rules<Readonly<Record<string, JsonValue>>> = {
  minProperties: (schema, record) => Object.keys(record).length < limit(schema, 'minProperties'),
  maxProperties: (schema, record) => Object.keys(record).length > limit(schema, 'maxProperties'),
}

/** The words of `type` that a value goes by, the narrowest first. */
export function kindsOf(value: JsonValue): readonly string[] {
  if (value === null) return ['null']
  if (typeof value === 'boolean') return ['boolean']
  if (typeof value === 'string') return ['string']
  if (value instanceof NumberText) return isWhole(value.text) ? ['integer', 'number'] : ['number']
  return Array.isArray(value) ? ['array'] : ['object']
}

function isWhole(text: string): boolean {
  return /^-?\d+(?:\.0+)?$/.test(text) || Number.isInteger(Number(text))
}

/** Is a value the same as one of plain data, but for how numbers are written? */
export function isEqual(value: JsonValue, plain: unknown): boolean {
  if (value instanceof NumberText) return Number(value.text) === plain
  if (typeof value !== 'object' || value === null) return value === plain
  return JSON.stringify(plainValue(value)) === JSON.stringify(plain)
}

/** A value as plain data. */
export function plainValue(value: JsonValue): unknown {
  if (value instanceof NumberText) return Number(value.text)
  if (Array.isArray(value)) return value.map(plainValue)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, plainValue(each)]))
}

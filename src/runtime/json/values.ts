import { dayExists, offset } from '../calendar.js'
import { base64ToBytes, bytesToBase64, setOwn } from '../plain.js'
import { show as showAny } from '../violations.js'

/**
 * Simple values in JSON, and JSON text itself: what the dialects that speak JSON have in common.
 */

/** A number as its digits, on the way to or from JSON text. */
export class RawNumber {
  readonly digits: string

  constructor(digits: string) {
    this.digits = digits
  }
}

/**
 * A time of day (RFC 3339, section 5.6), with its offset or, as many services write it, without.
 */
const clock = `(?:[01]\\d|2[0-3]):[0-5]\\d:(?:[0-5]\\d|60)(?:\\.\\d+)?(?:[Zz]|${offset})?`

/** A value that is there. */
export type Present<T> = Exclude<T, null | undefined>

/** A simple value. */
export interface SimpleJson<T> {
  readonly simple: string
  /** What a JSON value means; undefined when it means nothing. */
  read(json: unknown): T | undefined
  write(value: T): unknown
  check(value: unknown): boolean
  /** Is a JSON value one of these as it stands? Where that can't be, it is left out. */
  asIs?(json: unknown): boolean
}

export function plain<T>(simple: string, check: (value: unknown) => value is T): SimpleJson<T> {
  return {
    simple,
    check,
    asIs: check,
    read: (json) => (check(json) ? json : undefined),
    write: (value) => value,
  }
}

/** Does JavaScript give back a number with the digits that it came with? */
export function isHeldExactly(digits: string): boolean {
  return digits.length < 16 || significant(digits) === significant(String(Number(digits)))
}

/** The digits of a number that count, and where its point stands. */
function significant(digits: string): string {
  const [mantissa = '', exponent = '0'] = digits.toLowerCase().split('e')
  const [whole = '', fraction = ''] = mantissa.replace('-', '').split('.')
  const all = `${whole}${fraction}`.replace(/^0+/, '')
  const counting = all.replace(/0+$/, '')
  return `${counting}e${String(Number(exponent) - fraction.length + all.length - counting.length)}`
}

/** A number as JavaScript holds it best: whole ones with all their digits. */
function heldBest(digits: string): number | bigint {
  return /^-?\d+$/.test(digits) && !isHeldExactly(digits) ? BigInt(digits) : Number(digits)
}

/**
 * Reads what the contract says nothing of.
 *
 * @param onLoss hears of a number that can't be held with all its digits
 */
export function readAnything(json: unknown, onLoss: (message: string) => void): unknown {
  const lost = lostIn(json)
  if (lost !== undefined) onLoss(`has more digits than a number holds exactly: ${lost}`)
  return anything.read(json)
}

/** The first number in JSON that is read without some of its digits. */
function lostIn(json: unknown): string | undefined {
  if (json instanceof RawNumber)
    return /^-?\d+$/.test(json.digits) || isHeldExactly(json.digits) ? undefined : json.digits
  if (typeof json !== 'object' || json === null) return undefined
  for (const each of Array.isArray(json) ? (json as unknown[]) : Object.values(json)) {
    const lost = lostIn(each)
    if (lost !== undefined) return lost
  }
  return undefined
}

/** A number, `true` or `false` that came as a text: some services quote them all. */
export function readQuoted<T>(
  simple: SimpleJson<T>,
  json: unknown,
  hear: (message: string) => void,
): T | undefined {
  if (typeof json !== 'string') return undefined
  const isNumber = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(json)
  const isBoolean = json === 'true' || json === 'false'
  const meant = isNumber ? new RawNumber(json) : json === 'true'
  const value = isNumber || isBoolean ? simple.read(meant) : undefined
  if (value !== undefined)
    hear(`is the text ${show(json)}, where the contract promised ${simple.simple}`)
  return value
}

export const asNumber = (json: unknown): unknown =>
  json instanceof RawNumber ? Number(json.digits) : json

/** What an integer of no stated size is called. */
export const unsized = 'a whole number'

export function number(simple: string, fits: (value: number) => boolean): SimpleJson<number> {
  const check = (value: unknown): value is number => typeof value === 'number' && fits(value)
  return {
    simple,
    check,
    asIs: (value) => check(value) && (simple !== unsized || Number.isSafeInteger(value)),
    read(json) {
      const value = asNumber(json)
      return check(value) ? value : undefined
    },
    write: (value) => value,
  }
}

export function textual(
  simple: string,
  form: RegExp,
  further: (text: string) => boolean = () => true,
): SimpleJson<string> {
  return plain(
    simple,
    (value): value is string => typeof value === 'string' && form.test(value) && further(value),
  )
}

export const text: SimpleJson<string> = /* @__PURE__ */ plain(
  'text',
  (value): value is string => typeof value === 'string',
)
export const boolean: SimpleJson<boolean> = /* @__PURE__ */ plain(
  'true or false',
  (value): value is boolean => typeof value === 'boolean',
)
export const anything: SimpleJson<unknown> = /* @__PURE__ */ withoutRawNumbers()
export const double: SimpleJson<number> = /* @__PURE__ */ number('a number', Number.isFinite)
/** An integer of no stated size: a number, as long as a double holds it. */
export const integer: SimpleJson<number> = /* @__PURE__ */ number(unsized, Number.isInteger)
export const int32: SimpleJson<number> = /* @__PURE__ */ number(
  'a whole number of 32 bits',
  (value) => Number.isInteger(value) && value >= -2147483648 && value <= 2147483647,
)
export const int8: SimpleJson<number> = /* @__PURE__ */ whole(8, true)
export const int16: SimpleJson<number> = /* @__PURE__ */ whole(16, true)
export const uint8: SimpleJson<number> = /* @__PURE__ */ whole(8, false)
export const uint16: SimpleJson<number> = /* @__PURE__ */ whole(16, false)
export const uint32: SimpleJson<number> = /* @__PURE__ */ whole(32, false)
export const int64: SimpleJson<bigint> = /* @__PURE__ */ bigWhole((digits) => new RawNumber(digits))
/** A 64-bit integer that is written as text. */
export const int64Text: SimpleJson<bigint> = /* @__PURE__ */ bigWhole((digits) => digits)
export const uint64: SimpleJson<bigint> = /* @__PURE__ */ bigWhole(
  (digits) => new RawNumber(digits),
  0n,
  18446744073709551615n,
)
export const uint64Text: SimpleJson<bigint> = /* @__PURE__ */ bigWhole(
  (digits) => digits,
  0n,
  18446744073709551615n,
)
export const decimal: SimpleJson<string> = /* @__PURE__ */ exact(
  (digits) => new RawNumber(asJson(digits)),
)
/** A decimal that is written as text. */
export const decimalText: SimpleJson<string> = /* @__PURE__ */ exact((digits) => digits)
export const date: SimpleJson<string> = /* @__PURE__ */ textual(
  'a date like 2026-11-23',
  /^\d{4}-\d\d-\d\d$/,
  dayExists,
)
export const dateTime: SimpleJson<string> = /* @__PURE__ */ textual(
  'a date and time like 2026-11-23T14:30:00Z',
  new RegExp(`^\\d{4}-\\d\\d-\\d\\d[Tt ]${clock}$`),
  dayExists,
)
export const time: SimpleJson<string> = /* @__PURE__ */ textual(
  'a time like 14:30:00Z',
  new RegExp(`^${clock}$`),
)
export const duration: SimpleJson<string> = /* @__PURE__ */ textual(
  'a duration like P1DT2H',
  /^P(?=.)(?:\d+Y)?(?:\d+M)?(?:\d+W)?(?:\d+D)?(?:T(?=.)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$/,
)
/** Bytes in the alphabet for addresses (RFC 4648, section 5), without padding. */
export const base64url: SimpleJson<Uint8Array> = {
  simple: 'bytes',
  check: (value) => value instanceof Uint8Array,
  read(json) {
    if (typeof json !== 'string') return undefined
    const usual = json.replace(/-/g, '+').replace(/_/g, '/').replace(/=+$/, '')
    return base64.read(usual.padEnd(Math.ceil(usual.length / 4) * 4, '='))
  },
  write: (value) => bytesToBase64(value).replace(/\+/g, '-').replace(/\//g, '_').replace(/=+$/, ''),
}
export const base64: SimpleJson<Uint8Array> = {
  simple: 'bytes',
  check: (value) => value instanceof Uint8Array,
  read(json) {
    try {
      return typeof json === 'string' ? base64ToBytes(json) : undefined
    } catch {
      return undefined
    }
  },
  write: (value) => bytesToBase64(value),
}

function withoutRawNumbers(): SimpleJson<unknown> {
  const read = (json: unknown): unknown => {
    if (json instanceof RawNumber) return heldBest(json.digits)
    if (Array.isArray(json)) return json.map(read)
    if (isObject(json))
      return Object.fromEntries(Object.entries(json).map(([name, value]) => [name, read(value)]))
    return json
  }
  // Inside of lists and objects there may be numbers that are still their digits.
  return {
    simple: 'any value',
    check: (value) => value !== undefined,
    asIs: (json) => typeof json !== 'object',
    read,
    write: (value) => value,
  }
}

function whole(bits: number, signed: boolean): SimpleJson<number> {
  const [least, most] = signed ? [-(2 ** (bits - 1)), 2 ** (bits - 1) - 1] : [0, 2 ** bits - 1]
  return number(
    `a whole number of ${String(bits)} bits${signed ? '' : ', not negative'}`,
    (value) => Number.isInteger(value) && value >= least && value <= most,
  )
}

export function bigWhole(
  write: (digits: string) => unknown,
  least = -9223372036854775808n,
  most = 9223372036854775807n,
): SimpleJson<bigint> {
  const fits = (value: bigint): boolean => value >= least && value <= most
  return {
    simple: 'a whole number (bigint) of 64 bits',
    check: (value) => typeof value === 'bigint' && fits(value),
    read(json) {
      const digits = digitsOf(json)
      if (!/^-?\d+$/.test(digits)) return undefined
      const value = BigInt(digits)
      return fits(value) ? value : undefined
    },
    write: (value) => write(String(value)),
  }
}

export function exact(write: (digits: string) => unknown): SimpleJson<string> {
  const form = /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/
  return {
    simple: 'a decimal number as text, like "12.50"',
    check: (value) => typeof value === 'string' && form.test(value),
    read(json) {
      const digits = digitsOf(json)
      return form.test(digits) ? digits : undefined
    },
    write: (value) => write(value),
  }
}

/** Digits as JSON writes a number (RFC 8259, section 6): without zeros before. */
function asJson(digits: string): string {
  return digits.replace(/^(-?)0+(?=\d)/, '$1')
}

/** JSON text of what a codec wrote. */
export function jsonText(json: unknown): string {
  if (json instanceof RawNumber) return json.digits
  if (Array.isArray(json))
    return `[${json.map((item) => (item === undefined ? 'null' : jsonText(item))).join(',')}]`
  if (isObject(json)) {
    const members = Object.entries(json).filter(([, value]) => value !== undefined)
    return `{${members.map(([name, value]) => `${JSON.stringify(name)}:${jsonText(value)}`).join(',')}}`
  }
  if (Object.is(json, -0)) return '-0'
  return typeof json === 'bigint' ? String(json) : (JSON.stringify(json) ?? 'null')
}

export function mapMembers(
  value: object,
  convert: (name: string, member: unknown) => unknown,
): Record<string, unknown> {
  const made: Record<string, unknown> = {}
  for (const [name, member] of Object.entries(value)) {
    if (member === undefined) continue
    setOwn(made, name, convert(name, member))
  }
  return made
}

/** What a value is, in a few words. */
export function show(value: unknown): string {
  return value instanceof RawNumber ? value.digits : showAny(value)
}

export function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Uint8Array) &&
    !(value instanceof RawNumber)
  )
}

/** The digits of a number, or of a text that may be one. */
function digitsOf(json: unknown): string {
  if (json instanceof RawNumber) return json.digits
  return typeof json === 'number' || typeof json === 'string' ? String(json) : ''
}

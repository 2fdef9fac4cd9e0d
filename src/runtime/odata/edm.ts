import {
  anything,
  asNumber,
  base64,
  boolean as jsonBoolean,
  jsonText,
  text,
  type SimpleJson,
} from '../json/values.js'
import { base64ToBytes } from '../plain.js'

/**
 * The primitive types of OData (CSDL, section 3.3): how each stands in JSON and as a literal in an
 * address.
 */

/** What a filter can do with a value of the type. */
export type TermKind = 'text' | 'number' | 'date' | 'time' | 'dateTime' | 'boolean' | 'other'

export interface Edm extends SimpleJson<never> {
  readonly term: TermKind
  /** The value as a literal in an address, not yet percent-encoded (ABNF, primitiveLiteral). */
  literal(value: never): string
}

/** A primitive type from its JSON form. */
export function edm(
  json: SimpleJson<never>,
  term: TermKind,
  literal: (value: string) => string,
): Edm {
  return {
    simple: json.simple,
    check: json.check,
    read: json.read,
    write: json.write,
    term,
    literal: (value) => literal(String(value)),
  }
}

/** A text as a literal: in quotes, those inside it doubled. */
export function quotedText(text: string): string {
  return `'${text.replaceAll("'", "''")}'`
}

/** A text of a certain form; what a service sends is taken as it is. */
export function textLike(
  simple: string,
  form: RegExp,
  further: (text: string) => boolean = () => true,
): SimpleJson<never> {
  return {
    simple,
    check: (value) => typeof value === 'string' && form.test(value) && further(value),
    read: (json) => (typeof json === 'string' ? (json as never) : undefined),
    write: (value) => value,
  }
}

/** A whole number within bounds; services that write it in quotes are understood. */
export function wholeNumber(least: number, most: number): SimpleJson<never> {
  const check = (value: unknown): boolean =>
    typeof value === 'number' && Number.isInteger(value) && value >= least && value <= most
  return {
    simple: `a whole number from ${String(least)} to ${String(most)}`,
    check,
    read(json) {
      const value =
        typeof json === 'string' && /^[+-]?\d+$/.test(json) ? Number(json) : asNumber(json)
      return check(value) ? (value as never) : undefined
    },
    write: (value) => value,
  }
}

/** A floating-point number; what JSON has no number for is text: `INF`, `-INF`, `NaN`. */
export function floating(write: (text: string, value: number) => unknown): SimpleJson<never> {
  return {
    simple: 'a number',
    check: (value) => typeof value === 'number',
    read(json) {
      const special: Readonly<Record<string, number>> = {
        INF: Infinity,
        '-INF': -Infinity,
        NaN: Number.NaN,
      }
      if (typeof json === 'string' && Object.hasOwn(special, json)) return special[json] as never
      const value = typeof json === 'string' && json.trim() !== '' ? Number(json) : asNumber(json)
      return typeof value === 'number' && !Number.isNaN(value) ? (value as never) : undefined
    },
    write: (value) => write(floatingText(value), value),
  }
}

export function floatingText(value: number): string {
  if (Number.isFinite(value)) return String(value)
  if (Number.isNaN(value)) return 'NaN'
  if (value > 0) return 'INF'
  return '-INF'
}

/** As the text is: what a literal of most types is. */
export function bare(text: string): string {
  return text
}

/** Types that every version writes alike. */
export const string: Edm = /* @__PURE__ */ edm(text, 'text', quotedText)
export const boolean: Edm = /* @__PURE__ */ edm(jsonBoolean, 'boolean', bare)
export const byte: Edm = /* @__PURE__ */ edm(/* @__PURE__ */ wholeNumber(0, 255), 'number', bare)
export const sbyte: Edm = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-128, 127),
  'number',
  bare,
)
export const int16: Edm = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-32768, 32767),
  'number',
  bare,
)
export const int32: Edm = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-2147483648, 2147483647),
  'number',
  bare,
)
/** A value that the metadata says nothing about. */
export const untyped: Edm = {
  simple: anything.simple,
  term: 'other',
  check: anything.check,
  read: anything.read,
  write: anything.write,
  literal: (value) => jsonText(value),
}

/** Bytes from base64, in either alphabet and with or without its padding. */
export function readBytes(json: unknown): never | undefined {
  return base64.read(typeof json === 'string' ? padded(json) : json)
}

function padded(text: string): string {
  const packed = text
    .replaceAll('-', '+')
    .replaceAll('_', '/')
    .replace(/[\s=]+/g, '')
  const whole = packed + '='.repeat((4 - (packed.length % 4)) % 4)
  // What is no base64 stays as it is, and is told.
  try {
    base64ToBytes(whole)
    return whole
  } catch {
    return text
  }
}

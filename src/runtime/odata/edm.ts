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

/** @typeParam T what its values are in TypeScript */
export interface Edm<T = unknown> extends SimpleJson<T> {
  readonly term: TermKind
  /** The value as a literal in an address, not yet percent-encoded (ABNF, primitiveLiteral). */
  literal(value: T): string
}

/** A primitive type from its JSON form. */
export function edm<T>(
  json: SimpleJson<T>,
  term: TermKind,
  literal: (value: string) => string,
): Edm<T> {
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
): SimpleJson<string> {
  return {
    simple,
    check: (value) => typeof value === 'string' && form.test(value) && further(value),
    read: (json) => (typeof json === 'string' ? json : undefined),
    write: (value) => value,
  }
}

/** A whole number within bounds; services that write it in quotes are understood. */
export function wholeNumber(least: number, most: number): SimpleJson<number> {
  const check = (value: unknown): value is number =>
    typeof value === 'number' && Number.isInteger(value) && value >= least && value <= most
  return {
    simple: `a whole number from ${String(least)} to ${String(most)}`,
    check,
    read(json) {
      const value =
        typeof json === 'string' && /^[+-]?\d+$/.test(json) ? Number(json) : asNumber(json)
      return check(value) ? value : undefined
    },
    write: (value) => value,
  }
}

/** A floating-point number; what JSON has no number for is text: `INF`, `-INF`, `NaN`. */
export function floating(write: (text: string, value: number) => unknown): SimpleJson<number> {
  return {
    simple: 'a number',
    check: (value) => typeof value === 'number',
    read(json) {
      const special: Readonly<Record<string, number>> = {
        INF: Infinity,
        '-INF': -Infinity,
        NaN: Number.NaN,
      }
      if (typeof json === 'string' && Object.hasOwn(special, json)) return special[json]
      const value = typeof json === 'string' && json.trim() !== '' ? Number(json) : asNumber(json)
      return typeof value === 'number' && !Number.isNaN(value) ? value : undefined
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
export const string: Edm<string> = /* @__PURE__ */ edm(text, 'text', quotedText)
export const boolean: Edm<boolean> = /* @__PURE__ */ edm(jsonBoolean, 'boolean', bare)
export const byte: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(0, 255),
  'number',
  bare,
)
export const sbyte: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-128, 127),
  'number',
  bare,
)
export const int16: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-32768, 32767),
  'number',
  bare,
)
export const int32: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ wholeNumber(-2147483648, 2147483647),
  'number',
  bare,
)
/** A value that the metadata says nothing about. */
export const untyped: Edm<unknown> = {
  simple: anything.simple,
  term: 'other',
  check: anything.check,
  read: anything.read,
  write: anything.write,
  literal: (value) => jsonText(value),
}

/** Bytes from base64, in either alphabet and with or without its padding. */
export function readBytes(json: unknown): Uint8Array | undefined {
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

import { present } from '../present.js'
import { dayExists, offset } from '../calendar.js'
import { base64ToBytes, bytesToBase64 } from '../plain.js'
import { expected } from '../violations.js'
import type { ReadContext, SimpleCodec, WriteContext } from './codec.js'

/** The built-in simple types of XML Schema (part 2, section 3) as codecs. */

/** What reading a text can't make sense of. */
export class Unreadable extends Error {}

/**
 * White space at both ends removed, and every run of it inside made one space (part 2, section
 * 4.3.6).
 */
export function collapse(value: string): string {
  return /[\t\n\r ]/.test(value) ? value.replace(/[\t\n\r ]+/g, ' ').replace(/^ | $/g, '') : value
}

/**
 * Characters that XML 1.0 can't carry, not even escaped (section 2.2), and halves of surrogate
 * pairs.
 */
const notXml =
  /[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/

function ofText(simple: string, normalise: (value: string) => string): SimpleCodec<string> {
  return {
    simple,
    read: normalise,
    write: (value) => value,
    check: (value) => {
      if (typeof value !== 'string') return expected(simple, value)
      if (notXml.test(value)) return "has characters that XML can't carry"
      return undefined
    },
  }
}

/**
 * Texts that must look a certain way and are kept as they are, apart from white space around them.
 */
function lexical(
  simple: string,
  makeForm: () => RegExp,
  further?: (value: string) => boolean,
): SimpleCodec<string> {
  let form: RegExp | undefined
  // Made on first use: a bundler keeps an expression that is made beside an unused codec.
  const fits = (value: string): boolean =>
    (form ??= makeForm()).test(value) && (further?.(value) ?? true)
  return {
    simple,
    read(value) {
      if (fits(value)) return value
      const collapsed = collapse(value)
      if (!fits(collapsed)) throw new Unreadable(simple)
      return collapsed
    },
    write: (value) => value,
    check: (value) =>
      typeof value === 'string' && fits(value) ? undefined : expected(simple, value),
  }
}

const digits = /^[+-]?\d+$/

function wholeNumber(simple: string, minimum: number, maximum: number): SimpleCodec<number> {
  return {
    simple,
    read(value) {
      const collapsed = digits.test(value) ? value : collapse(value)
      const number = Number(collapsed)
      if (!digits.test(collapsed) || number < minimum || number > maximum)
        throw new Unreadable(simple)
      return number === 0 ? 0 : number
    },
    write: (value) => String(value),
    check: (value) =>
      typeof value === 'number' && Number.isInteger(value) && value >= minimum && value <= maximum
        ? undefined
        : expected(`${simple} (${String(minimum)} to ${String(maximum)})`, value),
  }
}

function bigWholeNumber(simple: string, minimum?: bigint, maximum?: bigint): SimpleCodec<bigint> {
  const fits = (value: bigint): boolean =>
    (minimum === undefined || value >= minimum) && (maximum === undefined || value <= maximum)
  return {
    simple,
    read(value) {
      const collapsed = digits.test(value) ? value : collapse(value)
      if (!digits.test(collapsed)) throw new Unreadable(simple)
      const number = BigInt(collapsed.startsWith('+') ? collapsed.slice(1) : collapsed)
      if (!fits(number)) throw new Unreadable(simple)
      return number
    },
    write: (value) => String(value),
    check: (value) =>
      typeof value === 'bigint' && fits(value) ? undefined : expected(simple, value),
  }
}

function floating(simple: string): SimpleCodec<number> {
  const special: Record<string, number> = { INF: Infinity, '-INF': -Infinity, NaN: NaN }
  return {
    simple,
    read(value) {
      const collapsed = collapse(value)
      const found = Object.hasOwn(special, collapsed) ? special[collapsed] : undefined
      if (found !== undefined) return found
      if (!/^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(collapsed))
        throw new Unreadable(simple)
      return Number(collapsed)
    },
    write: (value) => {
      if (Number.isNaN(value)) return 'NaN'
      if (value === Infinity) return 'INF'
      if (value === -Infinity) return '-INF'
      if (Object.is(value, -0)) return '-0'
      return String(value).replace('e+', 'E').replace('e', 'E')
    },
    check: (value) => (typeof value === 'number' ? undefined : expected(simple, value)),
  }
}

const zone = `(?:Z|${offset})?`
const year = '-?(?:[1-9]\\d{3,}|0\\d{3})'
const clock = '(?:(?:[01]\\d|2[0-3]):[0-5]\\d:[0-5]\\d(?:\\.\\d+)?|24:00:00(?:\\.0+)?)'

export const text: SimpleCodec<string> = /* @__PURE__ */ ofText('text', (value) => value)
export const normalizedText: SimpleCodec<string> = /* @__PURE__ */ ofText('text', (value) =>
  value.replace(/[\t\n\r]/g, ' '),
)
export const token: SimpleCodec<string> = /* @__PURE__ */ ofText('text', collapse)
export const uri: SimpleCodec<string> = /* @__PURE__ */ ofText('an address', collapse)

export const boolean: SimpleCodec<boolean> = {
  simple: 'true or false',
  read(value) {
    const collapsed = value === 'true' || value === 'false' ? value : collapse(value)
    if (collapsed === 'true' || collapsed === '1') return true
    if (collapsed === 'false' || collapsed === '0') return false
    throw new Unreadable('true or false')
  },
  write: (value) => String(value),
  check: (value) => (typeof value === 'boolean' ? undefined : expected('true or false', value)),
}

/** Kept as exact text: `1250.50` stays `1250.50`. */
export const decimal: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a decimal number',
  () => /^[+-]?(?:\d+(?:\.\d*)?|\.\d+)$/,
)

export const byte: SimpleCodec<number> = /* @__PURE__ */ wholeNumber('a whole number', -128, 127)
export const short: SimpleCodec<number> = /* @__PURE__ */ wholeNumber(
  'a whole number',
  -32768,
  32767,
)
export const int: SimpleCodec<number> = /* @__PURE__ */ wholeNumber(
  'a whole number',
  -2147483648,
  2147483647,
)
export const unsignedByte: SimpleCodec<number> = /* @__PURE__ */ wholeNumber(
  'a whole number',
  0,
  255,
)
export const unsignedShort: SimpleCodec<number> = /* @__PURE__ */ wholeNumber(
  'a whole number',
  0,
  65535,
)
export const unsignedInt: SimpleCodec<number> = /* @__PURE__ */ wholeNumber(
  'a whole number',
  0,
  4294967295,
)
export const long: SimpleCodec<bigint> = /* @__PURE__ */ bigWholeNumber(
  'a whole number (bigint) of 64 bits',
  -9223372036854775808n,
  9223372036854775807n,
)
export const unsignedLong: SimpleCodec<bigint> = /* @__PURE__ */ bigWholeNumber(
  'a whole number (bigint) of 64 bits without sign',
  0n,
  18446744073709551615n,
)
export const integer: SimpleCodec<bigint> =
  /* @__PURE__ */ bigWholeNumber('a whole number (bigint)')
export const float: SimpleCodec<number> = /* @__PURE__ */ floating('a number')
export const double: SimpleCodec<number> = /* @__PURE__ */ floating('a number')

export const date: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a date like 2026-11-23',
  () => new RegExp(`^${year}-(?:0[1-9]|1[0-2])-\\d\\d${zone}$`),
  dayExists,
)
export const time: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a time like 14:30:00',
  () => new RegExp(`^${clock}${zone}$`),
)
export const dateTime: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a date and time like 2026-11-23T14:30:00',
  () => new RegExp(`^${year}-(?:0[1-9]|1[0-2])-\\d\\dT${clock}${zone}$`),
  dayExists,
)
export const duration: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a duration like P1DT2H',
  () => /^-?P(?=.)(?:\d+Y)?(?:\d+M)?(?:\d+D)?(?:T(?=.)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$/,
)
export const yearMonth: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a month like 2026-11',
  () => new RegExp(`^${year}-(?:0[1-9]|1[0-2])${zone}$`),
)
export const gregorianYear: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a year like 2026',
  () => new RegExp(`^${year}${zone}$`),
)
export const monthDay: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a day of the year like --11-23',
  () => new RegExp(`^--(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\\d|3[01])${zone}$`),
  (value) => dayExists(`2000${value.slice(1)}`),
)
export const gregorianMonth: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a month of the year like --11',
  () => new RegExp(`^--(?:0[1-9]|1[0-2])${zone}$`),
)
export const gregorianDay: SimpleCodec<string> = /* @__PURE__ */ lexical(
  'a day of the month like ---23',
  () => new RegExp(`^---(?:0[1-9]|[12]\\d|3[01])${zone}$`),
)

function bytes(
  simple: string,
  read: (value: string) => Uint8Array,
  write: (value: Uint8Array) => string,
  canTravelBeside?: true,
): SimpleCodec<Uint8Array> {
  return {
    simple,
    ...present({ canTravelBeside }),
    read(value) {
      try {
        return read(value)
      } catch {
        throw new Unreadable(simple)
      }
    },
    write,
    check: (value) => (value instanceof Uint8Array ? undefined : expected('bytes', value)),
  }
}

export const base64Binary: SimpleCodec<Uint8Array> = /* @__PURE__ */ bytes(
  'bytes as base64',
  base64ToBytes,
  bytesToBase64,
  true,
)
export const hexBinary: SimpleCodec<Uint8Array> = /* @__PURE__ */ bytes(
  'bytes as hexadecimal digits',
  (value) => {
    const digits = collapse(value)
    if (digits.length % 2 !== 0 || !/^[0-9a-fA-F]*$/.test(digits))
      throw new Error('not hexadecimal')
    return Uint8Array.from({ length: digits.length / 2 }, (_, at) =>
      Number.parseInt(digits.slice(at * 2, at * 2 + 2), 16),
    )
  },
  (value) => Array.from(value, (each) => each.toString(16).padStart(2, '0').toUpperCase()).join(''),
)

/**
 * Bytes beside the message, which has only their address (Attachments Profile 1.0, section 4.4).
 */
export const attachedBytes: SimpleCodec<Uint8Array> = {
  simple: 'the address of an attachment',
  read(value, context) {
    const content = context.attached?.(collapse(value))
    if (content === undefined) throw new Unreadable('the address of an attachment')
    return content
  },
  write: (value, context) => context.attach?.(value) ?? '',
  check: (value) => (value instanceof Uint8Array ? undefined : expected('bytes', value)),
}

/** A qualified name as `{namespace}local`, or just `local` where there is no namespace. */
export const qualifiedName: SimpleCodec<string> = {
  simple: 'a qualified name like {urn:example}name',
  read(value: string, context: ReadContext) {
    const [prefix, local] = splitName(collapse(value))
    const namespace = context.resolve(prefix)
    if (namespace === undefined && prefix !== '') throw new Unreadable('a qualified name')
    return namespace === undefined || namespace === '' ? local : `{${namespace}}${local}`
  },
  write(value: string, context: WriteContext) {
    const [, namespace, local] = /^(?:\{(.*)\})?(.*)$/.exec(value) ?? []
    return namespace === undefined || namespace === ''
      ? (local ?? '')
      : `${context.prefix(namespace)}:${local ?? ''}`
  },
  check: (value) =>
    typeof value === 'string' && /^(?:\{[^{}]*\})?[\p{L}_][\p{L}\p{N}\p{M}._·-]*$/u.test(value)
      ? undefined
      : expected('a qualified name like {urn:example}name', value),
}

/** The prefix and the local part of a name as written. */
export function splitName(name: string): [prefix: string, local: string] {
  const colon = name.indexOf(':')
  return colon === -1 ? ['', name] : [name.slice(0, colon), name.slice(colon + 1)]
}

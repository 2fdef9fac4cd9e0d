import { dayExists, offset } from '../calendar.js'
import { decimalText, int64Text } from '../json/values.js'
import { bytesToBase64 } from '../plain.js'
import { bare, edm, floating, readBytes, textLike, type Edm } from './edm.js'

export { boolean, byte, int16, int32, sbyte, string, untyped } from './edm.js'

/**
 * The primitive types as OData 4 writes them: JSON Format 4.01, section 7.1, and URL Conventions,
 * section 5.1.1.6. 64-bit integers and decimals are texts in JSON, which `IEEE754Compatible=true`
 * announces (JSON Format, section 3.2), so that no digit is lost on the way.
 */

const day = '\\d{4}-\\d\\d-\\d\\d'
const clock = '(?:[01]\\d|2[0-3]):[0-5]\\d(?::[0-5]\\d(?:\\.\\d{1,12})?)?'

export const int64: Edm<bigint> = /* @__PURE__ */ edm(int64Text, 'number', bare)
export const decimal: Edm<string> = /* @__PURE__ */ edm(decimalText, 'number', bare)
export const double: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ floating((written, value) => (Number.isFinite(value) ? value : written)),
  'number',
  floatingLiteral,
)
export const single: Edm<number> = double
export const date: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike('a date like 2026-11-23', new RegExp(`^${day}$`), dayExists),
  'date',
  bare,
)
export const dateTimeOffset: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike(
    'a date and time with its offset, like 2026-11-23T14:30:00Z',
    new RegExp(`^${day}T${clock}(?:Z|${offset})$`),
    dayExists,
  ),
  'dateTime',
  bare,
)
export const timeOfDay: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike('a time of day like 14:30:00', new RegExp(`^${clock}$`)),
  'time',
  bare,
)
export const duration: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike(
    'a duration like P1DT2H30M',
    /^-?P(?=.)(?:\d+D)?(?:T(?=.)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$/,
  ),
  'other',
  (written) => `duration'${written}'`,
)
export const guid: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike(
    'a GUID like 01234567-89ab-cdef-0123-456789abcdef',
    /^[\da-f]{8}-(?:[\da-f]{4}-){3}[\da-f]{12}$/i,
  ),
  'other',
  bare,
)
/**
 * Bytes, written with the alphabet that is safe in addresses (RFC 4648, section 5); both alphabets
 * are read.
 */
export const binary: Edm<Uint8Array> = {
  simple: 'bytes',
  term: 'other',
  check: (value) => value instanceof Uint8Array,
  read: readBytes,
  write: (value) => urlSafe(value),
  literal: (value) => `binary'${urlSafe(value)}'`,
}

/** Numbers as they are; the special ones by name. */
function floatingLiteral(written: string): string {
  if (written === 'Infinity') return 'INF'
  if (written === '-Infinity') return '-INF'
  return written
}

function urlSafe(bytes: Uint8Array): string {
  return bytesToBase64(bytes).replaceAll('+', '-').replaceAll('/', '_').replace(/=+$/, '')
}

import { dayExists, offset } from '../calendar.js'
import { base64, decimalText, int64Text, type SimpleJson } from '../json/values.js'
import { edm, floating, readBytes, textLike, type Edm } from './edm.js'

export { boolean, byte, int16, int32, sbyte, string, untyped } from './edm.js'

/**
 * The primitive types as OData 2 writes them: in JSON (OData V2, JSON Format, section 4), and in
 * addresses (OData V2, Overview, section 6, Abstract Type System).
 */

const iso = '\\d{4}-\\d\\d-\\d\\dT(?:[01]\\d|2[0-3]):[0-5]\\d(?::[0-5]\\d(?:\\.\\d{1,3})?)?'

export const int64: Edm<bigint> = /* @__PURE__ */ edm(
  int64Text,
  'number',
  (written) => `${written}L`,
)
export const decimal: Edm<string> = /* @__PURE__ */ edm(
  decimalText,
  'number',
  (written) => `${written}M`,
)
export const double: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ floating((written) => written),
  'number',
  (written) => suffixed(written, 'd'),
)
export const single: Edm<number> = /* @__PURE__ */ edm(
  /* @__PURE__ */ floating((written) => written),
  'number',
  (written) => suffixed(written, 'f'),
)
/** A date and time without a zone. */
export const dateTime: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ ticks(
    'a date and time without offset, like 2026-11-23T14:30:00',
    new RegExp(`^${iso}$`),
  ),
  'dateTime',
  (written) => `datetime'${written}'`,
)
export const dateTimeOffset: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ ticks(
    'a date and time with its offset, like 2026-11-23T14:30:00Z',
    new RegExp(`^${iso}(?:Z|${offset})$`),
  ),
  'dateTime',
  (written) => `datetimeoffset'${written}'`,
)
/** A time of day, written as the time since midnight. */
export const time: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike(
    'a time of day like PT14H30M',
    /^PT(?=.)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?$/,
  ),
  'time',
  (written) => `time'${written}'`,
)
export const guid: Edm<string> = /* @__PURE__ */ edm(
  /* @__PURE__ */ textLike(
    'a GUID like 01234567-89ab-cdef-0123-456789abcdef',
    /^[\da-f]{8}-(?:[\da-f]{4}-){3}[\da-f]{12}$/i,
  ),
  'other',
  (written) => `guid'${written}'`,
)
export const binary: Edm<Uint8Array> = {
  simple: base64.simple,
  term: 'other',
  check: base64.check,
  read: readBytes,
  write: base64.write,
  literal: (value) =>
    `X'${Array.from(value, (each) => each.toString(16).padStart(2, '0'))
      .join('')
      .toUpperCase()}'`,
}

function suffixed(written: string, suffix: string): string {
  if (Number.isFinite(Number(written))) return written + suffix
  if (written === 'NaN') return 'NaN'
  return written.replace('Infinity', 'INF')
}

/**
 * Milliseconds since 1970 in JSON, `/Date(1795444200000)/`, with the offset's minutes after a sign
 * where there is one; ISO text for callers.
 */
function ticks(simple: string, form: RegExp): SimpleJson<string> {
  return {
    simple,
    check: (value) => typeof value === 'string' && form.test(value) && dayExists(value),
    read(json) {
      if (typeof json !== 'string') return undefined
      const [, milliseconds, behind] = /^\/Date\((-?\d+)([+-]\d+)?\)\/$/.exec(json) ?? []
      // Services that speak a later JSON write ISO text.
      if (milliseconds === undefined) return Number.isNaN(Date.parse(json)) ? undefined : json
      const minutes = Number(behind ?? 0)
      const local = new Date(Number(milliseconds) + minutes * 60_000)
      if (Number.isNaN(local.getTime())) return undefined
      const written = local.toISOString().replace(/\.000Z$|Z$/, '')
      if (!form.test(`${written}Z`)) return written
      return `${written}${minutes === 0 ? 'Z' : offsetText(minutes)}`
    },
    write(value) {
      const zone = /(?:Z|([+-])(\d\d):(\d\d))$/.exec(value)
      const milliseconds = Date.parse(zone === null ? `${value}Z` : value)
      const minutes =
        zone?.[1] === undefined
          ? ''
          : `${zone[1]}${String(Number(zone[2]) * 60 + Number(zone[3])).padStart(4, '0')}`
      return `/Date(${String(milliseconds)}${minutes})/`
    },
  }
}

function offsetText(minutes: number): string {
  const part = (count: number): string => String(count).padStart(2, '0')
  const size = Math.abs(minutes)
  return `${minutes < 0 ? '-' : '+'}${part(Math.floor(size / 60))}:${part(size % 60)}`
}

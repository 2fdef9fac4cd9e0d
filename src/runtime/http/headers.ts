import type { Deviation } from '../failures.js'
import { parseJson } from '../json/parse-json.js'
import { RawNumber } from '../json/values.js'
import { fromJson } from './json.js'
import type { AnyJsonMember } from './json-codec.js'

/** A header that an answer is promised to have. */
export interface Header extends AnyJsonMember {
  readonly explode?: boolean
  readonly json?: boolean
}

/** The headers of an answer, by the names that the contract gives them, and what reads them. */
export interface HeaderReader {
  readonly of: Readonly<Record<string, Header>>
  read(
    reader: HeaderReader,
    headers: Readonly<Record<string, string>>,
    onDeviation: (deviation: Deviation) => void,
  ): Record<string, unknown>
}

/**
 * Headers as the contract has them (OpenAPI 3.1, section 4.8.21; style `simple`). What can't be
 * read stays a text, with a deviation.
 */
export function readHeaders(
  { of }: HeaderReader,
  headers: Readonly<Record<string, string>>,
  onDeviation: (deviation: Deviation) => void,
): Record<string, unknown> {
  const read: Record<string, unknown> = {}
  for (const [name, header] of Object.entries(of)) {
    const text = headers[name.toLowerCase()]
    if (text === undefined) {
      if (header.optional !== true) onDeviation({ path: `headers.${name}`, message: 'is missing' })
      continue
    }
    read[name] = decoded(header, text, `headers.${name}`, onDeviation)
  }
  return read
}

function decoded(
  header: Header,
  text: string,
  path: string,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  const candidates =
    header.json === true
      ? [() => parseJson(text)]
      : [
          () => text,
          () => scalar(text),
          () => split(text).map(scalar),
          () => split(text),
          () => members(text, header.explode === true),
        ]
  let least: { value: unknown; deviations: Deviation[] } | undefined
  for (const candidate of candidates) {
    const deviations: Deviation[] = []
    try {
      const value = fromJson(header.is, candidate(), path, (deviation) =>
        deviations.push(deviation),
      )
      if (least === undefined || deviations.length < least.deviations.length)
        least = { value, deviations }
      if (deviations.length === 0) break
    } catch {
      // The next reading may fit.
    }
  }
  if (least === undefined)
    onDeviation({ path, message: `is not what the contract promised: "${text.slice(0, 60)}"` })
  else least.deviations.forEach(onDeviation)
  return least === undefined ? text : least.value
}

function split(text: string): string[] {
  return text === '' ? [] : text.split(',').map((each) => each.trim())
}

function scalar(text: string): unknown {
  if (/^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text)) return new RawNumber(text)
  if (text === 'true') return true
  if (text === 'false') return false
  return text
}

function members(text: string, explode: boolean): Record<string, unknown> {
  const parts = split(text)
  const pairs = explode
    ? parts.map((part) => part.split('=') as [string, string])
    : parts.flatMap((part, at) => (at % 2 === 0 ? [[part, parts[at + 1] ?? ''] as const] : []))
  return Object.fromEntries(pairs.map(([name, value]) => [name, scalar(value ?? '')]))
}

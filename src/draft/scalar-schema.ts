import { present } from '../contract/present.js'
import { isKindOfThing } from './personal.js'
import type { SeenNumbers } from './seen-numbers.js'
import type { SeenTexts, TextForm } from './seen-texts.js'

/** What a value is drafted as, and why. */
export interface Decision {
  /** Keywords of JSON Schema 2020-12, with the formats of the OpenAPI registry. */
  readonly keywords: Readonly<Record<string, unknown>>
  /** In few words. */
  readonly because: string
  /** It could well be something else: what else it could be. */
  readonly doubt?: readonly Readonly<Record<string, unknown>>[]
}

/**
 * What numbers are drafted as: never something that loses a digit.
 *
 * @param seen at least one
 */
export function numberSchema(seen: SeenNumbers): Decision {
  if (seen.exponents > 0)
    return decided({ type: 'number', format: 'double' }, 'written with exponents')
  if (seen.fractions > 0)
    return decided({ type: 'number', format: 'decimal' }, 'fractions: every digit counts')
  if (seen.areSafe) return decided({ type: 'integer' }, 'whole numbers')
  if (seen.fit64) return decided({ type: 'integer', format: 'int64' }, 'whole numbers beyond 2^53')
  return decided({ type: 'number', format: 'decimal' }, 'whole numbers beyond 64 bits')
}

/** Forms of texts that a format says, the surest first. */
const formats: readonly (readonly [TextForm, Readonly<Record<string, string>>, string])[] = [
  ['uuid', { format: 'uuid' }, 'UUIDs'],
  ['date', { format: 'date' }, 'dates'],
  ['dateTime', { format: 'date-time' }, 'moments with their zone'],
  ['localDateTime', { format: 'date-time-local' }, 'moments without a zone'],
  ['time', { format: 'time' }, 'times with their zone'],
  ['duration', { format: 'duration' }, 'durations'],
  ['address', { format: 'uri' }, 'addresses'],
  ['mail', { format: 'email' }, 'mail addresses'],
  ['ipv4', { format: 'ipv4' }, 'addresses of IP'],
  ['base64', { contentEncoding: 'base64' }, 'bytes in base64'],
]

/** An enumeration needs so many texts, each of so many seen so often. */
const leastForEnumeration = 8
const mostEnumerated = 10
const longestEnumerated = 30

/**
 * What texts are drafted as.
 *
 * @param name the member that they stand in, by which names of persons are known
 */
export function textSchema(seen: SeenTexts, name: string): Decision {
  if (seen.count === 0) return decided({ type: 'string' }, 'masked where it was recorded')
  const found = formats.find(([form]) => seen.all(form))
  if (found !== undefined) {
    const [, keywords, what] = found
    // One text of base64 may be a word that happens to look so.
    if (keywords['contentEncoding'] !== undefined && seen.count < 2)
      return decided({ type: 'string' }, 'base64, perhaps', [{ type: 'string', ...keywords }])
    return decided({ type: 'string', ...keywords }, what)
  }
  if (seen.all('truth'))
    return decided({ type: 'string', enum: ['true', 'false'] }, 'truth values, written as texts')
  if (seen.all('wholeOrDecimal') && seen.any('decimal'))
    return decided({ type: 'string', format: 'decimal' }, 'amounts, written as texts')
  if (seen.all('digits'))
    return decided(
      { type: 'string' },
      seen.any('leadingZero') ? 'digits with leading zeros' : 'digits, written as texts',
      seen.any('leadingZero') ? undefined : [{ type: 'string', format: 'int64' }],
    )
  const almost = formats.find(
    ([form]) => seen.empty > 0 && (seen.having.get(form) ?? 0) === seen.count - seen.empty,
  )
  if (almost !== undefined && seen.count > seen.empty)
    return decided({ type: 'string' }, `${almost[2]}, but for ${seen.empty} that were empty`)
  return enumeration(seen, name) ?? decided({ type: 'string' }, wordsFor(seen))
}

function enumeration(seen: SeenTexts, name: string): Decision | undefined {
  const values = [...(seen.told ?? [])]
  const isFit =
    seen.count >= leastForEnumeration &&
    values.length >= 2 &&
    values.length <= mostEnumerated &&
    seen.count >= 3 * values.length &&
    seen.all('word') &&
    seen.longest <= longestEnumerated &&
    values.every(([value, times]) => times >= 2 && isKindOfThing(name, value))
  if (!isFit) return undefined
  return decided(
    { type: 'string', enum: values.map(([value]) => value).sort() },
    `${values.length} values in ${seen.count} texts`,
    [{ type: 'string' }],
  )
}

function wordsFor(seen: SeenTexts): string {
  if (seen.empty === seen.count) return 'always empty so far'
  const different = seen.told?.size
  if (different === undefined) return 'many different texts'
  if (different === 1) return seen.count > 2 ? 'always the same so far' : 'a text'
  return `${different} different texts`
}

function decided(
  keywords: Decision['keywords'],
  because: string,
  doubt?: Decision['doubt'],
): Decision {
  return { keywords, because, ...present({ doubt }) }
}

/**
 * What texts are drafted as that stand where everything is text: in addresses, headers, forms.
 *
 * @param seen at least one
 */
export function wireTextSchema(seen: SeenTexts, name: string): Decision {
  if (seen.all('truth')) return decided({ type: 'boolean' }, 'truth values')
  if (seen.all('digits') && !seen.any('leadingZero'))
    return seen.longest <= 15
      ? decided({ type: 'integer' }, 'whole numbers')
      : decided({ type: 'string' }, 'digits, more than a number holds', [
          { type: 'integer', format: 'int64' },
        ])
  if (seen.all('wholeOrDecimal') && seen.any('decimal'))
    return decided({ type: 'number', format: 'decimal' }, 'fractions: every digit counts')
  return textSchema(seen, name)
}

import { setOwn } from '../plain.js'
import { isHeldExactly, RawNumber } from './values.js'

/** Is there anything in a text that JavaScript might round as a number: sixteen digits in a row? */
export function hasManyDigits(text: string): boolean {
  // Where there are not even eight, which most texts have not, it is seen sooner.
  return /\d{8}/.test(text) && /\d(?:\.?\d){15}/.test(text)
}

/**
 * Parses JSON; numbers that JavaScript would round are `RawNumber`, wherever they stand.
 *
 * @throws SyntaxError when it is no JSON
 */
export function parseJson(text: string): unknown {
  return hasManyDigits(text) ? parseKeeping(text, isRounded) : JSON.parse(text)
}

function isRounded(digits: string): boolean {
  return !isHeldExactly(digits)
}

/**
 * Parses JSON with the platform's parser; numbers whose digits are to be kept are `RawNumber`.
 *
 * @param isKept is asked of numbers with a fraction, an exponent, or many digits
 * @throws SyntaxError when it is no JSON
 */
export function parseKeeping(text: string, isKept: (digits: string) => boolean): unknown {
  // Such numbers become texts of their own kind, which nobody can foresee.
  const mark = `\u0001${Math.random().toString(36).slice(2)}:`
  const marked = withMarks(text, `\\u0001${mark.slice(1)}`, isKept)
  if (marked === text) return JSON.parse(text)
  try {
    return withRawNumbers(JSON.parse(marked), mark)
  } catch (error) {
    if (!(error instanceof SyntaxError)) throw error
    // The place in its message is to be one of the text.
    return JSON.parse(text)
  }
}

/** Codes of characters: a quote, a backslash, a sign, the digits, and what else numbers have. */
const [quote, escape, minus, zero, nine] = [34, 92, 45, 48, 57]
const behindDigits: readonly number[] = [46, 69, 101, 43, 45]

/** So many digits a number of JavaScript may not hold. */
const many = 16

/**
 * A number as JSON has it (RFC 8259, section 6): anything else is left for the parser to refuse.
 */
const number = /^-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?$/

/** JSON whose numbers are texts with a mark, where they are to be kept. */
function withMarks(json: string, mark: string, isKept: (digits: string) => boolean): string {
  const pieces: string[] = []
  let from = 0
  for (let at = 0; at < json.length; at += 1) {
    const code = json.charCodeAt(at)
    if (code === quote) at = endOfText(json, at)
    else if ((code >= zero && code <= nine) || code === minus) {
      let isWhole = true
      let end = at + 1
      for (; end < json.length; end += 1) {
        const next = json.charCodeAt(end)
        if (next >= zero && next <= nine) continue
        if (!behindDigits.includes(next)) break
        isWhole = false
      }
      const digits = isWhole && end - at < many ? undefined : json.slice(at, end)
      if (digits !== undefined && number.test(digits) && isKept(digits)) {
        pieces.push(json.slice(from, at), `"${mark}${digits}"`)
        from = end
      }
      at = end - 1
    }
  }
  return from === 0 ? json : pieces.join('') + json.slice(from)
}

/** The closing quote of a text that begins at a place; the end where there is none. */
function endOfText(json: string, start: number): number {
  let close = json.indexOf('"', start + 1)
  while (close !== -1 && isEscaped(json, close)) close = json.indexOf('"', close + 1)
  return close === -1 ? json.length : close
}

function isEscaped(json: string, at: number): boolean {
  let first = at
  while (json.charCodeAt(first - 1) === escape) first -= 1
  return (at - first) % 2 === 1
}

/** Parsed JSON with numbers in the place of their marks: the value itself, changed. */
function withRawNumbers(value: unknown, mark: string): unknown {
  if (typeof value === 'string')
    return value.startsWith(mark) ? new RawNumber(value.slice(mark.length)) : value
  if (typeof value !== 'object' || value === null) return value
  const members = value as Record<string, unknown>
  for (const name of Object.keys(members)) {
    const member = members[name]
    if (typeof member !== 'string' && typeof member !== 'object') continue
    const raw = withRawNumbers(member, mark)
    if (raw === member) continue
    setOwn(members, name, raw)
  }
  return members
}

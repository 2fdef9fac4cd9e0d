import { parse } from 'lossless-json'
import { RawNumber } from './values.js'

/**
 * A number that JavaScript may round: with many digits, a fraction, or an exponent. Inside of texts
 * it does no harm to find one.
 */
const mayBeRounded = /(?:^|[:,[])\s*-?(?:\d{16}|\d+[.eE])/

/**
 * Parses JSON without rounding numbers, for contracts whose JSON carries 64-bit integers or exact
 * decimals as bare numbers.
 */
export function exactJson(text: string): unknown {
  if (!mayBeRounded.test(text)) return JSON.parse(text)
  return parse(text, null, (digits) => new RawNumber(digits))
}

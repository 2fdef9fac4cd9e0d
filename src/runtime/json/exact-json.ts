import { parse } from 'lossless-json'
import { RawNumber } from './values.js'

/** Parses JSON without rounding numbers, for contracts whose JSON carries 64-bit integers or exact decimals as bare numbers. */
export function exactJson(text: string): unknown {
  return parse(text, null, (digits) => new RawNumber(digits))
}

import { parseKeeping } from './parse-json.js'

/**
 * Parses JSON without rounding numbers, for contracts whose JSON carries 64-bit integers or exact
 * decimals as bare numbers.
 *
 * @throws SyntaxError when it is no JSON
 */
export function exactJson(text: string): unknown {
  return parseKeeping(text, () => true)
}

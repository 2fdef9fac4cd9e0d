import { isHeldExactly, RawNumber } from './values.js'

/** So many digits a number of JavaScript may not hold. */
const manyDigits = /\d(?:\.?\d){15}/
const numbers = /-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?/g

/** Is there anything in a text that JavaScript might round as a number? */
export function hasManyDigits(text: string): boolean {
  return manyDigits.test(text)
}

/**
 * Parses JSON; numbers that JavaScript would round are `RawNumber`, wherever they stand.
 *
 * @throws SyntaxError when it is no JSON
 */
export function parseJson(text: string): unknown {
  const json: unknown = JSON.parse(text)
  if (!hasManyDigits(text)) return json
  // Outside of texts such numbers become texts of their own kind, which nobody can foresee.
  const mark = `${Math.random().toString(36).slice(2)}:`
  const marked = outsideTexts(text, (piece) =>
    piece.replace(numbers, (digits) => (isHeldExactly(digits) ? digits : `"${mark}${digits}"`)),
  )
  return JSON.parse(marked, (_, value: unknown) =>
    typeof value === 'string' && value.startsWith(mark)
      ? new RawNumber(value.slice(mark.length))
      : value,
  )
}

/** JSON whose pieces between its texts are changed. */
function outsideTexts(json: string, change: (piece: string) => string): string {
  const pieces: string[] = []
  for (let at = 0; at < json.length;) {
    const quote = json.indexOf('"', at)
    const start = quote === -1 ? json.length : quote
    const end = endOfText(json, start)
    pieces.push(change(json.slice(at, start)), json.slice(start, end))
    at = end
  }
  return pieces.join('')
}

/** Behind the closing quote of a text that begins at a place. */
function endOfText(json: string, start: number): number {
  let close = json.indexOf('"', start + 1)
  while (close !== -1 && isEscaped(json, close)) close = json.indexOf('"', close + 1)
  return close === -1 ? json.length : close + 1
}

function isEscaped(json: string, at: number): boolean {
  let first = at
  while (json[first - 1] === '\\') first -= 1
  return (at - first) % 2 === 1
}

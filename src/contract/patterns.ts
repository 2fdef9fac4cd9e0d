const expressions = new Map<string, RegExp>()

/**
 * A pattern as ECMAScript reads it: with the `u` flag, unless it was written without thought of
 * that (`[\w-.]`).
 */
export function expression(pattern: string): RegExp {
  let made = expressions.get(pattern)
  if (made === undefined) {
    try {
      made = new RegExp(pattern, 'u')
    } catch {
      made = new RegExp(pattern)
    }
    expressions.set(pattern, made)
  }
  return made
}

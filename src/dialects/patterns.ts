import { endsInTime } from '../contract/pattern-safety.js'

/** Can a pattern be checked by ECMAScript as it stands, and in good time whatever the text? */
export function isPattern(pattern: string): boolean {
  return compiles(pattern, 'u') && endsInTime(pattern)
}

/**
 * Is it a pattern of ECMAScript at all, and one that can be checked in good time? Many are written
 * without thought of the `u` flag, which forbids `[\w-.]`; but without it the properties of other
 * languages (`\p{XDigit}`) would be read as their letters, which nobody means.
 */
export function isLoosePattern(pattern: string): boolean {
  const isLoose = !/\\p\{/i.test(pattern) && compiles(pattern, '')
  return (compiles(pattern, 'u') || isLoose) && endsInTime(pattern)
}

function compiles(pattern: string, flags: string): boolean {
  try {
    new RegExp(pattern, flags)
    return true
  } catch {
    return false
  }
}

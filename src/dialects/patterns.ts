import { endsInTime } from '../contract/pattern-safety.js'

/** Can a pattern be checked by ECMAScript as it stands, and in good time whatever the text? */
export function isPattern(pattern: string): boolean {
  return compiles(pattern, 'u') && endsInTime(pattern)
}

/**
 * Is it a pattern of ECMAScript at all, and one that can be checked in good time? Many are written
 * without thought of the `u` flag, which forbids `[\w-.]`.
 */
export function isLoosePattern(pattern: string): boolean {
  return (compiles(pattern, 'u') || compiles(pattern, '')) && endsInTime(pattern)
}

function compiles(pattern: string, flags: string): boolean {
  try {
    new RegExp(pattern, flags)
    return true
  } catch {
    return false
  }
}

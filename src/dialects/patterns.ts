/** Can a pattern be checked by ECMAScript as it stands? */
export function isPattern(pattern: string): boolean {
  try {
    new RegExp(pattern, 'u')
    return true
  } catch {
    return false
  }
}

/** Is it a pattern of ECMAScript at all? Many are written without thought of the `u` flag, which forbids `[\w-.]`. */
export function isLoosePattern(pattern: string): boolean {
  if (isPattern(pattern)) return true
  try {
    new RegExp(pattern)
    return true
  } catch {
    return false
  }
}

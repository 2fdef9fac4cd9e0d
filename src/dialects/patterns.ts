/** Can a pattern be checked by ECMAScript as it stands? */
export function isPattern(pattern: string): boolean {
  try {
    new RegExp(pattern, 'u')
    return true
  } catch {
    return false
  }
}

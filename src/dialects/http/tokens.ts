/**
 * Can HTTP have a method, header or cookie of this name: is it a token (RFC 9110, section 5.6.2)?
 */
export function isToken(text: string): boolean {
  return /^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/.test(text)
}

/** A value as plain JSON can carry it. */
export type Plain =
  null | boolean | number | string | readonly Plain[] | { readonly [name: string]: Plain }

/**
 * Turns any value of the client into plain JSON: `bigint` to its digits, bytes to base64, members
 * that are undefined left out, and numbers that JSON lacks (`NaN`, infinities) to their names.
 */
export function toPlain(value: unknown): Plain {
  if (value === null || value === undefined) return null
  switch (typeof value) {
    case 'boolean':
    case 'string':
      return value
    case 'number':
      if (Number.isFinite(value)) return value
      if (Number.isNaN(value)) return 'NaN'
      if (value > 0) return 'INF'
      return '-INF'

    case 'bigint':
      return String(value)
    case 'object':
      break
    default:
      throw new TypeError(`a ${typeof value} has no plain form`)
  }
  if (value instanceof Uint8Array) return bytesToBase64(value)
  if (value instanceof Date) return value.toISOString()
  if (Array.isArray(value)) return value.map(toPlain)
  const plain: Record<string, Plain> = {}
  for (const [name, member] of Object.entries(value)) {
    if (member === undefined) continue
    setOwn(plain, name, toPlain(member))
  }
  return plain
}

/** Bytes as base64 text (RFC 4648, section 4). */
export function bytesToBase64(bytes: Uint8Array): string {
  return btoa(binaryText(bytes))
}

/** Bytes as a text whose characters have their values. */
export function binaryText(bytes: Uint8Array): string {
  const pieces: string[] = []
  // In pieces, because a call can take only so many arguments.
  for (let at = 0; at < bytes.length; at += 0x8000)
    pieces.push(String.fromCharCode(...bytes.subarray(at, at + 0x8000)))
  return pieces.join('')
}

/**
 * Bytes from base64 text; white space is allowed.
 *
 * @throws Error when it is not base64
 */
export function base64ToBytes(text: string): Uint8Array {
  const packed = text.replace(/\s+/g, '')
  if (packed.length % 4 !== 0 || !/^[A-Za-z0-9+/]*={0,2}$/.test(packed))
    throw new Error('not base64')
  const binary = atob(packed)
  const bytes = new Uint8Array(binary.length)
  for (let at = 0; at < binary.length; at += 1) bytes[at] = binary.charCodeAt(at)
  return bytes
}

/** Pieces of bytes as one. */
export function joinBytes(pieces: readonly Uint8Array[]): Uint8Array {
  const all = new Uint8Array(pieces.reduce((size, piece) => size + piece.length, 0))
  let at = 0
  for (const piece of pieces) {
    all.set(piece, at)
    at += piece.length
  }
  return all
}

/**
 * Sets a member of an object's own, whatever it is called. Defining one takes much longer than
 * setting it, and is needed for one name only.
 */
export function setOwn<Value>(target: Record<string, Value>, name: string, value: Value): void {
  if (name !== '__proto__') target[name] = value
  else
    Object.defineProperty(target, name, {
      value,
      enumerable: true,
      writable: true,
      configurable: true,
    })
}

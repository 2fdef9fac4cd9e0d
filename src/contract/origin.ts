import type { Origin } from './contract.js'

/** So many characters has no document. */
const most = 2 ** 32

/**
 * Where something was declared, as one number.
 *
 * @param document the place of its document among those of its contract, from 0
 * @param offset of its first character there, in UTF-16 units
 */
export function originAt(document: number, offset: number): Origin {
  return document * most + offset
}

/** The place of a document among those of its contract, and the offset there. */
export function partsOfOrigin(origin: Origin): { document: number; offset: number } {
  return { document: Math.floor(origin / most), offset: origin % most }
}

/**
 * Texts in an order that is the same everywhere: by code units, not by the alphabet of a language.
 *
 * @returns below 0 where `a` stands first, above 0 where `b` does, 0 where they are the same
 */
export function compareTexts(a: string, b: string): number {
  if (a === b) return 0
  return a < b ? -1 : 1
}

/** A record with its members in the order of their names. */
export function inNameOrder<T>(record: Readonly<Record<string, T>>): Record<string, T> {
  return Object.fromEntries(byName(Object.entries(record)))
}

/** Pairs of a name and something else, in the order of the names. */
export function byName<T>(pairs: Iterable<readonly [string, T]>): (readonly [string, T])[] {
  return [...pairs].sort(([a], [b]) => compareTexts(a, b))
}

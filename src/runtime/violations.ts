/** How it is told what is wrong with a value: the same words in every dialect. */

/** The place of a member: `berth.code`. */
export function join(path: string, name: string): string {
  return path === '' ? name : `${path}.${name}`
}

/** What a value is, in a few words: never all of a long text. */
export function show(value: unknown): string {
  if (typeof value === 'string')
    return value.length > 60 ? `"${value.slice(0, 60)}…"` : `"${value}"`
  if (value === undefined) return 'nothing'
  if (Array.isArray(value)) return `a list of ${String(value.length)}`
  if (value instanceof Uint8Array) return `${String(value.length)} bytes`
  return typeof value === 'object' && value !== null ? 'an object' : String(value)
}

/** Another kind of value than is expected. */
export function expected(what: string, value: unknown): string {
  return `expected ${what}, got ${show(value)}`
}

/**
 * A number of things that is not within its bounds. @param unit what they are, with a blank before
 */
export function brokenCount(
  count: number,
  least: number | undefined,
  most: number | undefined,
  unit = '',
): string | undefined {
  if (least !== undefined && count < least)
    return `must have at least ${String(least)}${unit}, has ${String(count)}`
  return most !== undefined && count > most
    ? `must have at most ${String(most)}${unit}, has ${String(count)}`
    : undefined
}

/** A member that nobody knows, with the nearest one that is known. */
export function unknownName(name: string, names: readonly string[]): string {
  const folded = name.toLowerCase()
  const near =
    names.find((each) => each.toLowerCase() === folded) ??
    names.find(
      (each) =>
        each.length > 2 &&
        (each.toLowerCase().startsWith(folded.slice(0, 3)) || folded.includes(each.toLowerCase())),
    )
  if (near !== undefined) return `is not known here; is "${near}" meant?`
  const others = names.filter((each) => !each.startsWith('$'))
  return `is not known here; there are ${others.join(', ') || 'no members'}`
}

import type { StartTag } from './start-tag.js'

/**
 * Arrays of several dimensions, and arrays of which a part travels, in SOAP's own encoding (SOAP
 * 1.1, section 5.4.2; SOAP 1.2 part 2, section 3.1.6): the items of all dimensions one after the
 * other, the last dimension fastest.
 */

/** An array as it travels: how many there are in each dimension, and all items. */
export interface FlatArray {
  readonly sizes: readonly number[]
  readonly items: readonly unknown[]
}

/** The items of lists of lists, as they travel. */
export function flattened(value: readonly unknown[], dimensions: number): FlatArray {
  if (dimensions <= 1) return { sizes: [value.length], items: value }
  const rows = value.map((row) => flattened(row as readonly unknown[], dimensions - 1))
  const inner = rows[0]?.sizes ?? new Array<number>(dimensions - 1).fill(0)
  return { sizes: [value.length, ...inner], items: rows.flatMap(({ items }) => items) }
}

/** Lists of lists out of items that travelled; a missing one is null. */
export function shaped(
  items: readonly unknown[],
  [size = 0, ...inner]: readonly number[],
): unknown[] {
  if (inner.length === 0) return Array.from({ length: size }, (_, at) => items[at] ?? null)
  const each = inner.reduce((product, next) => product * next, 1)
  return Array.from({ length: size }, (_, at) =>
    shaped(items.slice(at * each, (at + 1) * each), inner),
  )
}

/** Is every row as long as the others, in all dimensions? */
export function isEven(value: readonly unknown[], dimensions: number): boolean {
  if (dimensions <= 1) return true
  const rows = value as readonly (readonly unknown[])[]
  const sizes = rows.map((row) => (Array.isArray(row) ? flattened(row, dimensions - 1).sizes : []))
  return (
    sizes.every((each) => each.join() === sizes[0]?.join()) &&
    rows.every((row) => !Array.isArray(row) || isEven(row, dimensions - 1))
  )
}

/** How many items an array says that it has in each dimension, where it says so. */
export function saidSizes({ attributes }: StartTag): readonly number[] | undefined {
  const said = (name: string): string | undefined =>
    Object.values(attributes).find(({ local }) => local === name)?.value
  const sizes =
    /\[([\d,\s]+)\]\s*$/.exec(said('arrayType') ?? '')?.[1]?.split(',') ??
    said('arraySize')?.trim().split(/\s+/)
  return sizes?.every((each) => /^\s*\d+\s*$/.test(each)) === true ? sizes.map(Number) : undefined
}

/**
 * Where an item stands among all, where it says so (`position`), or where the first one does
 * (`offset`).
 */
export function saidPlace(
  { attributes }: StartTag,
  name: 'position' | 'offset',
  sizes: readonly number[] = [],
): number | undefined {
  const written = Object.values(attributes).find(({ local }) => local === name)?.value
  const steps = /^\s*\[([\d,\s]+)\]\s*$/
    .exec(written ?? '')?.[1]
    ?.split(',')
    .map(Number)
  return steps?.reduce((place, step, at) => place * (sizes[at] ?? 1) + step, 0)
}

import { present } from '../contract/present.js'
import { addAll } from '../contract/lists.js'
import { isPlainObject } from '../contract/plain.js'
import { cell, rowsOf } from './tabulate.js'

/** Something that is different between two answers. */
export interface Difference {
  /** The row, by its key or its position; `''` where it is about the answer itself. */
  readonly row: string
  readonly kind: 'added' | 'gone' | 'changed'
  /** The field in which they differ, as a path. */
  readonly field?: string
  readonly before?: unknown
  readonly after?: unknown
}

/**
 * What is different between two answers in plain form. Rows are matched by their key: the fields
 * named in `keys`, else a field that is different in every row of both, else by their position.
 */
export function differences(
  before: unknown,
  after: unknown,
  keys: readonly string[] = [],
): Difference[] {
  const [old, now] = [rowsOf(before), rowsOf(after)]
  if (old.rows === undefined || now.rows === undefined) return fieldDifferences('', before, after)
  const found: Difference[] = []
  if (!Array.isArray(before) || !Array.isArray(after))
    addAll(found, fieldDifferences('', old.replaced([]), now.replaced([])))
  const names = rowNames(old.rows, now.rows, keys)
  const named = (rows: readonly unknown[], all: readonly string[]): Map<string, unknown> =>
    new Map(rows.map((row, at) => [all[at] ?? '', row]))
  const [olds, nows] = [named(old.rows, names.before), named(now.rows, names.after)]
  for (const [name, row] of olds) {
    if (nows.has(name)) addAll(found, fieldDifferences(name, row, nows.get(name)))
    else found.push({ row: name, kind: 'gone', before: row })
  }
  for (const [name, row] of nows)
    if (!olds.has(name)) found.push({ row: name, kind: 'added', after: row })
  return found
}

/**
 * What the rows of two lists are called in their differences: by their key, or by their position
 * where they have none.
 */
export function rowNames(
  before: readonly unknown[],
  after: readonly unknown[],
  keys: readonly string[] = [],
): { readonly before: string[]; readonly after: string[] } {
  const key = keyOf([...before], [...after], keys)
  const names = (rows: readonly unknown[]): string[] =>
    rows.map((row, at) =>
      key === undefined
        ? `row ${at + 1}`
        : key.map((name) => `${name} ${cell((row as Record<string, unknown>)[name])}`).join(', '),
    )
  return { before: names(before), after: names(after) }
}

/** The fields by which rows are told apart; undefined where there are none. */
function keyOf(
  before: readonly unknown[],
  after: readonly unknown[],
  keys: readonly string[],
): readonly string[] | undefined {
  const all = [before, after]
  if (!all.every((rows) => rows.every(isPlainObject))) return undefined
  const isKey = (names: readonly string[]): boolean =>
    names.length > 0 &&
    all.every(
      (rows) =>
        new Set(
          rows.map((row) =>
            JSON.stringify(names.map((name) => (row as Record<string, unknown>)[name] ?? null)),
          ),
        ).size === rows.length &&
        rows.every((row) =>
          names.every((name) => (row as Record<string, unknown>)[name] !== undefined),
        ),
    )
  if (isKey(keys)) return keys
  const [first] = [...after, ...before] as Record<string, unknown>[]
  const candidates = Object.keys(first ?? {}).filter((name) =>
    ['string', 'number'].includes(typeof first?.[name]),
  )
  // What is called like a key is tried first.
  const likely = (name: string): number => {
    if (/^(?:id|key|number|no|code)$/i.test(name)) return 0
    if (/(?:id|key|number|code)$/i.test(name)) return 1
    return 2
  }
  const best = candidates.sort((a, b) => likely(a) - likely(b)).find((name) => isKey([name]))
  return best === undefined ? undefined : [best]
}

function fieldDifferences(row: string, before: unknown, after: unknown, field = ''): Difference[] {
  if (JSON.stringify(before) === JSON.stringify(after)) return []
  const inside = (name: string): string => (field === '' ? name : `${field}.${name}`)
  if (isPlainObject(before) && isPlainObject(after)) {
    return [...new Set([...Object.keys(before), ...Object.keys(after)])].flatMap((name) =>
      fieldDifferences(row, before[name], after[name], inside(name)),
    )
  }
  const still = after === undefined ? 'gone' : 'changed'
  return [
    {
      row,
      kind: before === undefined ? 'added' : still,
      ...(field === '' ? {} : { field }),
      ...present({ before, after }),
    },
  ]
}

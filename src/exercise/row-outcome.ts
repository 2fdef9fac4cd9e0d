import { special } from '../contract/special-members.js'
import { isPlainObject } from '../contract/plain.js'
import { cell, at, parseColumns, type Column } from './tabulate.js'

/** What came of the call for one row of a file. */
export interface RowOutcome {
  /** The row's number in its file, from 1. */
  readonly row: number
  /** A digest of what the row said, by which it is known when the file changes. */
  readonly content?: string
  readonly ok: boolean
  readonly status?: number
  /** The answer, or what was picked from it, in plain form. */
  readonly value?: unknown
  readonly failure?: {
    readonly kind: string
    readonly code: string
    readonly message: string
    readonly details?: readonly string[]
  }
  readonly deviations?: number
  readonly milliseconds: number
}

/** An outcome as records with the row's number: one, or one for each item of a list. */
export function recordsOf({ row, ok, value, failure }: RowOutcome): Record<string, unknown>[] {
  if (!ok)
    return [
      {
        row,
        failed: `${failure?.code ?? ''} ${[failure?.message, ...(failure?.details ?? [])].join(' ')}`,
      },
    ]
  if (Array.isArray(value))
    return value.length === 0 ? [{ row }] : value.map((item) => ({ row, ...recordOf(item) }))
  return [{ row, ...(value === undefined || value === null ? {} : recordOf(value)) }]
}

function recordOf(value: unknown): Record<string, unknown> {
  return isPlainObject(value)
    ? Object.fromEntries(Object.entries(value).filter(([name]) => name !== special.etag))
    : { value }
}

/**
 * The columns of a table of outcomes: the row's number, what was asked for or all there is, and why
 * a row failed where one did.
 *
 * @param names the members that any of the records has
 * @param columns as they were written, or undefined for all
 */
export function outcomeColumns(names: ReadonlySet<string>, columns: string | undefined): Column[] {
  const plain = (name: string): Column => ({ path: [name], heading: name })
  const inner = [...names].filter((name) => name !== 'row' && name !== 'failed')
  const chosen = (wanted: string): Column[] =>
    inner.length === 0
      ? []
      : parseColumns(wanted, [Object.fromEntries(inner.map((name) => [name, null]))], inner)
  const asked = columns === undefined ? inner.map(plain) : chosen(columns)
  return [plain('row'), ...asked, ...(names.has('failed') ? [plain('failed')] : [])]
}

/** A record as the cells of those columns. */
export function outcomeCells(
  record: Readonly<Record<string, unknown>>,
  columns: readonly Column[],
): string[] {
  return columns.map(({ path }) => cell(at(record, path)))
}

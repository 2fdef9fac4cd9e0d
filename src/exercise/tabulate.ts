import { special } from '../contract/special-members.js'
import { nearestAdvice } from '../contract/nearest.js'
import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { parsePath } from './input.js'

/** A table: headings, and rows of texts. */
export interface Table {
  readonly headings: readonly string[]
  readonly rows: readonly (readonly string[])[]
}

/**
 * An answer as one table, for programs that read it: a list as rows, a record as names and values,
 * the one list of records in an envelope as rows.
 *
 * @param columns what was asked for with --columns, or undefined for all
 * @throws Problem TM-1010 when a column is not in the answer
 */
export function tabulate(value: unknown, columns?: string): Table {
  const { rows } = rowsOf(value)
  if (rows !== undefined) return tableOf(rows, columns)
  if (!isPlainObject(value)) return { headings: [], rows: [[cell(value)]] }
  return columns === undefined ? namesAndValues(value) : tableOf([value], columns)
}

/**
 * The one list of records in a record, and what else is in it; undefined where there is none, or
 * several.
 */
export function envelopeOf(
  value: Readonly<Record<string, unknown>>,
): { name: string; rows: readonly unknown[]; others: Record<string, unknown> } | undefined {
  const lists = Object.entries(value).filter(
    (each): each is [string, unknown[]] => Array.isArray(each[1]) && each[1].some(isPlainObject),
  )
  const [only, ...further] = lists
  if (only === undefined || further.length > 0) return undefined
  const [name, rows] = only
  return {
    name,
    rows,
    others: Object.fromEntries(Object.entries(value).filter(([key]) => key !== name)),
  }
}

/** The rows of an answer, a list or the one list in an envelope, and the answer with other rows. */
export function rowsOf(value: unknown): {
  rows: readonly unknown[] | undefined
  replaced: (rows: readonly unknown[]) => unknown
} {
  if (Array.isArray(value)) return { rows: value, replaced: (rows) => rows }
  const envelope = isPlainObject(value) ? envelopeOf(value) : undefined
  return {
    rows: envelope?.rows,
    replaced: (rows) =>
      envelope === undefined ? value : { ...(value as object), [envelope.name]: rows },
  }
}

/** Rows with one column for each member that any of them has, or the columns asked for. */
function tableOf(rows: readonly unknown[], columns: string | undefined): Table {
  if (columns !== undefined) return chosenTable(rows, columns)
  if (!rows.some(isPlainObject))
    return { headings: ['value'], rows: rows.map((row) => [cell(row)]) }
  // What is said about a row, and is none of its values, would be in the way.
  const names = namesOf(rows).filter((name) => name !== special.etag)
  return { headings: names, rows: rows.map((row) => names.map((name) => cell(at(row, [name])))) }
}

/**
 * The columns of rows that were asked for.
 *
 * @throws Problem TM-1010 when a column is in none of the rows
 */
export function chosenTable(
  rows: readonly unknown[],
  columns: string,
  option = '--columns',
): Table {
  const chosen = parseColumns(columns, rows, namesOf(rows), option)
  return {
    headings: chosen.map(({ heading }) => heading),
    rows: rows.map((row) => chosen.map(({ path }) => cell(at(row, path)))),
  }
}

function namesOf(rows: readonly unknown[]): string[] {
  return [...new Set(rows.flatMap((row) => (isPlainObject(row) ? Object.keys(row) : [])))]
}

/** A column of a table. */
export interface Column {
  readonly path: readonly (string | number)[]
  readonly heading: string
}

/**
 * Parses what follows `--columns`: `Code, Dues=Per night, Vessel.Name`.
 *
 * @param names the fields that rows have
 * @param option what they were asked for with
 * @throws Problem TM-1010 when a column is in none of the rows
 */
export function parseColumns(
  columns: string,
  rows: readonly unknown[],
  names: readonly string[],
  option = '--columns',
): Column[] {
  return columns
    .split(',')
    .map((part) => part.trim())
    .filter((part) => part !== '')
    .map((part) => {
      const [field = '', heading] = part.split('=').map((each) => each.trim())
      const exact = names.includes(field) ? [field] : undefined
      const folded = names.find((name) => name.toLowerCase() === field.toLowerCase())
      const path = exact ?? (folded === undefined ? parsePath(field) : [folded])
      if (
        rows.length > 0 &&
        rows.every((row) => at(row, path) === undefined) &&
        !names.includes(String(path[0]))
      ) {
        throw problem('TM-1010', {
          option,
          reason: `the answer has no field "${field}"`,
          remedy: nearestAdvice(field, names),
        })
      }
      return { path, heading: heading ?? field }
    })
}

/** The value at a path inside another one; undefined where there is none. */
export function at(value: unknown, path: readonly (string | number)[]): unknown {
  return path.reduce<unknown>(
    (current, step) =>
      typeof current === 'object' && current !== null && Object.hasOwn(current, step)
        ? (current as Record<string | number, unknown>)[step]
        : undefined,
    value,
  )
}

function namesAndValues(value: Readonly<Record<string, unknown>>): Table {
  return {
    headings: ['field', 'value'],
    rows: Object.entries(value).map(([name, member]) => [name, cell(member)]),
  }
}

/**
 * A value as the text of one cell: nothing for what is absent, `null` for null, names and values in
 * a row for what is nested.
 */
export function cell(value: unknown): string {
  if (value === undefined) return ''
  if (value === null) return 'null'
  if (value instanceof Uint8Array) return `${value.length} bytes`
  if (Array.isArray(value))
    return value.map((each) => (Array.isArray(each) ? `[${cell(each)}]` : cell(each))).join('; ')
  if (typeof value === 'object') {
    const members = Object.entries(value).filter(([, member]) => member !== undefined)
    return members
      .map(([name, member]) =>
        name === special.is || name === special.text
          ? cell(member) || '""'
          : `${name}: ${cell(member)}`,
      )
      .join(', ')
  }
  return String(value)
}

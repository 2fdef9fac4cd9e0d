import { addTo } from '../contract/lists.js'
import { isPlainObject } from '../contract/plain.js'
import { special } from '../contract/special-members.js'
import { columnRank } from './column-facts.js'
import { cell, chosenTable, envelopeOf, type Table } from './tabulate.js'

/** A table for reading. */
export interface ArrangedTable extends Table {
  /** Where in the answer its rows are; left out where they are the answer. */
  readonly title?: string
  /** Cells that say how much there is only, with what is in them. */
  readonly inside?: readonly {
    readonly row: number
    readonly column: number
    readonly table: ArrangedTable
  }[]
}

/**
 * An answer arranged for reading: values by name, the rows that it is about, and other lists of
 * records. Any may be missing.
 */
export interface Arranged {
  readonly values?: ArrangedTable
  readonly rows?: ArrangedTable
  readonly lists?: readonly ArrangedTable[]
}

type Members = Readonly<Record<string, unknown>>
type Path = readonly string[]

/**
 * Arranges an answer for reading. A list becomes rows, those columns first that a person looks for;
 * a record becomes names and values, with the lists of records in it as rows beneath. Records in
 * records have columns, or names, of their own (`Owner.Name`).
 *
 * @param columns what was asked for with --columns: then these, and nothing else
 * @throws Problem TM-1010 when a column is not in the answer
 */
export function arrange(value: unknown, columns?: string): Arranged {
  if (Array.isArray(value))
    return { rows: columns === undefined ? rowsTable(value) : chosenTable(value, columns) }
  if (!isPlainObject(value)) return { values: { headings: [], rows: [[cell(value)]] } }
  const envelope = envelopeOf(value)
  if (columns !== undefined) return { rows: chosenTable(envelope?.rows ?? [value], columns) }
  const { pairs, lists } = spread(value)
  const isRows = ({ path }: { path: Path }): boolean =>
    path.length === 1 && path[0] === envelope?.name
  const [rows] = lists.filter(isRows)
  const others = lists.filter((list) => !isRows(list))
  if (rows !== undefined && pairs.length === 0 && others.length === 0)
    return { rows: rowsTable(rows.rows) }
  const titled = (list: { path: Path; rows: readonly unknown[] }): ArrangedTable => ({
    title: headingOf(list.path),
    ...rowsTable(list.rows),
  })
  return {
    ...(pairs.length === 0 && lists.length > 0
      ? {}
      : { values: { headings: ['field', 'value'], rows: pairs } }),
    ...(rows === undefined ? {} : { rows: titled(rows) }),
    ...(others.length === 0 ? {} : { lists: others.map(titled) }),
  }
}

/** A record as names and texts, and the lists of records in it, each with the path to it. */
function spread(record: Members): {
  pairs: string[][]
  lists: { path: Path; rows: readonly unknown[] }[]
} {
  const pairs: string[][] = []
  const lists: { path: Path; rows: readonly unknown[] }[] = []
  const look = (members: Members, above: Path): void => {
    for (const [name, value] of Object.entries(members)) {
      if (value === undefined) continue
      const path = [...above, name]
      if (isTabular(value)) lists.push({ path, rows: value })
      else if (isOpened(value) && path.length < deepest) look(value, path)
      else pairs.push([headingOf(path), text(value)])
    }
  }
  look(record, [])
  return { pairs, lists }
}

/** Records within records are opened so deep: what is deeper is told in one text. */
const deepest = 3

function isTabular(value: unknown): value is readonly unknown[] {
  return Array.isArray(value) && (value.some(isPlainObject) || value.some(Array.isArray))
}

/** A record whose members are told by name: not an empty one, nor what no schema names. */
function isOpened(value: unknown): value is Members {
  return isPlainObject(value) && Object.keys(value).length > 0 && !(special.open in value)
}

/**
 * Rows as a table: a column for each member that any row has, for each place where rows are lists,
 * and one for what is neither.
 */
function rowsTable(rows: readonly unknown[]): ArrangedTable {
  const records = rows.map(membersOf)
  const there = records.filter((row) => row !== undefined)
  const columns = placed(columnsOf(there, []), there)
  const hasOthers = columns.length === 0 || records.includes(undefined)
  const others = hasOthers ? ['value'] : []
  const inside: { row: number; column: number; table: ArrangedTable }[] = []
  const texts = rows.map((row, at) => {
    const members = records[at]
    const cells = columns.map((each, column) => {
      const value = members === undefined ? undefined : valueAt(members, each)
      if (!isTabular(value)) return text(value)
      const short = cell(value)
      if (short.length <= longestInline) return short
      inside.push({ row: at, column: column + others.length, table: rowsTable(value) })
      return `${String(value.length)} ${value.length === 1 ? 'entry' : 'entries'}`
    })
    return [...others.map(() => (members === undefined ? text(row) : '')), ...cells]
  })
  return {
    headings: [...others, ...columns.map(({ path }) => headingOf(path))],
    rows: texts,
    ...(inside.length === 0 ? {} : { inside }),
  }
}

/** Lists in a cell that are no longer than this are written out. */
const longestInline = 40

/** What a row has columns for: the members of a record, the entries of a list. */
function membersOf(row: unknown): Members | undefined {
  if (Array.isArray(row)) return Object.fromEntries(row.map((entry, at) => [String(at + 1), entry]))
  return isPlainObject(row) ? row : undefined
}

/** So many columns a record in a cell may become. */
const mostColumns = 12

/**
 * The paths of the columns that records need: a member that is a record wherever it is there, and
 * small, is opened.
 */
function columnsOf(records: readonly Members[], above: Path): Path[] {
  const members = new Map<string, unknown[]>()
  for (const record of records)
    for (const [name, value] of Object.entries(record))
      if (value !== undefined && name !== special.etag) addTo(members, name, value)
  return [...members].flatMap(([name, values]) => {
    const path = [...above, name]
    const there = values.filter((value) => value !== null)
    if (path.length >= deepest || there.length === 0 || !there.every(isOpened)) return [path]
    const opened = columnsOf(there, path)
    return opened.length > mostColumns ? [path] : opened
  })
}

/** A column: where in a row its value is, and which of the records on the way begin with it. */
interface PlacedColumn {
  readonly path: Path
  readonly begins: readonly boolean[]
}

/**
 * Columns that a person looks for come first, after the service's own first; those of one record
 * stay together.
 */
function placed(paths: readonly Path[], records: readonly Members[]): PlacedColumn[] {
  const first = records.slice(0, 20)
  const leading = paths.find(([name]) => name !== special.is)
  const rankOf = ([name = '', ...more]: Path): number =>
    more.length > 0
      ? columnRank('')
      : columnRank(
          name,
          first.map((record) => cell(record[name])),
        )
  const sorted = paths
    .map((path, at) => ({ path, rank: path === leading ? 0 : rankOf(path), at }))
    .sort((one, other) => one.rank - other.rank || one.at - other.at)
  const begun = new Set<string>()
  return sorted.map(({ path }) => ({
    path,
    begins: path.map((_, depth) => {
      const key = JSON.stringify(path.slice(0, depth))
      const isNew = !begun.has(key)
      begun.add(key)
      return isNew
    }),
  }))
}

/** The value of a column; of a record that is null, null once, in its first column. */
function valueAt(record: Members, { path, begins }: PlacedColumn): unknown {
  let value: unknown = record
  for (const [depth, step] of path.entries()) {
    if (value === null) return begins[depth] === true ? null : undefined
    value = isPlainObject(value) && Object.hasOwn(value, step) ? value[step] : undefined
  }
  return value
}

/** A path as it stands above a column; the text of an element goes by the element's name. */
function headingOf(path: Path): string {
  return (path.length > 1 && path.at(-1) === special.text ? path.slice(0, -1) : path).join('.')
}

/** A value as a text that tells null, nothing and what is empty apart. */
function text(value: unknown): string {
  if (value === '') return '""'
  if (Array.isArray(value) && value.length === 0) return '[]'
  if (isPlainObject(value) && Object.keys(value).length === 0) return '{}'
  return cell(value)
}

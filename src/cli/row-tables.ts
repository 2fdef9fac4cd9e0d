import { columnRank, isProseColumn, longestValue } from '../app/calls/column-facts.js'
import { largest } from '../app/lists.js'
import { pc } from './colours.js'
import { drawnTable, narrow, naturalWidths } from './tables.js'
import { count, rowsWidth } from './terminal.js'
import { widthOf, wrapped } from './widths.js'

/** Rows of an answer, as texts. */
export interface RowTable {
  readonly headings: readonly string[]
  readonly rows: readonly (readonly string[])[]
}

/**
 * Rows of an answer as a table that fits the terminal. Values and headings stay whole: only prose is
 * wrapped. Columns that find no room are named below it; where not even two do, or somebody chose
 * the columns, every row is a block of lines.
 *
 * @param isChosen were the columns asked for?
 */
export function rowsText({ headings, rows }: RowTable, indent = '', isChosen = false): string {
  const room = rowsWidth() - indent.length
  const natural = naturalWidths(headings, rows, headings.length)
  const least = natural.map((width, at) => leastWidth(column(rows, at), headings[at] ?? '', width))
  const fitting = fittingColumns(headings, rows, least, room)
  const isWhole = fitting.length === headings.length
  if (!isWhole && (isChosen || fitting.length < 2)) return blocks({ headings, rows }, room, indent)
  const pick = <T>(list: readonly T[]): T[] => fitting.map((at) => list[at] as T)
  const widths = pick(natural)
  narrow(widths, pick(least), room - gaps(fitting.length))
  const table = drawnTable(pick(headings), rows.map(pick), widths, indent)
  if (isWhole) return table
  const left = headings.filter((_, at) => !fitting.includes(at))
  return `${table}\n${leftText(left, room, indent)}`
}

function column(rows: RowTable['rows'], at: number): string[] {
  return rows.map((row) => row[at] ?? '')
}

function gaps(columns: number): number {
  return (columns - 1) * 2
}

/** Prose is not made narrower than this. */
const narrowestProse = 20

/** How narrow a column may become: prose down to its longest word, anything else not at all. */
function leastWidth(cells: readonly string[], heading: string, natural: number): number {
  const isProse = isProseColumn(cells)
  const words = isProse ? cells.flatMap((cell) => cell.split(/\s+/)) : cells
  const longest = largest(words.map((word) => Math.min(widthOf(word), longestValue)))
  return Math.min(natural, Math.max(longest, widthOf(heading), isProse ? narrowestProse : 0))
}

/** The columns that there is room for, those first that a person looks for; in their order. */
function fittingColumns(
  headings: readonly string[],
  rows: RowTable['rows'],
  least: readonly number[],
  room: number,
): number[] {
  const all = headings.map((heading, at) => ({
    at,
    rank: at === 0 ? 0 : columnRank(heading, column(rows, at)),
  }))
  const fitting: number[] = []
  let used = 0
  for (const { at } of all.sort((one, other) => one.rank - other.rank || one.at - other.at)) {
    const width = (least[at] ?? 0) + (fitting.length === 0 ? 0 : 2)
    if (used + width > room) continue
    used += width
    fitting.push(at)
  }
  return fitting.sort((one, other) => one - other)
}

function leftText(left: readonly string[], room: number, indent: string): string {
  const head = count(left.length, 'more column')
  const names: string[] = []
  for (const name of left) {
    if (widthOf(`${head}: ${[...names, name].join(', ')}, …; --columns chooses`) > room) break
    names.push(name)
  }
  const more = names.length < left.length ? ['…'] : []
  const said = names.length === 0 ? head : `${head}: ${[...names, ...more].join(', ')}`
  return `${indent}${pc.dim(`${said}; --columns chooses`)}`
}

/** Every row by itself: names and values. */
function blocks({ headings, rows }: RowTable, room: number, indent: string): string {
  const width = largest(headings.map(widthOf))
  const inside = Math.max(20, room - width - 2)
  const block = (row: readonly string[]): string =>
    headings
      .flatMap((heading, at) => {
        const text = row[at] ?? ''
        if (text === '') return []
        const lines = wrapped(text, inside, true)
        const name = `${indent}${pc.dim(heading)}${' '.repeat(width - widthOf(heading) + 2)}`
        return lines.map((line, first) =>
          first === 0 ? name + line : `${indent}${' '.repeat(width + 2)}${line}`,
        )
      })
      .join('\n')
  return rows.map(block).join('\n\n')
}

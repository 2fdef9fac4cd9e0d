import { isNumericColumn } from '../app/calls/column-facts.js'
import { pc } from './colours.js'
import { largest } from '../app/lists.js'
import { terminalWidth } from './terminal.js'
import { widthOf, wrapped } from './widths.js'

/**
 * A table that fits the terminal: headings, a rule, rows. Columns that are too wide for it are
 * narrowed, the widest first, and their texts wrapped. Numbers stand to the right.
 */
export function tableText(
  headings: readonly string[],
  rows: readonly (readonly string[])[],
  indent = '',
): string {
  const columns = largest(
    rows.map((row) => row.length),
    headings.length,
  )
  const widths = naturalWidths(headings, rows, columns)
  const room = terminalWidth() - indent.length - (columns - 1) * 2
  if (sum(widths) > room) narrow(widths, longestWords(headings, rows, columns), room)
  narrow(
    widths,
    widths.map(() => 8),
    room,
  )
  return drawnTable(headings, rows, widths, indent)
}

/** How wide the columns of a table are by themselves. */
export function naturalWidths(
  headings: readonly string[],
  rows: readonly (readonly string[])[],
  columns: number,
): number[] {
  const cellWidth = (text: string): number => largest(text.split('\n').map(widthOf))
  return Array.from({ length: columns }, (_, at) =>
    largest(
      [headings, ...rows].map((row) => cellWidth(row[at] ?? '')),
      1,
    ),
  )
}

/** A table whose columns have these widths; what is wider is wrapped. */
export function drawnTable(
  headings: readonly string[],
  rows: readonly (readonly string[])[],
  widths: readonly number[],
  indent = '',
): string {
  const numeric = widths.map((_, at) => isNumericColumn(rows.map((row) => row[at] ?? '')))
  const cellsOf = (row: readonly string[]): string[][] =>
    lined(widths.map((width, at) => fitted(row[at] ?? '', width)))
  const rule = widths.map((width, at) => (headings[at] === '' ? '' : pc.dim('─'.repeat(width))))
  const head =
    headings.length === 0 ? [] : [...cellsOf(headings).map((line) => line.map(pc.bold)), rule]
  const lines = [...head, ...rows.flatMap(cellsOf)].map((cells) => {
    const padded = cells.map((cell, at) => {
      const blanks = ' '.repeat(Math.max(0, (widths[at] ?? 0) - widthOf(cell)))
      return numeric[at] === true ? blanks + cell : cell + blanks
    })
    return `${indent}${padded.join('  ').trimEnd()}`
  })
  return lines.filter((line, at) => line.trim() !== '' || at < lines.length - 1).join('\n')
}

/**
 * Prose in a faint colour, as wide as the terminal; its own line breaks stay. Nothing when there is
 * none.
 */
export function proseLines(text: string | undefined): string[] {
  return text === undefined
    ? []
    : text
        .split('\n')
        .flatMap((line) => wrapped(line, terminalWidth()))
        .map((line) => pc.dim(line))
}

/** A text in lines that a column has room for. */
function fitted(text: string, width: number): readonly string[] {
  return widthOf(text) <= width && !text.includes('\n') ? [text] : wrapped(text, width, true)
}

/** A row of cells with several lines as rows of one line. */
function lined(cells: readonly (readonly string[])[]): string[][] {
  return Array.from({ length: largest(cells.map((lines) => lines.length)) }, (_, at) =>
    cells.map((lines) => lines[at] ?? ''),
  )
}

/**
 * Makes the widest column narrower, again and again, until all fit; none goes below its least
 * width.
 */
export function narrow(widths: number[], least: readonly number[], room: number): void {
  for (let total = sum(widths); total > room; total -= 1) {
    const spare = widths.map((width, at) => (width > (least[at] ?? 0) ? width : 0))
    const widest = largest(spare)
    if (widest <= 8) return
    const at = spare.indexOf(widest)
    widths[at] = widest - 1
  }
}

/** For each column the width of its longest word, which had better not be broken. */
function longestWords(
  headings: readonly string[],
  rows: readonly (readonly string[])[],
  columns: number,
): number[] {
  return Array.from({ length: columns }, (_, at) =>
    largest(
      [headings, ...rows].flatMap((row) => (row[at] ?? '').split(/\s+/).map(widthOf)),
      8,
    ),
  )
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, each) => total + each, 0)
}

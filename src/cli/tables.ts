import Table from 'cli-table3'
import pc from 'picocolors'
import stringWidth from 'string-width'
import { terminalWidth } from './terminal.js'

const light = {
  top: '', 'top-mid': '', 'top-left': '', 'top-right': '', bottom: '', 'bottom-mid': '', 'bottom-left': '', 'bottom-right': '',
  left: '', 'left-mid': '', mid: '', 'mid-mid': '', right: '', 'right-mid': '', middle: '  ',
}

/**
 * A table that fits the terminal: headings, a rule, rows. Columns that are too wide for it are narrowed, the widest first, and their
 * texts wrapped. Numbers stand to the right.
 */
export function tableText(headings: readonly string[], rows: readonly (readonly string[])[], indent = ''): string {
  const columns = Math.max(headings.length, ...rows.map((row) => row.length))
  const cellWidth = (text: string): number => Math.max(...text.split('\n').map((line) => stringWidth(line)))
  const widths = Array.from({ length: columns }, (_, at) => Math.max(...[headings, ...rows].map((row) => cellWidth(row[at] ?? '')), 1))
  const room = terminalWidth() - indent.length - (columns - 1) * 2
  for (let total = sum(widths); total > room; total -= 1) {
    const widest = Math.max(...widths)
    if (widest <= 8) break
    widths[widths.indexOf(widest)] = widest - 1
  }
  const isNumeric = (at: number): boolean => rows.length > 0 && rows.every((row) => /^(?:|null|[+-]?\d[\d.,]*)$/.test(row[at] ?? '')) && rows.some((row) => (row[at] ?? '') !== '')
  const table = new Table({
    chars: light,
    style: { 'padding-left': 0, 'padding-right': 0, head: [], border: [] },
    colWidths: widths,
    colAligns: widths.map((_, at) => (isNumeric(at) ? 'right' : 'left')),
    wordWrap: true,
    wrapOnWordBoundary: true,
  })
  if (headings.length > 0) {
    table.push(headings.map((heading) => pc.bold(heading)))
    table.push(widths.map((width) => pc.dim('─'.repeat(width))))
  }
  for (const row of rows) table.push(Array.from({ length: columns }, (_, at) => row[at] ?? ''))
  return table
    .toString()
    .split('\n')
    .map((line) => `${indent}${line.trimEnd()}`)
    .filter((line, at, lines) => line.trim() !== '' || at < lines.length - 1)
    .join('\n')
}

function sum(numbers: readonly number[]): number {
  return numbers.reduce((total, each) => total + each, 0)
}

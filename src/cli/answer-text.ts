import { shellWord, type Arranged, type ArrangedTable } from '../app/calls/answers.js'
import { pc } from './colours.js'
import { rowsText } from './row-tables.js'
import { tableText } from './tables.js'
import { count } from './terminal.js'

/**
 * An answer that was arranged, as it stands in a terminal: values, and the tables beneath with
 * their titles.
 *
 * @param isChosen were the columns asked for?
 */
export function arrangedText(
  { values, rows, lists = [] }: Arranged,
  indent = '',
  isChosen = false,
): string {
  const tables = [...(rows === undefined ? [] : [rows]), ...lists]
  return [
    ...(values === undefined ? [] : [valuesText(values, indent)]),
    ...tables.map((table) => titledRows(table, indent, isChosen)),
  ].join('\n\n')
}

function valuesText({ headings, rows }: ArrangedTable, indent: string): string {
  return headings.length === 0
    ? `${indent}${rows[0]?.[0] ?? ''}`
    : tableText(headings, rows, indent)
}

function titledRows(table: ArrangedTable, indent: string, isChosen: boolean): string {
  const { title, rows } = table
  return [
    ...(title === undefined ? [] : [`${indent}${pc.bold(title)}`]),
    ...(rows.length === 0
      ? [`${indent}(no rows)`]
      : [rowsText(table, indent, isChosen), ...insideLines(table, indent)]),
    ...(rows.length === 0 ? [] : [`${indent}${pc.dim(count(rows.length, 'row'))}`]),
  ].join('\n')
}

/** How to see what is in cells that say only how much there is. */
function insideLines({ headings, inside = [] }: ArrangedTable, indent: string): string[] {
  const columns = [...new Set(inside.map(({ column }) => headings[column] ?? ''))]
  return columns.map((name) => {
    const step = name.split('.').at(-1) ?? ''
    // A name from an answer is a word of the shell, and nothing else.
    const path = /^[A-Za-z_]\w*$/.test(step) ? `$..${step}[*]` : `$..[${JSON.stringify(step)}][*]`
    return `${indent}${pc.dim(`${name}: lists of their own; --pick ${shellWord(path)} shows them`)}`
  })
}

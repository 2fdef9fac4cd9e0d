import { isNumericColumn, isProseColumn, longestValue } from '../../exercise/column-facts.js'
import type { Arranged, ArrangedTable } from '../../exercise/arrange.js'
import type { Table } from '../../exercise/tabulate.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { dataText } from './shell.js'

/** So many rows of a table are written as rows; a script makes the others as somebody gets there. */
const mostWritten = 500

/** Tables with no more rows than these need no tools. */
const fewRows = 10

/**
 * An answer that was arranged: values, and tables that can be searched, sorted, and whose columns
 * can be hidden and moved where rows.js runs.
 */
export function arrangedHtml({ values, rows, lists = [] }: Arranged): Markup {
  return joined(
    [
      ...(values === undefined ? [] : [valuesHtml(values)]),
      ...[...(rows === undefined ? [] : [rows]), ...lists].map(rowsHtml),
    ],
    '\n',
  )
}

/** Values by name. */
function valuesHtml({ headings, rows }: Table): Markup {
  if (headings.length === 0) return markup`<pre>${inMarkup(rows[0]?.[0] ?? '')}</pre>`
  const lines = rows.map(
    ([name = '', ...texts]) =>
      markup`<tr><th scope="row">${inMarkup(name)}</th>${joined(
        texts.map((text) => markup`<td>${valueHtml(text)}</td>`),
        '',
      )}</tr>`,
  )
  return markup`<div class="box"><table class="facts"><tbody>${joined(lines, '')}</tbody></table></div>`
}

/** Rows, whose numbers stand to the right, with what is needed to work with them. */
function rowsHtml(table: ArrangedTable): Markup {
  const { title, headings, rows } = table
  const heading = title === undefined ? [] : [markup`<h2>${inMarkup(title)}</h2>`]
  const number = rows.length.toLocaleString('en')
  const counted = markup`<span class="faint" role="status">${inMarkup(number)} ${rows.length === 1 ? markup`row` : markup`rows`}</span>`
  if (rows.length === 0) return joined([...heading, markup`<p class="faint">no rows</p>`], '\n')
  const insides = insidesOf(table)
  const kinds = kindsOf(table)
  const written = rows
    .slice(0, mostWritten)
    .map((row, at) => markup`<tr>${cellsHtml(row, headings, kinds, insides.get(at))}</tr>`)
  const later = rows.slice(mostWritten).map((row, at) => {
    const inside = insides.get(at + mostWritten)
    if (inside === undefined) return row
    return headings.map((_, column) => plainInside(inside.get(column)) ?? row[column] ?? '')
  })
  return joined(
    [
      markup`<section class="rows">`,
      ...heading,
      markup`<div class="bar tools"${rows.length > fewRows ? markup`` : markup` hidden`}><input type="search" placeholder="Find in the rows  ( / )" aria-label="Find in the rows">${counted}</div>`,
      markup`<div class="box" tabindex="0" role="group" aria-label="${inMarkup(title ?? 'Rows')}"><table class="rows"><thead><tr>${headHtml(headings, kinds)}</tr></thead><tbody>`,
      ...written,
      markup`</tbody></table></div>`,
      ...(later.length === 0 ? [] : [dataText(undefined, later)]),
      markup`</section>`,
    ],
    '\n',
  )
}

function headHtml(headings: readonly string[], kinds: readonly Markup[]): Markup {
  return joined(
    headings.map(
      (heading, at) =>
        markup`<th scope="col"${kinds[at] ?? markup``}><button>${inMarkup(heading)}</button></th>`,
    ),
    '',
  )
}

/** Classes of the columns: numbers stand to the right, prose is wrapped, nothing else is. */
function kindsOf({ headings, rows }: Table): Markup[] {
  return headings.map((_, at) => {
    const cells = rows.map((row) => row[at] ?? '')
    if (isNumericColumn(cells)) return markup` class="number"`
    const mayWrap = isProseColumn(cells) || cells.some((cell) => cell.length > longestValue)
    return mayWrap ? markup` class="prose"` : markup``
  })
}

type Insides = ReadonlyMap<number, ArrangedTable>

/** The tables that are in cells, by row and column. */
function insidesOf({ inside = [] }: ArrangedTable): ReadonlyMap<number, Insides> {
  const rows = new Map<number, Map<number, ArrangedTable>>()
  for (const { row, column, table } of inside)
    rows.set(row, (rows.get(row) ?? new Map<number, ArrangedTable>()).set(column, table))
  return rows
}

function cellsHtml(
  row: readonly string[],
  headings: readonly string[],
  kinds: readonly Markup[],
  inside: Insides | undefined,
): Markup {
  const cells = headings.map((_, at) => {
    const table = inside?.get(at)
    const shown = table === undefined ? valueHtml(row[at] ?? '') : foldedHtml(row[at] ?? '', table)
    return markup`<td${kinds[at] ?? markup``}>${shown}</td>`
  })
  return joined(cells, '')
}

/** A list in a cell, folded. */
function foldedHtml(text: string, table: ArrangedTable): Markup {
  return markup`<details><summary>${inMarkup(text)}</summary>${plainTable(table)}</details>`
}

/** A list in a cell for the script: how much there is, headings and rows. */
function plainInside(table: ArrangedTable | undefined): object | undefined {
  return table === undefined ? undefined : { headings: table.headings, rows: table.rows }
}

/** Null and what is empty stand back. */
function valueHtml(text: string): Markup {
  return text === 'null' || text === '""'
    ? markup`<span class="faint">${inMarkup(text)}</span>`
    : inMarkup(text)
}

/**
 * A table that is read in its own order.
 *
 * @param kind a class for a row
 */
export function plainTable(
  table: ArrangedTable,
  kind?: (row: readonly string[]) => string,
): Markup {
  const { headings, rows } = table
  const kinds = kindsOf(table)
  const insides = insidesOf(table)
  const head = headings.map(
    (heading, at) => markup`<th scope="col"${kinds[at] ?? markup``}>${inMarkup(heading)}</th>`,
  )
  const lines = rows.map((row, at) => {
    const named = kind === undefined ? markup`` : markup` class="${inMarkup(kind(row))}"`
    return markup`<tr${named}>${cellsHtml(row, headings, kinds, insides.get(at))}</tr>`
  })
  return markup`<div class="box"><table class="rows"><thead><tr>${joined(head, '')}</tr></thead><tbody>${joined(lines, '\n')}</tbody></table></div>`
}

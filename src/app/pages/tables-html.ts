import { isNumericColumn } from '../../exercise/column-facts.js'
import type { Arranged, ArrangedTable } from '../../exercise/arrange.js'
import type { Table } from '../../exercise/tabulate.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { dataText } from './shell.js'

/** So many rows of a table are written as rows; a script makes the others as somebody gets there. */
const mostWritten = 500

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
  const numeric = headings.map((_, at) => isNumericColumn(rows.map((row) => row[at] ?? '')))
  const written = rows
    .slice(0, mostWritten)
    .map((row, at) => rowHtml(row, headings, numeric, insides.get(at)))
  const later = rows.slice(mostWritten).map((row, at) => {
    const inside = insides.get(at + mostWritten)
    if (inside === undefined) return row
    return headings.map((_, column) => plainInside(inside.get(column)) ?? row[column] ?? '')
  })
  return joined(
    [
      markup`<section class="rows">`,
      ...heading,
      markup`<div class="bar tools"><input type="search" placeholder="Find in the rows  ( / )" aria-label="Find in the rows">${counted}</div>`,
      markup`<div class="box" tabindex="0" role="region" aria-label="${inMarkup(title ?? 'Rows')}"><table class="rows"><thead><tr>${headHtml(headings, numeric)}</tr></thead><tbody>`,
      ...written,
      markup`</tbody></table></div>`,
      ...(later.length === 0 ? [] : [dataText(undefined, later)]),
      markup`</section>`,
    ],
    '\n',
  )
}

function headHtml(headings: readonly string[], numeric: readonly boolean[]): Markup {
  return joined(
    headings.map(
      (heading, at) =>
        markup`<th scope="col"${numberClass(numeric[at])}><button>${inMarkup(heading)}</button></th>`,
    ),
    '',
  )
}

function numberClass(isNumber: boolean | undefined): Markup {
  return isNumber === true ? markup` class="number"` : markup``
}

type Insides = ReadonlyMap<number, ArrangedTable>

/** The tables that are in cells, by row and column. */
function insidesOf({ inside = [] }: ArrangedTable): ReadonlyMap<number, Insides> {
  const rows = new Map<number, Map<number, ArrangedTable>>()
  for (const { row, column, table } of inside)
    rows.set(row, (rows.get(row) ?? new Map<number, ArrangedTable>()).set(column, table))
  return rows
}

function rowHtml(
  row: readonly string[],
  headings: readonly string[],
  numeric: readonly boolean[],
  inside: Insides | undefined,
): Markup {
  const cells = headings.map((_, at) => {
    const table = inside?.get(at)
    const shown = table === undefined ? valueHtml(row[at] ?? '') : foldedHtml(row[at] ?? '', table)
    return markup`<td${numberClass(numeric[at])}>${shown}</td>`
  })
  return markup`<tr>${joined(cells, '')}</tr>`
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
  const numeric = headings.map((_, at) => isNumericColumn(rows.map((row) => row[at] ?? '')))
  const insides = insidesOf(table)
  const head = headings.map(
    (heading, at) => markup`<th scope="col"${numberClass(numeric[at])}>${inMarkup(heading)}</th>`,
  )
  const lines = rows.map((row, at) => {
    const line = rowHtml(row, headings, numeric, insides.get(at))
    return kind === undefined
      ? line
      : markup`<tr class="${inMarkup(kind(row))}">${line.slice(4) as Markup}`
  })
  return markup`<div class="box"><table class="rows"><thead><tr>${joined(head, '')}</tr></thead><tbody>${joined(lines, '\n')}</tbody></table></div>`
}

import type { Arranged, Table } from '../../exercise/tabulate.js'
import { pageText } from './shell.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'

/** A page with an answer: values by name, and a table whose columns can be sorted and searched. */
export function answerPage(title: string, remark: string, { values, rows }: Arranged): Markup {
  const body = joined(
    [
      markup`<main>`,
      markup`<h1>${inMarkup(title)}</h1>`,
      markup`<p class="faint">${inMarkup(remark)}</p>`,
      ...(values === undefined ? [] : [valuesHtml(values)]),
      ...(rows === undefined
        ? []
        : [
            markup`<p class="bar"><input id="search" type="search" placeholder="Find in the rows" aria-label="Find in the rows"><span id="found" class="faint" role="status"></span></p>`,
            tableHtml(rows),
          ]),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({ title, kind: 'answer', body, scripts: ['answer.js'] })
}

/** Values by name. */
export function valuesHtml({ headings, rows }: Table): Markup {
  return headings.length === 0
    ? markup`<pre>${inMarkup(rows[0]?.[0] ?? '')}</pre>`
    : markup`<table class="facts"><tbody>${joined(
        rows.map(
          (row) =>
            markup`<tr>${joined(
              row.map(
                (text, at) =>
                  markup`<td${at === 0 ? markup` class="name faint"` : markup``}>${inMarkup(text)}</td>`,
              ),
              '',
            )}</tr>`,
        ),
        '',
      )}</tbody></table>`
}

/**
 * Rows, whose numbers stand to the right. Where answer.js runs, a click on a heading sorts them.
 *
 * @param kind a class for a row
 */
export function tableHtml(
  { headings, rows }: Table,
  kind?: (row: readonly string[]) => string,
): Markup {
  const isNumeric = headings.map(
    (_, at) =>
      rows.some((row) => (row[at] ?? '') !== '') &&
      rows.every((row) => /^(?:|[+-]?\d[\d.]*)$/.test(row[at] ?? '')),
  )
  return joined(
    [
      markup`<table class="rows"><thead><tr>`,
      ...headings.map(
        (heading) =>
          markup`<th scope="col">${kind === undefined ? markup`<button>${inMarkup(heading)}</button>` : inMarkup(heading)}</th>`,
      ),
      markup`</tr></thead><tbody>`,
      ...rows.map(
        (row) =>
          markup`<tr${kind === undefined ? markup`` : markup` class="${inMarkup(kind(row))}"`}>${joined(
            headings.map(
              (_, at) =>
                markup`<td${isNumeric[at] === true ? markup` class="number"` : markup``}>${inMarkup(row[at] ?? '')}</td>`,
            ),
            '',
          )}</tr>`,
      ),
      markup`</tbody></table>`,
    ],
    '\n',
  )
}

import type { Arranged, Table } from '../../exercise/tabulate.js'
import { escaped, pageText } from './shell.js'

/** A page with an answer: values by name, and a table whose columns can be sorted and searched. */
export function answerPage(title: string, remark: string, { values, rows }: Arranged): string {
  const body = [
    '<main>',
    `<h1>${escaped(title)}</h1>`,
    `<p class="faint">${escaped(remark)}</p>`,
    ...(values === undefined ? [] : [valuesHtml(values)]),
    ...(rows === undefined ? [] : ['<p class="bar"><input id="search" type="search" placeholder="Find in the rows" aria-label="Find in the rows"><span id="found" class="faint" role="status"></span></p>', tableHtml(rows)]),
    '</main>',
  ].join('\n')
  return pageText({ title, kind: 'answer', body, scripts: ['answer.js'] })
}

/** Values by name. */
export function valuesHtml({ headings, rows }: Table): string {
  return headings.length === 0 ? `<pre>${escaped(rows[0]?.[0] ?? '')}</pre>` : `<table class="facts"><tbody>${rows.map((row) => `<tr>${row.map((text, at) => `<td${at === 0 ? ' class="name faint"' : ''}>${escaped(text)}</td>`).join('')}</tr>`).join('')}</tbody></table>`
}

/**
 * Rows, whose numbers stand to the right. Where answer.js runs, a click on a heading sorts them.
 *
 * @param kind a class for a row
 */
export function tableHtml({ headings, rows }: Table, kind?: (row: readonly string[]) => string): string {
  const isNumeric = headings.map((_, at) => rows.some((row) => (row[at] ?? '') !== '') && rows.every((row) => /^(?:|[+-]?\d[\d.]*)$/.test(row[at] ?? '')))
  return [
    '<table class="rows"><thead><tr>',
    ...headings.map((heading) => `<th scope="col">${kind === undefined ? `<button>${escaped(heading)}</button>` : escaped(heading)}</th>`),
    '</tr></thead><tbody>',
    ...rows.map((row) => `<tr${kind === undefined ? '' : ` class="${kind(row)}"`}>${headings.map((_, at) => `<td${isNumeric[at] === true ? ' class="number"' : ''}>${escaped(row[at] ?? '')}</td>`).join('')}</tr>`),
    '</tbody></table>',
  ].join('\n')
}

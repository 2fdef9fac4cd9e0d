import type { Arranged, Table } from '../../exercise/tabulate.js'
import { escaped, pageText } from './shell.js'

/** A page with an answer: values by name, and a table whose columns can be sorted and searched. */
export function answerPage(title: string, remark: string, { values, rows }: Arranged): string {
  const body = [
    '<main>',
    `<h1>${escaped(title)}</h1>`,
    `<p class="faint">${escaped(remark)}</p>`,
    ...(values === undefined ? [] : [plainTable(values)]),
    ...(rows === undefined ? [] : ['<p class="bar"><input id="search" type="search" placeholder="Find in the rows" aria-label="Find in the rows"><span id="found" class="faint" role="status"></span></p>', rowsTable(rows)]),
    '</main>',
  ].join('\n')
  return pageText({ title, kind: 'answer', body, scripts: ['answer.js'] })
}

function plainTable({ headings, rows }: Table): string {
  return headings.length === 0 ? `<pre>${escaped(rows[0]?.[0] ?? '')}</pre>` : `<table class="facts"><tbody>${rows.map((row) => `<tr>${row.map((text, at) => `<td${at === 0 ? ' class="name faint"' : ''}>${escaped(text)}</td>`).join('')}</tr>`).join('')}</tbody></table>`
}

function rowsTable({ headings, rows }: Table): string {
  const isNumeric = headings.map((_, at) => rows.some((row) => (row[at] ?? '') !== '') && rows.every((row) => /^(?:|[+-]?\d[\d.]*)$/.test(row[at] ?? '')))
  return [
    '<table class="rows"><thead><tr>',
    ...headings.map((heading) => `<th scope="col"><button>${escaped(heading)}</button></th>`),
    '</tr></thead><tbody>',
    ...rows.map((row) => `<tr>${headings.map((_, at) => `<td${isNumeric[at] === true ? ' class="number"' : ''}>${escaped(row[at] ?? '')}</td>`).join('')}</tr>`),
    '</tbody></table>',
  ].join('\n')
}

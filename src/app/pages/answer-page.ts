import { printable } from '../../contract/problem.js'
import type { Arranged } from '../../exercise/arrange.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { pageText } from './shell.js'
import { arrangedHtml } from './tables-html.js'

/** Where an answer came from. */
export interface AnswerOrigin {
  readonly contract: string
  readonly operation: string
  /** Where the call went. */
  readonly address?: string | undefined
  /** ISO 8601. */
  readonly when: string
  /** What was sent, in plain form. */
  readonly input?: unknown
}

/** What is longer than this is a file, or near to one: nobody reads it here. */
const longestInput = 20_000

/** A page with an answer: where it came from, values by name, and tables to work with. */
export function answerPage(origin: AnswerOrigin, arranged: Arranged): Markup {
  const { contract, operation, address, when, input } = origin
  const facts = [contract, ...(address === undefined ? [] : [address])].map(inMarkup)
  const time = markup`<time datetime="${inMarkup(when)}">${inMarkup(when.replace('T', ' ').replace(/\.\d+Z$/, ' UTC'))}</time>`
  const body = joined(
    [
      markup`<main>`,
      markup`<h1>${inMarkup(operation)}</h1>`,
      markup`<p class="faint">${joined([...facts, time], ' · ')}</p>`,
      ...(input === undefined || Object.keys(input as object).length === 0
        ? []
        : [
            markup`<details><summary>Input</summary><pre>${inMarkup(printable(JSON.stringify(input, undefined, 2), longestInput))}</pre></details>`,
          ]),
      arrangedHtml(arranged),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({
    title: `${operation}: ${contract}`,
    kind: 'answer',
    body,
    styles: ['rows.css'],
    scripts: ['rows.js', 'boxes.js', 'printing.js'],
  })
}

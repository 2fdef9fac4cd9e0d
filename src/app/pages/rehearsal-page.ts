import {
  rowText,
  type Compared,
  type MarkedTable,
  type RehearsalReport,
  type StepReport,
} from '../../exercise/rehearsal/playing.js'
import type { Table } from '../../exercise/tabulate.js'
import { tableHtml, valuesHtml } from './answer-page.js'
import { pageText } from './shell.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'

/** A page with what came of rehearsals: every step with what was expected, shown and compared. */
export function rehearsalPage(reports: readonly RehearsalReport[], played: string): Markup {
  const failed = reports.some(({ outcome }) => outcome === 'failed')
  const title =
    reports.length === 1 ? (reports[0]?.title ?? markup``) : markup`${reports.length} rehearsals`
  const body = joined(
    [
      markup`<main>`,
      markup`<h1>${inMarkup(title)} ${outcomeTag(failed ? 'failed' : 'passed')}</h1>`,
      markup`<p class="faint">${inMarkup(played)}</p>`,
      ...reports.map((report) => rehearsalHtml(report, reports.length > 1)),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({
    title: `${title}: ${failed ? 'failed' : 'passed'}`,
    kind: 'rehearsal',
    body,
    scripts: ['answer.js'],
  })
}

function rehearsalHtml(
  { title, file, outcome, milliseconds, steps }: RehearsalReport,
  isOneOfMany: boolean,
): Markup {
  const count = (wanted: StepReport['outcome']): number =>
    steps.filter((step) => step.outcome === wanted).length
  const counts = [
    markup`${count('passed')} of ${steps.length} steps passed`,
    ...(count('failed') === 0 ? [] : [markup`${count('failed')} failed`]),
    ...(count('left out') === 0 ? [] : [markup`${count('left out')} left out`]),
    markup`${milliseconds} ms`,
  ]
  return joined(
    [
      ...(isOneOfMany ? [markup`<h2>${inMarkup(title)} ${outcomeTag(outcome)}</h2>`] : []),
      markup`<p class="faint">${inMarkup(`${file}: ${counts.join(', ')}`)}</p>`,
      markup`<ol class="steps">`,
      ...steps.map(
        (step, at) =>
          markup`${step.isAfterwards && steps[at - 1]?.isAfterwards !== true ? markup`<li class="divide faint">afterwards</li>` : markup``}${stepHtml(step)}`,
      ),
      markup`</ol>`,
    ],
    '\n',
  )
}

function stepHtml(step: StepReport): Markup {
  const {
    title,
    outcome,
    contract,
    operation,
    milliseconds,
    status,
    row,
    verdicts,
    trouble,
    shown,
    compared,
    input,
    wire,
  } = step
  const facts = [
    ...(operation === undefined || operation === title
      ? [contract]
      : [[contract, operation].filter((each) => each !== undefined).join(' ')]),
    ...(status === undefined ? [] : [`HTTP ${status}`]),
    ...(outcome === 'left out' || operation === undefined ? [] : [`${milliseconds} ms`]),
  ].filter((each) => each !== undefined && each !== '')
  const head = markup`${outcomeTag(outcome)} <strong>${inMarkup(title)}</strong>${row === undefined ? markup`` : markup` <span class="faint">${inMarkup(rowText(row))}</span>`} <span class="faint">${inMarkup(facts.join(' · '))}</span>`
  const inside = [
    ...(trouble === undefined ? [] : [troubleHtml(trouble)]),
    ...(verdicts.length === 0
      ? []
      : [
          markup`<ul class="verdicts">${joined(
            verdicts.map(
              ({ expected, met, was, line }) =>
                markup`<li class="${met ? markup`met` : markup`unmet`}"><span class="sign">${met ? markup`✓` : markup`✗`}</span> ${inMarkup(expected)}${met ? markup`` : markup`<div>there was <code>${inMarkup(was ?? 'nothing')}</code> <span class="faint">line ${line}</span></div>`}</li>`,
            ),
            '',
          )}</ul>`,
        ]),
    ...(shown?.values === undefined ? [] : [valuesHtml(shown.values)]),
    ...(shown?.rows === undefined ? [] : [tableHtml(shown.rows)]),
    ...(compared === undefined ? [] : [comparedHtml(compared)]),
    ...(input === undefined || Object.keys(input as object).length === 0
      ? []
      : [
          markup`<details><summary>input</summary><pre>${inMarkup(JSON.stringify(input, exact, 2))}</pre></details>`,
        ]),
    ...(wire === undefined
      ? []
      : [markup`<details><summary>on the wire</summary><pre>${inMarkup(wire)}</pre></details>`]),
  ]
  const isOpen = outcome === 'failed' || shown !== undefined || compared !== undefined
  return markup`<li class="step ${inMarkup(outcome.replace(' ', '-'))}">${inside.length === 0 ? markup`<p class="head">${head}</p>` : markup`<details${isOpen ? markup` open` : markup``}><summary class="head">${head}</summary>${joined(inside, '\n')}</details>`}</li>`
}

/** Numbers that keep their digits are written as they were. */
function exact(_name: string, value: unknown): unknown {
  return typeof value === 'object' &&
    value !== null &&
    'source' in value &&
    Object.keys(value).length === 1
    ? String(value.source)
    : value
}

function troubleHtml({
  message,
  details,
  side,
  advice,
  code,
}: NonNullable<StepReport['trouble']>): Markup {
  return joined(
    [
      markup`<div class="trouble"><p>${inMarkup(message)}${code === undefined ? markup`` : markup` <span class="faint">${inMarkup(code)}</span>`}</p>`,
      ...(details.length === 0
        ? []
        : [
            markup`<ul>${joined(
              details.map((detail) => markup`<li>${inMarkup(detail)}</li>`),
              '',
            )}</ul>`,
          ]),
      ...[side, advice]
        .filter((each) => each !== undefined)
        .map((each) => markup`<p class="faint">${inMarkup(each)}</p>`),
      markup`</div>`,
    ],
    '',
  )
}

function comparedHtml({ before, after, differences }: Compared): Markup {
  const count = (kind: string): number =>
    new Set(
      differences
        .filter((each) => (each.field === undefined ? each.kind : 'changed') === kind)
        .map(({ row }) => row),
    ).size
  const counts = (['added', 'changed', 'gone'] as const)
    .filter((kind) => count(kind) > 0)
    .map((kind) => `${count(kind)} ${kind}`)
  const tables = markup`<div class="pair"><section><h4>before</h4>${markedHtml(before)}</section><section><h4>after</h4>${markedHtml(after)}</section></div>`
  return counts.length === 0
    ? markup`<details><summary>nothing is different</summary>${tables}</details>`
    : markup`<p class="faint">${inMarkup(counts.join(', '))}</p>${tables}`
}

function markedHtml(table: MarkedTable): Markup {
  if (table.rows.length === 0) return markup`<p class="faint">no rows</p>`
  const withMarks: Table = {
    headings: ['', ...table.headings],
    rows: table.rows.map((row, at) => [table.marks[at] ?? markup``, ...row]),
  }
  return tableHtml(withMarks, (row) => row[0] ?? markup``)
}

function outcomeTag(outcome: StepReport['outcome']): Markup {
  return markup`<span class="outcome ${inMarkup(outcome.replace(' ', '-'))}">${inMarkup(outcome)}</span>`
}

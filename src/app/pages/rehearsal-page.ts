import { rowText, type Compared, type MarkedTable, type RehearsalReport, type StepReport } from '../../exercise/rehearsal/playing.js'
import type { Table } from '../../exercise/tabulate.js'
import { tableHtml, valuesHtml } from './answer-page.js'
import { escaped, pageText } from './shell.js'

/** A page with what came of rehearsals: every step with what was expected, shown and compared. */
export function rehearsalPage(reports: readonly RehearsalReport[], played: string): string {
  const failed = reports.some(({ outcome }) => outcome === 'failed')
  const title = reports.length === 1 ? (reports[0]?.title ?? '') : `${reports.length} rehearsals`
  const body = [
    '<main>',
    `<h1>${escaped(title)} ${outcomeTag(failed ? 'failed' : 'passed')}</h1>`,
    `<p class="faint">${escaped(played)}</p>`,
    ...reports.map((report) => rehearsalHtml(report, reports.length > 1)),
    '</main>',
  ].join('\n')
  return pageText({ title: `${title}: ${failed ? 'failed' : 'passed'}`, kind: 'rehearsal', body, scripts: ['answer.js'] })
}

function rehearsalHtml({ title, file, outcome, milliseconds, steps }: RehearsalReport, isOneOfMany: boolean): string {
  const count = (wanted: StepReport['outcome']): number => steps.filter((step) => step.outcome === wanted).length
  const counts = [`${count('passed')} of ${steps.length} steps passed`, ...(count('failed') === 0 ? [] : [`${count('failed')} failed`]), ...(count('left out') === 0 ? [] : [`${count('left out')} left out`]), `${milliseconds} ms`]
  return [
    ...(isOneOfMany ? [`<h2>${escaped(title)} ${outcomeTag(outcome)}</h2>`] : []),
    `<p class="faint">${escaped(`${file}: ${counts.join(', ')}`)}</p>`,
    '<ol class="steps">',
    ...steps.map((step, at) => `${step.isAfterwards && steps[at - 1]?.isAfterwards !== true ? '<li class="divide faint">afterwards</li>' : ''}${stepHtml(step)}`),
    '</ol>',
  ].join('\n')
}

function stepHtml(step: StepReport): string {
  const { title, outcome, contract, operation, milliseconds, status, row, verdicts, trouble, shown, compared, input, wire } = step
  const facts = [...(operation === undefined || operation === title ? [contract] : [[contract, operation].filter((each) => each !== undefined).join(' ')]), ...(status === undefined ? [] : [`HTTP ${status}`]), ...(outcome === 'left out' || operation === undefined ? [] : [`${milliseconds} ms`])].filter((each) => each !== undefined && each !== '')
  const head = `${outcomeTag(outcome)} <strong>${escaped(title)}</strong>${row === undefined ? '' : ` <span class="faint">${escaped(rowText(row))}</span>`} <span class="faint">${escaped(facts.join(' · '))}</span>`
  const inside = [
    ...(trouble === undefined ? [] : [troubleHtml(trouble)]),
    ...(verdicts.length === 0 ? [] : [`<ul class="verdicts">${verdicts.map(({ expected, met, was, line }) => `<li class="${met ? 'met' : 'unmet'}"><span class="sign">${met ? '✓' : '✗'}</span> ${escaped(expected)}${met ? '' : `<div>there was <code>${escaped(was ?? 'nothing')}</code> <span class="faint">line ${line}</span></div>`}</li>`).join('')}</ul>`]),
    ...(shown?.values === undefined ? [] : [valuesHtml(shown.values)]),
    ...(shown?.rows === undefined ? [] : [tableHtml(shown.rows)]),
    ...(compared === undefined ? [] : [comparedHtml(compared)]),
    ...(input === undefined || Object.keys(input as object).length === 0 ? [] : [`<details><summary>input</summary><pre>${escaped(JSON.stringify(input, exact, 2))}</pre></details>`]),
    ...(wire === undefined ? [] : [`<details><summary>on the wire</summary><pre>${escaped(wire)}</pre></details>`]),
  ]
  const isOpen = outcome === 'failed' || shown !== undefined || compared !== undefined
  return `<li class="step ${outcome.replace(' ', '-')}">${inside.length === 0 ? `<p class="head">${head}</p>` : `<details${isOpen ? ' open' : ''}><summary class="head">${head}</summary>${inside.join('\n')}</details>`}</li>`
}

/** Numbers that keep their digits are written as they were. */
function exact(_name: string, value: unknown): unknown {
  return typeof value === 'object' && value !== null && 'source' in value && Object.keys(value).length === 1 ? String(value.source) : value
}

function troubleHtml({ message, details, side, advice, code }: NonNullable<StepReport['trouble']>): string {
  return [
    `<div class="trouble"><p>${escaped(message)}${code === undefined ? '' : ` <span class="faint">${escaped(code)}</span>`}</p>`,
    ...(details.length === 0 ? [] : [`<ul>${details.map((detail) => `<li>${escaped(detail)}</li>`).join('')}</ul>`]),
    ...[side, advice].filter((each) => each !== undefined).map((each) => `<p class="faint">${escaped(each)}</p>`),
    '</div>',
  ].join('')
}

function comparedHtml({ before, after, differences }: Compared): string {
  const count = (kind: string): number => new Set(differences.filter((each) => (each.field === undefined ? each.kind : 'changed') === kind).map(({ row }) => row)).size
  const counts = (['added', 'changed', 'gone'] as const).filter((kind) => count(kind) > 0).map((kind) => `${count(kind)} ${kind}`)
  const tables = `<div class="pair"><section><h4>before</h4>${markedHtml(before)}</section><section><h4>after</h4>${markedHtml(after)}</section></div>`
  return counts.length === 0 ? `<details><summary>nothing is different</summary>${tables}</details>` : `<p class="faint">${counts.join(', ')}</p>${tables}`
}

function markedHtml(table: MarkedTable): string {
  if (table.rows.length === 0) return '<p class="faint">no rows</p>'
  const withMarks: Table = { headings: ['', ...table.headings], rows: table.rows.map((row, at) => [table.marks[at] ?? '', ...row]) }
  return tableHtml(withMarks, (row) => row[0] ?? '')
}

function outcomeTag(outcome: StepReport['outcome']): string {
  return `<span class="outcome ${outcome.replace(' ', '-')}">${outcome}</span>`
}

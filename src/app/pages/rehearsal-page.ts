import { largest } from '../../contract/lists.js'
import {
  rowText,
  type Compared,
  type MarkedTable,
  type RehearsalReport,
  type StepReport,
} from '../../exercise/rehearsal/playing.js'
import type { Table } from '../../exercise/tabulate.js'
import { inMarkup, linkInMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { pageText } from './shell.js'
import { arrangedHtml, plainTable } from './tables-html.js'

/**
 * A page with what came of rehearsals: first what failed, why and where; then every step with what
 * was expected, shown and compared. Every step has an address of its own.
 */
export function rehearsalPage(reports: readonly RehearsalReport[], played: string): Markup {
  const failed = reports.some(({ outcome }) => outcome === 'failed')
  const title =
    reports.length === 1 ? (reports[0]?.title ?? markup``) : markup`${reports.length} rehearsals`
  const longest = largest(
    reports.flatMap(({ steps }) => steps.map((step) => step.milliseconds)),
    1,
  )
  const body = joined(
    [
      markup`<main>`,
      markup`<h1>${inMarkup(title)} ${outcomeTag(failed ? 'failed' : 'passed')}</h1>`,
      glanceHtml(reports, played),
      failuresHtml(reports),
      ...reports.map((report, at) => rehearsalHtml(report, at, reports.length > 1, longest)),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({
    title: `${title}: ${failed ? 'failed' : 'passed'}`,
    kind: 'rehearsal',
    body,
    styles: ['rows.css', 'report.css'],
    scripts: ['rows.js', 'boxes.js', 'report.js', 'printing.js'],
  })
}

/** The counts, how long it took, and when. */
function glanceHtml(reports: readonly RehearsalReport[], played: string): Markup {
  const steps = reports.flatMap((report) => report.steps)
  const count = (wanted: StepReport['outcome']): number =>
    steps.filter((step) => step.outcome === wanted).length
  const took = reports.reduce((sum, { milliseconds }) => sum + milliseconds, 0)
  const told = [
    markup`<strong>${count('passed')}</strong> of ${steps.length} steps passed`,
    ...(count('failed') === 0 ? [] : [markup`<strong>${count('failed')}</strong> failed`]),
    ...(count('left out') === 0 ? [] : [markup`<strong>${count('left out')}</strong> left out`]),
    markup`<span class="faint">${inMarkup(tookText(took))}</span>`,
    markup`<time class="faint" datetime="${inMarkup(played)}">${inMarkup(played.replace('T', ' ').replace(/\.\d+Z$/, ' UTC'))}</time>`,
  ]
  return markup`<div class="glance">${joined(
    told.map((each) => markup`<span>${each}</span>`),
    '',
  )}</div>`
}

/** What failed, with ways to it. */
function failuresHtml(reports: readonly RehearsalReport[]): Markup {
  const failures = reports.flatMap(({ steps, file }, report) =>
    steps.flatMap((step, at) => {
      if (step.outcome !== 'failed') return []
      const line = step.verdicts.find(({ met }) => !met)?.line ?? step.line
      const row =
        step.row === undefined
          ? markup``
          : markup` <span class="faint">${inMarkup(rowText(step.row))}</span>`
      return [
        markup`<li><a href="${linkInMarkup(stepId(report, at))}">${inMarkup(step.title)}</a>${row}<br>${inMarkup(reasonOf(step))} <span class="faint">${inMarkup(`${file}:${String(line)}`)}</span></li>`,
      ]
    }),
  )
  return failures.length === 0
    ? markup``
    : markup`<ul class="failures">${joined(failures, '\n')}</ul>`
}

/** Why a step failed, in one line. */
function reasonOf({ trouble, verdicts }: StepReport): string {
  if (trouble !== undefined) return trouble.message
  const unmet = verdicts.find(({ met }) => !met)
  return unmet === undefined ? '' : `${unmet.expected}: there was ${unmet.was ?? 'nothing'}`
}

function stepId(report: number, step: number): string {
  return `step-${report + 1}-${step + 1}`
}

function tookText(milliseconds: number): string {
  return milliseconds < 10_000 ? `${milliseconds} ms` : `${(milliseconds / 1000).toFixed(1)} s`
}

function rehearsalHtml(
  { title, file, outcome, steps }: RehearsalReport,
  report: number,
  isOneOfMany: boolean,
  longest: number,
): Markup {
  return joined(
    [
      ...(isOneOfMany ? [markup`<h2>${inMarkup(title)} ${outcomeTag(outcome)}</h2>`] : []),
      markup`<ol class="steps">`,
      ...runsOf(steps, outcome).map(({ from, to, isQuiet }) => {
        const lines = steps
          .slice(from, to)
          .map((step, at) => stepHtml(step, stepId(report, from + at), file, longest))
        const divide =
          steps[from]?.isAfterwards === true && steps[from - 1]?.isAfterwards !== true
            ? markup`<li class="divide faint">afterwards</li>`
            : markup``
        const what = steps[from]?.outcome ?? 'passed'
        return isQuiet
          ? markup`${divide}<li><details class="quiet"><summary>${to - from} steps ${inMarkup(what)}</summary><ol class="steps">${joined(lines, '\n')}</ol></details></li>`
          : markup`${divide}${joined(lines, '\n')}`
      }),
      markup`</ol>`,
    ],
    '\n',
  )
}

/** Of a rehearsal that failed, so many steps with the same outcome and nothing to show are folded. */
const fewestFolded = 4

/** Steps that are told together: long runs that say nothing, and others one by one. */
function runsOf(
  steps: readonly StepReport[],
  outcome: RehearsalReport['outcome'],
): { from: number; to: number; isQuiet: boolean }[] {
  const isTold = ({ outcome: own, shown, compared }: StepReport): boolean =>
    own === 'failed' || shown !== undefined || compared !== undefined
  const isAlike = (one: StepReport, other: StepReport): boolean =>
    one.outcome === other.outcome && one.isAfterwards === other.isAfterwards && !isTold(other)
  const runs: { from: number; to: number; isQuiet: boolean }[] = []
  for (const [at, step] of steps.entries()) {
    const run = runs.at(-1)
    const first = run === undefined ? undefined : steps[run.from]
    if (run !== undefined && first !== undefined && !isTold(first) && isAlike(first, step))
      run.to = at + 1
    else runs.push({ from: at, to: at + 1, isQuiet: false })
  }
  return runs.map((run) => ({
    ...run,
    isQuiet: outcome === 'failed' && run.to - run.from >= fewestFolded,
  }))
}

function stepHtml(step: StepReport, id: string, file: string, longest: number): Markup {
  const { outcome, shown, compared } = step
  const inside = insideHtml(step)
  const isOpen = outcome === 'failed' || shown !== undefined || compared !== undefined
  const head = headHtml(step, file, longest)
  const told =
    inside.length === 0
      ? markup`<div class="head">${head}</div>`
      : markup`<details${isOpen ? markup` open` : markup``}><summary class="head">${head}</summary>${joined(inside, '\n')}</details>`
  const kind = inMarkup(outcome.replace(' ', '-'))
  return markup`<li class="step ${kind}" id="${inMarkup(id)}">${told}</li>`
}

/** A step in one line: what came of it, what it is, where it stands, how long it took. */
function headHtml(step: StepReport, file: string, longest: number): Markup {
  const { title, outcome, contract, operation, milliseconds, status, row, line } = step
  const called =
    operation === undefined || operation === title
      ? contract
      : [contract, operation].filter((each) => each !== undefined).join(' ')
  const facts = [called, status === undefined ? undefined : `HTTP ${status}`].filter(
    (each) => each !== undefined && each !== '',
  )
  const isTimed = outcome !== 'left out' && operation !== undefined
  const share = Math.max(1, Math.round((milliseconds / longest) * 100))
  return joined(
    [
      outcomeTag(outcome),
      markup`<span class="what"><strong>${inMarkup(title)}</strong>${row === undefined ? markup`` : markup` ${inMarkup(rowText(row))}`} <span class="faint">${inMarkup(facts.join(' · '))}</span></span>`,
      markup`<span class="place faint">${inMarkup(`${file.split('/').at(-1) ?? file}:${String(line)}`)}</span>`,
      isTimed
        ? markup`<span class="took"><i aria-hidden="true"><b style="width:${share}%"></b></i>${inMarkup(tookText(milliseconds))}</span>`
        : markup`<span></span>`,
    ],
    '',
  )
}

function insideHtml({ trouble, verdicts, shown, compared, input, wire }: StepReport): Markup[] {
  return [
    ...(trouble === undefined ? [] : [troubleHtml(trouble)]),
    ...(verdicts.length === 0 ? [] : [verdictsHtml(verdicts)]),
    ...(shown === undefined ? [] : [arrangedHtml(shown)]),
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
}

function verdictsHtml(verdicts: StepReport['verdicts']): Markup {
  const lines = verdicts.map(({ expected, met, was, line }) => {
    const found = markup`<div>there was <code>${inMarkup(was ?? 'nothing')}</code> <span class="faint">line ${line}</span></div>`
    return markup`<li class="${met ? markup`met` : markup`unmet`}"><span class="sign">${met ? markup`✓` : markup`✗`}</span> ${inMarkup(expected)}${met ? markup`` : found}</li>`
  })
  return markup`<ul class="verdicts">${joined(lines, '')}</ul>`
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
  const tables = markup`<div class="pair"><section><p class="label">before</p>${markedHtml(before)}</section><section><p class="label">after</p>${markedHtml(after)}</section></div>`
  return counts.length === 0
    ? markup`<details><summary>nothing is different</summary>${tables}</details>`
    : markup`<p class="faint">${inMarkup(counts.join(', '))}</p>${tables}`
}

function markedHtml(table: MarkedTable): Markup {
  if (table.rows.length === 0) return markup`<p class="faint">no rows</p>`
  const withMarks: Table = {
    headings: ['change', ...table.headings],
    rows: table.rows.map((row, at) => [table.marks[at] ?? markup``, ...row]),
  }
  return plainTable(withMarks, (row) => row[0] ?? markup``)
}

function outcomeTag(outcome: StepReport['outcome']): Markup {
  return markup`<span class="outcome ${inMarkup(outcome.replace(' ', '-'))}">${inMarkup(outcome)}</span>`
}

import type { PlaceInDocument } from '../../contract/contract.js'
import { worse, type Judgement, type Verdict } from '../../compare/change.js'
import { inMarkup } from '../../printing/escaping.js'
import { joined, markup, type Markup } from '../../printing/safe-text.js'
import { nextVersionText, type Comparison, type PlacedChange } from '../compare-contracts.js'
import { foldChanges, type FoldedChange } from '../describe/fold-changes.js'
import { pageText } from './shell.js'

const nothing = markup``

/** What the parts of the page are called, by the worst that their changes do. */
const headings: Readonly<Record<Verdict, string>> = {
  break: 'Breaks',
  'may break': 'May break',
  fine: 'Fine',
}

/** A page with what differs between two contracts, both sides of every change beside each other. */
export function comparisonPage(comparison: Comparison, changes: readonly PlacedChange[]): Markup {
  const { contract, from, since, isAnother } = comparison
  const when = since === undefined ? '' : ` of ${since.slice(0, 16).replace('T', ' ')}`
  const parts = (Object.keys(headings) as Verdict[]).map((verdict) =>
    partHtml(
      verdict,
      changes.filter(({ calls, code }) => worse(calls.verdict, code.verdict) === verdict),
    ),
  )
  const body = joined(
    [
      markup`<main>`,
      markup`<h1>What changed in ${inMarkup(contract)}</h1>`,
      markup`<p class="faint">${inMarkup(`${since === undefined ? contract : 'The snapshot'}${when}, and ${from}`)}</p>`,
      ...(isAnother
        ? [
            markup`<p class="warning">Not one operation is in both: this is probably another service.</p>`,
          ]
        : []),
      changes.length === 0 ? markup`<p>Nothing differs.</p>` : countsHtml(changes),
      ...(changes.length > 12
        ? [
            markup`<p><input id="search" type="search" placeholder="Find a change" aria-label="Find a change"> <span id="found" class="faint" role="status"></span></p>`,
          ]
        : []),
      ...parts,
      compiledHtml(comparison),
      besideHtml(comparison),
      ...(changes.length === 0
        ? []
        : [markup`<p class="faint">${inMarkup(nextVersionText(comparison))}</p>`]),
      markup`</main>`,
    ],
    '\n',
  )
  return pageText({
    title: `What changed in ${contract}`,
    kind: 'comparison',
    body,
    styles: ['comparison.css'],
    scripts: ['comparison.js', 'boxes.js', 'printing.js'],
  })
}

function countsHtml(changes: readonly PlacedChange[]): Markup {
  const row = (of: 'calls' | 'code', whom: string): Markup =>
    markup`<tr><th scope="row">${inMarkup(whom)}</th>${joined(
      (Object.keys(headings) as Verdict[]).map((verdict) => {
        const count = changes.filter((change) => change[of].verdict === verdict).length
        return markup`<td>${count === 0 ? markup`<span class="faint">0</span>` : markup`${count}`} ${verdictTag(verdict)}</td>`
      }),
      '',
    )}</tr>`
  return markup`<table class="counts">${row('calls', 'Clients that run today')}${row('code', 'Your code with the next client')}</table>`
}

function partHtml(verdict: Verdict, changes: readonly PlacedChange[]): Markup {
  if (changes.length === 0) return nothing
  const head = markup`<summary><h2>${inMarkup(headings[verdict])} <span class="tag">${changes.length}</span></h2></summary>`
  return markup`<details class="part" ${verdict === 'fine' && changes.length > 30 ? nothing : markup`open`}>${head}\n${joined(foldChanges(changes).map(changeHtml), '\n')}</details>`
}

function changeHtml({ first: change, others }: FoldedChange): Markup {
  const { calls, code, text, probably, operations, subject } = change
  return joined(
    [
      markup`<section class="change">`,
      markup`<p class="head">${inMarkup(text)}</p>`,
      markup`<dl>${judgementHtml('calls', calls)}${judgementHtml('code', code)}</dl>`,
      ...(others.length === 0
        ? []
        : [
            markup`<details><summary>and the same in ${others.length} more</summary><p>${inMarkup(others.join(', '))}</p></details>`,
          ]),
      ...(probably === undefined
        ? []
        : [markup`<p>Probably it is called <code>${inMarkup(probably)}</code> now.</p>`]),
      sidesHtml(change),
      ...(subject.kind === 'type' && operations.length > 0 ? [operationsHtml(operations)] : []),
      usesHtml(change),
      markup`</section>`,
    ].filter((each) => each !== nothing),
    '\n',
  )
}

function judgementHtml(of: string, { verdict, because }: Judgement): Markup {
  return markup`<dt>${inMarkup(of)} ${verdictTag(verdict)}</dt><dd>${inMarkup(because)}</dd>`
}

function sidesHtml({ was, is, before, after }: PlacedChange): Markup {
  if (was === undefined && is === undefined && before === undefined && after === undefined)
    return nothing
  const side = (
    heading: string,
    value: string | undefined,
    place: PlaceInDocument | undefined,
  ): Markup =>
    markup`<div><span class="label">${inMarkup(heading)}</span>${value === undefined || value === '' ? nothing : markup`<code>${inMarkup(value)}</code> `}<span class="faint">${place === undefined ? markup`not there` : inMarkup(`${place.document}:${place.line}:${place.column}`)}</span></div>`
  return markup`<div class="sides">${side('was', was, before)}${side('is', is, after)}</div>`
}

function operationsHtml(operations: readonly string[]): Markup {
  const text = inMarkup(operations.join(', '))
  return operations.length < 6
    ? markup`<p class="faint">In ${text}</p>`
    : markup`<details><summary>in ${operations.length} operations</summary><p>${text}</p></details>`
}

function usesHtml({ uses = [] }: PlacedChange): Markup {
  return uses.length === 0
    ? nothing
    : markup`<table class="uses">${joined(
        uses.map(
          ({ file, line, text }) =>
            markup`<tr><td class="name">${inMarkup(`${file}:${String(line)}`)}</td><td><code>${inMarkup(text)}</code></td></tr>`,
        ),
        '',
      )}</table>`
}

function compiledHtml({ compiled }: Comparison): Markup {
  if (compiled === undefined) return nothing
  const { remark, findings } = compiled
  if (remark !== undefined) return markup`<p class="faint">${inMarkup(remark)}</p>`
  if (findings.length === 0) return markup`<p>Your code compiles with the next client.</p>`
  return joined(
    [
      markup`<h2>Your code does not compile with the next client</h2>`,
      markup`<table class="uses">`,
      ...findings.map(
        ({ file, line, text, code, message }) =>
          markup`<tr><td class="name">${inMarkup(`${file}:${String(line)}`)}</td><td><code>${inMarkup(text)}</code><br><span class="faint">${inMarkup(code)} ${inMarkup(message)}</span></td></tr>`,
      ),
      markup`</table>`,
    ],
    '\n',
  )
}

function besideHtml({ beside, vanished }: Comparison): Markup {
  return joined(
    [
      ...vanished.map((each) => markup`<p>${inMarkup(each)}</p>`),
      ...(beside.length === 0
        ? []
        : [
            markup`<p class="faint">New, and beside the choice of the project: ${inMarkup(beside.join(', '))}</p>`,
          ]),
    ],
    '\n',
  )
}

function verdictTag(verdict: Verdict): Markup {
  return markup`<span class="verdict ${inMarkup(verdict.replace(' ', '-'))}">${inMarkup(verdict)}</span>`
}

import { nextVersionText, type Comparison, type PlacedChange } from '../app/compare-contracts.js'
import { foldChanges } from '../app/describe/fold-changes.js'
import type { Verdict } from '../compare/change.js'
import { pc } from './colours.js'
import { count, print, say, terminalWidth, type Output } from './terminal.js'
import { wrapped } from './widths.js'

/** How much of a comparison is told. */
export interface ComparisonView {
  /** Also what does nothing to anybody. */
  readonly all: boolean
}

/** Of more changes than these every one is told in a line. */
const mostInFull = 60
/** So many lines of the caller's code are told for a change. */
const mostUses = 5

/** Tells what differs between two contracts, what hurts most first. */
export function tellComparison(
  comparison: Comparison,
  { all }: ComparisonView,
  output: Output,
): void {
  const { contract, from, since, changes, quiet, isAnother, beside, vanished } = comparison
  const shown = [...changes, ...(all ? quiet : [])]
  const when = since === undefined ? '' : `, of ${since.slice(0, 16).replace('T', ' ')}`
  print(`${pc.bold(contract)}${when}, and ${from}`)
  if (isAnother)
    say(
      output,
      `${pc.yellow('warning')} Not one operation is in both: this is probably another service.`,
    )
  if (shown.length === 0)
    print(`\nNothing differs${quiet.length === 0 ? '' : ' but words and order (--all)'}.`)
  else {
    print(summaryText(changes))
    print('')
    print(changesText(shown, terminalWidth()))
  }
  tellCompiled(comparison)
  for (const each of vanished) say(output, `\n${pc.yellow('note')} ${each}`)
  if (beside.length > 0)
    say(
      output,
      `\n${count(beside.length, 'new operation')} beside the choice of the project: ${beside.slice(0, 8).join(', ')}${beside.length > 8 ? ', …' : ''}`,
    )
  if (quiet.length > 0 && !all && shown.length > 0)
    say(
      output,
      pc.dim(`\n${count(quiet.length, 'more change')} of words, order and new types alone (--all)`),
    )
  if (shown.length > 0) print(`\n${nextVersionText(comparison)}`)
}

/** How many changes there are, and how many of each verdict for either side. */
function summaryText(changes: readonly PlacedChange[]): string {
  const told = (of: 'calls' | 'code'): string =>
    verdicts
      .map((verdict) => {
        const number = changes.filter((change) => change[of].verdict === verdict).length
        const text = `${String(number)} ${verdict}`.padEnd(14)
        return number === 0 ? pc.dim(text) : colourOf(verdict)(text)
      })
      .join('')
  return `${count(changes.length, 'change')}\n  calls  ${told('calls')}\n  code   ${told('code')}`
}

const verdicts: readonly Verdict[] = ['break', 'may break', 'fine']

function colourOf(verdict: Verdict): (text: string) => string {
  if (verdict === 'break') return pc.red
  return verdict === 'may break' ? pc.yellow : String
}

function changesText(changes: readonly PlacedChange[], width: number): string {
  const room = Math.max(40, Math.min(width, 160) - 2 * verdictWidth - 1)
  const isBrief = changes.length > mostInFull
  const head = `${pc.dim('calls'.padEnd(verdictWidth))}${pc.dim('code'.padEnd(verdictWidth))}${pc.dim('change')}`
  const folded = isBrief ? foldChanges(changes) : changes.map((first) => ({ first, others: [] }))
  const told = folded.map(({ first, others }) => linesOf(first, room, isBrief, others))
  return [
    head,
    // What takes several lines stands by itself.
    ...told.flatMap((lines, at) => [
      ...(at > 0 && (lines.length > 1 || (told[at - 1]?.length ?? 0) > 1) ? [''] : []),
      ...lines,
    ]),
  ].join('\n')
}

const verdictWidth = 11

function linesOf(
  change: PlacedChange,
  room: number,
  isBrief: boolean,
  others: readonly string[],
): string[] {
  const { calls, code } = change
  const isFine = calls.verdict === 'fine' && code.verdict === 'fine'
  const first = wrapped(change.text, room, true).map((line) => (isFine ? line : pc.bold(line)))
  const uses = (change.uses ?? []).slice(0, mostUses)
  const more = (change.uses?.length ?? 0) - uses.length
  const lines = [
    ...first,
    ...(others.length === 0
      ? []
      : wrapped(`and the same ${othersText(others)}`, room, true).map((line) => pc.dim(line))),
    ...(isBrief || isFine ? [] : detailLines(change, room)),
    ...uses.flatMap(({ file, line, text }) =>
      wrapped(`${pc.cyan(`${file}:${line}`)}  ${text}`, room, true),
    ),
    ...(more > 0 ? [pc.dim(`and ${count(more, 'more line')}`)] : []),
  ]
  const margin = ' '.repeat(2 * verdictWidth)
  return lines.map((line, at) =>
    at === 0
      ? `${verdictText(calls.verdict)}${verdictText(code.verdict)}${line}`
      : `${margin}${line}`,
  )
}

function detailLines({ calls, code, ...change }: PlacedChange, room: number): string[] {
  const reasons = [
    ...(calls.verdict === 'fine' ? [] : [`calls: ${calls.because}`]),
    ...(code.verdict === 'fine' ? [] : [`code: ${code.because}`]),
  ].join('; ')
  const places = [change.before, change.after]
    .filter((each) => each !== undefined)
    .map(({ document, line, column }) => `${document}:${line}:${column}`)
  const where = [
    [...new Set(places)].join(' and '),
    ...(change.subject.kind === 'type' ? [operationsText(change.operations)] : []),
  ].filter((each) => each !== '')
  return [
    ...wrapped(reasons, room),
    ...(change.probably === undefined
      ? []
      : wrapped(`Probably it is called ${change.probably} now.`, room)),
    ...wrapped(where.join(', in '), room, true).map((line) => pc.dim(line)),
  ]
}

/** Other things that the same happened to. */
function othersText(names: readonly string[]): string {
  const more = names.length - 6
  const few = names.slice(0, 6).join(', ')
  return `in ${more > 0 ? `${few} and ${String(more)} more` : few}`
}

function operationsText(paths: readonly string[]): string {
  if (paths.length === 0) return ''
  const first = paths.slice(0, 3).join(', ')
  return paths.length > 3 ? `${first} and ${count(paths.length - 3, 'more operation')}` : first
}

/** A verdict as a cell, in its colour. */
export function verdictText(verdict: Verdict): string {
  const text = verdict.padEnd(verdictWidth)
  return verdict === 'fine' ? pc.dim(text) : colourOf(verdict)(text)
}

/** What the compiler says of the caller's code, where it was asked. */
function tellCompiled({ compiled, changes }: Comparison): void {
  if (compiled === undefined) return
  const { findings, remark, already } = compiled
  if (remark !== undefined) {
    print(`\n${remark}`)
    return
  }
  if (already > 0)
    print(
      `\nYour code does not compile as it is, in ${count(already, 'place')}; what is told here comes on top.`,
    )
  if (findings.length === 0) {
    if (already > 0) return
    const isUsed = changes.some(({ uses }) => uses !== undefined)
    print(`\nYour code compiles with the next client${isUsed ? ' all the same' : ''}.`)
    return
  }
  const room = Math.max(40, Math.min(terminalWidth(), 160) - 2)
  print(`\nYour code does not compile with the next client, in ${count(findings.length, 'place')}:`)
  for (const { file, line, code, message, text } of findings.slice(0, 20)) {
    print(
      wrapped(`${pc.cyan(`${file}:${line}`)}  ${text}`, room - 2, true)
        .map((each, at) => `${at === 0 ? '  ' : '    '}${each}`)
        .join('\n'),
    )
    print(
      wrapped(`${pc.dim(code)}  ${message}`, room - 2, true)
        .map((each) => `    ${each}`)
        .join('\n'),
    )
  }
  if (findings.length > 20) print(`  and ${count(findings.length - 20, 'more')}`)
}

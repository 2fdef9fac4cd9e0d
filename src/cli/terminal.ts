import type { Problem } from '../app/problems.js'
import { maskedJson, withoutSecrets } from '../app/auth/secrets.js'
import { pc, shown } from './colours.js'

/** How a command talks: what the global options say. */
export interface Output {
  readonly json: boolean
  readonly quiet: boolean
  readonly logFile: string | undefined
}

/** The width to print in: the terminal's, or a steady one where there is none. */
export function terminalWidth(): number {
  return knownWidth() ?? 120
}

/** How wide rows of an answer may be: what is piped to another program is never wrapped. */
export function rowsWidth(): number {
  return knownWidth() ?? Number.POSITIVE_INFINITY
}

function knownWidth(): number | undefined {
  // Some terminals say nothing of their width, which comes as 0.
  const said = [process.stdout.columns, Number(process.env['COLUMNS'] ?? '')]
  return said.find((columns) => columns > 0)
}

/** Answers go to standard output, without secrets. */
export function print(text: string): void {
  endProgress()
  process.stdout.write(shown(withLineEnd(withoutSecrets(text))))
}

/**
 * An answer that programs read too, as CSV or bare text: as it is where none sits at a terminal.
 */
export function printData(text: string): void {
  endProgress()
  const whole = withLineEnd(withoutSecrets(text))
  process.stdout.write(process.stdout.isTTY ? shown(whole) : whole)
}

/** A piece of an answer that is printed bit by bit; JSON stays JSON. */
export function printPiece(text: string, format: 'json' | 'csv' | 'html' | 'ndjson'): void {
  endProgress()
  process.stdout.write(format === 'csv' && !process.stdout.isTTY ? text : shown(text))
}

export function printJson(value: unknown): void {
  // Masked in its texts: masking the whole might leave no JSON. What a terminal would obey is
  // escaped, which means the same in JSON.
  process.stdout.write(`${shown(maskedJson(value, 2))}\n`)
}

/** A value as JSON on one line, for programs that read line by line. */
export function printLine(value: unknown): void {
  process.stdout.write(`${shown(maskedJson(value))}\n`)
}

function withLineEnd(text: string): string {
  return text.endsWith('\n') ? text : `${text}\n`
}

/** Notes, progress and whatever else is not the answer go to standard error. */
export function say(output: Output, text: string): void {
  if (!output.quiet && !output.json) tellAll(`${text}\n`)
}

/** What is told on standard error whatever was asked for, line ends as they are. */
export function tellAll(text: string): void {
  endProgress()
  process.stderr.write(shown(withoutSecrets(text)))
}

/** Is there somebody to see progress? */
export function showsProgress(output: Output): boolean {
  return process.stderr.isTTY && !output.quiet && !output.json
}

let hasProgress = false

/** Writes over the line of progress; with nothing it is gone, as it is before anything is told. */
export function progress(output: Output, text = ''): void {
  if (!showsProgress(output)) return
  process.stderr.write(`\r\u001b[K${shown(text)}`)
  hasProgress = text !== ''
}

function endProgress(): void {
  if (hasProgress) process.stderr.write('\r\u001b[K')
  hasProgress = false
}

/**
 * A problem as people read it: code and place first, then what happened, what is wrong in detail,
 * and what to try.
 */
export async function problemText(problem: Problem): Promise<string> {
  const { wrapped } = await import('./widths.js')
  const { place } = problem
  const where =
    place === undefined
      ? ''
      : `${place.document}${place.line === undefined ? '' : `:${place.line}:${place.column ?? 1}`}${place.pointer === undefined ? '' : ` ${place.pointer}`}`
  const head = `error ${problem.code}  `
  const width = Math.max(60, Math.min(terminalWidth(), 120)) - head.length
  const body = [
    ...wrapped(
      [where === '' ? '' : pc.bold(where), problem.message]
        .filter((part) => part !== '')
        .join('  '),
      width,
    ),
    ...problem.details.flatMap((detail) =>
      wrapped(detail, width - 2).map((line, at) => `${at === 0 ? '- ' : '  '}${line}`),
    ),
    ...(problem.side === undefined ? [] : wrapped(problem.side.because, width)),
    // What helps is what she looks for: it is as visible as what is wrong.
    ...(problem.advice === '' ? [] : wrapped(problem.advice, width)),
  ]
  return body
    .map((line, at) =>
      at === 0
        ? `${pc.red('error')} ${pc.bold(problem.code)}  ${line}`
        : `${' '.repeat(head.length)}${line}`,
    )
    .join('\n')
}

/** Says what else goes by the name that was given, and how it can be had. */
export function sayOthers(output: Output, others: readonly string[] = []): void {
  if (others.length > 0) say(output, `\nAlso of that name: ${others.join(', ')}`)
}

/** One or many of something: `1 operation`, `2 operations`. */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`
}

import pc from 'picocolors'
import type { Problem } from '../app/problems.js'
import { maskedJson, withoutSecrets } from '../app/secrets.js'

/** How a command talks: what the global options say. */
export interface Voice {
  readonly json: boolean
  readonly quiet: boolean
  readonly logFile: string | undefined
}

/** The width to print in: the terminal's, or a steady one where there is none. */
export function terminalWidth(): number {
  // Some terminals say nothing of their width, which comes as 0.
  return [process.stdout.columns, Number(process.env['COLUMNS'] ?? '')].find((columns) => columns > 0) ?? 120
}

/** Answers go to standard output, without secrets. */
export function print(whole: string): void {
  const text = withoutSecrets(whole)
  process.stdout.write(text !== '' && text.endsWith('\n') ? text : `${text}\n`)
}

export function printJson(value: unknown): void {
  // Masked in its texts: masking the whole might leave no JSON.
  process.stdout.write(`${maskedJson(value, 2)}\n`)
}

/** Notes, progress and whatever else is not the answer go to standard error. */
export function say(voice: Voice, text: string): void {
  if (!voice.quiet && !voice.json) process.stderr.write(`${withoutSecrets(text)}\n`)
}

/** A problem as people read it: code and place first, then what happened, what is wrong in detail, and what to try. */
export async function problemText(problem: Problem): Promise<string> {
  const { wrapAnsi: wrap } = await import('fast-wrap-ansi')
  const { place } = problem
  const where = place === undefined ? '' : `${place.document}${place.line === undefined ? '' : `:${place.line}:${place.column ?? 1}`}`
  const head = `error ${problem.code}  `
  const width = Math.max(60, Math.min(terminalWidth(), 120)) - head.length
  const body = [
    ...wrap([where === '' ? '' : pc.bold(where), problem.message].filter((part) => part !== '').join('  '), width).split('\n'),
    ...problem.details.flatMap((detail) => wrap(detail, width - 2).split('\n').map((line, at) => `${at === 0 ? '- ' : '  '}${line}`)),
    ...(problem.side === undefined ? [] : wrap(problem.side.because, width).split('\n')),
    ...(problem.advice === '' ? [] : wrap(problem.advice, width).split('\n').map((line) => pc.dim(line))),
  ]
  return body.map((line, at) => (at === 0 ? `${pc.red('error')} ${pc.bold(problem.code)}  ${line}` : `${' '.repeat(head.length)}${line}`)).join('\n')
}

/** A problem as scripts get it. */
export function failureJson(problem: Problem, further: Readonly<Record<string, unknown>> = {}): object {
  const { code, kind, message, place, details, side, advice } = problem
  return { ok: false, failure: { kind, code, message, ...(place === undefined ? {} : { place }), ...(details.length === 0 ? {} : { details }), ...(side === undefined ? {} : { side: side.of }), advice, ...further } }
}

/** A text that leads to an address, on terminals that follow links (OSC 8); the text alone elsewhere. */
export function linked(text: string, url: string): string {
  return process.stdout.isTTY && pc.isColorSupported ? `\u001b]8;;${url}\u001b\\${text}\u001b]8;;\u001b\\` : text
}

/** One or many of something: `1 operation`, `2 operations`. */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${number} ${number === 1 ? one : many}`
}

import { setFlagsFromString } from 'node:v8'
import { pc } from './colours.js'
import { callEach, type EachOptions, type Progress, type Run } from '../app/call-each.js'
import { exitCodes } from '../app/problems.js'
import {
  outcomeFormat,
  outcomeTable,
  outcomeTexts,
  saveOutcomes,
} from '../app/calls/save-outcomes.js'
import { count, print, printPiece, progress, say, showsProgress, type Output } from './terminal.js'

/** So many rows of the table, and so many failing rows behind it, are shown. */
const mostShown = { rows: 100, failures: 20 }
/** What shells say of a program that was interrupted. */
const interrupted = 130

export interface EachCommand extends Omit<EachOptions, 'signal' | 'onProgress'> {
  readonly format: string
  readonly columns: string | undefined
  readonly save: string | undefined
  readonly exact: boolean | undefined
}

/** Calls an operation for each row of a file, tells what came of it, and gives the exit code. */
export async function runEach(
  contract: string,
  operation: string,
  file: string,
  command: EachCommand,
  output: Output,
): Promise<number> {
  if (command.save !== undefined) outcomeFormat(command.save)
  // Left to itself, V8 lets what is done with pile up before it looks for it: with very many rows
  // that is most of the memory.
  setFlagsFromString('--heap-growing-percent=20')
  const stop = new AbortController()
  const onInterrupt = (): void => {
    if (stop.signal.aborted) process.exit(interrupted)
    stop.abort()
    say(output, 'Waiting for the calls that are under way; Ctrl-C again ends at once.')
  }
  process.on('SIGINT', onInterrupt)
  try {
    const run = await callEach(contract, operation, file, {
      ...command,
      signal: stop.signal,
      onProgress: progressLine(output),
    })
    progress(output)
    const whole = run.stopped === undefined && run.failed === 0
    try {
      if (command.save !== undefined)
        await saveOutcomes(command.save, run, command.columns, command.exact)
      await printOutcomes(run, command, output)
    } finally {
      await run.results.close(!whole)
    }
    tellEnd(run, command.save, output)
    if (run.stopped === 'asked') return interrupted
    if (whole) return 0
    return exitCodes.difference
  } finally {
    process.off('SIGINT', onInterrupt)
  }
}

async function printOutcomes(
  run: Run,
  { format, columns, save }: EachCommand,
  output: Output,
): Promise<void> {
  if (output.json) {
    printPiece(
      `{"ok": ${String(run.failed === 0 && run.stopped === undefined)}, "rows": ${run.rows}, "done": ${run.done}, "failed": ${run.failed}, "results": `,
      'json',
    )
    for await (const text of outcomeTexts(run, 'json', columns)) printPiece(text, 'json')
    printPiece('}\n', 'json')
    return
  }
  if (save !== undefined) print(`Saved: ${save}  ${count(run.done + run.failed, 'row')}`)
  else if (format === 'json' || format === 'csv')
    for await (const text of outcomeTexts(run, format, columns)) printPiece(text, format)
  else {
    const { rowsText } = await import('./row-tables.js')
    const { headings, rows } = await outcomeTable(run, columns, mostShown.rows + 1)
    if (rows.length > 0)
      print(rowsText({ headings, rows: rows.slice(0, mostShown.rows) }, '', columns !== undefined))
    if (rows.length > mostShown.rows) {
      say(output, pc.dim('… and more: --save writes them all to a file.'))
      await tellFailures(run, output)
    }
  }
}

/** The rows that failed, where the table is too long for all of them. */
async function tellFailures({ results, failed }: Run, output: Output): Promise<void> {
  if (failed === 0) return
  let told = 0
  for await (const { row, ok, failure } of results.outcomes()) {
    if (ok) continue
    if (told === mostShown.failures) break
    told += 1
    say(
      output,
      `${pc.red('failed')}  row ${row}  ${failure?.code ?? ''}  ${failure?.message ?? ''}`,
    )
  }
  if (failed > told) say(output, pc.red(`… and ${failed - told} more`))
}

/**
 * Counts, and how to go on. Rows that failed are in the table; when that has many rows they are
 * told again.
 */
function tellEnd(
  { rows, done, failed, before, stopped, results }: Run,
  save: string | undefined,
  output: Output,
): void {
  if (rows === 0) {
    say(output, 'There are no rows in the file.')
    return
  }
  const counts = [
    `${done} of ${count(rows, 'row')} went well`,
    ...(before === 0 ? [] : [`${before} of them in an earlier run`]),
    ...(failed === 0 ? [] : [pc.red(`${failed} failed`)]),
  ]
  say(output, counts.join(', '))
  if (stopped === 'nobody answers')
    say(
      output,
      pc.yellow('Stopped: one call after the other did not get through, or was refused a login.'),
    )
  if (stopped === undefined && failed === 0) return
  const tried = failed > 0 ? 'those that are left and those that failed' : 'those that are left'
  const answers = save === undefined && !output.json ? ', every answer included' : ''
  say(output, `--resume tries ${tried}; what was done is kept in ${results.path}${answers}.`)
}

function progressLine(output: Output): ((progress: Progress) => void) | undefined {
  if (!showsProgress(output)) return undefined
  let shown = 0
  return ({ rows, done, failed }) => {
    const now = Date.now()
    if (now - shown < 100 && done + failed < rows) return
    shown = now
    progress(output, `${done + failed} of ${rows} rows${failed === 0 ? '' : `, ${failed} failed`}`)
  }
}

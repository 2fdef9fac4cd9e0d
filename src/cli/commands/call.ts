import { text as readAll } from 'node:stream/consumers'
import type { Command } from 'commander'
import { callOperation, type Called, type CallOptions } from '../../app/call-operation.js'
import { prepareAnswer } from '../../app/calls/finish-answer.js'
import { isPlainExchange, plainExchange, withText } from '../../app/calls/plain-exchange.js'
import { problem } from '../../app/problems.js'
import { saveHar } from '../../app/calls/save-har.js'
import { readTextFile } from '../../app/files/text-files.js'
import { pc } from '../colours.js'
import { readCount } from '../options.js'
import { globalsOf } from '../run.js'
import { say, type Output } from '../terminal.js'
import { tellOperations } from '../which-operation.js'
import { callOptionsOf, checkTogether, declareOptions, type Options } from './call-options.js'
import { report } from './call-report.js'

export function declare(command: Command): void {
  declareOptions(command)
  command
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach call berths listBerths --columns "Code, Basin=Where, Dues"\n  tolmach call berths quoteDues --with Vessel=BKM-114 --with Nights=3\n  tolmach call berths quoteDues --each stays.csv --fill "Vessel=Ship, Nights" --parallel 4\n  tolmach call berths quoteDues --ask\n  tolmach call https://gauge.example/tides GET --with port=BRK      an address, without a contract\n  tolmach sample berths reserveBerth | tolmach call berths reserveBerth --input - --preview',
    )
    .action(async (contract: string, named: string | undefined, options: Options) => {
      const { project, output } = globalsOf(command)
      if (named === undefined && options.calls === undefined) {
        await tellOperations(contract, 'call', project, output)
        return
      }
      checkTogether(options)
      const input = options.input === undefined ? undefined : await readInputText(options.input)
      const asked = callOptionsOf(options, project, input)
      const { operation, options: wanted } =
        named !== undefined && isPlainExchange(contract, named)
          ? plainExchange(contract, named, asked)
          : { operation: named, options: asked }
      if (options.calls !== undefined) {
        if (operation !== undefined) throw saidTwice(operation)
        process.exitCode = await callTogether(contract, options.calls, options, wanted, output)
      } else if (operation !== undefined)
        process.exitCode =
          options.each === undefined
            ? await callOne(contract, operation, options, wanted, output)
            : await callRows(contract, operation, options.each, options, wanted, output)
    })
}

function saidTwice(operation: string): Error {
  return problem('TM-1010', {
    option: '--calls',
    reason: `the file says what is called, and so does "${operation}"`,
    remedy: 'Leave one of the two out.',
  })
}

async function callOne(
  contract: string,
  operation: string,
  options: Options,
  wanted: CallOptions,
  output: Output,
): Promise<number> {
  // What can't be understood is told before anything is sent.
  const finish = await prepareAnswer(options)
  const show = async (called: Called): Promise<number> => {
    const { aside, result } = called
    if (aside !== undefined && aside.why !== 'no project')
      say(output, pc.dim(`A client was built aside for this call, because ${aside.words}.`))
    if (options.har !== undefined && result.exchanges.length > 0) await saveHar(options.har, called)
    const shown = wanted.described === undefined ? called : withText(called)
    return report(shown, finish, options, output)
  }
  if (options.ask !== true) return show(await callOperation(contract, operation, wanted))
  const { askAndCall } = await import('../ask.js')
  return askAndCall(contract, operation, wanted, show, output)
}

/** Several calls in one request. */
async function callTogether(
  contract: string,
  file: string,
  { together }: Options,
  wanted: CallOptions,
  output: Output,
): Promise<number> {
  const { runTogether } = await import('../together.js')
  const calls = await readInputText(file)
  return runTogether(contract, { ...wanted, calls, together }, output)
}

/** One call for each row of a file. */
async function callRows(
  contract: string,
  operation: string,
  file: string,
  options: Options,
  wanted: CallOptions,
  output: Output,
): Promise<number> {
  const { runEach } = await import('../each.js')
  const { fill, pick, format, columns, save, exact, parallel = '1' } = options
  const again = options.overwrite === true ? 'overwrite' : 'start'
  return runEach(
    contract,
    operation,
    file,
    {
      ...wanted,
      fill,
      parallel: readCount(parallel, '--parallel', 1000),
      pick,
      mode: options.resume === true ? 'resume' : again,
      format,
      columns,
      save,
      exact,
    },
    output,
  )
}

async function readInputText(file: string): Promise<{ text: string; what: string }> {
  if (file === '-') return { text: await readAll(process.stdin), what: 'standard input' }
  return { text: await readTextFile(file), what: file }
}

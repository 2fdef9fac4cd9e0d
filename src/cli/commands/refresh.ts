import type { Command } from 'commander'
import { sayNoContracts } from '../next-steps.js'
import { comparisonSummary } from '../../app/compare-contracts.js'
import { checkReportFile, saveComparison } from '../../app/save-comparison.js'
import { listContracts } from '../../app/list-contracts.js'
import { exitCodes, Problem, problem } from '../../app/problems.js'
import { problemJson } from '../../app/problem-json.js'
import { planRefresh, type PlannedRefresh, type Refreshed } from '../../app/refresh-contract.js'
import { pc } from '../colours.js'
import { tellComparison } from '../comparison-text.js'
import { readDuration } from '../options.js'
import { person } from '../person.js'
import { globalsOf, tell } from '../run.js'
import { count, print, printJson, say, type Output } from '../terminal.js'

interface Options {
  readonly yes?: boolean
  readonly preview?: boolean
  readonly from?: string
  readonly all?: boolean
  readonly uses?: boolean
  readonly save?: string
  readonly credential?: string
  readonly timeout?: string
}

/** What came of one contract. */
interface Told {
  readonly plan: PlannedRefresh
  readonly refreshed: Refreshed | undefined
}

export function declare(command: Command): void {
  command
    .option('--yes', 'write without asking, whatever it breaks')
    .option('--preview', 'tell what would change, and write nothing')
    .option('--from <location>', 'read another file or address from now on')
    .option('--no-uses', 'do not look for what the changes hurt in your own code')
    .option('--all', 'also tell changes of nothing but words, order and examples')
    .option('--save <file>', 'write the report as .html, .md or .json')
    .option('--credential <name>', 'the credential of tolmach.yaml that the metadata is had with')
    .option('--timeout <time>', 'how long to wait for each document, like 10s')
    .addHelpText(
      'after',
      '\nReads the sources of contracts again, tells what has changed, and replaces snapshot and client together.\nNobody is asked where nothing breaks. Ends with 6 where something differs and was not written.\n\nExamples:\n  tolmach refresh                    all contracts of the project\n  tolmach refresh berths --preview\n  tolmach refresh berths --from "https://desk.brackmouth.example/v2/desk?wsdl" --yes',
    )
    .action(async (contracts: readonly string[], options: Options) => {
      const { project, output } = globalsOf(command)
      const names =
        contracts.length > 0
          ? contracts
          : (await listContracts({ project })).map((each) => each.contract)
      if (names.length === 0 && !output.json) sayNoContracts(output)
      checkTogether(names, options)
      if (options.save !== undefined) checkReportFile(options.save)
      const results: object[] = []
      for (const name of names) {
        const told = await refreshOne(name, options, project, output).catch((error: unknown) => {
          // One that can't be had does not hold up the others.
          if (!(error instanceof Problem) || names.length === 1) throw error
          return error
        })
        if (told instanceof Problem) {
          results.push({ contract: name, ...problemJson(told) })
          const code = output.json ? exitCodes[told.kind] : await tell(told, output, told)
          process.exitCode = Math.max(Number(process.exitCode ?? 0), code)
        } else results.push(summaryOf(told, options))
      }
      if (output.json) printJson(results.length === 1 ? results[0] : results)
    })
}

/** What can only be meant of one contract. @throws Problem TM-1010 */
function checkTogether(names: readonly string[], { from, save }: Options): void {
  const option = from === undefined ? '--save' : '--from'
  if (names.length !== 1 && (from !== undefined || save !== undefined))
    throw problem('TM-1010', {
      option,
      reason: 'it can only be meant of one contract',
      remedy: 'Name the contract.',
    })
}

async function refreshOne(
  name: string,
  options: Options,
  project: string | undefined,
  output: Output,
): Promise<Told> {
  const { from, credential, timeout, save, all = false } = options
  const plan = await planRefresh(name, {
    project,
    from,
    credential,
    uses: options.uses,
    person: output.json ? undefined : person,
    seconds: timeout === undefined ? undefined : readDuration(timeout),
  })
  const { comparison } = plan
  if (save !== undefined) await saveComparison(save, comparison, all)
  if (!output.json) {
    if (plan.isCurrent) print(`${pc.bold(name)}: nothing has changed`)
    else tellComparison(comparison, { all }, output)
  }
  const refreshed = (await isWanted(plan, options, output)) ? await plan.write() : undefined
  if (refreshed !== undefined) tellRefreshed(refreshed, output)
  else if (!plan.isCurrent) {
    process.exitCode = Math.max(Number(process.exitCode ?? 0), exitCodes.difference)
    if (options.preview !== true) say(output, '\nNothing was written; --yes writes.')
  }
  return { plan, refreshed }
}

async function isWanted(
  plan: PlannedRefresh,
  { yes, preview }: Options,
  output: Output,
): Promise<boolean> {
  if (plan.isCurrent || preview === true) return false
  if (yes === true || plan.isHarmless) return true
  if (output.json || !person.isThere) return false
  const answer = await person.ask('\nRefresh it all the same? [y/N]', true)
  say(output, '')
  return /^y(?:es)?$/i.test(answer?.trim() ?? '')
}

function tellRefreshed(
  { contract, folder, client, runtime, along }: Refreshed,
  output: Output,
): void {
  if (output.json) return
  const files = client === undefined ? [] : [...client.added, ...client.changed, ...client.removed]
  print(
    `\n${pc.green('refreshed')} ${pc.bold(contract)}: the snapshot${client === undefined ? '' : `, and ${count(files.length, 'file')} in ${folder}`}`,
  )
  if (runtime !== undefined)
    say(output, `The shared runtime in ${runtime.folder} was written, too.`)
  if (along !== undefined)
    say(output, `With it: the ${along.length === 1 ? 'client' : 'clients'} of ${along.join(', ')}`)
}

function summaryOf({ plan, refreshed }: Told, { all = false }: Options): object {
  const { comparison, isCurrent } = plan
  return {
    ...comparisonSummary(comparison, all),
    current: isCurrent,
    written: refreshed !== undefined,
    ...(refreshed?.client === undefined ? {} : { client: refreshed.client }),
  }
}

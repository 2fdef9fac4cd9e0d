import type { Command } from 'commander'
import { compareContracts, comparisonSummary, isTooMuch } from '../../app/compare-contracts.js'
import { exitCodes, problem } from '../../app/problems.js'
import { checkReportFile, saveComparison } from '../../app/save-comparison.js'
import type { Verdict } from '../../compare/change.js'
import { tellComparison } from '../comparison-text.js'
import { readDuration } from '../options.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { printJson, say } from '../terminal.js'

interface Options {
  readonly uses?: boolean
  readonly all?: boolean
  readonly tolerate?: string
  readonly save?: string
  readonly credential?: string
  readonly timeout?: string
}

export function declare(command: Command): void {
  command
    .option('--uses', 'look for what the changes hurt in your own code, and compile it')
    .option('--tolerate <verdict>', 'end with 0 for changes that are not worse: fine or may')
    .option('--all', 'also tell changes of nothing but words, order and examples')
    .option('--save <file>', 'write the report as .html, .md or .json')
    .option('--credential <name>', 'the credential of tolmach.yaml that the metadata is had with')
    .option('--timeout <time>', 'how long to wait for each document, like 10s')
    .addHelpText(
      'after',
      '\nCompares the snapshot of a contract with its source as it is now, or with another place. Nothing is written.\nEnds with 6 where something differs.\n\nExamples:\n  tolmach compare berths\n  tolmach compare berths ./desk-2.wsdl --uses\n  tolmach compare old/openapi.yaml new/openapi.yaml --save changes.md\n  tolmach compare berths --tolerate may',
    )
    .action(async (contract: string, location: string | undefined, options: Options) => {
      const { project, output } = globalsOf(command)
      const tolerated = readTolerated(options.tolerate)
      if (options.save !== undefined) checkReportFile(options.save)
      const comparison = await compareContracts(contract, location, {
        project,
        uses: options.uses,
        credential: options.credential,
        person: output.json ? undefined : person,
        seconds: options.timeout === undefined ? undefined : readDuration(options.timeout),
      })
      const all = options.all === true
      if (options.save !== undefined) await saveComparison(options.save, comparison, all)
      if (output.json) printJson(comparisonSummary(comparison, all))
      else tellComparison(comparison, { all }, output)
      if (options.save !== undefined) say(output, `\nSaved: ${options.save}`)
      if (isTooMuch(comparison, tolerated)) process.exitCode = exitCodes.difference
    })
}

/** The worst verdict that somebody puts up with. @throws Problem TM-1010 */
export function readTolerated(text: string | undefined): Verdict | undefined {
  if (text === undefined) return undefined
  const known: Readonly<Record<string, Verdict>> = { fine: 'fine', may: 'may break' }
  const verdict = Object.hasOwn(known, text) ? known[text] : undefined
  if (verdict === undefined)
    throw problem('TM-1010', {
      option: '--tolerate',
      reason: `"${text}" is neither fine nor may`,
      remedy: 'Write --tolerate fine or --tolerate may.',
    })
  return verdict
}

import type { Command } from 'commander'
import {
  checkJunit,
  checkProject,
  checkSummary,
  isSound,
  type Checked,
} from '../../app/check-project.js'
import { saveText } from '../../app/files/text-files.js'
import { exitCodes } from '../../app/problems.js'
import { pc } from '../colours.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { count, print, printJson, terminalWidth } from '../terminal.js'
import { wrapped } from '../widths.js'

export function declare(command: Command): void {
  command
    .option('--reach', 'also ask the services: endpoints, certificates, metadata')
    .option('--junit <file.xml>', 'write a report as JUnit XML, for build servers')
    .addHelpText(
      'after',
      '\nLooks at the project file, snapshots, names, clients, samples, rehearsals and secrets.\nEnds with 6 where something is not as it should be.\n\nExamples:\n  tolmach check\n  tolmach check berths --reach\n  tolmach check --junit check.xml',
    )
    .action(
      async (
        contracts: readonly string[],
        options: { readonly reach?: boolean; readonly junit?: string },
      ) => {
        const { project, output } = globalsOf(command)
        const checked = await checkProject({
          project,
          contracts,
          reach: options.reach,
          person: output.json ? undefined : person,
        })
        if (options.junit !== undefined) await saveText(options.junit, checkJunit(checked))
        if (output.json) printJson(checkSummary(checked))
        else print(checkedText(checked))
        if (!isSound(checked)) process.exitCode = exitCodes.difference
      },
    )
}

/** A line for every finding, and one for what all looks came to. */
function checkedText(checked: readonly Checked[]): string {
  const found = checked.flatMap(({ contract, check, findings }) =>
    findings.map((each) => ({ of: [contract, check].filter(Boolean).join(' '), ...each })),
  )
  const width = Math.max(60, Math.min(terminalWidth(), 140)) - 2
  const lines = found.flatMap(({ of, place, message, remedy }) => [
    ...wrapped(
      `${pc.red('✗')} ${pc.bold(of)}  ${place === undefined ? '' : `${place}  `}${message}`,
      width,
      true,
    ).map((line, at) => (at === 0 ? line : `  ${line}`)),
    ...(remedy === '' ? [] : wrapped(remedy, width - 2, true).map((line) => `  ${pc.dim(line)}`)),
  ])
  const looked = checked.filter(
    ({ skipped, findings }) => skipped === undefined || findings.length > 0,
  )
  const sound = looked.filter(({ findings }) => findings.length === 0).length
  const skipped = checked
    .filter((each) => !looked.includes(each))
    .map(({ contract, check, skipped: why }) =>
      pc.dim(`- ${[contract, check].filter(Boolean).join(' ')}: ${why ?? ''}`),
    )
  return [
    ...lines,
    ...(lines.length === 0 ? [] : ['']),
    ...skipped,
    `${found.length === 0 ? pc.green('sound') : pc.red(count(found.length, 'finding'))}  ${String(sound)} of ${count(looked.length, 'check')} passed`,
  ].join('\n')
}

import type { Command } from 'commander'
import { packClients, packedSummary, type Packed } from '../../app/pack-clients.js'
import { pc } from '../colours.js'
import { verdictText } from '../comparison-text.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { count, print, printJson, say, type Output } from '../terminal.js'

interface Options {
  readonly to?: string
  readonly name?: string
  readonly version?: string
  readonly license?: string
  readonly author?: string
  readonly overwrite?: boolean
}

export function declare(command: Command): void {
  command
    .option('--to <folder>', 'where the package and its archive are put (default: packed)')
    .option('--name <package>', 'what the package is called (default: <contract>-client)')
    .option(
      '--version <version>',
      'its version; auto moves the last one on by what callers notice (default: auto)',
    )
    .option('--license <expression>', "its licence, where the project's package.json has none")
    .option('--author <text>', "its author, where the project's package.json has none")
    .option('--overwrite', 'write over files that were edited by hand')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach pack berths\n  tolmach pack berths --version 1.2.0 --license UNLICENSED\n  tolmach pack berths ferries --name @harbour/clients --to out',
    )
    .action(async (contracts: readonly string[], options: Options) => {
      const { project, output } = globalsOf(command)
      const packed = await packClients(contracts, { ...options, project, person })
      if (output.json) printJson(packedSummary(packed))
      else sayPacked(packed, output)
    })
}

/** So many changes are told; the package's own list has all of them. */
const mostChanges = 8

function sayPacked(packed: Packed, output: Output): void {
  const { version, after, folder, archive, changes, isCurrent, remarks } = packed
  print(`${pc.bold(packed.package)} ${version}  ${folder}  ${count(packed.files, 'file')}`)
  print(`${pc.bold('archive')}  ${archive.file}  ${sizeOf(archive.bytes)}`)
  print(`${pc.bold('SHA-256')}  ${archive.digest}`)
  if (isCurrent) print('Nothing changed: the package was current.')
  else if (after !== undefined)
    print(`Since ${after}${changes.length === 0 ? ', nothing that callers notice.' : ':'}`)
  for (const { client, verdict, text } of changes.slice(0, mostChanges))
    print(`  ${verdictText(verdict)}${client === undefined ? '' : `${client}: `}${text}`)
  if (changes.length > mostChanges)
    print(`  ${count(changes.length - mostChanges, 'more change')} in ${folder}/CHANGELOG.md`)
  for (const remark of remarks) say(output, `${pc.yellow('note')} ${remark}`)
  say(
    output,
    `\nWhoever gets the archive installs it:\n  ${pc.bold(`npm install ./${archive.file}`)}`,
  )
}

function sizeOf(bytes: number): string {
  return `${Math.ceil(bytes / 1000).toLocaleString('en')} kB`
}

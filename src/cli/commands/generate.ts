import type { Command } from 'commander'
import { pc } from '../colours.js'
import { generateClient, type Generated } from '../../app/generate-client.js'
import { listContracts } from '../../app/list-contracts.js'
import { globalsOf } from '../run.js'
import { sayClashes } from './import.js'
import { count, print, printJson, say, type Voice } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--overwrite', 'write over files that were edited by hand')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach generate berths\n  tolmach generate                 all contracts of the project\n  tolmach generate berths --overwrite',
    )
    .action(async (contracts: readonly string[], options: { readonly overwrite?: boolean }) => {
      const { project, voice } = globalsOf(command)
      const names =
        contracts.length > 0
          ? contracts
          : (await listContracts({ project })).map((each) => each.contract)
      const results: Generated[] = []
      for (const name of names) {
        const generated = await generateClient(name, { project, overwrite: options.overwrite })
        results.push(generated)
        if (!voice.json) report(generated, voice)
      }
      if (voice.json) printJson(results.length === 1 ? summary(results[0]) : results.map(summary))
    })
}

function summary(generated: Generated | undefined): object | undefined {
  if (generated === undefined) return undefined
  const {
    contract,
    folder,
    files,
    added,
    changed,
    removed,
    moved,
    operations,
    types,
    notes,
    clashes,
    firstLines,
  } = generated
  return {
    contract,
    folder,
    files,
    added,
    changed,
    removed,
    ...(moved.length === 0 ? {} : { moved }),
    operations,
    types,
    notes,
    renamed: clashes,
    firstLines,
  }
}

function report(generated: Generated, voice: Voice): void {
  const { added, changed, removed } = generated
  const isNew = added.length === generated.files.length
  print(
    `${pc.bold(generated.contract)}  ${generated.folder}  ${count(generated.operations, 'operation')}, ${count(generated.types, 'type')}, ${count(generated.files.length, 'file')}`,
  )
  if (added.length + changed.length + removed.length === 0)
    print('Nothing changed: the client was current.')
  else if (!isNew)
    for (const [word, files] of [
      ['added', added],
      ['changed', changed],
      ['removed', removed],
    ] as const)
      if (files.length > 0) print(`${word}: ${files.join(', ')}`)
  if (generated.moved.length > 0)
    say(
      voice,
      pc.yellow(`Files that were not Tolmach's are kept as ${generated.moved.join(', ')}.`),
    )
  if (isNew) sayClashes(voice, generated.clashes)
  const packages = Object.entries(generated.dependencies).map(([name, range]) => `${name}@${range}`)
  if (isNew && packages.length > 0)
    say(voice, `It needs: npm install ${packages.map((each) => `"${each}"`).join(' ')}`)
  say(
    voice,
    `\nFirst lines, for a file in src/:\n${generated.firstLines.map((line) => `  ${line}`).join('\n')}`,
  )
}

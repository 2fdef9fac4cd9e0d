import { clashText } from '../app/client-names.js'
import type { Generated } from '../app/generate-client.js'
import type { NameClash } from '../naming/clashes.js'
import { pc } from './colours.js'
import { count, print, say, type Voice } from './terminal.js'

/** Tells what was written, and how to begin with it. */
export function sayGenerated(generated: Generated, voice: Voice): void {
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

/** Tells what is called otherwise in the client, a few of them. */
export function sayClashes(voice: Voice, clashes: readonly NameClash[]): void {
  const shown = clashes.slice(0, 8)
  if (shown.length > 0) say(voice, '')
  for (const clash of shown) say(voice, `${pc.yellow('note')} ${clashText(clash)}`)
  if (clashes.length > shown.length)
    say(
      voice,
      pc.dim(`… and ${count(clashes.length - shown.length, 'more name')}; --json has them all`),
    )
}

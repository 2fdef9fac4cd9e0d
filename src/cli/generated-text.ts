import { clashText } from '../app/clients/client-names.js'
import { isNothing, type Differences } from '../app/clients/folder-change.js'
import type { Generated, WrittenRuntime } from '../app/generate-client.js'
import type { Missing } from '../app/start/missing.js'
import type { WrittenProgram } from '../app/start/write-program.js'
import type { NameClash } from '../naming/clashes.js'
import { pc } from './colours.js'
import { count, print, say, terminalWidth, type Output } from './terminal.js'
import { wrapped } from './widths.js'

/** Tells what was written, and of a new client with the first lines how to begin with it. */
export function sayGenerated(generated: Generated, output: Output, withLines = true): void {
  const isNew = generated.added.length === generated.files.length
  print(
    `${pc.bold(generated.contract)}  ${generated.folder}  ${count(generated.operations, 'operation')}, ${count(generated.types, 'type')}, ${count(generated.files.length, 'file')}`,
  )
  if (isNothing(generated)) print('Nothing changed: the client was current.')
  else if (!isNew) printDifferences(generated)
  sayMoved(generated, output)
  const { runtime, along = [] } = generated
  if (runtime !== undefined) sayRuntime(runtime, output)
  if (along.length > 0) print(`Written with it, since they share that: ${along.join(', ')}`)
  if (isNew) sayClashes(output, generated.clashes)
  if (!withLines || !isNew) return
  say(
    output,
    `\nFirst lines, for a file in src/:\n${generated.firstLines.map((line) => `  ${line}`).join('\n')}`,
  )
}

/** Tells what a project lacks for its clients to compile and to run. */
export function sayMissing(missing: readonly Missing[], output: Output): void {
  if (missing.length === 0) return
  say(output, '\nStill missing before it compiles and runs:')
  for (const { what, edit } of missing) {
    const told = wrapped(
      `${what}${edit === undefined ? '' : `: write ${edit}`}`,
      terminalWidth() - 2,
    )
    say(output, told.map((line, at) => `${at === 0 ? '- ' : '  '}${line}`).join('\n'))
  }
  const commands = missing.flatMap(({ command }) => command ?? [])
  if (commands.length > 0) say(output, `  ${pc.bold(commands.join(' && '))}`)
}

/** Tells of a program, and how it is run. */
export function sayProgram({ file, calls, run, address }: WrittenProgram, output: Output): void {
  print(`${pc.bold('program')}  ${file}  calls ${calls}`)
  const where =
    address === undefined
      ? ''
      : `\nThe metadata does not say where the service is: put its address into the variable ${address}.`
  say(output, `${where}\nRun it:\n  ${pc.bold(run)}`)
}

/** Tells of the runtime by numbers: nobody asks for its files by name. */
function sayRuntime(runtime: WrittenRuntime, output: Output): void {
  const isNew = runtime.added.length === runtime.files.length
  const changes = (['added', 'changed', 'removed'] as const)
    .filter((word) => runtime[word].length > 0 && !(word === 'added' && isNew))
    .map((word) => `${runtime[word].length} ${word}`)
  const files = count(runtime.files.length, 'file')
  const told = [`${files}, shared by the clients beside it`, changes.join(', ')].filter(Boolean)
  print(`${pc.bold('runtime')}  ${runtime.folder}  ${told.join(': ')}`)
  sayMoved(runtime, output)
}

/** A few files by name, of more their number. */
const mostNamed = 12

function printDifferences({ added, changed, removed }: Differences): void {
  for (const [word, files] of [
    ['added', added],
    ['changed', changed],
    ['removed', removed],
  ] as const)
    if (files.length > 0)
      print(`${word}: ${files.length > mostNamed ? count(files.length, 'file') : files.join(', ')}`)
}

function sayMoved({ moved }: Differences, output: Output): void {
  if (moved.length > 0)
    say(output, pc.yellow(`Files that were not Tolmach's are kept as ${moved.join(', ')}.`))
}

/** Tells what is called otherwise in the client, a few of them. */
export function sayClashes(output: Output, clashes: readonly NameClash[]): void {
  const shown = clashes.slice(0, 8)
  if (shown.length > 0) say(output, '')
  for (const clash of shown) say(output, `${pc.yellow('note')} ${clashText(clash)}`)
  if (clashes.length > shown.length)
    say(
      output,
      pc.dim(`… and ${count(clashes.length - shown.length, 'more name')}; --json has them all`),
    )
}

import type { Command } from 'commander'
import { foldNotes } from '../../app/describe/fold-notes.js'
import { generatedSummary, generateOpened } from '../../app/generate-client.js'
import { importContract, importSummary, type Imported } from '../../app/import-contract.js'
import type { Note } from '../../contract/contract.js'
import { pc } from '../colours.js'
import { sayClashes, sayGenerated, sayMissing } from '../generated-text.js'
import { collect, namesIn, readDuration } from '../options.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { tableText } from '../tables.js'
import { count, print, printJson, progress, say, type Output } from '../terminal.js'

interface Options {
  readonly as?: string
  readonly only?: string
  readonly overlay?: readonly string[]
  readonly overwrite?: boolean
  readonly timeout?: string
  readonly credential?: string
  readonly generate?: boolean
}

export function declare(command: Command): void {
  command
    .option('--as <contract>', 'its name in the project (default: made from the location)')
    .option(
      '--only <operations>',
      'the operations wanted, with commas between; * stands for anything',
    )
    .option(
      '--overlay <file>',
      'an overlay that mends a description in OpenAPI; may be repeated',
      collect,
    )
    .option('--overwrite', 'replace a contract of that name')
    .option('--generate', 'write its client, too')
    .option(
      '--credential <name>',
      'the credential of tolmach.yaml that the metadata is had with (otherwise you are asked)',
    )
    .option('--timeout <time>', 'how long to wait for each document, like 10s')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach import ./desk.wsdl --as berths\n  tolmach import "http://127.0.0.1:4801/berths?wsdl"\n  tolmach import ./from-mail/ --as desk --only "list*,getBerth"',
    )
    .action(async (location: string, options: Options) => {
      const { project, output } = globalsOf(command)
      const imported = await importContract(location, {
        project,
        as: options.as,
        overlay: options.overlay,
        overwrite: options.overwrite,
        credential: options.credential,
        person: output.json ? undefined : person,
        only: options.only === undefined ? undefined : namesIn(options.only),
        seconds: options.timeout === undefined ? undefined : readDuration(options.timeout),
        onDocument: (number) => {
          if (number > 1) progress(output, `${count(number, 'document')} read`)
        },
      })
      const generated =
        options.generate === true ? await generateOpened(await imported.open()) : undefined
      if (output.json) {
        const client = generated === undefined ? {} : { client: generatedSummary(generated) }
        printJson({ ...importSummary(imported), ...client })
        return
      }
      tellImported(imported, output)
      if (generated !== undefined) {
        print('')
        sayGenerated(generated, output)
        sayMissing(generated.missing, output)
        return
      }
      sayClashes(output, imported.clashes)
      const { name } = imported
      say(
        output,
        `\nNext: ${pc.bold(`tolmach show ${name}`)}, then ${pc.bold(`tolmach generate ${name}`)}`,
      )
    })
}

function tellImported(imported: Imported, output: Output): void {
  const { contract, name, endpoint, endpoints, operations, typeCount } = imported
  const { warning, found, login } = imported
  print(`${pc.bold(name)}  ${contract.dialect}  ${contract.title}`)
  const counts = [
    count(endpoints.length, 'endpoint'),
    count(operations.length, 'operation'),
    count(typeCount, 'type'),
    count(contract.notes.length, 'note'),
  ]
  print(counts.join(', '))
  print('')
  const rows = endpoints.map((each) => [
    each.name,
    each.protocol,
    each.address,
    each === endpoint?.chosen ? `calls go here: ${endpoint.reason}` : '',
  ])
  print(tableText(['endpoint', 'protocol', 'address', ''], rows))
  if (warning !== undefined) say(output, `\n${pc.yellow('warning')} ${warning}`)
  if (found !== undefined) say(output, `\nThe metadata was found at ${found}.`)
  if (login !== undefined)
    say(
      output,
      `\nCalls are made with the login that you gave: it is the credential ${login.name} of tolmach.yaml now, without its password. That is the variable ${login.variable}, or asked for.`,
    )
  sayNotes(output, contract.notes)
}

/** Tells notes, a screenful of them: those of one kind together, what is refused first. */
export function sayNotes(output: Output, notes: readonly Note[]): void {
  const folded = foldNotes(notes)
  const shown = folded.slice(0, 12)
  if (shown.length > 0) say(output, '')
  for (const { first, others } of shown) {
    const place = [placeOf(first), first.pointer].filter((part) => part !== undefined).join(' ')
    say(output, `${pc.yellow('note')} ${first.code}  ${place}  ${first.message}`)
    if (others.length > 0) say(output, pc.dim(`     and ${othersText(others)}`))
  }
  const left = folded
    .slice(shown.length)
    .reduce((total, { others }) => total + 1 + others.length, 0)
  if (left > 0) say(output, pc.dim(`… and ${count(left, 'more note')}; --json has them all`))
}

/** How many more notes of a kind there are, and where the first of them are. */
function othersText(others: readonly Note[]): string {
  const places = others.slice(0, 3).map(placeOf).join(', ')
  const dots = others.length > 3 ? ', …' : ''
  return `${others.length} more of this kind, at ${places}${dots}`
}

function placeOf({ origin: { document, line, column } }: Note): string {
  return `${document}:${line}:${column}`
}

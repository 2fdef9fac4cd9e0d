import { Option, type Command } from 'commander'
import {
  draftDescription,
  draftSummary,
  type DraftedDescription,
} from '../../app/draft-description.js'
import {
  changesIn,
  draftOverlays,
  overlaysSummary,
  type DraftedOverlays,
} from '../../app/draft-overlay.js'
import type { Doubt } from '../../draft/schemas.js'
import { pc } from '../colours.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { count, print, printJson, say, type Output } from '../terminal.js'

interface Options {
  readonly as?: string
  readonly save?: string
  readonly request?: string
  readonly only?: string
  readonly onto?: string
  readonly ask?: boolean
  readonly overwrite?: boolean
}

export function declare(command: Command): void {
  command
    .option('--as <name>', 'what the service is called; writes <name>.yaml')
    .option('--save <file>', 'write the description into another file')
    .option('--request <request>', 'what an answer alone belongs to: "GET https://…"')
    .option('--only <address>', 'leave out what does not begin with this address')
    .option(
      '--onto <contract>',
      'draft an overlay that makes its description allow what was answered',
    )
    .addOption(
      new Option('--ask', 'ask of every doubtful place what it is to be').conflicts('onto'),
    )
    .option('--overwrite', 'draft anew, over a file that is there')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach draft recorded/tide.har --as tide\n  tolmach draft answer.json --request "GET https://gauge.example/tides" --as tide\n  tolmach draft session.har --only https://gauge.example/v2\n  tolmach draft later.har --as tide        widens tide.yaml; what you wrote in it stays\n  tolmach draft heard.har --onto ferries --save ferries.overlay.yaml',
    )
    .action(async (files: readonly string[], options: Options) => {
      const { output, project } = globalsOf(command)
      const { ask, onto, ...wishes } = options
      if (onto !== undefined) {
        const drafted = await draftOverlays(files, onto, { ...wishes, project })
        if (output.json) printJson(overlaysSummary(drafted))
        else sayOverlays(drafted, output)
        return
      }
      const decide = ask === true ? askOf : undefined
      const drafted = await draftDescription(files, { ...wishes, decide })
      if (output.json) printJson(draftSummary(drafted))
      else sayDrafted(drafted, output)
    })
}

/** Asks what a doubtful place is to be: Enter keeps what was worked out. */
async function askOf({
  where,
  because,
  proposed,
  alternatives,
}: Doubt): Promise<Doubt['proposed'] | undefined> {
  const choices = [proposed, ...alternatives]
  person.tell(`\n${pc.bold(where)}  ${because}`)
  for (const [at, each] of choices.entries())
    person.tell(
      `  ${at + 1}  ${JSON.stringify(each)}${at === 0 ? pc.dim('  as it was worked out') : ''}`,
    )
  for (;;) {
    const answer = (await person.ask(`1 to ${choices.length}, or Enter for 1`, true))?.trim()
    if (answer === undefined || answer === '' || answer === '1') return undefined
    const chosen = choices[Number(answer) - 1]
    if (chosen !== undefined) return chosen
    person.tell(`There is no ${answer}.`)
  }
}

/** Tells what became of a description that was there. */
function tellWidened(
  { changed, contradictions }: NonNullable<DraftedDescription['widened']>,
  output: Output,
): void {
  print(
    changed.length === 0
      ? 'Nothing new came: the description is as it was.'
      : `${count(changed.length, 'place')} added or widened:`,
  )
  for (const place of changed.slice(0, 2 * mostTold)) say(output, `  ${place}`)
  if (changed.length > 2 * mostTold)
    say(output, pc.dim(`  … and ${changed.length - 2 * mostTold} more (--json)`))
  for (const each of contradictions)
    say(output, `${pc.yellow('note')} written by hand, and left so: ${each}`)
}

function sayOverlays(drafted: DraftedOverlays, output: Output): void {
  const { contract, overlays, exchanges, leftOut, troubles, from, needed } = drafted
  const isSaved = overlays.some(({ file }) => file !== undefined)
  const told = (text: string): void => (isSaved ? print(text) : say(output, text))
  if (!isSaved && overlays.length > 0)
    print(overlays.map(({ yaml }) => yaml.trimEnd()).join('\n---\n'))
  if (overlays.length === 0)
    print(`${pc.bold(contract)}  allows all that was answered in ${count(exchanges, 'exchange')}`)
  for (const { file, actions, mends } of overlays) {
    told(
      `${pc.bold(contract)}  ${count(actions.length, 'action')} for ${mends}, from ${count(exchanges, 'exchange')}  ${file ?? ''}`.trimEnd(),
    )
    if (!isSaved) continue
    const changes = changesIn(actions)
    for (const { target, description } of changes.slice(0, 2 * mostTold))
      print(`  ${target}  ${pc.dim(description)}`)
    if (changes.length > 2 * mostTold)
      print(pc.dim(`  … and ${changes.length - 2 * mostTold} more in the file`))
  }
  tellLeft(leftOut, troubles, output)
  if (isSaved)
    say(
      output,
      `\nRead it, take out what you do not want, then:\n  ${pc.bold(`tolmach import ${from} --as ${contract} --overwrite ${needed.map((file) => `--overlay ${file}`).join(' ')}`)}`,
    )
}

function tellLeft(
  leftOut: ReadonlyMap<string, number>,
  troubles: readonly string[],
  output: Output,
): void {
  for (const [why, number] of [...leftOut].slice(0, mostTold))
    say(output, pc.dim(`left out: ${count(number, 'exchange')} ${why}`))
  for (const trouble of troubles.slice(0, mostTold)) say(output, `${pc.yellow('note')} ${trouble}`)
}

/** So many doubts, and reasons to leave something out, are told. */
const mostTold = 6

function sayDrafted(drafted: DraftedDescription, output: Output): void {
  const { file, title, operations, schemas, exchanges, leftOut, doubts, troubles } = drafted
  if (file === undefined) print(drafted.yaml.trimEnd())
  const told = (text: string): void => (file === undefined ? say(output, text) : print(text))
  const parts = [count(operations.length, 'operation'), count(schemas, 'schema')]
  told(
    `${pc.bold(title)}  ${parts.join(', ')}, from ${count(exchanges, 'exchange')}  ${file ?? ''}`.trimEnd(),
  )
  if (file !== undefined)
    for (const { name, count: seen } of operations)
      print(`  ${name}  ${pc.dim(`seen ${seen === 1 ? 'once' : `${seen} times`}`)}`)
  if (drafted.widened !== undefined) tellWidened(drafted.widened, output)
  tellLeft(leftOut, troubles, output)
  if (doubts.length > 0) {
    say(output, `\n${count(doubts.length, 'doubtful place')}, where it may well be something else:`)
    for (const { where, because } of doubts.slice(0, mostTold))
      say(output, `  ${where}  ${pc.dim(because)}`)
    if (doubts.length > mostTold)
      say(output, pc.dim(`  … and ${doubts.length - mostTold} more (--json)`))
  }
  if (file !== undefined)
    say(
      output,
      `\nRead it, mend what you know better, then:\n  ${pc.bold(`tolmach import ${file}`)}`,
    )
}

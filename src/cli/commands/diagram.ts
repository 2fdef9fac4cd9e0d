import type { Command } from 'commander'
import {
  diagramText,
  drawDiagram,
  type DiagramOptions,
  type Drawn,
} from '../../app/draw-diagram.js'
import { problem } from '../../app/problems.js'
import { globalsOf } from '../run.js'
import { namesIn } from '../options.js'
import { count, print, printJson, say, type Output } from '../terminal.js'

interface Options {
  readonly start?: string
  readonly around?: string
  readonly steps?: string
  readonly add?: string
  readonly remove?: string
  readonly towards?: string
  readonly view?: string
}

export function declare(command: Command): void {
  command
    .option('--around <types>', 'start from these types and what hangs together with them')
    .option('--steps <number>', 'over how many links (default: 1)')
    .option('--start <what>', 'start from everything (default) or nothing')
    .option('--add <types>', 'add types by name; * stands for anything')
    .option('--remove <types>', 'take types away')
    .option('--towards <direction>', 'where links lead: right (default) or down')
    .option(
      '--view <name>',
      'open a view of tolmach.yaml; with other options, keep the result as that view',
    )
    .addHelpText(
      'after',
      "\nThe format is that of the file's ending: .svg, .png, .pdf, .html, .dot or .mmd. Without a file, Mermaid text is printed.\n\nExamples:\n  tolmach diagram registry registry.svg\n  tolmach diagram registry fleet.html --around Vessel --steps 2 --view fleet\n  tolmach diagram registry fleet.pdf --view fleet",
    )
    .action(async (contract: string, file: string | undefined, options: Options) => {
      const { project, output } = globalsOf(command)
      const asked: DiagramOptions = { project, view: options.view, selection: selectionOf(options) }
      if (file === undefined) {
        const drawn = await diagramText(contract, asked)
        if (output.json) printJson(summary(drawn))
        else print(drawn.text)
        tellView(drawn, options.view, output)
        return
      }
      const drawn = await drawDiagram(contract, file, asked)
      if (output.json) {
        printJson({ file, ...summary(drawn) })
        return
      }
      const { graph } = drawn
      print(
        `Saved: ${file}  ${count(graph.boxes.length, 'type')}${graph.boxes.length < graph.whole ? ` of ${graph.whole}` : ''}, ${count(graph.links.length, 'link')}`,
      )
      if (drawn.remark !== undefined) say(output, drawn.remark)
      tellView(drawn, options.view, output)
    })
}

function tellView({ kept }: Drawn, name: string | undefined, output: Output): void {
  if (kept && name !== undefined) say(output, `Kept in tolmach.yaml as the view "${name}".`)
}

/** What is in the picture, for scripts. */
function summary({ contract, graph, view }: Drawn): object {
  const nameOf = (id: string): string | undefined => graph.boxes.find((box) => box.id === id)?.name
  return {
    contract,
    view,
    types: graph.boxes.map(({ name, kind, namespace }) => ({ name, kind, namespace })),
    links: graph.links.map(({ kind, from, to, source, target }) => ({
      kind,
      from: nameOf(from),
      to: nameOf(to),
      source,
      target,
    })),
    listings: graph.listings,
    all: graph.whole,
  }
}

function selectionOf({
  start,
  around,
  steps,
  add,
  remove,
  towards,
}: Options): NonNullable<DiagramOptions['selection']> {
  return {
    ...(start === undefined ? {} : { start: oneOf('--start', start, ['everything', 'nothing']) }),
    ...(around === undefined ? {} : { around: namesIn(around) }),
    ...(steps === undefined ? {} : { steps: readSteps(steps) }),
    ...(add === undefined ? {} : { add: namesIn(add) }),
    ...(remove === undefined ? {} : { remove: namesIn(remove) }),
    ...(towards === undefined ? {} : { towards: oneOf('--towards', towards, ['right', 'down']) }),
  }
}

function oneOf<Word extends string>(option: string, text: string, words: readonly Word[]): Word {
  const word = words.find((each) => each === text.toLowerCase())
  if (word === undefined)
    throw problem('TM-1010', {
      option,
      reason: `"${text}" is none of ${words.join(', ')}`,
      remedy: `Write ${words.map((each) => `${option} ${each}`).join(' or ')}.`,
    })
  return word
}

function readSteps(text: string): number {
  if (!/^\d{1,2}$/.test(text))
    throw problem('TM-1010', {
      option: '--steps',
      reason: `"${text}" is no number of steps`,
      remedy: 'Write it like --steps 2.',
    })
  return Number(text)
}

import { Command, type Option } from 'commander'
import { candidatesFor, type Candidate, type Wanted } from '../app/completion/candidates.js'
import { commands } from './commands.js'

/** What may stand at the cursor. */
export interface Completion {
  readonly candidates: readonly Candidate[]
  /** Paths of files may stand there, too. */
  readonly files: boolean
}

const nothing: Completion = { candidates: [], files: false }

/** What the values of options are for; others are paths, or nothing is known of them. */
const ofOptions: Readonly<Record<string, Wanted>> = {
  '--at': 'site',
  '--credential': 'credential',
  '--endpoint': 'endpoint',
  '--with': 'input',
  '--columns': 'column',
  '--sort': 'column',
  '--plot': 'column',
  '--view': 'view',
  '--only': 'operation',
  '--around': 'type',
  '--add': 'type',
  '--remove': 'type',
  '--onto': 'contract',
}

/** What arguments are for, by their names in the usage. */
const ofArguments: Readonly<Record<string, Wanted>> = {
  contract: 'contract',
  operation: 'operation',
  thing: 'thing',
}

/** Options that hold for every command and take a value. */
const ofEveryCommand = ['--project', '--log-file'] as const

/**
 * What may stand at the cursor of a command line.
 *
 * @param line the line up to the cursor, as the shell has it
 */
export async function complete(line: string): Promise<Completion> {
  const all = wordsOf(line)
  // It may be called through something else: `npx tolmach …`.
  const own = all.findIndex((word) => /(?:^|[/\\])tolmach(?:\.cmd|\.ps1)?$/.test(word))
  const typed = all.at(-1) ?? ''
  const before = all.slice(own + 1, -1)
  const project = valueBehind(before, '--project')
  const name = commandIn(before)
  if (name === undefined) return firstWord(typed)
  const entry = commands.find((each) => each.name === name)
  if (entry === undefined) return nothing
  const command = new Command().command(`${name} ${entry.usage}`.trim())
  ;(await entry.load()).declare(command)
  const behind = before.slice(before.indexOf(name) + 1)
  const [contract, operation] = argumentsIn(behind, command.options)
  const place = { project, contract, operation }
  const [, flag = '', value] = /^(--[\w-]+)=(.*)$/s.exec(typed) ?? []
  if (value !== undefined) {
    const inside = await valueOf(optionNamed(command, flag), { ...place, typed: value })
    return {
      ...inside,
      candidates: inside.candidates.map((each) => ({ ...each, word: `${flag}=${each.word}` })),
    }
  }
  const last = before.at(-1) ?? ''
  const option = optionNamed(command, last)
  if (option?.required === true || ofEveryCommand.some((each) => each === last))
    return valueOf(option, { ...place, typed })
  if (typed.startsWith('-')) return options(command, before, typed)
  return argument(command, argumentsIn(behind, command.options).length, { ...place, typed })
}

type Typed = Parameters<typeof candidatesFor>[1]

function firstWord(typed: string): Completion {
  const all = typed.startsWith('-')
    ? ['--project', '--json', '--quiet', '--no-color', '--log-file', '--version', '--help'].map(
        (word): Candidate => ({ word }),
      )
    : commands.map(({ name, summary }): Candidate => ({ word: name, meaning: summary }))
  return { candidates: all.filter(({ word }) => word.startsWith(typed)), files: false }
}

async function valueOf(option: Option | undefined, place: Typed): Promise<Completion> {
  const choices = option?.argChoices
  if (choices !== undefined) return chosen(choices, place.typed)
  const wanted = ofOptions[option?.long ?? '']
  if (wanted === undefined) return { candidates: [], files: true }
  return { candidates: await candidatesFor(wanted, place), files: false }
}

function chosen(choices: readonly string[], typed: string): Completion {
  const fitting = choices.filter((word) => word.startsWith(typed))
  return { candidates: fitting.map((word) => ({ word })), files: false }
}

/** The options that were not given yet, or may be given again. */
function options(command: Command, given: readonly string[], typed: string): Completion {
  const isRepeated = ({ description }: Option): boolean => /repeated/.test(description)
  const all = [
    ...command.options
      .filter((option) => isRepeated(option) || !given.includes(option.long ?? ''))
      .map((option): Candidate => ({ word: option.long ?? '', meaning: option.description })),
    ...['--project', '--json', '--quiet', '--help'].map((word): Candidate => ({ word })),
  ]
  return { candidates: all.filter(({ word }) => word.startsWith(typed)), files: false }
}

async function argument(command: Command, at: number, place: Typed): Promise<Completion> {
  const all = command.registeredArguments
  const one = all[at] ?? (all.at(-1)?.variadic === true ? all.at(-1) : undefined)
  if (one === undefined) return nothing
  if (one.argChoices !== undefined) return chosen(one.argChoices, place.typed)
  const wanted = ofArguments[one.name()]
  if (wanted === undefined) return { candidates: [], files: true }
  // A contract may be the path of its metadata.
  return { candidates: await candidatesFor(wanted, place), files: wanted === 'contract' }
}

function optionNamed(command: Command, word: string): Option | undefined {
  return command.options.find(({ long }) => long === word)
}

/** The first word that is no option, nor the value of one. */
function commandIn(words: readonly string[]): string | undefined {
  return words.find(
    (word, at) =>
      !word.startsWith('-') && !ofEveryCommand.some((option) => option === words[at - 1]),
  )
}

/** The words that are no options, nor values of them. */
function argumentsIn(words: readonly string[], all: readonly Option[]): string[] {
  const takesValue = (word = ''): boolean =>
    ofEveryCommand.some((option) => option === word) ||
    all.some(({ long, required }) => required && long === word)
  return words.filter((word, at) => !word.startsWith('-') && !takesValue(words[at - 1]))
}

function valueBehind(words: readonly string[], option: string): string | undefined {
  const at = words.indexOf(option)
  return at < 0 ? undefined : words[at + 1]
}

/** The words of a line as a shell reads them; the last one may be empty, or not ended. */
function wordsOf(line: string): string[] {
  const words = ['']
  const add = (text: string): void => {
    words[words.length - 1] += text
  }
  for (const [piece] of line.matchAll(/\\.|'[^']*'?|"(?:\\.|[^"\\])*"?|\s+|[^\s\\'"]+|\\/gs)) {
    if (/^\s/.test(piece)) words.push('')
    else if (piece.startsWith("'")) add(piece.replace(/^'|'$/g, ''))
    else if (piece.startsWith('"')) add(piece.replace(/^"|"$/g, '').replace(/\\(["\\$`])/g, '$1'))
    else add(piece.startsWith('\\') ? piece.slice(1) : piece)
  }
  return words
}

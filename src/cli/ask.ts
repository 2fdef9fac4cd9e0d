import { createInterface, type Interface } from 'node:readline'
import { pc, shown } from './colours.js'
import { askInputs, type Question, type Replies, type Reply } from '../app/calls/ask-inputs.js'
import { callReady, writtenInput, type CallOptions, type Called } from '../app/call-operation.js'
import { readyClient } from '../app/calls/ready-client.js'
import { proseLines } from './tables.js'
import { say, tellAll, type Output } from './terminal.js'

/**
 * Lines from standard input, whether somebody types them or they come through a pipe; prompts go to
 * standard error.
 */
class Lines {
  private readonly reader: Interface
  private readonly lines: AsyncIterator<string>
  private readonly isTyped = process.stdin.isTTY === true

  constructor() {
    this.reader = createInterface({
      input: process.stdin,
      output: process.stderr,
      terminal: this.isTyped,
    })
    this.lines = this.reader[Symbol.asyncIterator]()
    // Ctrl-C ends asking as the end of the input does.
    this.reader.on('SIGINT', () => this.reader.close())
  }

  /** The next line; undefined at the end. */
  async next(prompt: string): Promise<string | undefined> {
    if (this.isTyped) {
      this.reader.setPrompt(shown(prompt))
      this.reader.prompt()
    } else tellAll(prompt)
    const { value, done } = await this.lines.next()
    // What a pipe brings is not on the screen by itself.
    if (!this.isTyped || done === true) tellAll(`${done === true ? '' : String(value)}\n`)
    return done === true ? undefined : value
  }

  close(): void {
    this.reader.close()
  }
}

/**
 * Asks for each input of an operation, calls it, shows the answer, and asks again, with what was
 * given last, until somebody quits.
 *
 * @param show shows what came of a call, and gives its exit code
 * @returns the exit code of the last call
 */
export async function askAndCall(
  contract: string,
  wanted: string,
  options: CallOptions,
  show: (called: Called) => Promise<number>,
  output: Output,
): Promise<number> {
  const client = await readyClient(contract, options)
  const ready = await client.operation(wanted)
  const base = await writtenInput(options)
  const last: Replies = new Map(
    base.assignments.flatMap((each) =>
      'text' in each ? [[each.written, each.text] as const] : [],
    ),
  )
  const { operation, open } = ready
  say(
    output,
    `${pc.bold(operation.path.join('.'))}\n${proseLines(operation.documentation).join('\n')}`.trimEnd(),
  )
  say(
    output,
    pc.dim(
      'Enter keeps what stands in brackets, - leaves it out, ? tells more, q ends. A backslash in front makes any of them a text.\n',
    ),
  )
  const lines = new Lines()
  let exit = 0
  try {
    for (;;) {
      const assignments = await askInputs(open.contract, operation, base.plain, last, (question) =>
        askOne(question, lines, output),
      )
      if (assignments === undefined) return exit
      const called = await callReady(ready, { ...base, assignments }, options)
      say(output, '')
      exit = await show(called)
      say(output, '')
      const again = await lines.next(pc.dim('Again? Enter asks for the inputs once more, q ends: '))
      if (again === undefined || isEnd(again)) return exit
      say(output, '')
    }
  } finally {
    lines.close()
    await client.close()
  }
}

async function askOne(question: Question, lines: Lines, output: Output): Promise<Reply> {
  const { path, type, required, rules, documentation, before, opens, complaint } = question
  if (complaint !== undefined) say(output, pc.yellow(`  ${complaint}`))
  const facts = [type, ...(required ? ['required'] : []), ...(rules === '' ? [] : [rules])].join(
    ', ',
  )
  const hint = opens ? ', + asks for its fields' : ''
  for (;;) {
    const line = await lines.next(
      `${pc.bold(path)} ${pc.dim(`(${facts}${hint})`)}${before === undefined ? '' : ` [${before}]`}: `,
    )
    if (line === undefined || isEnd(line)) return { kind: 'end' }
    const text = line.trim()
    if (text === '') return { kind: 'keep' }
    if (text === '-') return { kind: 'omit' }
    if (text === '+' && opens) return { kind: 'open' }
    if (text !== '?') return { kind: 'text', text: /^\\[-+?q\\]/.test(text) ? text.slice(1) : text }
    say(
      output,
      documentation === undefined
        ? pc.dim('  The metadata says nothing more of it.')
        : proseLines(documentation)
            .map((each) => `  ${each}`)
            .join('\n'),
    )
  }
}

function isEnd(line: string): boolean {
  return /^\s*(?:q|quit|exit)\s*$/i.test(line)
}

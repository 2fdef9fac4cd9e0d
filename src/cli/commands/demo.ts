import type { Command } from 'commander'
import { mend, openDemo, type Demo, type TourStep } from '../../app/demo-world.js'
import { pc } from '../colours.js'
import { globalsOf, run } from '../run.js'
import { print } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--quick', 'do not wait between the steps')
    .addHelpText(
      'after',
      '\nOn a terminal it waits for Enter after each step.\n\nExamples:\n  tolmach demo\n  tolmach demo ./try-it --quick',
    )
    .action(async (folder: string | undefined, { quick }: { readonly quick?: boolean }) => {
      globalsOf(command)
      const demo = await openDemo(folder ?? 'brackmouth')
      print(
        pc.bold(
          'The Port of Brackmouth, a made-up harbour: a berth desk with a SOAP service, ferries with a REST service, a vessel register and a cargo ledger with OData services.',
        ),
      )
      print(
        `Stand-ins play all four on this machine while this runs. What you see is left in ${demo.folder}/.`,
      )
      process.chdir(demo.folder)
      const isWhole = await takeTour(demo, quick !== true && isWatched())
      process.exitCode = 0
      print(
        `${line}\n${isWhole ? 'That was all. ' : ''}To go on by yourself:\n\n  cd ${demo.folder}\n  tolmach serve berths --port 4801\n  tolmach call berths listBerths --url http://127.0.0.1:4801/berths      (in another terminal)`,
      )
    })
}

const line = `\n${pc.dim('─'.repeat(72))}`

/** Does somebody sit at a terminal, who reads and can press Enter? */
function isWatched(): boolean {
  return process.stdin.isTTY && process.stdout.isTTY
}

/** @returns was it taken to its end? */
async function takeTour({ tour, stop }: Demo, waits: boolean): Promise<boolean> {
  try {
    for (const [at, step] of tour.entries()) {
      if (waits && at > 0 && !(await wantsMore(at, tour.length))) return false
      await takeStep(step)
    }
    return true
  } finally {
    await stop()
  }
}

async function wantsMore(done: number, all: number): Promise<boolean> {
  const { createInterface } = await import('node:readline/promises')
  const reader = createInterface({ input: process.stdin, output: process.stderr })
  // Ctrl-C and the end of the input are as good as q.
  const ended = new Promise<string>((resolve) => reader.once('close', () => resolve('q')))
  const asked = reader.question(`\n(${String(done)} of ${String(all)}; Enter goes on, q ends) `)
  const answer = await Promise.race([asked, ended])
  reader.close()
  return !/^q/i.test(answer.trim())
}

async function takeStep({ say, words, mend: program, exit: wanted = 0 }: TourStep): Promise<void> {
  if (program !== undefined) await mend('.', program)
  const command = ['tolmach', ...words].map(shellWord).join(' ')
  print(`${line}\n${say}\n${pc.cyan('$')} ${pc.bold(command)}\n`)
  const exit = await run(words)
  if (exit !== wanted) throw new Error(`the demo's step "${command}" ended with ${exit}`)
  if (exit !== 0) print(pc.dim(`(exit code ${exit})`))
}

function shellWord(word: string): string {
  return /^[\w./:=@%+,-]+$/.test(word) ? word : `"${word.replace(/(["$`\\])/g, '\\$1')}"`
}

import type { Command } from 'commander'
import { mend, openDemo, type Demo, type TourStep } from '../../app/demo-world.js'
import { pc } from '../colours.js'
import { globalsOf, run } from '../run.js'
import { print } from '../terminal.js'

export function declare(command: Command): void {
  command
    .addHelpText('after', '\nExamples:\n  tolmach demo\n  tolmach demo ./try-it')
    .action(async (folder: string | undefined) => {
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
      await takeTour(demo)
      process.exitCode = 0
      print(
        `${line}\nThat was all. To go on by yourself:\n\n  cd ${demo.folder}\n  tolmach serve berths --port 4801\n  tolmach call berths listBerths --url http://127.0.0.1:4801/berths      (in another terminal)`,
      )
    })
}

const line = `\n${pc.dim('─'.repeat(72))}`

async function takeTour(demo: Demo): Promise<void> {
  try {
    for (const step of demo.tour) await takeStep(step)
  } finally {
    await demo.stop()
  }
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

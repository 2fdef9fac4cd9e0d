import type { Command } from 'commander'
import pc from 'picocolors'
import { openDemo } from '../../app/demo-world.js'
import { globalsOf, run } from '../run.js'
import { print } from '../terminal.js'

interface Step {
  readonly say: string
  readonly words: readonly string[]
  /** The exit code that the step is meant to have. */
  readonly exit?: number
}

export function declare(command: Command): void {
  command
    .addHelpText('after', '\nExamples:\n  tolmach demo\n  tolmach demo ./try-it')
    .action(async (folder: string | undefined) => {
      globalsOf(command)
      const demo = await openDemo(folder ?? 'brackmouth')
      print(pc.bold('The Port of Brackmouth, a made-up harbour, has a berth desk with a SOAP service.'))
      print(`A stand-in plays it at ${demo.service} while this runs. What you see is left in ${demo.folder}/.`)
      process.chdir(demo.folder)
      try {
        for (const step of steps(demo.metadata)) {
          print(`\n${pc.dim('─'.repeat(72))}\n${step.say}\n${pc.cyan('$')} ${pc.bold(['tolmach', ...step.words].map(shellWord).join(' '))}\n`)
          const exit = await run(step.words)
          if (exit !== (step.exit ?? 0)) throw new Error(`the demo's step "tolmach ${step.words.join(' ')}" ended with ${exit}`)
          if (exit !== 0) print(pc.dim(`(exit code ${exit})`))
        }
      } finally {
        await demo.stop()
      }
      process.exitCode = 0
      print(`\n${pc.dim('─'.repeat(72))}\nThat was all. To go on by yourself:\n\n  cd ${demo.folder}\n  tolmach serve berths --port 4801\n  tolmach call berths listBerths --url http://127.0.0.1:4801/berths      (in another terminal)`)
    })
}

function steps(metadata: string): Step[] {
  return [
    { say: 'Read the service\'s metadata and keep a copy of it in the project.', words: ['import', metadata, '--as', 'berths'] },
    { say: 'What is in it?', words: ['show', 'berths'] },
    { say: 'One operation in full: what goes in, what comes out, what can go wrong.', words: ['show', 'berths', 'reserveBerth'] },
    { say: 'Write the TypeScript client.', words: ['generate', 'berths'] },
    { say: 'Call it: the berths of one basin, as a table of a few columns.', words: ['call', 'berths', 'listBerths', '--with', 'Basin=South', '--columns', 'Code, Name, Dues=Per night, FreeFrom=Free from'] },
    { say: 'Money stays exact, to the last zero.', words: ['call', 'berths', 'quoteDues', '--with', 'Vessel=BKM-114', '--with', 'Nights=3'] },
    { say: 'An input to start from, which satisfies the contract.', words: ['sample', 'berths', 'reserveBerth'] },
    { say: 'What would be sent? (Nothing is.)', words: ['call', 'berths', 'reserveBerth', '--input', 'samples/berths/reserveBerth.json', '--preview'] },
    { say: 'Reserve a berth for a tug.', words: ['call', 'berths', 'reserveBerth', '--input', 'samples/berths/reserveBerth.json'] },
    { say: 'Once more: the berth is taken now, and the service says so with a fault that the contract declares.', words: ['call', 'berths', 'reserveBerth', '--input', 'samples/berths/reserveBerth.json'], exit: 1 },
    { say: 'An input that does not satisfy the contract is not sent at all.', words: ['call', 'berths', 'quoteDues', '--with', 'Vessel=Polaire', '--with', 'Nights=90'], exit: 2 },
    { say: 'Move the vessel; the reservation\'s number is longer than a double can hold.', words: ['call', 'berths', 'moveVessel', '--with', 'Number=9007199254741000', '--with', 'Berth=S-5'] },
    { say: 'List the reservations, and see it there.', words: ['call', 'berths', 'listReservations', '--columns', 'Number, Berth, Vessel.Name=Vessel, Arrival, Dues, state=State'] },
    { say: 'Cancel it; and see it gone.', words: ['call', 'berths', 'cancelReservation', '--with', 'Number=9007199254741000'] },
    { say: 'The answer as JSON, for scripts.', words: ['call', 'berths', 'listReservations', '--with', 'Berth=S-5', '--json'] },
    { say: 'The contracts of this project.', words: ['list'] },
  ]
}

function shellWord(word: string): string {
  return /^[\w./:=@%+,-]+$/.test(word) ? word : `"${word.replace(/(["$`\\])/g, '\\$1')}"`
}

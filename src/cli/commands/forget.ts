import type { Command } from 'commander'
import { forgetContract, forgottenSummary } from '../../app/forget-contract.js'
import { pc } from '../colours.js'
import { person } from '../person.js'
import { globalsOf } from '../run.js'
import { print, printJson, say, type Output } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--client', 'take its client out, too')
    .option('--no-client', 'leave its client where it is')
    .addHelpText(
      'after',
      '\nTakes out its entry in tolmach.yaml with views and sites, its snapshot, and samples that nobody touched.\nWhat was edited by hand stays.\n\nExamples:\n  tolmach forget berths\n  tolmach forget berths --client',
    )
    .action(async (contract: string, options: { readonly client?: boolean }) => {
      const { project, output } = globalsOf(command)
      const client = options.client ?? (await isClientMeant(contract, output))
      const forgotten = await forgetContract(contract, { project, client })
      if (output.json) {
        printJson(forgottenSummary(forgotten))
        return
      }
      print(`${pc.bold(forgotten.contract)} is forgotten. Gone: ${forgotten.removed.join(', ')}`)
      for (const { path, reason } of forgotten.kept) print(`kept  ${path}  ${reason}`)
      if (!client) say(output, 'Its client stays where it is; --client takes it out, too.')
      if (forgotten.mentions.length > 0)
        say(
          output,
          `\nThese still speak of it:\n${forgotten.mentions.map((path) => `  ${path}`).join('\n')}`,
        )
    })
}

/** Whoever sits at the terminal is asked. */
async function isClientMeant(contract: string, output: Output): Promise<boolean> {
  if (output.json || !person.isThere) return false
  const answer = await person.ask(`Take the client of ${contract} out, too? [y/N]`, true)
  say(output, '')
  return /^y(?:es)?$/i.test(answer?.trim() ?? '')
}

import { Option, type Command } from 'commander'
import { scripts, switchedOn, type Shell } from '../completion-scripts.js'
import { globalsOf } from '../run.js'
import { print, printData, say } from '../terminal.js'

export function declare(command: Command): void {
  const [shell] = command.registeredArguments
  shell?.choices(Object.keys(scripts))
  command
    // The shell asks with it; nobody else has to.
    .addOption(new Option('--line <text>').hideHelp())
    .addHelpText(
      'after',
      `\nPrints what the shell is told, once for each that starts:\n${Object.entries(switchedOn)
        .map(([name, { file, line }]) => `  ${name.padEnd(11)} ${line.padEnd(60)} in ${file}`)
        .join('\n')}\n\nExamples:\n  tolmach completion bash\n  tolmach completion fish | source`,
    )
    .action(async (name: Shell, { line }: { readonly line?: string }) => {
      const { output } = globalsOf(command)
      if (line !== undefined) {
        await tellWords(name, line)
        return
      }
      printData(scripts[name])
      const { file, line: switching } = switchedOn[name]
      if (process.stdout.isTTY)
        say(output, `\nTo have it in every ${name}, put this line into ${file}:\n  ${switching}`)
    })
}

/** What may stand at the cursor, a line each: word, tab, meaning. */
async function tellWords(shell: Shell, line: string): Promise<void> {
  const { complete } = await import('../completing.js')
  const { candidates, files } = await complete(line)
  const isOpen = candidates.length > 0 && candidates.every((each) => each.isOpen === true)
  const lines = candidates.map(({ word, meaning }) =>
    [asTyped(shell, line, word), ...(meaning === undefined ? [] : [meaning])]
      .map((text) => text.replace(/\s+/g, ' '))
      .join('\t'),
  )
  const all = [...lines, ...(files ? [':files'] : []), ...(isOpen ? [':open'] : [])]
  if (all.length > 0) print(all.join('\n'))
}

/** Bash takes words apart at `=` and `:`, and wants what comes behind the last of them alone. */
function asTyped(shell: Shell, line: string, word: string): string {
  if (shell !== 'bash') return word
  const typed = /[^\s]*$/.exec(line)?.[0] ?? ''
  const broken = Math.max(typed.lastIndexOf('='), typed.lastIndexOf(':'))
  return broken < 0 ? word : word.slice(broken + 1)
}

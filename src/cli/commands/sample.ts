import { Option, type Command } from 'commander'
import { pc } from '../colours.js'
import { sampleFor } from '../../app/sample-input.js'
import { saveText } from '../../app/files/text-files.js'
import { globalsOf } from '../run.js'
import { tellOperations } from '../which-operation.js'
import { print, say } from '../terminal.js'

interface Options {
  readonly full?: boolean
  readonly save?: string
  readonly format?: 'json' | 'yaml'
}

export function declare(command: Command): void {
  command
    .option('--full', 'fill the optional parts too')
    .addOption(
      new Option(
        '--format <format>',
        "json, or yaml with a comment on each field (default: json, or by the file's ending)",
      ).choices(['json', 'yaml']),
    )
    .option('--save <file>', 'write it to a file instead of the terminal')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach sample berths reserveBerth\n  tolmach sample berths reserveBerth --format yaml\n  tolmach sample berths reserveBerth --full --save samples/berths/reserveBerth.json',
    )
    .action(
      async (contract: string, operation: string | undefined, { full, save, format }: Options) => {
        const { project, output } = globalsOf(command)
        if (operation === undefined) {
          await tellOperations(contract, 'sample', project, output)
          return
        }
        const { input, yaml, shortfalls } = await sampleFor(contract, operation, { project, full })
        const isYaml = output.json
          ? false
          : (format ?? (/\.ya?ml$/i.test(save ?? '') ? 'yaml' : 'json')) === 'yaml'
        const text = isYaml ? await yaml() : `${JSON.stringify(input, null, 2)}\n`
        if (save === undefined) print(text)
        else await saveText(save, text)
        for (const { path, reason } of shortfalls)
          say(output, `${pc.yellow('to be filled in')}  ${path}  ${reason}`)
      },
    )
}

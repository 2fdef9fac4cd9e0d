import type { Command } from 'commander'
import { sampleFor } from '../../app/sample-input.js'
import { saveText } from '../../app/text-files.js'
import { globalsOf } from '../run.js'
import { print } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--full', 'fill the optional parts too')
    .option('--save <file>', 'write it to a file instead of the terminal')
    .addHelpText('after', '\nExamples:\n  tolmach sample berths reserveBerth\n  tolmach sample berths reserveBerth --full --save samples/berths/reserveBerth.json')
    .action(async (contract: string, operation: string, options: { readonly full?: boolean; readonly save?: string }) => {
      const { project } = globalsOf(command)
      const text = `${JSON.stringify(await sampleFor(contract, operation, { project, full: options.full }), null, 2)}\n`
      if (options.save === undefined) print(text)
      else await saveText(options.save, text)
    })
}

import type { Command } from 'commander'
import { settingsText, siteSettings } from '../../app/site-settings.js'
import { globalsOf } from '../run.js'
import { print, printJson, say } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--at <site>', 'the site of tolmach.yaml (default: its usual one)')
    .addHelpText(
      'after',
      '\nSecrets are names of variables here as in tolmach.yaml; nothing is read from the environment.\n\nExamples:\n  tolmach settings berths\n  tolmach settings berths --at test\n  tolmach settings berths --at test --json > test.json',
    )
    .action(async (contract: string, { at }: { readonly at?: string }) => {
      const { project, output } = globalsOf(command)
      const found = await siteSettings(contract, { project, at })
      const { settings, transport, notes } = found
      if (output.json) {
        const needed = Object.keys(transport).length > 0
        printJson({ settings, ...(needed ? { transport } : {}) })
      } else print(settingsText(found))
      for (const note of notes) say(output, note)
    })
}

import type { Command } from 'commander'
import { siteSettings, type SiteSettings } from '../../app/site-settings.js'
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
      } else print(variablesText(found))
      for (const note of notes) say(output, note)
    })
}

/** The settings as lines of a file of variables. */
function variablesText({ class: className, site, variables, transport }: SiteSettings): string {
  const where = site === undefined ? '' : ` at ${site}`
  const needed = Object.keys(transport).length > 0
  return [
    `# Settings of ${className}${where}, for ${className}.fromVariables(process.env)${needed ? ' and nodeTransportFrom' : ''}.`,
    '# What stands behind a $ is the name of a variable whose value belongs there.',
    ...Object.entries(variables).map(([name, value]) => `${name}=${quotedWhereNeeded(value)}`),
  ].join('\n')
}

function quotedWhereNeeded(value: string): string {
  if (!/[\s#'"`]/.test(value)) return value
  return value.includes("'") ? JSON.stringify(value) : `'${value}'`
}

import type { Command } from 'commander'
import { linked, pc } from '../colours.js'
import { locateThing, type Place } from '../../app/locate-thing.js'
import { globalsOf } from '../run.js'
import { print, printJson, sayOthers } from '../terminal.js'

export function declare(command: Command): void {
  command
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach locate berths reserveBerth\n  tolmach locate registry Vessel.Flag\n  code --goto "$(tolmach locate berths Vessel --json | jq -r \'.code | "\\(.file):\\(.line)"\')"',
    )
    .action(async (contract: string, thing: string) => {
      const { project, output } = globalsOf(command)
      const located = await locateThing(contract, thing, { project })
      if (output.json) {
        printJson(located)
        return
      }
      const rows = [
        ['code', located.code === undefined ? pc.dim(located.why ?? '') : placeText(located.code)],
        [
          'metadata',
          located.metadata === undefined
            ? pc.dim('It was read from an address and not kept.')
            : placeText(located.metadata),
        ],
      ]
      if (output.quiet) print(located.code === undefined ? '' : placeText(located.code))
      else
        print(
          [
            `${pc.bold(located.name)}  ${located.kind}`,
            ...rows.map(([label = '', text = '']) => `  ${label.padEnd(8)}  ${text}`),
          ].join('\n'),
        )
      sayOthers(output, located.others)
    })
}

/** A place as terminals and editors open it. */
function placeText({ file, line, column, url }: Place): string {
  return linked(`${file}:${line}:${column}`, `${url}#${line}`)
}

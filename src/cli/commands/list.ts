import type { Command } from 'commander'
import { listContracts, type Listed } from '../../app/list-contracts.js'
import { listLeftOver, type LeftOver } from '../../app/list-left-over.js'
import { globalsOf } from '../run.js'
import { sayNoContracts } from '../next-steps.js'
import { tableText } from '../tables.js'
import { print, printJson, say } from '../terminal.js'

export function declare(command: Command): void {
  command
    .addHelpText('after', '\nExamples:\n  tolmach list\n  tolmach list --json')
    .action(async () => {
      const { project, output } = globalsOf(command)
      const listed = await listContracts({ project })
      const leftOver = await listLeftOver({ project })
      if (output.json) {
        printJson({ contracts: listed, leftOver })
        return
      }
      if (listed.length === 0) sayNoContracts(output)
      else print(contractsTable(listed))
      const bare = listed.filter(({ client }) => client === 'not generated')
      if (bare.length > 0)
        say(output, `\nNext: tolmach generate ${bare.map(({ contract }) => contract).join(' ')}`)
      if (leftOver.length > 0) say(output, leftOverText(leftOver))
    })
}

function contractsTable(listed: readonly Listed[]): string {
  const rows = listed.map((each) => [
    each.contract,
    each.dialect,
    String(each.endpoints),
    String(each.operations),
    String(each.types),
    each.taken === '' ? '' : age(Date.now() - Date.parse(each.taken)),
    each.problem ?? each.client,
    each.from,
  ])
  return tableText(
    ['contract', 'dialect', 'endpoints', 'operations', 'types', 'age', 'client', 'from'],
    rows,
  )
}

function leftOverText(leftOver: readonly LeftOver[]): string {
  const lines = leftOver.map(({ kind, path }) => `  ${kind.padEnd(8)}  ${path}`)
  return [
    '\nLeft over; no contract of tolmach.yaml has them. Delete them, or import them again:',
    ...lines,
  ].join('\n')
}

function age(milliseconds: number): string {
  const minutes = Math.floor(milliseconds / 60_000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return `${minutes} min`
  const hours = Math.floor(minutes / 60)
  return hours < 48 ? `${hours} h` : `${Math.floor(hours / 24)} days`
}

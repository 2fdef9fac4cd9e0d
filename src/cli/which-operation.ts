import { problem } from '../app/problems.js'
import { showContract } from '../app/show-contract.js'
import { operationsText } from './overview-text.js'
import { print, printJson, say, type Output } from './terminal.js'

/**
 * Tells the operations of a contract, where none was named.
 *
 * @param command what is to be done with one of them
 */
export async function tellOperations(
  contract: string,
  command: string,
  project: string | undefined,
  output: Output,
): Promise<void> {
  const shown = await showContract(contract, undefined, { project })
  if (shown.kind !== 'contract') return
  if (shown.counts.operations === 0) throw problem('TM-1036', { contract })
  if (output.json) {
    printJson({ services: shown.services.map(({ name, groups }) => ({ name, groups })) })
    return
  }
  print(operationsText(shown))
  say(output, `\nNext: tolmach ${command} ${contract} <operation>`)
}

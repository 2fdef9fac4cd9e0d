import type { Command } from 'commander'
import { generateClient, generatedSummary, type Generated } from '../../app/generate-client.js'
import { listContracts } from '../../app/list-contracts.js'
import { globalsOf } from '../run.js'
import { sayGenerated } from '../generated-text.js'
import { printJson } from '../terminal.js'

export function declare(command: Command): void {
  command
    .option('--overwrite', 'write over files that were edited by hand')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach generate berths\n  tolmach generate                 all contracts of the project\n  tolmach generate berths --overwrite',
    )
    .action(async (contracts: readonly string[], options: { readonly overwrite?: boolean }) => {
      const { project, output } = globalsOf(command)
      const names =
        contracts.length > 0
          ? contracts
          : (await listContracts({ project })).map((each) => each.contract)
      const results: Generated[] = []
      for (const name of names) {
        const generated = await generateClient(name, { project, overwrite: options.overwrite })
        results.push(generated)
        if (!output.json) sayGenerated(generated, output)
      }
      if (output.json) {
        const summaries = results.map(generatedSummary)
        printJson(summaries.length === 1 ? summaries[0] : summaries)
      }
    })
}

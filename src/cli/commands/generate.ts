import { InvalidArgumentError, type Command } from 'commander'
import { generateClient, generatedSummary, type Generated } from '../../app/generate-client.js'
import { listContracts } from '../../app/list-contracts.js'
import { writeProgram, type WrittenProgram } from '../../app/start/write-program.js'
import { globalsOf } from '../run.js'
import { sayGenerated, sayMissing, sayProgram } from '../generated-text.js'
import { sayNoContracts } from '../next-steps.js'
import { count, printJson, progress } from '../terminal.js'

interface Options {
  readonly overwrite?: boolean
  readonly program?: string
}

export function declare(command: Command): void {
  command
    .option('--overwrite', 'write over files that were edited by hand')
    .option('--program <file>', 'also write a small program that calls the service, and runs')
    .addHelpText(
      'after',
      '\nExamples:\n  tolmach generate berths\n  tolmach generate berths --program src/first.ts\n  tolmach generate                 all contracts of the project\n  tolmach generate berths --overwrite',
    )
    .action(async (contracts: readonly string[], { overwrite, program: file }: Options) => {
      const { project, output } = globalsOf(command)
      const names =
        contracts.length > 0
          ? contracts
          : (await listContracts({ project })).map((each) => each.contract)
      const [only, ...others] = names
      if (file !== undefined && (only === undefined || others.length > 0))
        throw new InvalidArgumentError(
          'A program calls one contract: name it, `tolmach generate <contract> --program <file>`.',
        )
      if (names.length === 0 && !output.json) sayNoContracts(output)
      const results: Generated[] = []
      for (const [at, name] of names.entries()) {
        progress(output, `${name}  ${String(at + 1)} of ${count(names.length, 'client')}`)
        const generated = await generateClient(name, { project, overwrite })
        results.push(generated)
        if (!output.json) sayGenerated(generated, output, file === undefined)
      }
      const written: WrittenProgram | undefined =
        file === undefined || only === undefined
          ? undefined
          : await writeProgram(only, file, { project, overwrite })
      if (output.json) {
        const summaries = results.map(generatedSummary)
        const program = written === undefined ? {} : { program: written }
        printJson(summaries.length === 1 ? { ...summaries[0], ...program } : summaries)
        return
      }
      sayMissing(written?.missing ?? everyMissing(results), output)
      if (written !== undefined) sayProgram(written, output)
    })
}

/** What all of them lack, each once. */
function everyMissing(results: readonly Generated[]): Generated['missing'] {
  const each = new Map(results.flatMap(({ missing }) => missing.map((one) => [one.what, one])))
  return [...each.values()]
}

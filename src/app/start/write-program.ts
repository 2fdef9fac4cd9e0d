import { dirname, join, relative, resolve } from 'node:path'
import { stat } from 'node:fs/promises'
import { problem } from '../../contract/problem.js'
import { hasAddress } from '../../typescript/first-lines.js'
import { firstProgram } from '../../typescript/program.js'
import { variablePrefix } from '../../typescript/variables.js'
import { dialectNamed } from '../../dialects/registry.js'
import { namesFor } from '../clients/client-names.js'
import { clientContract } from '../contracts/key-inputs.js'
import { openKeptContract, type OpenOptions } from '../contracts/open-contract.js'
import { saveText } from '../files/text-files.js'
import { sampleMaker, suffixOf } from '../generate-client.js'
import { whatIsMissing, type Missing } from './missing.js'
import { projectSetup, typedPath } from './project-setup.js'
import { runnerOf } from './run-line.js'

export interface ProgramWishes extends OpenOptions {
  /** Write over a file that is there. */
  readonly overwrite?: boolean | undefined
}

/** A program that was written. */
export interface WrittenProgram {
  /** From the project's folder. */
  readonly file: string
  /** The operation that it calls, by its path. */
  readonly calls: string
  /** The line that runs it, in the project's folder. */
  readonly run: string
  /** What the project lacks for it to compile and to run. */
  readonly missing: readonly Missing[]
  /** The variable that has to say where the service is, where its metadata does not. */
  readonly address?: string
}

/**
 * Writes a small program that calls a client of the project.
 *
 * @param name the contract's name in the project
 * @param file where to, from the working folder
 * @throws Problem TM-1038 where a file is there, is in the client's own folder, or does not end in
 *   `.ts`; TM-1039 where there is no operation to call; those of opening a contract
 */
export async function writeProgram(
  name: string,
  file: string,
  options: ProgramWishes = {},
): Promise<WrittenProgram> {
  const open = await openKeptContract(name, options)
  const { kept } = open
  const contract = clientContract(open)
  const { folder } = kept.project
  const path = resolve(file)
  const client = resolve(folder, kept.entry.folder)
  const reason = await unfit(path, client, options.overwrite === true)
  if (reason !== undefined) throw problem('TM-1038', { file, reason })
  const suffix = suffixOf(open)
  const way = typedPath(dirname(path), join(client, `index${suffix}`))
  const program = firstProgram(contract, await namesFor(open), {
    contractName: name,
    from: way.startsWith('.') ? way : `./${way}`,
    sample: await sampleMaker(contract),
  })
  if (program === undefined) throw problem('TM-1039', { contract: name })
  await saveText(path, `${program.lines.join('\n')}\n`)
  const shown = typedPath(folder, path)
  const setup = projectSetup(folder)
  const { emit } = await dialectNamed(contract.dialect)
  return {
    file: shown,
    calls: program.operation.path.join('.'),
    run: runnerOf(setup, suffix).line(shown),
    missing: whatIsMissing(setup, {
      dependencies: emit.dependencies(contract),
      importSuffix: suffix,
      contract: name,
      isProgram: true,
    }),
    ...(hasAddress(contract) ? {} : { address: `${variablePrefix(name)}_URL` }),
  }
}

/** Why a program can't be written to a file; undefined where it can. */
async function unfit(
  path: string,
  client: string,
  overwrite: boolean,
): Promise<string | undefined> {
  if (!/\.[mc]?ts$/.test(path)) return 'programs are TypeScript, and their names end in .ts'
  const inside = relative(client, path)
  if (!inside.startsWith('..')) return "it is in the client's own folder, which is written anew"
  const isThere = await stat(path).then(
    () => true,
    () => false,
  )
  return isThere && !overwrite ? 'there is a file of that name' : undefined
}

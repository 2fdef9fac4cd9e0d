import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { problem } from '../contract/problem.js'
import { operationsOf, pathOf } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { fileReason } from '../contract/system-error.js'
import { parseInput } from '../exercise/input.js'
import { sampleValue } from '../exercise/sample.js'
import { readSeed, type Seed } from '../stand-in/seed.js'
import { startServer, type Event, type Part, type StandIn } from '../stand-in/server.js'
import { openContract, type OpenContract, type OpenOptions } from './open-contract.js'

export interface ServeOptions extends OpenOptions {
  /** The port to listen on; any free one when left out. */
  readonly port?: number | undefined
  /** Files of seed data, by contract or for the only one; otherwise seeds/<contract>.yaml of the project. */
  readonly seed?: string | undefined
  readonly onEvent?: (event: Event) => void
}

/**
 * Starts stand-ins for contracts on one loopback port.
 *
 * @throws Problem TM-1014 when seed data is not valid, TM-1015 when it is not there, TM-1016 when the port can't be had
 */
export async function serveContracts(references: readonly string[], options: ServeOptions = {}): Promise<StandIn> {
  const parts = await Promise.all(
    references.map(async (reference): Promise<Part> => {
      const open = await openContract(reference, options)
      const documents = await open.documents()
      const dialect = await dialectNamed(open.whole.dialect)
      const rules = dialect.rules?.(open.whole)
      // Reading follows the references between the documents, which serving needs.
      return {
        name: open.name,
        contract: open.whole,
        ...(open.kept?.entry.only === undefined ? {} : { chosen: new Set(operationsOf(open.contract).map(pathOf)) }),
        dialect,
        documents: [documents.root, ...documents.all().filter((document) => document !== documents.root)],
        seed: await seedOf(open, options),
        improvise: (type, name) => sampleValue(open.whole, type, name, { full: true, rules }),
      }
    }),
  )
  return startServer(parts, options.port ?? 0, options.onEvent ?? (() => undefined))
}

async function seedOf(open: OpenContract, options: ServeOptions): Promise<Seed | undefined> {
  const usual = open.kept === undefined ? undefined : join(open.kept.project.folder, 'seeds', `${open.name}.yaml`)
  const file = options.seed ?? usual
  if (file === undefined) return undefined
  const text = await readFile(file, 'utf8').catch((error: unknown) => {
    if (options.seed === undefined) return undefined
    throw problem('TM-1007', { what: file, reason: fileReason(error) }, { cause: error })
  })
  return text === undefined ? undefined : readSeed(await parseInput(text, file), file)
}

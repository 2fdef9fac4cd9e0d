import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { problem } from '../contract/problem.js'
import { operationsOf, pathOf } from '../contract/queries.js'
import { fileReason, systemCode } from '../contract/system-error.js'
import { dialectNamed } from '../dialects/registry.js'
import { parseInput } from '../exercise/input.js'
import { sampleValue } from '../exercise/sample.js'
import type { Temper } from '../stand-in/misbehaviour.js'
import { readRecorded, type Recorded } from '../stand-in/recorded.js'
import { readSeed, type Seed } from '../stand-in/seed.js'
import { milliseconds, type Time } from '../runtime/times.js'
import { startServer, type Event, type Part, type StandIn } from '../stand-in/server.js'
import { mendedDocuments } from '../documents/overlay.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'

export { misbehaviours, type Misbehaviour, type Temper } from '../stand-in/misbehaviour.js'
export type { Event, StandIn } from '../stand-in/server.js'

export interface ServeOptions extends OpenOptions {
  /** The port to listen on; any free one when left out. */
  readonly port?: number | undefined
  /** The address to listen on; loopback when left out. */
  readonly host?: string | undefined
  /** A file of seed data; otherwise seeds/<contract>.yaml of the project. */
  readonly seed?: string | undefined
  /**
   * A file of recorded answers (HAR), or a folder with one for each contract; otherwise
   * recorded/<contract>.har of the project.
   */
  readonly recorded?: string | undefined
  /** The time before each answer: seconds, or like `200ms`. */
  readonly delay?: Time | undefined
  /** How it fails on purpose, and how often. */
  readonly temper?: Temper | undefined
  readonly onEvent?: ((event: Event) => void) | undefined
}

/** A stand-in, with what each contract is played by. */
export interface Served extends StandIn {
  readonly sources: readonly {
    readonly contract: string
    readonly recorded: number | undefined
    readonly seed: boolean
  }[]
}

/**
 * Starts stand-ins for contracts on one port, on loopback unless told otherwise. They answer with
 * what was recorded, else by seed data, else with made-up values that satisfy the contract; what
 * breaks the contract is refused with the rule that it breaks.
 *
 * @example
 * const standIn = await serveContracts(['berths'], { seed: 'seeds/berths.yaml' })
 * const desk = new BerthDesk({ url: standIn.addresses[0].service })
 * // …
 * console.log(standIn.asked.map(({ operation, input }) => [operation, input]))
 * await standIn.stop()
 * @throws Problem TM-1014, TM-1020 when seed data or recorded answers are not valid, TM-1007 when
 *   they can't be read, TM-1016 when the port can't be had
 */
export async function serveContracts(
  references: readonly string[],
  options: ServeOptions = {},
): Promise<Served> {
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
        ...(open.kept?.entry.only === undefined
          ? {}
          : { chosen: new Set(operationsOf(open.contract).map(pathOf)) }),
        dialect,
        documents: await mendedDocuments(documents),
        seed: await seedOf(open, options),
        recorded: await recordedOf(open, options),
        improvise: (type, name) => sampleValue(open.whole, type, name, { full: true, rules }),
      }
    }),
  )
  const { port = 0, host, delay, temper, onEvent } = options
  const standIn = await startServer(
    parts,
    { port, host, delay: delay === undefined ? undefined : milliseconds(delay), temper },
    onEvent ?? (() => undefined),
  )
  return {
    ...standIn,
    sources: parts.map(({ name, seed, recorded }) => ({
      contract: name,
      recorded: recorded?.entries.length,
      seed: seed !== undefined,
    })),
  }
}

async function seedOf(open: OpenContract, options: ServeOptions): Promise<Seed | undefined> {
  const file =
    options.seed ??
    (open.kept === undefined
      ? undefined
      : join(open.kept.project.folder, 'seeds', `${open.name}.yaml`))
  const text = await fileText(file, options.seed !== undefined)
  return text === undefined || file === undefined
    ? undefined
    : readSeed(await parseInput(text, file), file)
}

async function recordedOf(
  open: OpenContract,
  options: ServeOptions,
): Promise<Recorded | undefined> {
  const { recorded } = options
  const isFolder =
    recorded !== undefined &&
    (await stat(recorded).then(
      (found) => found.isDirectory(),
      () => false,
    ))
  if (recorded !== undefined && isFolder) {
    const file = `${open.name}.har`
    if (!(await readdir(recorded)).includes(file))
      throw problem('TM-1020', { file: recorded, reason: `the folder has no ${file}` })
    return readRecorded((await fileText(join(recorded, file), true)) ?? '', join(recorded, file))
  }
  const file =
    recorded ??
    (open.kept === undefined
      ? undefined
      : join(open.kept.project.folder, 'recorded', `${open.name}.har`))
  const text = await fileText(file, recorded !== undefined)
  return text === undefined || file === undefined ? undefined : readRecorded(text, file)
}

/** The text of a file; undefined when it need not be there and is not. */
async function fileText(file: string | undefined, mustBe: boolean): Promise<string | undefined> {
  if (file === undefined) return undefined
  return readFile(file, 'utf8').catch((error: unknown) => {
    if (!mustBe && systemCode(error) === 'ENOENT') return undefined
    throw problem('TM-1007', { what: file, reason: fileReason(error) }, { cause: error })
  })
}

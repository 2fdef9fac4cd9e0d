import { resolve } from 'node:path'
import type { KeptNames } from '../contract/kept-names.js'
import { problem } from '../contract/problem.js'
import { inNameOrder } from '../contract/ordering.js'
import { filled, present } from '../contract/present.js'
import { contractEntryChange, type ContractEntry, type Project } from '../project/project-file.js'
import { whileLocked } from '../project/project-lock.js'
import { operationsOf } from '../contract/queries.js'
import { clearStages, writeTogether, type Change } from '../project/safe-writing.js'
import { snapshotChange } from '../project/snapshot.js'
import { manifestOf } from './clients/client-state.js'
import { removeEmpty, type Differences } from './clients/folder-change.js'
import {
  compareOpened,
  worstVerdict,
  type CompareOptions,
  type Comparison,
} from './compare-contracts.js'
import {
  cacheContract,
  openKeptContract,
  readProjectCached,
  type OpenContract,
} from './contracts/open-contract.js'
import type { ReadAgain } from './contracts/read-again.js'
import {
  builtClient,
  clientWriting,
  type BuiltClient,
  type WrittenRuntime,
} from './generate-client.js'

export interface RefreshOptions extends CompareOptions {
  /** Move the contract to another source. */
  readonly from?: string | undefined
}

/** What refreshing wrote. */
export interface Refreshed {
  readonly contract: string
  readonly folder: string
  /** What is different in the client's folder; undefined where there is no client yet. */
  readonly client?: Differences
  readonly runtime?: WrittenRuntime
  /** Other clients that had to be written with the runtime. */
  readonly along?: readonly string[]
}

/** A contract that was read again, with what refreshing it would mean: nothing is written yet. */
export interface PlannedRefresh {
  readonly comparison: Comparison
  /** The documents are the same to the last byte, and nothing else is to be written. */
  readonly isCurrent: boolean
  /** Does it do nothing bad to anybody, so that nobody need be asked? */
  readonly isHarmless: boolean
  /** Writes snapshot, project file and client: all of them or nothing. */
  write(): Promise<Refreshed>
}

/**
 * Reads the source of a contract of the project again and works out what that changes. Choices,
 * names, views and comments of the project file stay.
 *
 * @param name the contract's name in the project
 * @throws Problem TM-3001 when the client was edited by hand, TM-1001, TM-3012, and those of reading
 *   metadata
 */
export async function planRefresh(
  name: string,
  options: RefreshOptions = {},
): Promise<PlannedRefresh> {
  const before = await openKeptContract(name, options)
  const { comparison, after } = await compareOpened(before, options.from, options)
  const { project, entry, names } = before.kept
  const built = (await isGenerated(project, entry)) ? await builtClient(after.open) : undefined
  // A client that was edited by hand is noticed before anybody is asked.
  const writing = built === undefined ? undefined : await clientWriting(project, built, false)
  const isMoved = entry.from !== after.from
  const isCurrent =
    isSame(before, after.open) &&
    !isMoved &&
    (writing === undefined || writing.changes.length === 0)
  return {
    comparison,
    isCurrent,
    isHarmless: worstVerdict(comparison) === 'fine' && !comparison.isAnother,
    write: () => write({ project, entry, after, built, names: built?.names ?? names, isMoved }),
  }
}

/** Has the contract a client that was written before? */
async function isGenerated({ folder }: Project, entry: ContractEntry): Promise<boolean> {
  return (await manifestOf(resolve(folder, entry.folder))) !== undefined
}

function isSame(before: OpenContract, after: OpenContract): boolean {
  const digests = (open: OpenContract): string => JSON.stringify(inNameOrder(open.digests))
  return digests(before) === digests(after)
}

interface Writing {
  readonly project: Project
  readonly entry: ContractEntry
  readonly after: ReadAgain
  readonly built: BuiltClient | undefined
  readonly names: KeptNames
  readonly isMoved: boolean
}

async function write(planned: Writing): Promise<Refreshed> {
  const { project, entry, after, built, names, isMoved } = planned
  const { name } = after.open
  const { folder } = project
  if (operationsOf(after.open.contract).length === 0)
    throw problem('TM-3003', {
      only: (entry.only ?? []).map((each) => `"${each}"`).join(', '),
      contract: after.from,
      nearest: 'Choose others in tolmach.yaml, then refresh again. Nothing was written.',
    })
  return whileLocked(folder, 'refresh', async () => {
    await clearStages(folder)
    // Somebody else may have been quicker.
    const { contracts } = await readProjectCached(folder)
    if (JSON.stringify(contracts[name]) !== JSON.stringify(entry))
      throw problem('TM-3013', { contract: name })
    const writing = built === undefined ? undefined : await clientWriting(project, built, false)
    const documents = await after.open.documents()
    const snapshot = snapshotChange(folder, name, documents, names)
    const changes: Change[] = [
      snapshot.change,
      ...(isMoved ? [await contractEntryChange(folder, name, { ...entry, from: after.from })] : []),
      ...(writing?.changes ?? []),
    ]
    await writeTogether(folder, changes)
    if (writing?.emptied !== undefined) await removeEmpty(writing.emptied)
    await cacheContract(after.whole, name, snapshot.index)
    return {
      contract: name,
      folder: entry.folder,
      ...present({ client: writing?.client, runtime: writing?.runtime }),
      ...filled({ along: writing?.along ?? [] }),
    }
  })
}

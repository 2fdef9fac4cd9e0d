import { isAbsolute, resolve } from 'node:path'
import type { Contract } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import { operationsOf } from '../../contract/queries.js'
import { identityOf } from '../../compare/operations.js'
import { isWebAddress, withoutSecrets } from '../../documents/fetching.js'
import type { OverlayFile } from '../../documents/documents.js'
import type { HadDocument } from '../../documents/had-before.js'
import { projectPath, type ContractEntry } from '../../project/project-file.js'
import { snapshotIndex } from '../../project/snapshot.js'
import { namesFor } from '../clients/client-names.js'
import { sourceFetch } from '../auth/source-fetch.js'
import type { Person } from '../auth/credentials.js'
import { contractNameFor, openRead, type KeptContract, type OpenContract } from './open-contract.js'
import { overlayFiles } from './overlay-files.js'
import { readSource } from './read-source.js'

export interface ReadAgainOptions {
  /** Where to read; where the contract came from when left out. */
  readonly from?: string | undefined
  /** How long to wait for each document, in seconds. */
  readonly seconds?: number | undefined
  /** The credential of the project file that the metadata is had with; the contract's when left out. */
  readonly credential?: string | undefined
  readonly person?: Person | undefined
}

/** A contract as its source says it now, with the names and choices that it had. */
export interface ReadAgain {
  readonly open: OpenContract
  /** Where it was read, as the project file would say it. */
  readonly from: string
  /** As its documents say it, before anything of the project is put to it. */
  readonly whole: Contract
}

/**
 * Reads the source of a contract again: operations and types that are still there keep their names.
 *
 * @throws Problem TM-1037 when it is not said where, TM-3012 when what is there is of another
 *   dialect, and those of reading metadata
 */
export async function readAgain(
  before: OpenContract,
  { from, seconds, credential, person }: ReadAgainOptions,
): Promise<ReadAgain> {
  const { kept } = before
  const location =
    from ?? (kept === undefined ? undefined : sourceOf(kept.project.folder, kept.entry))
  if (location === undefined) throw problem('TM-1037', { contract: before.name })
  const asking = { credential: credential ?? credentialOf(kept?.entry), person }
  const send = kept === undefined ? undefined : await sourceFetch(kept.project, location, asking)
  const names = kept?.names ?? (await namesFor(before))
  const overlays = kept === undefined ? [] : await overlaysOf(kept, before)
  const {
    contract: whole,
    documents,
    found,
  } = await readSource(
    location,
    before.name,
    { seconds, send, overlays, before: from === undefined ? await hadBefore(before) : [] },
    names,
  )
  if (whole.dialect !== before.whole.dialect)
    throw problem('TM-3012', {
      contract: before.name,
      location,
      before: before.whole.dialect,
      after: whole.dialect,
    })
  const said = isWebAddress(location) ? withoutSecrets(found ?? location) : location
  if (kept === undefined)
    return {
      open: {
        name: contractNameFor(location),
        contract: whole,
        whole,
        digests: {},
        documents: () => Promise.resolve(documents),
      },
      from: said,
      whole,
    }
  const { project } = kept
  const open = await openRead({
    project,
    name: before.name,
    whole,
    names,
    index: snapshotIndex(project.folder, documents),
    documents: () => Promise.resolve(documents),
    mayBeNone: true,
  })
  return {
    open,
    from: isWebAddress(location) ? said : projectPath(project.folder, location),
    whole,
  }
}

/** The documents of a snapshot, for servers that can tell whether those have changed. */
async function hadBefore(open: OpenContract): Promise<HadDocument[]> {
  // Of a damaged snapshot everything is had anew.
  const documents = await open.documents().then(
    (found) => found.all(),
    () => [],
  )
  return documents.flatMap(({ from, bytes, validators }) =>
    validators === undefined ? [] : [{ from, bytes, ...validators }],
  )
}

/** The overlays that the project file names, as they are now. */
async function overlaysOf(
  { project, entry }: KeptContract['kept'],
  before: OpenContract,
): Promise<OverlayFile[]> {
  const { overlays = [] } = entry
  if (overlays.length === 0) return []
  const documents = await before.documents().catch(() => undefined)
  return overlayFiles(project.folder, overlays, documents?.overlays)
}

/** Where a contract came from: an address, or the path of a file from where we are. */
function sourceOf(folder: string, { from }: ContractEntry): string {
  return isWebAddress(from) || isAbsolute(from) ? from : resolve(folder, from)
}

/** What calls are made with is what the metadata was had with, where that is one thing. */
function credentialOf(entry: ContractEntry | undefined): string | undefined {
  return typeof entry?.credential === 'string' ? entry.credential : undefined
}

/** Have two contracts nothing in common, so that the one can't have become the other? */
export function isAnotherService(before: Contract, after: Contract): boolean {
  const known = new Set(operationsOf(before).map(identityOf))
  return (
    known.size > 0 && !operationsOf(after).some((operation) => known.has(identityOf(operation)))
  )
}

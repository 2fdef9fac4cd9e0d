import { createHash } from 'node:crypto'
import { readFile } from 'node:fs/promises'
import { isAbsolute, join } from 'node:path'
import pMap from 'p-map'
import { noNames, type KeptNames } from '../contract/kept-names.js'
import { inNameOrder } from '../contract/ordering.js'
import { present, filled } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { messageOf, systemCode } from '../contract/system-error.js'
import { documentsOf, type Documents, type LoadedDocument } from '../documents/documents.js'
import type { Validators } from '../documents/had-before.js'
import { decodeText } from '../documents/text.js'
import { projectPath } from './project-file.js'
import type { Change } from './safe-writing.js'

/** What a snapshot's index says. */
export interface SnapshotIndex {
  readonly tolmachSnapshot: 1
  /** The label of the document that was asked for. */
  readonly root: string
  /** The labels of the overlays that mend it, in the order in which they are applied. */
  readonly overlays?: readonly string[]
  /** When it was taken, ISO 8601 in UTC. */
  readonly taken: string
  readonly documents: readonly SnapshotDocument[]
}

export interface SnapshotDocument {
  readonly label: string
  /** Where it came from, without secrets; a path from the project's folder where it lies inside. */
  readonly from: string
  /** SHA-256 of its bytes, in hexadecimal. */
  readonly digest: string
  /** The labels of the documents it refers to, by the reference as written. */
  readonly refers: Readonly<Record<string, string>>
  /** What its server said of it, by which it can tell later whether it has changed. */
  readonly validators?: Validators
}

export function snapshotFolder(projectFolder: string, contract: string): string {
  return join(projectFolder, 'snapshots', contract)
}

/** The index of a snapshot that is taken now. */
export function snapshotIndex(projectFolder: string, documents: Documents): SnapshotIndex {
  return {
    tolmachSnapshot: 1,
    root: documents.root.label,
    ...filled({ overlays: (documents.overlays ?? []).map(({ label }) => label) }),
    taken: new Date().toISOString(),
    documents: documents.all().map((document) => ({
      label: document.label,
      from: isAbsolute(document.from) ? projectPath(projectFolder, document.from) : document.from,
      digest: bytesDigest(document.bytes),
      refers: Object.fromEntries(document.refers),
      ...present({ validators: document.validators }),
    })),
  }
}

/**
 * A snapshot as it is to be written: the documents of a contract, verbatim, with the names given so
 * far.
 */
export function snapshotChange(
  projectFolder: string,
  contract: string,
  documents: Documents,
  names: KeptNames,
): { index: SnapshotIndex; change: Change } {
  const index = snapshotIndex(projectFolder, documents)
  const files: Record<string, string | Uint8Array> = {
    'index.json': `${JSON.stringify(index, null, 2)}\n`,
    'names.json': namesText(names),
  }
  for (const document of documents.all()) files[`documents/${document.label}`] = document.bytes
  return { index, change: { path: snapshotFolder(projectFolder, contract), files } }
}

/**
 * Reads a snapshot's index.
 *
 * @param from the contract's source, for the remedy in messages
 * @throws Problem TM-1012 when it is missing or damaged
 */
export async function readSnapshotIndex(
  projectFolder: string,
  contract: string,
  from: string,
): Promise<SnapshotIndex> {
  const folder = snapshotFolder(projectFolder, contract)
  try {
    const index = JSON.parse(await readFile(join(folder, 'index.json'), 'utf8')) as SnapshotIndex
    if (
      index.tolmachSnapshot !== 1 ||
      !Array.isArray(index.documents) ||
      index.documents.some(({ label }) => !/^[\w.-]+$/.test(label))
    )
      throw new Error('its index is not one of ours')
    return index
  } catch (error) {
    throw problem(
      'TM-1012',
      {
        name: contract,
        from,
        reason: systemCode(error) === 'ENOENT' ? 'it is missing' : messageOf(error),
      },
      { cause: error },
    )
  }
}

/** The documents of a snapshot, their digests checked. */
export async function readSnapshot(
  projectFolder: string,
  contract: string,
  from: string,
  index: SnapshotIndex,
): Promise<Documents> {
  const folder = snapshotFolder(projectFolder, contract)
  const documents = await pMap(
    index.documents,
    async (each): Promise<LoadedDocument> => {
      const bytes = await readFile(join(folder, 'documents', each.label)).catch(
        (error: unknown) => {
          throw problem(
            'TM-1012',
            { name: contract, from, reason: `its document ${each.label} is missing` },
            { cause: error },
          )
        },
      )
      if (bytesDigest(bytes) !== each.digest)
        throw problem('TM-1012', {
          name: contract,
          from,
          reason: `its document ${each.label} was changed`,
        })
      return {
        label: each.label,
        from: each.from,
        bytes,
        text: decodeText(bytes, each.label),
        refers: new Map(Object.entries(each.refers)),
        ...present({ validators: each.validators }),
      }
    },
    { concurrency: 64 },
  )
  return documentsOf(documents, index.root, index.overlays)
}

/** The identifiers given so far, an input of generation. */
export async function readNames(projectFolder: string, contract: string): Promise<KeptNames> {
  try {
    const names = JSON.parse(
      await readFile(join(snapshotFolder(projectFolder, contract), 'names.json'), 'utf8'),
    ) as Partial<KeptNames>
    return { ...noNames, ...names }
  } catch {
    return noNames
  }
}

/** The identifiers given, as they are to be written. */
export function namesChange(projectFolder: string, contract: string, names: KeptNames): Change {
  return {
    path: join(snapshotFolder(projectFolder, contract), 'names.json'),
    contents: namesText(names),
  }
}

export function namesText(names: KeptNames): string {
  const { operations, types, codecs, groups, paths } = names
  const kept = {
    ...present({ class: names.class }),
    operations: inNameOrder(operations),
    types: inNameOrder(types),
    codecs: inNameOrder(codecs),
    ...filled({ groups: inNameOrder(groups), paths: inNameOrder(paths) }),
  }
  return `${JSON.stringify(kept, null, 2)}\n`
}

export function bytesDigest(bytes: Uint8Array | string): string {
  return createHash('sha256').update(bytes).digest('hex')
}

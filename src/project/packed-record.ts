import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import pMap from 'p-map'
import { filled, present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { messageOf, systemCode } from '../contract/system-error.js'
import type { KeptNames } from '../contract/kept-names.js'
import type { Documents } from '../documents/documents.js'
import type { ContractEntry } from './project-file.js'
import type { Change } from './safe-writing.js'
import { namesText, snapshotFolder, type SnapshotIndex } from './snapshot.js'

/** What a package was made of when it was packed last, and all its versions. */
export interface PackedRecord {
  readonly tolmachPacked: 1
  readonly package: string
  /** Semantic Versioning 2.0.0. */
  readonly version: string
  /** SHA-256 of its files, in hexadecimal. */
  readonly digest: string
  /** The oldest version first. */
  readonly history: readonly RecordedVersion[]
  /** What the project said of each contract that is in it. */
  readonly contracts: Readonly<Record<string, PackedEntry>>
}

/** A version that was packed. */
export interface RecordedVersion {
  readonly version: string
  readonly changes: readonly {
    readonly client?: string
    readonly verdict: 'break' | 'may break' | 'fine'
    readonly text: string
  }[]
}

/** What of a contract's entry in the project file decides how its client looks. */
export type PackedEntry = Pick<ContractEntry, 'class' | 'only' | 'pages'>

/** A contract as it goes into a record. */
export interface RecordedContract {
  readonly name: string
  readonly entry: ContractEntry
  readonly names: KeptNames
  readonly index: SnapshotIndex
  readonly documents: Documents
}

/** Beside the snapshots of contracts; no contract can be called so. */
const folderName = '_packed'

/** What the snapshot of a contract is called that a package was made of, as a contract's name. */
export function packedSnapshot(packageName: string, contract: string): string {
  return `${folderName}/${packageName.replaceAll('/', '+')}/${contract}`
}

/** A contract's entry, as far as the record keeps it. */
export function packedEntry({ class: className, only, pages }: ContractEntry): PackedEntry {
  return { ...present({ class: className, only }), ...filled({ pages: pages ?? {} }) }
}

/**
 * What is known of a package that was packed before; undefined where it was not.
 *
 * @throws Problem TM-1044 when it can't be read
 */
export async function readPackedRecord(
  projectFolder: string,
  packageName: string,
): Promise<PackedRecord | undefined> {
  const path = join(snapshotFolder(projectFolder, packedSnapshot(packageName, '.')), 'record.json')
  try {
    const record = JSON.parse(await readFile(path, 'utf8')) as PackedRecord
    if (record.tolmachPacked !== 1 || !Array.isArray(record.history))
      throw new Error('it is not one of ours')
    return record
  } catch (error) {
    if (systemCode(error) === 'ENOENT') return undefined
    throw problem(
      'TM-1044',
      { package: packageName, reason: messageOf(error), folder: `snapshots/${folderName}` },
      { cause: error },
    )
  }
}

/** The packages that a contract is in, those first that have nothing else in them. */
export async function packagesOf(projectFolder: string, contract: string): Promise<PackedRecord[]> {
  const folders = await readdir(join(projectFolder, 'snapshots', folderName)).catch(() => [])
  const records = await pMap(folders.sort(), (each) => readPackedRecord(projectFolder, each))
  return records
    .flatMap((record) =>
      record !== undefined && Object.hasOwn(record.contracts, contract) ? [record] : [],
    )
    .sort((one, other) => countOf(one) - countOf(other))
}

function countOf({ contracts }: PackedRecord): number {
  return Object.keys(contracts).length
}

/** A record as it is to be written, with the documents that its contracts were read from. */
export function packedChange(
  projectFolder: string,
  record: PackedRecord,
  contracts: readonly RecordedContract[],
): Change {
  const files: Record<string, string | Uint8Array> = {
    'record.json': `${JSON.stringify(record, null, 2)}\n`,
  }
  for (const { name, names, index, documents } of contracts) {
    files[`${name}/index.json`] = `${JSON.stringify(index, null, 2)}\n`
    files[`${name}/names.json`] = namesText(names)
    for (const { label, bytes } of documents.all()) files[`${name}/documents/${label}`] = bytes
  }
  return { path: snapshotFolder(projectFolder, packedSnapshot(record.package, '.')), files }
}

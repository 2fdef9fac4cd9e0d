import { messageOf } from '../../contract/system-error.js'
import { Problem, problem } from '../../contract/problem.js'
import { packedEntry, packedSnapshot, type PackedRecord } from '../../project/packed-record.js'
import { readNames, readSnapshot, readSnapshotIndex } from '../../project/snapshot.js'
import { openRead, type KeptContract, type OpenContract } from '../contracts/open-contract.js'
import { readDocuments } from '../contracts/read-source.js'

/**
 * A contract as a package was made of it; undefined where that is how it is now.
 *
 * @throws Problem TM-1044
 */
export async function asPacked(
  record: PackedRecord,
  { name, kept }: KeptContract,
): Promise<OpenContract | undefined> {
  const { project, entry, index: now } = kept
  const packed = record.contracts[name]
  if (packed === undefined) return undefined
  const snapshot = packedSnapshot(record.package, name)
  try {
    const index = await readSnapshotIndex(project.folder, snapshot, entry.from)
    const names = await readNames(project.folder, snapshot)
    const digests = (each: typeof index): string =>
      JSON.stringify(each.documents.map(({ label, digest }) => [label, digest]).sort())
    if (
      digests(index) === digests(now) &&
      JSON.stringify(packed) === JSON.stringify(packedEntry(entry)) &&
      JSON.stringify(names) === JSON.stringify(kept.names)
    )
      return undefined
    const documents = await readSnapshot(project.folder, snapshot, entry.from, index)
    const { only: _only, pages: _pages, class: _class, ...others } = entry
    return await openRead({
      project: {
        ...project,
        contracts: { ...project.contracts, [name]: { ...others, ...packed } },
      },
      name,
      whole: await readDocuments(documents, name, names),
      names,
      index,
      documents: () => Promise.resolve(documents),
      mayBeNone: true,
    })
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    throw problem(
      'TM-1044',
      { package: record.package, reason: messageOf(error), folder: 'snapshots/_packed' },
      { cause: error },
    )
  }
}

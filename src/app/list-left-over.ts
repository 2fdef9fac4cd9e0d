import { readdir, readFile } from 'node:fs/promises'
import { join, posix } from 'node:path'
import pMap from 'p-map'
import { compareTexts } from '../contract/ordering.js'
import { findProject } from '../project/project-file.js'
import { plainPath, sharedName } from '../project/runtime-folder.js'
import { manifestOf } from './clients/client-state.js'
import { noProject, readProjectCached, type OpenOptions } from './contracts/open-contract.js'

/** What stands in a project's folder and belongs to none of its contracts. */
export interface LeftOver {
  readonly kind: 'snapshot' | 'client'
  /** Its folder, from the project's folder. */
  readonly path: string
}

/**
 * Finds the snapshots and clients that were written for contracts which the project file no longer
 * has, or has elsewhere. Clients are looked for beside those of the project and in `src/clients`,
 * never outside the project's folder, where other projects may have theirs.
 *
 * @returns them in the order of their paths; folders that we did not write are none of them
 * @throws Problem TM-1002 when there is no project
 */
export async function listLeftOver(
  options: Pick<OpenOptions, 'project'> = {},
): Promise<LeftOver[]> {
  const folder = options.project ?? (await findProject('.'))
  if (folder === undefined) throw noProject()
  const { contracts } = await readProjectCached(folder)
  const snapshots = new Set(Object.keys(contracts).map((name) => `snapshots/${name}`))
  const clients = new Set(Object.values(contracts).map((entry) => plainPath(entry.folder)))
  const parents = new Set(['src/clients', ...[...clients].map((path) => posix.dirname(path))])
  const beside = await pMap([...parents].filter(isInside), (parent) => foldersIn(folder, parent))
  const candidates: LeftOver[] = [
    ...(await foldersIn(folder, 'snapshots'))
      .filter((path) => !snapshots.has(path))
      .map((path) => ({ kind: 'snapshot' as const, path })),
    ...beside
      .flat()
      .filter((path) => !clients.has(path) && posix.basename(path) !== sharedName)
      .map((path) => ({ kind: 'client' as const, path })),
  ]
  const isOurs = await pMap(candidates, (each) => wasWritten(folder, each), {
    concurrency: 16,
  })
  return candidates
    .filter((_, at) => isOurs[at])
    .sort((one, other) => compareTexts(one.path, other.path))
}

function isInside(path: string): boolean {
  return path !== '..' && !path.startsWith('../') && !posix.isAbsolute(path)
}

async function foldersIn(projectFolder: string, parent: string): Promise<string[]> {
  const entries = await readdir(join(projectFolder, parent), { withFileTypes: true }).catch(
    () => [],
  )
  return entries.filter((entry) => entry.isDirectory()).map(({ name }) => posix.join(parent, name))
}

/** Did we write a folder? A link, or what somebody put there, is not for us to speak of. */
async function wasWritten(projectFolder: string, { kind, path }: LeftOver): Promise<boolean> {
  const folder = join(projectFolder, path)
  if (kind === 'client') return (await manifestOf(folder)) !== undefined
  return readFile(join(folder, 'index.json'), 'utf8').then(
    (text) => text.includes('"tolmachSnapshot"'),
    () => false,
  )
}

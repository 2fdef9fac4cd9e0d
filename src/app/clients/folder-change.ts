import { rmdir } from 'node:fs/promises'
import { posix, resolve } from 'node:path'
import { problem } from '../../contract/problem.js'
import type { Project } from '../../project/project-file.js'
import { sharedName } from '../../project/runtime-folder.js'
import type { Change } from '../../project/safe-writing.js'
import type { GeneratedFile } from '../../typescript/client.js'
import { clientState } from './client-state.js'

/** What is different in a folder of ours from before, as paths below it. */
export interface Differences {
  readonly added: readonly string[]
  readonly changed: readonly string[]
  readonly removed: readonly string[]
  /** Files of others that were called like ones of ours, as they are called now. */
  readonly moved: readonly string[]
}

export const noDifferences: Differences = { added: [], changed: [], removed: [], moved: [] }

export function isNothing({ added, changed, removed }: Differences): boolean {
  return added.length + changed.length + removed.length === 0
}

/** Differences with every list of paths as another one. */
export function eachList(
  { added, changed, removed, moved }: Differences,
  as: (paths: readonly string[]) => readonly string[],
): Differences {
  return { added: as(added), changed: as(changed), removed: as(removed), moved: as(moved) }
}

/**
 * What is to be written so that a folder of ours has these files and no others; what others have
 * put there stays.
 *
 * @param folder from the project's folder
 * @param otherPlace how another folder is chosen, where it is not that of a client
 * @returns the change, undefined where all is as it is to be
 * @throws Problem TM-3001 when files were edited by hand, TM-3002 when the folder has files of
 *   others that stand in the way, unless they may be overwritten
 */
export async function folderChange(
  project: Project,
  folder: string,
  files: readonly GeneratedFile[],
  overwrite: boolean,
  otherPlace?: string,
): Promise<{ differences: Differences; change: Change | undefined }> {
  const path = resolve(project.folder, folder)
  const state = await clientState(path)
  // A folder that nothing of ours is in, or is to be in, is somebody else's.
  if (files.length === 0 && state.manifest === undefined)
    return { differences: noDifferences, change: undefined }
  if (state.edited.length > 0 && !overwrite)
    throw problem('TM-3001', { folder, files: state.edited.join(', ') })
  const written = new Set(files.map((file) => file.path))
  const clashing = state.strangers.filter(
    (each) => written.has(each) || (state.manifest === undefined && each in state.texts),
  )
  if (clashing.length > 0 && !overwrite)
    throw problem('TM-3002', {
      folder,
      files: clashing.slice(0, 8).join(', '),
      other:
        otherPlace ??
        (posix.basename(folder) === sharedName
          ? 'Give the client a copy of its own (`runtime: own` in tolmach.yaml)'
          : 'Choose another folder in tolmach.yaml'),
    })

  const before = state.texts
  const foreign = new Set(state.strangers)
  // What somebody else's file is called like one of ours is kept beside it.
  const keep = new Map(
    state.strangers.map((each) => [each, written.has(each) ? freeName(each, foreign) : each]),
  )
  const own = (each: string): boolean => each in before && !foreign.has(each)
  const differences: Differences = {
    added: files.filter((file) => !own(file.path)).map((file) => file.path),
    changed: files
      .filter((file) => own(file.path) && before[file.path] !== file.text)
      .map((file) => file.path),
    removed: Object.keys(before).filter((each) => own(each) && !written.has(each)),
    moved: [...keep].filter(([each, kept]) => each !== kept).map(([, kept]) => kept),
  }
  const change = {
    path,
    files: Object.fromEntries(files.map((file) => [file.path, file.text])),
    keep,
  }
  return { differences, change: isNothing(differences) ? undefined : change }
}

function freeName(path: string, taken: ReadonlySet<string>): string {
  let name = `${path}.kept`
  for (let count = 2; taken.has(name); count += 1) name = `${path}.kept${count}`
  return name
}

/** Takes a folder away that nothing is in. */
export async function removeEmpty(path: string): Promise<void> {
  await rmdir(path).catch(() => undefined)
}

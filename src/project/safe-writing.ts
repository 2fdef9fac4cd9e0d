import { randomBytes } from 'node:crypto'
import { cp, mkdir, readdir, rename, rm, stat, writeFile } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { problem } from '../contract/problem.js'
import { fileReason, systemCode } from '../contract/system-error.js'

/** Writes a file so that whoever reads it sees the old or the new contents, never a part. */
export async function writeFileSafely(path: string, contents: string | Uint8Array, mode = 0o666): Promise<void> {
  const aside = join(dirname(path), `.${basename(path)}.${randomBytes(4).toString('hex')}.new`)
  try {
    await mkdir(dirname(path), { recursive: true })
    await writeFile(aside, contents, { mode })
    await rename(aside, path)
  } catch (error) {
    await rm(aside, { force: true })
    throw writeProblem(path, error)
  }
}

/**
 * Replaces a folder's contents as a whole: the new folder is written aside and then swapped in. When the program ends in the middle,
 * the old folder is still there, whole; {@link restoreFolder} puts it back if it ended between the two renames of the swap.
 *
 * @param files contents by path below the folder
 * @param keep paths below the folder that are carried over from the old one
 */
export async function replaceFolder(folder: string, files: Readonly<Record<string, string | Uint8Array>>, keep: readonly string[] = []): Promise<void> {
  const mark = randomBytes(4).toString('hex')
  const aside = join(dirname(folder), `.${basename(folder)}.${mark}.new`)
  const previous = previousName(folder)
  try {
    await recoverFolder(folder)
    const made = new Set<string>()
    for (const [path, contents] of Object.entries(files)) {
      const target = join(aside, path)
      if (!made.has(dirname(target))) await mkdir(dirname(target), { recursive: true })
      made.add(dirname(target))
      await writeFile(target, contents)
    }
    for (const path of keep) await cp(join(folder, path), join(aside, path), { recursive: true })
    if (await exists(folder)) await rename(folder, previous)
    await rename(aside, folder)
    await rm(previous, { recursive: true, force: true })
  } catch (error) {
    // The first failure is what counts, not what clearing up may meet.
    await recoverFolder(folder).catch(() => undefined)
    await rm(aside, { recursive: true, force: true }).catch(() => undefined)
    throw writeProblem(folder, error)
  }
}

/** Puts the old folder back when a swap was cut short between its two renames; leaves everything alone otherwise. */
export async function restoreFolder(folder: string): Promise<void> {
  const previous = previousName(folder)
  if ((await exists(folder)) || !(await exists(previous))) return
  // Another process may be in the middle of that very swap.
  await new Promise((resolve) => setTimeout(resolve, 200))
  if (!(await exists(folder)) && (await exists(previous))) await rename(previous, folder)
}

/** Puts the folder right, and clears away what unfinished writing left beside it. */
async function recoverFolder(folder: string): Promise<void> {
  await restoreFolder(folder)
  await rm(previousName(folder), { recursive: true, force: true })
  const start = `.${basename(folder)}.`
  for (const name of await readdir(dirname(folder)).catch(() => [])) {
    const path = join(dirname(folder), name)
    if (!name.startsWith(start) || !name.endsWith('.new')) continue
    const age = await stat(path).then((found) => Date.now() - found.mtimeMs, () => 0)
    // Younger ones may belong to a process that is still at work.
    if (age > 60_000) await rm(path, { recursive: true, force: true })
  }
}

function previousName(folder: string): string {
  return join(dirname(folder), `.${basename(folder)}.previous`)
}

async function exists(path: string): Promise<boolean> {
  return stat(path).then(() => true, () => false)
}

function writeProblem(path: string, error: unknown): unknown {
  return systemCode(error) === '' ? error : problem('TM-1008', { what: path, reason: fileReason(error) }, { cause: error })
}

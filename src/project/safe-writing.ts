import { randomBytes } from 'node:crypto'
import {
  chmod,
  cp,
  lstat,
  mkdir,
  readdir,
  readFile,
  realpath,
  rename,
  rm,
  stat,
  writeFile,
} from 'node:fs/promises'
import { basename, dirname, isAbsolute, join, relative, resolve, sep } from 'node:path'
import pMap from 'p-map'
import { problem } from '../contract/problem.js'
import { fileReason, systemCode } from '../contract/system-error.js'
import { whileLocked, workFolder } from './project-lock.js'

/**
 * Writes a file so that whoever reads it sees the old or the new contents, never a part. What is no
 * ordinary file, a device or a pipe, is written into as it is; where a link leads, that is written,
 * and the link stays.
 *
 * @throws Problem TM-1008 when it can't be written
 */
export async function writeFileSafely(
  path: string,
  contents: string | Uint8Array,
  mode = 0o666,
): Promise<void> {
  await writeAside(path, mode, (aside, further) => writeFile(aside, contents, { mode, ...further }))
}

/**
 * Has something write a file aside, and puts it in its place when it is whole.
 *
 * @param write writes into the path that it is given
 */
export async function writeAside(
  path: string,
  mode: number,
  write: (aside: string, options: { readonly flag?: string }) => Promise<unknown>,
): Promise<void> {
  try {
    const found = await stat(path).catch(() => undefined)
    if (isStream(path) || (found !== undefined && !found.isFile() && !found.isDirectory())) {
      await write(path, { flag: 'w' })
      return
    }
    const target = found === undefined ? await linkTarget(path) : await realpath(path)
    const aside = join(
      dirname(target),
      `.${basename(target)}.${randomBytes(4).toString('hex')}.new`,
    )
    try {
      await mkdir(dirname(target), { recursive: true })
      await write(aside, {})
      if (found !== undefined && mode === 0o666) await chmod(aside, found.mode & 0o7777)
      await rename(aside, target)
    } catch (error) {
      await rm(aside, { force: true })
      throw error
    }
    await clearAsides(target)
  } catch (error) {
    throw writeProblem(path, error)
  }
}

/** What is below these is a way into the system, whatever it leads to: standard output, say. */
function isStream(path: string): boolean {
  const whole = resolve(path)
  return whole.startsWith(`${sep}dev${sep}`) || whole.startsWith(`${sep}proc${sep}`)
}

/** Where a link leads that leads to nothing yet; the path itself where it is no link. */
async function linkTarget(path: string): Promise<string> {
  const isLink = await lstat(path).then(
    (found) => found.isSymbolicLink(),
    () => false,
  )
  if (!isLink) return path
  const { readlink } = await import('node:fs/promises')
  return resolve(dirname(path), await readlink(path))
}

/**
 * Clears away what killed programs left beside a file. Younger leftovers may belong to one that is
 * still at work.
 */
async function clearAsides(target: string): Promise<void> {
  const start = `.${basename(target)}.`
  for (const name of await readdir(dirname(target)).catch(() => [])) {
    if (!name.startsWith(start) || !/^[0-9a-f]{8}\.new$/.test(name.slice(start.length))) continue
    const path = join(dirname(target), name)
    const age = await stat(path).then(
      (found) => Date.now() - found.mtimeMs,
      () => 0,
    )
    if (age > 60_000) await rm(path, { force: true }).catch(() => undefined)
  }
}

/** A file of a project, or a folder of it as a whole, that is to be as given. */
export type Change =
  | { readonly path: string; readonly contents: string | Uint8Array }
  /** It is to be there no more. */
  | { readonly path: string; readonly gone: true }
  | {
      readonly path: string
      readonly files: Readonly<Record<string, string | Uint8Array>>
      /** What is carried over from the old folder: paths below it, and what they are called in the new one. */ readonly keep?: ReadonlyMap<
        string,
        string
      >
    }

/**
 * One move of the journal: what was put together, where it belongs, and where what was there goes
 * until all is done. Paths are from the project's folder.
 */
interface Move {
  readonly from: string
  readonly to: string
  readonly old: string
  /** Nothing takes its place. */
  readonly gone?: true
}

/**
 * Changes files and folders of a project together: however the program ends, all of them are as
 * they were or all are new, at the latest when the next command has looked ({@link
 * recoverProject}). A folder that a link leads to out of the project, or that is on another file
 * system, is swapped by itself, after the others. The project must be locked.
 *
 * @throws Problem TM-1008 when something can't be written; then nothing changed
 */
export async function writeTogether(
  projectFolder: string,
  changes: readonly Change[],
): Promise<void> {
  const project = await realpath(projectFolder)
  const work = workFolder(project)
  const stage = join(work, randomBytes(6).toString('hex'))
  try {
    await finishJournal(project)
    await mkdir(stage, { recursive: true })
    const { dev } = await stat(stage)
    const moves: Move[] = []
    const swaps: { readonly from: string | undefined; readonly to: string }[] = []
    for (const [at, change] of changes.entries()) {
      const to = await realpath(change.path).catch(() => resolve(change.path))
      const isOwn = isInside(to, project) && (await deviceOf(dirname(to))) === dev
      const place = isOwn
        ? join(stage, String(at))
        : join(dirname(to), `.${basename(to)}.${randomBytes(4).toString('hex')}.new`)
      const from = isOwn ? join(place, 'new') : place
      if ('gone' in change && !isOwn) {
        swaps.push({ from: undefined, to })
        continue
      }
      await mkdir(dirname(from), { recursive: true })
      // What stands in the way shows before anything is moved.
      if (!('gone' in change)) await mkdir(dirname(to), { recursive: true })
      if ('contents' in change) await writeFile(from, change.contents)
      else if ('files' in change) await writeFolder(from, change.files, to, change.keep)
      if (isOwn)
        moves.push({
          from: relative(project, from),
          to: relative(project, to),
          old: relative(project, join(place, 'old')),
          ...('gone' in change ? { gone: true } : {}),
        })
      else swaps.push({ from, to })
    }
    await writeFile(join(stage, 'journal'), JSON.stringify(moves))
    // From here on it is done, whatever happens.
    await rename(join(stage, 'journal'), join(work, 'journal.json'))
    await finishJournal(project)
    for (const swap of swaps) await swapFolder(swap.from, swap.to)
  } catch (error) {
    // With a journal all was put together: what could not be moved now is moved by the next
    // command.
    await finishJournal(project).catch(() => undefined)
    throw writeProblem(changes[0]?.path ?? projectFolder, error)
  } finally {
    await rm(stage, { recursive: true, force: true }).catch(() => undefined)
  }
}

async function deviceOf(path: string): Promise<number> {
  return stat(path).then(
    ({ dev }) => dev,
    () => (dirname(path) === path ? 0 : deviceOf(dirname(path))),
  )
}

function isInside(path: string, folder: string): boolean {
  const way = relative(folder, path)
  return way !== '' && !way.startsWith('..') && !isAbsolute(way)
}

async function swapFolder(from: string | undefined, to: string): Promise<void> {
  if (from === undefined) return rm(to, { recursive: true, force: true })
  const old = `${from}.old`
  if (await exists(to)) await rename(to, old)
  await rename(from, to)
  await rm(old, { recursive: true, force: true })
}

async function writeFolder(
  folder: string,
  files: Readonly<Record<string, string | Uint8Array>>,
  before: string,
  keep: ReadonlyMap<string, string> = new Map(),
): Promise<void> {
  await mkdir(folder, { recursive: true })
  const made = new Set([folder])
  const write = async ([path, contents]: readonly [string, string | Uint8Array]): Promise<void> => {
    const target = join(folder, path)
    if (!made.has(dirname(target))) await mkdir(dirname(target), { recursive: true })
    made.add(dirname(target))
    await writeFile(target, contents)
  }
  await pMap(Object.entries(files), write, { concurrency: 16 })
  for (const [path, name] of keep)
    await cp(join(before, path), join(folder, name), { recursive: true, verbatimSymlinks: true })
}

/**
 * Does what a journal says, from wherever its doing was broken off: inside the project, whoever
 * wrote it, and nowhere else.
 */
async function finishJournal(project: string): Promise<void> {
  const work = workFolder(project)
  const journal = join(work, 'journal.json')
  const text = await readFile(journal, 'utf8').catch(() => undefined)
  if (text === undefined) return
  for (const move of movesIn(text)) {
    const [from, old] = [resolve(project, move.from), resolve(project, move.old)]
    const to = resolve(project, move.to)
    if (
      !isInside(from, work) ||
      !isInside(old, work) ||
      !(await staysInside(to, project)) ||
      !(move.gone === true || (await exists(from)))
    )
      continue
    if (move.gone === true) {
      await mkdir(dirname(old), { recursive: true })
      if (await exists(to)) await rename(to, old)
      continue
    }
    await mkdir(dirname(to), { recursive: true })
    const there = await lstat(to).catch(() => undefined)
    if (there?.isDirectory() === true && !(await exists(old))) await rename(to, old)
    await rename(from, to)
  }
  await rm(journal, { force: true })
}

function movesIn(text: string): Move[] {
  try {
    const read = JSON.parse(text) as unknown
    return Array.isArray(read)
      ? read.filter(
          (each: unknown): each is Move =>
            typeof each === 'object' &&
            each !== null &&
            ['from', 'to', 'old'].every(
              (name) => typeof (each as Record<string, unknown>)[name] === 'string',
            ),
        )
      : []
  } catch {
    return []
  }
}

/** Is a path in the project, links on the way to it followed? */
async function staysInside(path: string, project: string): Promise<boolean> {
  if (!isInside(path, project)) return false
  let there = dirname(path)
  while (!(await exists(there))) there = dirname(there)
  const real = await realpath(there)
  return real === project || isInside(real, project)
}

/**
 * Ends what a killed program had begun in a project, or waits for one that is still at it. Costs
 * one look where there is nothing.
 */
export async function recoverProject(projectFolder: string): Promise<void> {
  if (!(await exists(join(workFolder(projectFolder), 'journal.json')))) return
  await whileLocked(projectFolder, 'recovery', async () => {
    await finishJournal(await realpath(projectFolder))
    await clearStages(projectFolder)
  })
}

/**
 * Clears away what killed programs had put together, and nobody needs any more. The project must be
 * locked.
 */
export async function clearStages(projectFolder: string): Promise<void> {
  const work = workFolder(projectFolder)
  for (const name of await readdir(work).catch(() => []))
    if (/^(?:[0-9a-f]{12}|lock\.[0-9a-f]{8})$/.test(name))
      await rm(join(work, name), { recursive: true, force: true })
}

async function exists(path: string): Promise<boolean> {
  return lstat(path).then(
    () => true,
    () => false,
  )
}

function writeProblem(path: string, error: unknown): unknown {
  return systemCode(error) === ''
    ? error
    : problem('TM-1008', { what: path, reason: fileReason(error) }, { cause: error })
}

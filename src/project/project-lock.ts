import { link, mkdir, readFile, rename, rm, rmdir, stat, writeFile } from 'node:fs/promises'
import { randomBytes } from 'node:crypto'
import { hostname } from 'node:os'
import { join } from 'node:path'
import { problem } from '../contract/problem.js'
import { fileReason, systemCode } from '../contract/system-error.js'

/**
 * Where a project's files are put together before they go where they belong; nothing in it is ever
 * committed, and it is gone when nobody writes.
 */
export function workFolder(projectFolder: string): string {
  return join(projectFolder, '.tolmach')
}

/** Whoever writes into a project. */
interface Holder {
  readonly process: number
  readonly host: string
  readonly command: string
  readonly since: string
}

/** So many milliseconds one waits for another to be done. */
const patience = 20_000

/**
 * Does something while nobody else writes into the project. A process that died holds nothing up.
 *
 * @param command what it is done for, as others are told who wait
 * @throws Problem TM-1029 when another process goes on writing, TM-1008 when the project's folder
 *   can't be written
 */
export async function whileLocked<Result>(
  projectFolder: string,
  command: string,
  work: () => Promise<Result>,
): Promise<Result> {
  const release = await acquire(projectFolder, command)
  try {
    return await work()
  } finally {
    await release()
  }
}

async function acquire(projectFolder: string, command: string): Promise<() => Promise<void>> {
  const folder = workFolder(projectFolder)
  const lock = join(folder, 'lock')
  const own: Holder = {
    process: process.pid,
    host: hostname(),
    command,
    since: new Date().toISOString(),
  }
  const end = Date.now() + patience
  for (;;) {
    try {
      await prepare(folder)
      if (await claim(lock, JSON.stringify(own))) return async () => release(folder, lock)
    } catch (error) {
      // Whoever was done before may just have taken the folder away.
      if (systemCode(error) !== 'ENOENT')
        throw problem('TM-1008', { what: folder, reason: fileReason(error) }, { cause: error })
    }
    const text = await readFile(lock, 'utf8').catch(() => undefined)
    const holder = text === undefined ? undefined : holderIn(text)
    if (text !== undefined && (await isDead(lock, holder))) await takeAway(lock, text)
    else if (Date.now() > end)
      throw problem('TM-1029', {
        process: holder?.process ?? 0,
        host: holder?.host ?? 'this machine',
        command: holder?.command ?? 'something',
        since: holder?.since ?? 'a while ago',
      })
    else await new Promise((resolve) => setTimeout(resolve, 50))
  }
}

async function prepare(folder: string): Promise<void> {
  await mkdir(folder, { recursive: true })
  await writeFile(join(folder, '.gitignore'), '*\n')
}

/** Puts the lock there with all that is in it, or not at all. */
async function claim(lock: string, text: string): Promise<boolean> {
  const aside = `${lock}.${randomBytes(4).toString('hex')}`
  try {
    await writeFile(aside, text)
    await link(aside, lock)
    return true
  } catch (error) {
    if (systemCode(error) === 'EEXIST') return false
    // Some file systems know no links.
    if (!['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS', 'EMLINK'].includes(systemCode(error)))
      throw error
    return await writeFile(lock, text, { flag: 'wx' }).then(
      () => true,
      () => false,
    )
  } finally {
    await rm(aside, { force: true })
  }
}

async function release(folder: string, lock: string): Promise<void> {
  await rm(lock, { force: true })
  // Empty but for its own file it goes; whoever came meanwhile has something in it, and keeps it.
  await rm(join(folder, '.gitignore'), { force: true })
  await rmdir(folder).catch(async () =>
    writeFile(join(folder, '.gitignore'), '*\n').catch(() => undefined),
  )
}

function holderIn(text: string): Holder | undefined {
  try {
    const read = JSON.parse(text) as Partial<Holder>
    return typeof read.process === 'number' && typeof read.host === 'string'
      ? (read as Holder)
      : undefined
  } catch {
    return undefined
  }
}

/**
 * Is whoever holds the lock gone? Of other machines, and of what can't be read, only its age tells.
 */
async function isDead(lock: string, holder: Holder | undefined): Promise<boolean> {
  if (holder !== undefined && holder.host === hostname()) {
    if (holder.process === process.pid) return false
    try {
      process.kill(holder.process, 0)
      return false
    } catch (error) {
      return systemCode(error) === 'ESRCH'
    }
  }
  const age = await stat(lock).then(
    ({ mtimeMs }) => Date.now() - mtimeMs,
    () => 0,
  )
  return age > (holder === undefined ? 5_000 : 3_600_000)
}

/** Takes a dead lock away, unless somebody else did and holds a new one already. */
async function takeAway(lock: string, text: string): Promise<void> {
  const aside = `${lock}.${randomBytes(4).toString('hex')}`
  try {
    await rename(lock, aside)
    // Somebody was quicker, and this one is alive.
    if ((await readFile(aside, 'utf8')) !== text) await link(aside, lock).catch(() => undefined)
  } catch {
    // It is gone already.
  } finally {
    await rm(aside, { force: true })
  }
}

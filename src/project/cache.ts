import { mkdir, mkdtemp, readFile, rename, writeFile } from 'node:fs/promises'
import { randomBytes } from 'node:crypto'
import { homedir, tmpdir } from 'node:os'
import { join } from 'node:path'

/** The user's folder for things that can be made again. */
export function cacheFolder(): string {
  const base = process.env['XDG_CACHE_HOME']
  return join(base !== undefined && base !== '' ? base : join(homedir(), '.cache'), 'tolmach')
}

/** What is kept under this name, or undefined. */
export async function readCached(name: string): Promise<string | undefined> {
  return readFile(join(cacheFolder(), name), 'utf8').catch(() => undefined)
}

/**
 * Keeps a text under a name that tells its contents apart (a digest).
 *
 * @returns the path; in a temporary folder of its own when the user's cache can't be written
 */
export async function writeCached(name: string, text: string): Promise<string> {
  try {
    await mkdir(cacheFolder(), { recursive: true, mode: 0o700 })
    return await writeInto(cacheFolder(), name, text)
  } catch {
    return writeInto(await mkdtemp(join(tmpdir(), 'tolmach-')), name, text)
  }
}

async function writeInto(folder: string, name: string, text: string): Promise<string> {
  const aside = join(folder, `.${name}.${randomBytes(4).toString('hex')}`)
  await writeFile(aside, text, { mode: 0o600 })
  await rename(aside, join(folder, name))
  return join(folder, name)
}

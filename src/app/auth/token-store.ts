import { createCipheriv, createDecipheriv, createHash, randomBytes } from 'node:crypto'
import { mkdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { cacheFolder } from '../../project/cache.js'
import { writeFileSafely } from '../../project/safe-writing.js'

/**
 * Refresh tokens of people who logged in with a browser, so that they need not do so for each call.
 * Each is kept encrypted, in the user's own cache, under a key in a file of its own that only that
 * user can read.
 */

async function key(): Promise<Buffer> {
  const path = join(cacheFolder(), 'tokens.key')
  const kept = await readFile(path).catch(() => undefined)
  if (kept?.length === 32) return kept
  const fresh = randomBytes(32)
  await mkdir(cacheFolder(), { recursive: true, mode: 0o700 })
  await writeFileSafely(path, fresh, 0o600)
  return fresh
}

function pathFor(what: string): string {
  return join(cacheFolder(), `token-${createHash('sha256').update(what).digest('hex')}`)
}

/**
 * The refresh token kept for something; undefined when there is none, or it can't be read any more.
 */
export async function keptToken(what: string): Promise<string | undefined> {
  try {
    const sealed = await readFile(pathFor(what))
    const opened = createDecipheriv('aes-256-gcm', await key(), sealed.subarray(0, 12)).setAuthTag(
      sealed.subarray(12, 28),
    )
    return Buffer.concat([opened.update(sealed.subarray(28)), opened.final()]).toString('utf8')
  } catch {
    return undefined
  }
}

/** Keeps a refresh token. */
export async function keepToken(what: string, token: string): Promise<void> {
  const start = randomBytes(12)
  const sealing = createCipheriv('aes-256-gcm', await key(), start)
  const sealed = Buffer.concat([sealing.update(token, 'utf8'), sealing.final()])
  await writeFileSafely(pathFor(what), Buffer.concat([start, sealing.getAuthTag(), sealed]), 0o600)
}

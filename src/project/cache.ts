import { mkdir, mkdtemp, open, readFile, rename } from 'node:fs/promises'
import { randomBytes } from 'node:crypto'
import { homedir, tmpdir } from 'node:os'
import { join } from 'node:path'

const pieceSize = 1 << 20

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
 * What is kept under this name, line by line: what is large is never in memory as a whole.
 *
 * @param use gets each line in turn
 * @returns whether there is anything
 */
export async function readCachedLines(name: string, use: (line: string) => void): Promise<boolean> {
  const file = await open(join(cacheFolder(), name)).catch(() => undefined)
  if (file === undefined) return false
  try {
    const piece = Buffer.allocUnsafe(Math.min((await file.stat()).size + 1, pieceSize))
    const decoder = new TextDecoder()
    // A line may be many pieces long: they are put together once, when it ends.
    let begun: string[] = []
    for (
      let { bytesRead } = await file.read(piece);
      bytesRead > 0;
      { bytesRead } = await file.read(piece)
    ) {
      const [first = '', ...others] = decoder
        .decode(piece.subarray(0, bytesRead), { stream: true })
        .split('\n')
      begun.push(first)
      for (const next of others) {
        use(begun.join(''))
        begun = [next]
      }
    }
    if (begun.join('') !== '') use(begun.join(''))
    return true
  } finally {
    await file.close()
  }
}

/**
 * Keeps a text, or the lines of one, under a name that tells its contents apart (a digest).
 *
 * @returns the path; in a temporary folder of its own when the user's cache can't be written
 */
export async function writeCached(name: string, text: string | Iterable<string>): Promise<string> {
  try {
    await mkdir(cacheFolder(), { recursive: true, mode: 0o700 })
    return await writeInto(cacheFolder(), name, text)
  } catch {
    return writeInto(await mkdtemp(join(tmpdir(), 'tolmach-')), name, text)
  }
}

async function writeInto(
  folder: string,
  name: string,
  text: string | Iterable<string>,
): Promise<string> {
  const aside = join(folder, `.${name}.${randomBytes(4).toString('hex')}`)
  const file = await open(aside, 'wx', 0o600)
  try {
    if (typeof text === 'string') await file.writeFile(text)
    else {
      let lines: string[] = []
      let size = 0
      for (const line of text) {
        lines.push(line, '\n')
        size += line.length
        if (size < pieceSize) continue
        await file.writeFile(lines.join(''))
        ;[lines, size] = [[], 0]
      }
      await file.writeFile(lines.join(''))
    }
  } finally {
    await file.close()
  }
  await rename(aside, join(folder, name))
  return join(folder, name)
}

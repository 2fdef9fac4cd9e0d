import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import pMap from 'p-map'
import { textDigest } from '../contract/digest.js'

/** What is in a client's folder, compared with its manifest. */
export interface ClientState {
  readonly manifest:
    | {
        readonly inputs: string
        readonly class: string
        readonly files: Readonly<Record<string, string>>
      }
    | undefined
  /** Files of ours that are not as they were written, or gone. */
  readonly edited: readonly string[]
  /** Files that are not ours, and whatever else there is: links, empty folders, packages. */
  readonly strangers: readonly string[]
  readonly present: readonly string[]
  /** The text of every file, by path. */
  readonly texts: Readonly<Record<string, string>>
}

/** Looks at a client's folder; one that isn't there has nothing in it. */
export async function clientState(folder: string): Promise<ClientState> {
  const exists = await stat(folder).then(
    (found) => found.isDirectory(),
    () => false,
  )
  const entries = exists ? await readdir(folder, { withFileTypes: true }) : []
  const present: string[] = []
  // What is no file, and the packages of others, stays as a whole.
  const others: string[] = []
  for (const waiting = entries.map((entry) => ({ entry, path: entry.name })); ;) {
    const next = waiting.pop()
    if (next === undefined) break
    const { entry, path } = next
    if (entry.isFile()) present.push(path)
    else if (!entry.isDirectory() || path === 'node_modules') others.push(path)
    else {
      const inside = await readdir(join(folder, path), { withFileTypes: true })
      if (inside.length === 0) others.push(path)
      for (const each of inside) waiting.push({ entry: each, path: `${path}/${each.name}` })
    }
  }
  present.sort()
  others.sort()
  const texts: Record<string, string> = Object.fromEntries(
    await pMap(
      present,
      async (path) => [path, await readFile(join(folder, path), 'utf8')] as const,
      { concurrency: 64 },
    ),
  )
  const manifest = readManifest(texts['manifest.json'])
  if (manifest === undefined)
    return { manifest, edited: [], strangers: [...present, ...others], present, texts }
  const edited = Object.entries(manifest.files)
    .filter(([path, digest]) => path in texts && textDigest(texts[path] ?? '') !== digest)
    .map(([path]) => path)
  const strangers = [
    ...present.filter((path) => path !== 'manifest.json' && !(path in manifest.files)),
    ...others,
  ]
  return { manifest, edited, strangers, present, texts }
}

function readManifest(text: string | undefined): ClientState['manifest'] {
  try {
    const manifest = JSON.parse(text ?? '') as ClientState['manifest'] & { writtenBy?: string }
    return manifest.writtenBy === 'tolmach' ? manifest : undefined
  } catch {
    return undefined
  }
}

import { readdir, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import pMap from 'p-map'
import { textDigest } from '../../contract/digest.js'
import { sharedName } from '../../project/runtime-folder.js'

/** What is in a client's folder, compared with its manifest. */
export interface ClientState {
  readonly manifest:
    | {
        readonly inputs: string
        readonly class: string
        readonly files: Readonly<Record<string, string>>
        /** What it shares with the clients beside it. */
        readonly runtime?: { readonly folder: string; readonly files: readonly string[] }
      }
    | undefined
  /** Files of ours that are not as they were written. */
  readonly edited: readonly string[]
  /** Files of ours that are gone. */
  readonly missing: readonly string[]
  /** Files that are not ours, and whatever else there is: links, empty folders, packages. */
  readonly strangers: readonly string[]
  readonly present: readonly string[]
  /** The text of every file, by path. */
  readonly texts: Readonly<Record<string, string>>
}

/**
 * Looks at a client's folder; one that isn't there has nothing in it.
 *
 * @param folder its path
 * @returns what was written there, and which of its files were edited, are gone or are somebody
 *   else's
 */
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
    return { manifest, edited: [], missing: [], strangers: [...present, ...others], present, texts }
  const edited = Object.entries(manifest.files)
    .filter(([path, digest]) => path in texts && textDigest(texts[path] ?? '') !== digest)
    .map(([path]) => path)
  const missing = Object.keys(manifest.files).filter((path) => !(path in texts))
  const strangers = [
    ...present.filter((path) => path !== 'manifest.json' && !(path in manifest.files)),
    ...others,
  ]
  return { manifest, edited, missing, strangers, present, texts }
}

/**
 * Looks at a client's folder and at what it shares with those beside it. Files of the shared
 * runtime are named from the client's folder: `../runtime/connection.ts`.
 */
export async function clientStateWithRuntime(folder: string): Promise<ClientState> {
  const own = await clientState(folder)
  const shared = own.manifest?.runtime
  if (shared === undefined) return own
  const runtime = await clientState(join(folder, '..', sharedName))
  const isThere = new Set(Object.keys(runtime.manifest?.files ?? {}))
  const here = (path: string): string => `../${sharedName}/${path}`
  const needed = new Set(shared.files)
  return {
    ...own,
    edited: [...own.edited, ...runtime.edited.filter((path) => needed.has(path)).map(here)],
    missing: [
      ...own.missing,
      ...shared.files
        .filter((path) => !isThere.has(path) || runtime.missing.includes(path))
        .map(here),
    ],
    texts: { ...own.texts, [here('manifest.json')]: runtime.texts['manifest.json'] ?? '' },
  }
}

/** The manifest of a folder of ours; undefined where there is none. */
export async function manifestOf(folder: string): Promise<ClientState['manifest']> {
  return readManifest(await readFile(join(folder, 'manifest.json'), 'utf8').catch(() => undefined))
}

function readManifest(text: string | undefined): ClientState['manifest'] {
  try {
    const manifest = JSON.parse(text ?? '') as ClientState['manifest'] & { writtenBy?: string }
    return manifest.writtenBy === 'tolmach' ? manifest : undefined
  } catch {
    return undefined
  }
}

import { readdir, readFile, stat } from 'node:fs/promises'
import { join, relative, sep } from 'node:path'
import { textDigest } from '../contract/digest.js'
import { restoreFolder } from '../project/safe-writing.js'

/** What is in a client's folder, compared with its manifest. */
export interface ClientState {
  readonly manifest: { readonly inputs: string; readonly class: string; readonly files: Readonly<Record<string, string>> } | undefined
  /** Files of ours that are not as they were written, or gone. */
  readonly edited: readonly string[]
  /** Files that are not ours. */
  readonly strangers: readonly string[]
  readonly present: readonly string[]
  /** The text of every file, by path. */
  readonly texts: Readonly<Record<string, string>>
}

/** Looks at a client's folder; one that isn't there has nothing in it. */
export async function clientState(folder: string): Promise<ClientState> {
  await restoreFolder(folder)
  const exists = await stat(folder).then((found) => found.isDirectory(), () => false)
  const entries = exists ? await readdir(folder, { withFileTypes: true, recursive: true }) : []
  const present = entries.filter((entry) => entry.isFile()).map((entry) => relative(folder, join(entry.parentPath, entry.name)).split(sep).join('/')).filter((path) => !path.startsWith('node_modules/'))
  const texts: Record<string, string> = Object.fromEntries(await Promise.all(present.map(async (path) => [path, await readFile(join(folder, path), 'utf8')] as const)))
  const manifest = readManifest(texts['manifest.json'])
  if (manifest === undefined) return { manifest, edited: [], strangers: [], present, texts }
  const edited = Object.entries(manifest.files).filter(([path, digest]) => path in texts && textDigest(texts[path] ?? '') !== digest).map(([path]) => path)
  const strangers = present.filter((path) => path !== 'manifest.json' && !(path in manifest.files))
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

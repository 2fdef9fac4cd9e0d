import { resolve } from 'node:path'
import { textDigest } from '../../contract/digest.js'
import type { ContractEntry, Project } from '../../project/project-file.js'
import { folderBeside, sharingRuntime } from '../../project/runtime-folder.js'
import { runtimeFile, type GeneratedFile } from '../../typescript/client.js'
import { manifestOf } from './client-state.js'
import { runtimeSources } from '../package-files.js'

/** The runtime that clients beside each other share, as it is to be. */
export interface SharedRuntime {
  /** From the project's folder. */
  readonly folder: string
  /** With its manifest; none where nobody needs any. */
  readonly files: readonly GeneratedFile[]
  /** Other contracts whose clients were made for another runtime than this. */
  readonly outdated: readonly string[]
}

/** The files of the runtime that a client shares, as its manifest says. */
export function runtimeOf(files: readonly GeneratedFile[]): readonly string[] {
  const manifest = files.find(({ path }) => path === 'manifest.json')
  const read = JSON.parse(manifest?.text ?? '{}') as { runtime?: { files: readonly string[] } }
  return read.runtime?.files ?? []
}

/**
 * What the runtime beside a client has to have: what that client needs, and what the others need
 * that share it.
 *
 * @param needs the files that the clients need which are about to be written, by contract
 */
export async function sharedRuntime(
  project: Project,
  entry: ContractEntry,
  needs: ReadonlyMap<string, readonly string[]>,
): Promise<SharedRuntime> {
  const folder = folderBeside(entry)
  const sharing = sharingRuntime(project.contracts, folder)
  const others = await Promise.all(
    sharing
      .filter((name) => !needs.has(name))
      .map(async (name) => {
        const { folder: client = '' } = project.contracts[name] ?? {}
        const manifest = await manifestOf(resolve(project.folder, client))
        return { name, files: manifest?.runtime?.files ?? [] }
      }),
  )
  const sources = runtimeSources()
  const suffix = project.contracts[sharing[0] ?? '']?.importSuffix ?? '.js'
  const manifest = await manifestOf(resolve(project.folder, folder))
  const texts = new Map<string, GeneratedFile>()
  const isAsBefore = (path: string): boolean => {
    if (!(path in sources)) return false
    const file = texts.get(path) ?? runtimeFile(path, sources, suffix)
    texts.set(path, file)
    return manifest?.files[path] === textDigest(file.text)
  }
  const outdated = others.filter(({ files }) => !files.every(isAsBefore)).map(({ name }) => name)
  const needed = [...needs.values(), ...others.map(({ files }) => files)].flat()
  const files = [...new Set(needed)]
    .filter((path) => path in sources)
    .sort()
    .map((path) => texts.get(path) ?? runtimeFile(path, sources, suffix))
  return { folder, files: files.length === 0 ? [] : [...files, manifestFile(files)], outdated }
}

/** manifest.json of files that are ours: by it they are known again. */
export function manifestFile(files: readonly GeneratedFile[]): GeneratedFile {
  const digests = Object.fromEntries(files.map(({ path, text }) => [path, textDigest(text)]))
  const manifest = { writtenBy: 'tolmach', files: digests }
  return { path: 'manifest.json', text: `${JSON.stringify(manifest, null, 2)}\n` }
}

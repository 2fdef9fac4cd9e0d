import { readdir, readFile } from 'node:fs/promises'
import { basename, extname, join, posix, resolve } from 'node:path'
import { problem, Problem } from '../contract/problem.js'
import { nearestAdvice, matchName } from '../contract/nearest.js'
import { filled } from '../contract/present.js'
import { operationsOf, pathOf } from '../contract/queries.js'
import {
  contractRemoval,
  findProject,
  type ContractEntry,
  type Project,
} from '../project/project-file.js'
import { whileLocked } from '../project/project-lock.js'
import { folderBeside, sharingRuntime } from '../project/runtime-folder.js'
import { clearStages, writeTogether, type Change } from '../project/safe-writing.js'
import { snapshotFolder } from '../project/snapshot.js'
import { clientState } from './clients/client-state.js'
import { folderChange, removeEmpty } from './clients/folder-change.js'
import { sharedRuntime } from './clients/shared-runtime.js'
import { noProject, openContract, readProjectCached } from './contracts/open-contract.js'
import { sampleFor } from './sample-input.js'

export interface ForgetOptions {
  /** The project's folder; the nearest one upwards when left out. */
  readonly project?: string | undefined
  /** Its client goes, too. */
  readonly client?: boolean | undefined
}

/** What was taken out of a project, as paths from its folder. */
export interface Forgotten {
  readonly contract: string
  readonly removed: readonly string[]
  /** What stays although it belonged to the contract, and why. */
  readonly kept: readonly { readonly path: string; readonly reason: string }[]
  /** Files that still speak of the contract. */
  readonly mentions: readonly string[]
}

/**
 * Takes a contract out of the project: its entry in the project file with views and what sites say
 * of it, its snapshot, samples that nobody touched, and its client where that is wanted. Either all
 * of that happens, or nothing. What was edited by hand stays, and is told.
 *
 * @param reference the contract's name
 * @throws Problem TM-1001 when there is none of that name, TM-1002 when there is no project
 */
export async function forgetContract(
  reference: string,
  options: ForgetOptions = {},
): Promise<Forgotten> {
  const folder = options.project ?? (await findProject('.'))
  if (folder === undefined) throw noProject()
  const project = await readProjectCached(folder)
  const name = matchName(reference, Object.keys(project.contracts))
  const entry = name === undefined ? undefined : project.contracts[name]
  if (name === undefined || entry === undefined)
    throw problem('TM-1001', {
      name: reference,
      nearest: nearestAdvice(reference, Object.keys(project.contracts)),
    })
  // Only while the contract is still there can its samples be told from others.
  const samples = await samplesOf(folder, name)
  const { removed, kept } = await whileLocked(folder, 'forget', async () => {
    await clearStages(folder)
    const client = options.client === true ? await clientRemoval(project, name, entry) : undefined
    const gone = [...samples.untouched, `snapshots/${name}`]
    await writeTogether(folder, [
      await contractRemoval(folder, name),
      { path: snapshotFolder(folder, name), gone: true },
      ...samples.untouched.map((path) => ({ path: join(folder, path), gone: true }) as const),
      ...(client?.changes ?? []),
    ])
    if (samples.kept.length === 0) await removeEmpty(join(folder, 'samples', name))
    if (client?.emptied !== undefined) await removeEmpty(client.emptied)
    return {
      removed: [...gone, ...(client?.removed ?? [])],
      kept: [...samples.kept, ...(client?.kept ?? [])],
    }
  })
  return {
    contract: name,
    removed,
    kept,
    mentions: await mentionsOf(folder, name, entry, options.client === true),
  }
}

interface Samples {
  readonly untouched: readonly string[]
  readonly kept: Forgotten['kept']
}

/** The files in `samples/<contract>`, those apart that are as they were made. */
async function samplesOf(folder: string, name: string): Promise<Samples> {
  const own = join(folder, 'samples', name)
  const files = await readdir(own, { withFileTypes: true }).catch(() => [])
  const untouched: string[] = []
  const kept: { path: string; reason: string }[] = []
  const open = await openContract(name, { project: folder }).catch((error: unknown) => {
    if (error instanceof Problem) return undefined
    throw error
  })
  const operations = open === undefined ? [] : operationsOf(open.whole).map(pathOf)
  for (const file of files) {
    const path = `samples/${name}/${file.name}`
    const operation = basename(file.name, extname(file.name))
    const isMade =
      file.isFile() &&
      operations.includes(operation) &&
      (await isAsMade(folder, name, operation, join(own, file.name)))
    if (isMade) untouched.push(path)
    else kept.push({ path, reason: 'it is not as it was made' })
  }
  return { untouched, kept }
}

async function isAsMade(
  project: string,
  name: string,
  operation: string,
  path: string,
): Promise<boolean> {
  const text = await readFile(path, 'utf8')
  for (const full of [false, true]) {
    const sample = await sampleFor(name, operation, { project, full })
    if (text === `${JSON.stringify(sample.input, null, 2)}\n`) return true
    if (/\.ya?ml$/i.test(path) && text === (await sample.yaml())) return true
  }
  return false
}

interface ClientRemoval {
  readonly changes: readonly Change[]
  readonly removed: readonly string[]
  readonly kept: Forgotten['kept']
  readonly emptied: string | undefined
}

/** A client without the files that we wrote; those that somebody edited or added stay. */
async function clientRemoval(
  project: Project,
  name: string,
  entry: ContractEntry,
): Promise<ClientRemoval> {
  const path = resolve(project.folder, entry.folder)
  const state = await clientState(path)
  if (state.manifest === undefined)
    return { changes: [], removed: [], kept: [], emptied: undefined }
  const staying = [
    ...state.edited.map((file) => ({ file, reason: 'it was edited by hand' })),
    ...state.strangers.map((file) => ({ file, reason: 'we did not write it' })),
  ]
  const own: Change =
    staying.length === 0
      ? { path, gone: true }
      : { path, files: {}, keep: new Map(staying.map(({ file }) => [file, file])) }
  const runtime = await runtimeWithout(project, name, entry)
  return {
    changes: [own, ...(runtime === undefined ? [] : [runtime])],
    removed: [entry.folder],
    kept: staying.map(({ file, reason }) => ({ path: posix.join(entry.folder, file), reason })),
    emptied: runtime === undefined ? undefined : resolve(project.folder, folderBeside(entry)),
  }
}

/** The runtime beside a client with what the others need; as it is where somebody edited it. */
async function runtimeWithout(
  project: Project,
  name: string,
  entry: ContractEntry,
): Promise<Change | undefined> {
  if (entry.runtime === 'own') return undefined
  const { [name]: _gone, ...contracts } = project.contracts
  const others = { ...project, contracts }
  const folder = folderBeside(entry)
  const path = resolve(project.folder, folder)
  if (sharingRuntime(contracts, folder).length === 0) {
    const { edited, strangers, manifest } = await clientState(path)
    const isOurs = manifest !== undefined && edited.length + strangers.length === 0
    return isOurs ? { path, gone: true } : undefined
  }
  const shared = await sharedRuntime(others, entry, new Map())
  const { change } = await folderChange(others, folder, shared.files, false).catch(
    (error: unknown) => {
      if (error instanceof Problem) return { change: undefined }
      throw error
    },
  )
  return change
}

/** Folders whose files may speak of a contract, with what they may end in. */
const speaking: readonly (readonly [folder: string, endings: RegExp])[] = [
  ['rehearsals', /\.ya?ml$/i],
  ['seeds', /\.ya?ml$/i],
  ['recorded', /\.har$/i],
  ['src', /\.[cm]?[jt]sx?$/i],
]
/** So many files are looked into. */
const mostFiles = 5000

/** Files of the project that still speak of a contract, or import its client that is gone. */
async function mentionsOf(
  folder: string,
  name: string,
  entry: ContractEntry,
  isClientGone: boolean,
): Promise<string[]> {
  const found: string[] = []
  const word = new RegExp(`(?:^|[\\s"'{,])${name}(?=[\\s"':,}.]|$)`, 'm')
  const client = posix.join(posix.basename(posix.dirname(entry.folder)), basename(entry.folder))
  for (const [part, endings] of speaking) {
    if (part === 'src' && !isClientGone) continue
    for (const path of (await filesBelow(folder, part)).filter((each) => endings.test(each))) {
      if (path.startsWith(`${entry.folder}/`) || path.startsWith(`${folderBeside(entry)}/`))
        continue
      const isNamed = basename(path, extname(path)) === name
      const text = isNamed ? '' : await readFile(join(folder, path), 'utf8').catch(() => '')
      const isSpoken = part === 'src' ? text.includes(`${client}/`) : word.test(text)
      if (isNamed ? part !== 'src' : isSpoken) found.push(path)
    }
  }
  return found
}

async function filesBelow(folder: string, part: string): Promise<string[]> {
  const entries = await readdir(join(folder, part), {
    recursive: true,
    withFileTypes: true,
  }).catch(() => [])
  return entries
    .filter((entry) => entry.isFile())
    .slice(0, mostFiles)
    .map(({ parentPath, name }) =>
      posix.join(
        part,
        join(parentPath, name)
          .slice(join(folder, part).length + 1)
          .replaceAll('\\', '/'),
      ),
    )
    .sort()
}

/** What was forgotten, as programs get it: what `forget --json` prints. */
export function forgottenSummary({ contract, removed, kept, mentions }: Forgotten): object {
  return { contract, removed, ...filled({ kept, mentions }) }
}

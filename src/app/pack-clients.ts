import { resolve } from 'node:path'
import { readFile } from 'node:fs/promises'
import validateName from 'validate-npm-package-name'
import { filled, present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { endpointsOf } from '../contract/queries.js'
import { compareTexts } from '../contract/ordering.js'
import { wordsOf } from '../naming/identifiers.js'
import {
  packedChange,
  packedEntry,
  readPackedRecord,
  type PackedRecord,
  type RecordedVersion,
} from '../project/packed-record.js'
import { whileLocked } from '../project/project-lock.js'
import { clearStages, writeTogether, type Change } from '../project/safe-writing.js'
import { bytesDigest } from '../project/snapshot.js'
import type { GeneratedFile } from '../typescript/client.js'
import { changelog, packageJson, type PackageFacts } from '../typescript/package-texts.js'
import { variablePrefix } from '../typescript/variables.js'
import { clientStateWithRuntime } from './clients/client-state.js'
import { folderChange } from './clients/folder-change.js'
import { manifestFile } from './clients/shared-runtime.js'
import { openKeptContract, type KeptContract, type OpenOptions } from './contracts/open-contract.js'
import { compilePackage } from './pack/compile-package.js'
import { packageArchive } from './pack/package-archive.js'
import { packageDependencies, packagedClients, packageSources } from './pack/package-sources.js'
import { packageTerms, type Terms, type TermsWishes } from './pack/package-terms.js'
import { sincePacked, versionAfter, type SincePacked } from './pack/package-versions.js'
import { typedPath } from './start/project-setup.js'

export interface PackOptions extends OpenOptions, TermsWishes {
  /** The folder that the package and its archive are put into; `packed` when left out. */
  readonly to?: string | undefined
  /** The name of the package; made from that of the contract when left out. */
  readonly name?: string | undefined
  /** A version, or `auto`: that which was packed last, moved on by what its callers notice. */
  readonly version?: string | undefined
  /** Write over files that were edited by hand. */
  readonly overwrite?: boolean | undefined
}

/** A package that was written. */
export interface Packed {
  readonly package: string
  readonly version: string
  /** The version that was packed before it. */
  readonly after?: string
  readonly contracts: readonly string[]
  /** From the project's folder. */
  readonly folder: string
  readonly files: number
  readonly archive: {
    /** From the project's folder. */
    readonly file: string
    readonly bytes: number
    /** SHA-256, in hexadecimal. */
    readonly digest: string
  }
  /** What its callers notice, since it was packed last. */
  readonly changes: RecordedVersion['changes']
  /** All of it was there already, to the last byte. */
  readonly isCurrent: boolean
  /** What whoever hands it on should know. */
  readonly remarks: readonly string[]
}

/**
 * Packs clients of the project for people who don't have the tool: a package for npm, as a folder
 * and as an archive. The same contracts, names and version give the same bytes.
 *
 * @param names the contracts' names in the project; several share one runtime
 * @throws Problem TM-1042, TM-1043 when it can't be compiled; TM-1044 when what was packed last
 *   can't be read; TM-1045 without a licence; TM-1046 for a name, TM-1047 for a version that npm
 *   would not take; TM-1048 where an archive of that version has other contents; TM-3001, TM-3002;
 *   those of opening a contract
 */
export async function packClients(
  names: readonly string[],
  options: PackOptions = {},
): Promise<Packed> {
  const opened = await Promise.all(names.map((name) => openKeptContract(name, options)))
  // In whichever order they are named, it is the same package.
  const contracts = inOrder(opened)
  const { folder: project } = first(contracts).kept.project
  const name = packageName(options.name, contracts)
  const wish = wantedVersion(options.version)
  const terms = await packageTerms(project, options)
  const record = await readPackedRecord(project, name)
  const packing: Packing = { project, name, contracts, terms, compiled: undefined }
  const since = record === undefined ? nothing : await sincePacked(record, contracts)
  const next = await nextPackage(packing, record, wish, since)
  return write(packing, next, record, since, options)
}

/** Contracts in the order of their names, each once. */
function inOrder(contracts: readonly KeptContract[]): KeptContract[] {
  const byName = new Map(contracts.map((each) => [each.name, each]))
  return [...byName.values()].sort((one, other) => compareTexts(one.name, other.name))
}

const nothing: SincePacked = { changes: [], step: 'none' }

/** A package while it is made. */
interface Packing {
  readonly project: string
  readonly name: string
  readonly contracts: readonly KeptContract[]
  readonly terms: Terms
  /** What was compiled: nothing of it depends on the version. */
  compiled: readonly GeneratedFile[] | undefined
}

/** A package in one version of it. */
interface Made {
  readonly version: string
  readonly history: readonly RecordedVersion[]
  readonly files: readonly GeneratedFile[]
  readonly digest: string
}

/** As it was packed last, where nothing is different; else as the next version. */
async function nextPackage(
  packing: Packing,
  record: PackedRecord | undefined,
  wish: string,
  since: SincePacked,
): Promise<Made> {
  if (record !== undefined && (wish === 'auto' || wish === record.version)) {
    const same = await make(packing, record.version, record.history)
    if (same.digest === record.digest) return same
  }
  const version = versionAfter(record, wish, since.step)
  const { history = [] } = record ?? {}
  const last = history.at(-1)
  // A version that is packed once more says all that is new in it.
  const changes = last?.version === version ? [...last.changes, ...since.changes] : since.changes
  const earlier = last?.version === version ? history.slice(0, -1) : history
  return make(packing, version, [...earlier, { version, changes }])
}

async function make(
  packing: Packing,
  version: string,
  history: readonly RecordedVersion[],
): Promise<Made> {
  const { project, name, contracts, terms } = packing
  const facts: PackageFacts = {
    name,
    version,
    license: terms.license,
    author: terms.author,
    clients: await packagedClients(contracts),
    dependencies: await packageDependencies(contracts),
  }
  const { sources, texts } = await packageSources(contracts, facts, archiveName(name, version))
  packing.compiled ??= await compilePackage(project, sources)
  const files = [
    { path: 'package.json', text: packageJson(facts) },
    { path: 'CHANGELOG.md', text: changelog(history) },
    ...(terms.licenseText === undefined ? [] : [{ path: 'LICENSE', text: terms.licenseText }]),
    ...texts,
    ...sources,
    ...packing.compiled,
  ].sort((one, other) => compareTexts(one.path, other.path))
  const digest = bytesDigest(JSON.stringify(files.map(({ path, text }) => [path, text])))
  return { version, history, files, digest }
}

/** Writes folder, archive and what is to be remembered: all of it or nothing. */
async function write(
  { project, name, contracts }: Packing,
  { version, history, files, digest }: Made,
  record: PackedRecord | undefined,
  since: SincePacked,
  { to, overwrite = false }: PackOptions,
): Promise<Packed> {
  const place = to === undefined ? resolve(project, 'packed') : resolve(to)
  const folder = typedPath(project, resolve(place, fileName(name)))
  const all = [...files, manifestFile(files)]
  const bytes = await packageArchive(all)
  const archive = { path: resolve(place, archiveName(name, version)), contents: bytes }
  const next: PackedRecord = {
    tolmachPacked: 1,
    package: name,
    version,
    digest,
    history,
    contracts: Object.fromEntries(
      contracts.map(({ name: each, kept }) => [each, packedEntry(kept.entry)]),
    ),
  }
  const changes = await whileLocked(project, 'pack', async () => {
    const { change } = await folderChange(
      first(contracts).kept.project,
      folder,
      all,
      overwrite,
      'Choose another folder with --to',
    )
    const isThere = await holds(archive.path, bytes)
    if (isThere === false && !overwrite)
      throw problem('TM-1048', { file: typedPath(project, archive.path), version })
    const isKnown = JSON.stringify(next) === JSON.stringify(record)
    const writing: Change[] = [
      ...(change === undefined ? [] : [change]),
      ...(isThere === true ? [] : [archive]),
      ...(isKnown ? [] : [await recordChange(project, next, contracts)]),
    ]
    await clearStages(project)
    if (writing.length > 0) await writeTogether(project, writing)
    return writing
  })
  return {
    package: name,
    version,
    ...(record === undefined || record.version === version ? {} : { after: record.version }),
    contracts: contracts.map((each) => each.name),
    folder,
    files: all.length,
    archive: {
      file: typedPath(project, archive.path),
      bytes: bytes.length,
      digest: bytesDigest(bytes),
    },
    changes: since.changes,
    isCurrent: changes.length === 0,
    remarks: await remarksOn(contracts),
  }
}

function first(contracts: readonly KeptContract[]): KeptContract {
  const [one] = contracts
  if (one === undefined) throw new Error('a package without contracts')
  return one
}

/** Has a file these bytes? Undefined where there is none. */
async function holds(path: string, bytes: Uint8Array): Promise<boolean | undefined> {
  return readFile(path).then(
    (found) => found.equals(bytes),
    () => undefined,
  )
}

async function recordChange(
  project: string,
  record: PackedRecord,
  contracts: readonly KeptContract[],
): Promise<Change> {
  return packedChange(
    project,
    record,
    await Promise.all(
      contracts.map(async ({ name, kept: { entry, names, index }, documents }) => ({
        name,
        entry,
        names,
        index,
        documents: await documents(),
      })),
    ),
  )
}

/** What whoever hands a package on should know. */
async function remarksOn(contracts: readonly KeptContract[]): Promise<string[]> {
  const each = await Promise.all(
    contracts.map(async ({ name, contract, kept: { project, entry } }) => {
      const { edited } = await clientStateWithRuntime(resolve(project.folder, entry.folder))
      const near = endpointsOf(contract).find(({ address }) => isOnThisMachine(address))
      return [
        ...(edited.length === 0
          ? []
          : [
              `Edited by hand in ${entry.folder}: ${edited.join(', ')}; the package has what the metadata of ${name} says.`,
            ]),
        ...(near === undefined
          ? []
          : [
              `The metadata of ${name} says that the service is at ${near.address}, which is a machine's own address: whoever gets the package has to set ${variablePrefix(name)}_URL.`,
            ]),
      ]
    }),
  )
  return each.flat()
}

function isOnThisMachine(address: string): boolean {
  const host = URL.canParse(address) ? new URL(address).hostname : ''
  return host === 'localhost' || host === '[::1]' || /^127\./.test(host)
}

/**
 * The name of a package: as wished, else made from its only contract.
 *
 * @throws Problem TM-1046
 */
function packageName(wish: string | undefined, contracts: readonly KeptContract[]): string {
  const [only, ...others] = contracts
  if (wish === undefined && (only === undefined || others.length > 0))
    throw problem('TM-1046', { name: '', reason: 'several clients in one package need a name' })
  const name =
    wish ??
    `${wordsOf(only?.name ?? '')
      .join('-')
      .toLowerCase()}-client`
  const { validForNewPackages, errors = [], warnings = [] } = validateName(name)
  const [reason] = [...errors, ...warnings]
  if (!validForNewPackages) throw problem('TM-1046', { name, reason: reason ?? '' })
  return name
}

/** Semantic Versioning 2.0.0, item 2, 9 and 10. */
const semanticVersion =
  /^(?:0|[1-9]\d*)\.(?:0|[1-9]\d*)\.(?:0|[1-9]\d*)(?:-(?:0|[1-9]\d*|\d*[a-zA-Z-][\da-zA-Z-]*)(?:\.(?:0|[1-9]\d*|\d*[a-zA-Z-][\da-zA-Z-]*))*)?(?:\+[\da-zA-Z-]+(?:\.[\da-zA-Z-]+)*)?$/

function wantedVersion(wish = 'auto'): string {
  if (wish !== 'auto' && !semanticVersion.test(wish)) throw problem('TM-1047', { version: wish })
  return wish
}

/** A package's name as that of a file: `@harbour/desk` is `harbour-desk`. */
function fileName(name: string): string {
  return name.replace(/^@/, '').replaceAll('/', '-')
}

function archiveName(name: string, version: string): string {
  return `${fileName(name)}-${version}.tgz`
}

/** What was packed, as programs get it: what `pack --json` prints. */
export function packedSummary({ changes, remarks, ...facts }: Packed): object {
  return { ...present(facts), changes, ...filled({ remarks }) }
}

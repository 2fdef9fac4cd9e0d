import { resolve } from 'node:path'
import type { Contract, Endpoint, Operation } from '../contract/contract.js'
import { noNames, type KeptNames } from '../contract/kept-names.js'
import { messages } from '../contract/messages.js'
import { present } from '../contract/present.js'
import { messageText, problem } from '../contract/problem.js'
import { countTypes, endpointsOf, operationsOf, pathOf } from '../contract/queries.js'
import type { Documents } from '../documents/documents.js'
import { isWebAddress, withoutSecrets } from '../documents/fetching.js'
import type { NameClash } from '../naming/clashes.js'
import {
  checkContractName,
  findProject,
  projectPath,
  readProject,
  readProjectText,
  contractEntryChange,
  type ContractEntry,
  type Project,
  type CredentialEntry,
} from '../project/project-file.js'
import { whileLocked } from '../project/project-lock.js'
import { variablePrefix } from '../typescript/variables.js'
import { sharedName } from '../project/runtime-folder.js'
import { clearStages, writeTogether } from '../project/safe-writing.js'
import { readNames, snapshotChange, type SnapshotIndex } from '../project/snapshot.js'
import { namesForImport } from './clients/client-names.js'
import type { Person } from './auth/credentials.js'
import type { AskedLogin } from './auth/metadata-fetch.js'
import { sourceFetch } from './auth/source-fetch.js'
import {
  cacheContract,
  chooseOperations,
  contractNameFor,
  openContract,
  openRead,
  type OpenContract,
} from './contracts/open-contract.js'
import { isAnotherService } from './contracts/read-again.js'
import { overlayFiles } from './contracts/overlay-files.js'
import { preferredEndpoint } from './contracts/preferred-endpoint.js'
import { readSource } from './contracts/read-source.js'

export interface ImportOptions {
  /** The name in the project; made from the location when left out. */
  readonly as?: string | undefined
  /** Replace a contract of that name. */
  readonly overwrite?: boolean | undefined
  /** The operations wanted; `*` stands for any characters. */
  readonly only?: readonly string[] | undefined
  /** Paths of overlays that mend the description; those of a contract that is replaced stay. */
  readonly overlay?: readonly string[] | undefined
  /** The project's folder; the nearest one upwards, or the current folder when there is none. */
  readonly project?: string | undefined
  /** How long to wait for each document, in seconds. Default 30. */
  readonly seconds?: number | undefined
  /** The credential of the project file that the metadata is had with. */
  readonly credential?: string | undefined
  /** Whoever can be asked for a login where the metadata wants one. */
  readonly person?: Person | undefined
  /** Hears how many documents are there, whenever there is one more. */
  readonly onDocument?: ((count: number) => void) | undefined
}

export interface Imported {
  readonly name: string
  /** With the operations that were chosen. */
  readonly contract: Contract
  readonly entry: ContractEntry
  readonly endpoints: readonly Endpoint[]
  readonly operations: readonly Operation[]
  /** Names of types that the chosen operations need. */
  readonly typeCount: number
  /** The endpoint that calls will go to, and why. */
  readonly endpoint: { readonly chosen: Endpoint; readonly reason: string } | undefined
  /** What is called otherwise in the client than in the metadata, and why. */
  readonly clashes: readonly NameClash[]
  /** Something the user should know before the first call. */
  readonly warning: string | undefined
  /** The credential that was made of a login that somebody typed, and the variable of its password. */
  readonly login: { readonly name: string; readonly variable: string } | undefined
  /** The address that the metadata was found at, where another one was given. */
  readonly found: string | undefined
  /** The contract as the project has it, ready for use: nothing is read again. */
  open(): Promise<OpenContract>
}

/**
 * Reads a service's metadata with everything it refers to, keeps a snapshot and writes the contract
 * into the project file. Either all of that happens, or nothing changes.
 *
 * @param location a path of a file or folder, or an address
 * @returns the contract, with the endpoint that calls will go to and what is worth knowing first
 * @throws Problem TM-1004 when the name is taken, TM-1006 when it can't be a name, TM-3003, and
 *   those of reading metadata
 */
export async function importContract(
  location: string,
  options: ImportOptions = {},
): Promise<Imported> {
  const folder = options.project ?? (await findProject('.')) ?? resolve('.')
  const name = options.as ?? contractNameFor(location)
  const existing = await entryOf(folder, name)
  if (existing !== undefined && options.overwrite !== true)
    throw problem('TM-1004', { name, from: existing.from })
  const kept = existing === undefined ? noNames : await readNames(folder, name)
  const before = existing === undefined ? undefined : await earlier(folder, name)
  const project = await projectIn(folder)
  const send = await sourceFetch(project, location, options)
  const paths = options.overlay?.map((path) => projectPath(folder, path)) ?? existing?.overlays
  const overlays = await overlayFiles(folder, paths ?? [])
  const { seconds, onDocument } = options
  const read = await readSource(location, name, { seconds, send, overlays, onDocument }, kept)
  const { contract: whole, documents, found } = read
  const only = options.only ?? existing?.only
  const contract = chooseOperations(whole, only, name, kept)
  const isNew = options.credential === undefined && existing?.credential === undefined
  const login = isNew && send?.login ? credentialOf(name, send.login, project) : undefined
  const { entry, clashes, index, names } = await keep({
    folder,
    name,
    contract,
    documents,
    kept,
    from: isWebAddress(location)
      ? withoutSecrets(found ?? location)
      : projectPath(folder, location),
    overlays: paths,
    only,
    credential: options.credential ?? login?.name,
    login,
    overwrite: options.overwrite === true,
  })
  await cacheContract(whole, name, index)
  const [endpoints, operations] = [endpointsOf(contract), operationsOf(contract)]
  const endpoint = preferredEndpoint(endpoints, operations, existing?.endpoint)
  return {
    name,
    contract,
    entry,
    endpoint,
    clashes,
    login: login && { name: login.name, variable: login.entry.password.slice(1) },
    found: found === undefined ? undefined : withoutSecrets(found),
    warning:
      replacedService(before, whole, existing?.from) ??
      (endpoint && internalAddress(endpoint.chosen, location)),
    endpoints,
    operations,
    open: async () =>
      openRead({
        project: await projectIn(folder),
        name,
        whole,
        names,
        index,
        documents: () => Promise.resolve(documents),
      }),
    typeCount: countTypes(contract, operations),
  }
}

/** A credential of the project, for a login that somebody typed. */
interface NewCredential {
  readonly name: string
  readonly entry: CredentialEntry & { readonly password: string }
}

/**
 * The credential that calls are made with where the metadata was had with a login that somebody
 * typed: the password is a variable, which is asked for where nobody sets it. None where the
 * project has one of the contract's name.
 */
function credentialOf(
  name: string,
  login: AskedLogin,
  { credentials }: Project,
): NewCredential | undefined {
  if (Object.hasOwn(credentials, name)) return undefined
  return { name, entry: { ...login, password: `$${variablePrefix(name)}_PASSWORD` } }
}

/** The contract that was there before; one whose snapshot is damaged is simply replaced. */
async function earlier(folder: string, name: string): Promise<Contract | undefined> {
  return openContract(name, { project: folder }).then(
    ({ whole }) => whole,
    () => undefined,
  )
}

/** What is told where a contract is replaced by one that has nothing in common with it. */
function replacedService(
  before: Contract | undefined,
  whole: Contract,
  from = '',
): string | undefined {
  return before !== undefined && isAnotherService(before, whole)
    ? messageText('TM-3014', { name: whole.name, from })
    : undefined
}

/** What the project file says of a contract; undefined where it says nothing yet. */
async function entryOf(folder: string, name: string): Promise<ContractEntry | undefined> {
  const unfit = checkContractName(name)
  if (unfit !== undefined) throw unfit
  if ((await readProjectText(folder)) === '') return undefined
  const { contracts } = await readProject(folder)
  return Object.hasOwn(contracts, name) ? contracts[name] : undefined
}

interface Keeping {
  readonly folder: string
  readonly name: string
  readonly contract: Contract
  readonly documents: Documents
  readonly kept: KeptNames
  readonly from: string
  readonly overlays: readonly string[] | undefined
  readonly only: readonly string[] | undefined
  /** The credential that the metadata was had with; calls are made with it, too. */
  readonly credential: string | undefined
  /** That credential, where the project does not have it yet. */
  readonly login: NewCredential | undefined
  readonly overwrite: boolean
}

/**
 * Writes snapshot and project file, both or neither. What the project says is looked at again:
 * somebody else may have been quicker.
 */
async function keep({
  folder,
  name,
  contract,
  documents,
  kept,
  from,
  overlays,
  only,
  credential,
  login,
  overwrite,
}: Keeping): Promise<{
  entry: ContractEntry
  clashes: readonly NameClash[]
  index: SnapshotIndex
  names: KeptNames
}> {
  return whileLocked(folder, 'import', async () => {
    await clearStages(folder)
    const { contracts } = await projectIn(folder)
    const existing = Object.hasOwn(contracts, name) ? contracts[name] : undefined
    if (existing !== undefined && !overwrite)
      throw problem('TM-1004', { name, from: existing.from })
    const others = Object.fromEntries(
      Object.entries(contracts).flatMap(([other, { class: className }]) =>
        other === name || className === undefined ? [] : [[other, className]],
      ),
    )
    const { names, clashes } = await namesForImport(contract, kept, existing?.class, others)
    const entry: ContractEntry = {
      from,
      ...present({ overlays }),
      folder: existing?.folder ?? clientFolder(name),
      class: names.class,
      ...present({ only, credential }),
    }
    const snapshot = snapshotChange(folder, name, documents, names)
    await writeTogether(folder, [
      snapshot.change,
      await contractEntryChange(folder, name, entry, login),
    ])
    return { entry, clashes, index: snapshot.index, names }
  })
}

/**
 * Where a contract's client goes unless somebody says otherwise; not where clients share things.
 */
function clientFolder(name: string): string {
  return `src/clients/${name.toLowerCase() === sharedName ? `${name}-client` : name}`
}

async function projectIn(folder: string): Promise<Project> {
  return (await readProjectText(folder)) === ''
    ? { folder, contracts: {}, sites: {}, credentials: {} }
    : readProject(folder)
}

/** Metadata that was fetched from one host and names another, internal one: a classic. */
function internalAddress(endpoint: Endpoint, location: string): string | undefined {
  if (!URL.canParse(endpoint.address) || !isWebAddress(location)) return undefined
  const [published, source] = [new URL(endpoint.address), new URL(location)]
  if (published.host === source.host || published.hostname.includes('.')) return undefined
  return `${messageText('TM-2114', { source: source.host, name: endpoint.name, published: published.host })} ${messages['TM-2114'].advice}`
}

/**
 * What was imported, as programs get it: what `import --json` prints.
 *
 * @returns name, dialect and title of the contract, its endpoints, the paths of its operations, the
 *   number of its types, and notes
 */
export function importSummary(imported: Imported): object {
  const { contract } = imported
  return {
    contract: imported.name,
    dialect: contract.dialect,
    endpoints: endpointsOf(contract).map(({ name, protocol, address }) => ({
      name,
      protocol,
      address,
    })),
    operations: operationsOf(contract).map(pathOf),
    types: imported.typeCount,
    renamed: imported.clashes,
    notes: contract.notes,
  }
}

import { readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { BrokenOperation, Contract, Operation } from '../../contract/contract.js'
import { nearestAdvice, matchName, matchPath } from '../../contract/nearest.js'
import { problem, problemOfBroken, type Problem } from '../../contract/problem.js'
import { isNothing, namesForChoice, operationsMeant, wasMeant } from '../../contract/choice.js'
import { operationsOf, pathOf, selectOperations } from '../../contract/queries.js'
import { documentsOf, type Documents } from '../../documents/documents.js'
import { isWebAddress, type WebFetch } from '../../documents/fetching.js'
import { noNames, type KeptNames } from '../../contract/kept-names.js'
import { present } from '../../contract/present.js'
import { readCached, writeCached } from '../../project/cache.js'
import { readContract, writeContract } from '../../project/stored-contract.js'
import {
  findProject,
  projectFileName,
  readProject,
  readProjectText,
  validProjectText,
  type ContractEntry,
  type Project,
  type ProjectText,
} from '../../project/project-file.js'
import { sharedRuntimeFolder } from '../../project/runtime-folder.js'
import {
  bytesDigest,
  namesText,
  readNames,
  readSnapshot,
  readSnapshotIndex,
  type SnapshotIndex,
} from '../../project/snapshot.js'
import { buildMark } from '../package-files.js'
import { credentialEntries, keyInputs } from './key-inputs.js'
import { withPages } from './paged-contract.js'
import { readDocuments, readSource } from './read-source.js'
import { vanishedNote } from './vanished-note.js'

/** A contract ready for use, from a project or straight from its source. */
export interface OpenContract {
  /** Its name in the project, or one made from its source. */
  readonly name: string
  /** With the operations that are chosen, and what they need. */
  readonly contract: Contract
  /** With everything that its source declares. */
  readonly whole: Contract
  /** The documents' digests, by label. */
  readonly digests: Readonly<Record<string, string>>
  /** The documents themselves; read again from the snapshot when they are asked for. */
  documents(): Promise<Documents>
  /** The project around, where the contract is none of it. */
  readonly around?: Project
  /** What the project says of it; undefined when it is not in a project. */
  readonly kept?: {
    readonly project: Project
    readonly entry: ContractEntry
    readonly names: KeptNames
    readonly index: SnapshotIndex
  }
}

/** A contract of a project. */
export type KeptContract = OpenContract & { readonly kept: NonNullable<OpenContract['kept']> }

/**
 * Opens a contract that has to be in a project.
 *
 * @throws Problem TM-1001 where it is not, and those of {@link openContract}
 */
export async function openKeptContract(name: string, options: OpenOptions): Promise<KeptContract> {
  const open = await openContract(name, options)
  if (!isKept(open))
    throw problem('TM-1001', {
      name,
      nearest: 'Import it first: `tolmach import <location> --as <name>`.',
    })
  return open
}

function isKept(open: OpenContract): open is KeptContract {
  return open.kept !== undefined
}

export interface OpenOptions {
  /** The project's folder; the nearest one upwards when left out. */
  readonly project?: string | undefined
  /** How long to wait for each document, in seconds. */
  readonly seconds?: number | undefined
  /** What fetches metadata from the web, where that needs a login. */
  readonly send?: WebFetch | undefined
  /** A description that was made for what is opened: nothing is fetched then. */
  readonly described?: string | undefined
}

/**
 * Opens a contract by its name in the project, or by the path or address of its metadata (then
 * nothing is kept).
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @returns the contract as `only` has it, what it was read from, and the names that were given
 * @throws Problem TM-1001 when there is none of that name, TM-1002 when there is no project, and
 *   those of reading metadata
 */
export async function openContract(
  reference: string,
  options: OpenOptions = {},
): Promise<OpenContract> {
  const folder = options.project ?? (await findProject('.'))
  const project = folder === undefined ? undefined : await projectIn(folder)
  const name =
    project === undefined ? undefined : matchName(reference, Object.keys(project.contracts))
  if (options.described !== undefined)
    return {
      ...(await openDescribed(reference, options.described)),
      ...present({ around: project }),
    }
  if (project !== undefined && name !== undefined) return openKept(project, name)
  const isLocation =
    isWebAddress(reference) ||
    /[/\\]/.test(reference) ||
    /\.(?:wsdl|xml|ya?ml|json|edmx)$/i.test(reference)
  if (
    !isLocation &&
    !(await stat(reference).then(
      () => true,
      () => false,
    ))
  ) {
    if (project === undefined) throw noProject(options.project)
    throw problem('TM-1001', {
      name: reference,
      nearest: knownAdvice(reference, Object.keys(project.contracts)),
    })
  }
  const { contract, documents } = await readSource(reference, contractNameFor(reference), options)
  return {
    name: contract.name,
    contract,
    whole: contract,
    digests: digestsOf(documents),
    documents: () => Promise.resolve(documents),
  }
}

/** What there is instead of a contract, or how there comes to be one. */
function knownAdvice(reference: string, names: readonly string[]): string {
  return names.length === 0
    ? 'There are none yet: `tolmach import <file or address>` brings one in.'
    : nearestAdvice(reference, names)
}

/** A contract whose description is at hand. */
async function openDescribed(reference: string, text: string): Promise<OpenContract> {
  const label = 'description'
  const bytes = new TextEncoder().encode(text)
  const documents = documentsOf([{ label, from: reference, bytes, text, refers: new Map() }], label)
  const name = contractNameFor(reference)
  const contract = await readDocuments(documents, name)
  return {
    name,
    contract,
    whole: contract,
    digests: digestsOf(documents),
    documents: () => Promise.resolve(documents),
  }
}

async function openKept(project: Project, name: string): Promise<OpenContract> {
  const entry = project.contracts[name]
  if (entry === undefined) throw problem('TM-1001', { name, nearest: '' })
  const index = await readSnapshotIndex(project.folder, name, entry.from)
  const documents = (): Promise<Documents> => readSnapshot(project.folder, name, entry.from, index)
  // Reading metadata is slow where it is large; what was read is kept under the digest of all that
  // went in.
  let whole = await readContract(contractKey(name, index))
  if (whole === undefined) {
    whole = await readDocuments(await documents(), name, await readNames(project.folder, name))
    await cacheContract(whole, name, index)
  }
  return openRead({
    project,
    name,
    whole,
    names: await readNames(project.folder, name),
    index,
    documents,
  })
}

/** A contract of a project that was read already. */
export interface ReadContract {
  readonly project: Project
  readonly name: string
  /** As its documents say it. */
  readonly whole: Contract
  readonly names: KeptNames
  readonly index: SnapshotIndex
  documents(): Promise<Documents>
  /** Everything that the project chooses may be gone. */
  readonly mayBeNone?: true
}

/** Makes a contract that was read ready for use, as the project file wants it. */
export async function openRead({
  project,
  name,
  whole: read,
  names,
  index,
  documents,
  mayBeNone,
}: ReadContract): Promise<OpenContract> {
  const entry = project.contracts[name]
  if (entry === undefined) throw problem('TM-1001', { name, nearest: '' })
  const whole = await withPages(read, entry.pages ?? {}, name, names)
  return {
    name,
    contract: chooseOperations(whole, entry.only, name, names, mayBeNone === true),
    whole,
    digests: Object.fromEntries(
      index.documents.map((document) => [document.label, document.digest]),
    ),
    documents,
    kept: { project, entry, names, index },
  }
}

function contractKey(name: string, index: SnapshotIndex): string {
  return `contract-${bytesDigest(JSON.stringify([buildMark(), name, index.root, index.overlays ?? [], index.documents]))}.jsonl`
}

/** Keeps what was read from a snapshot's documents, so that they need not be read again. */
export async function cacheContract(
  contract: Contract,
  name: string,
  index: SnapshotIndex,
): Promise<void> {
  await writeContract(contractKey(name, index), contract)
}

/** There is no project: nowhere upwards, or not in the folder that was named. */
export function noProject(folder?: string): Problem {
  return problem('TM-1002', {
    where: folder === undefined ? 'here or in any folder above' : `in ${folder}`,
  })
}

/**
 * A project whose file was found valid before is not checked again: the checker is large to load.
 *
 * @throws Problem TM-1002 when the folder is no project
 */
export async function readProjectCached(folder: string): Promise<Project> {
  const project = await projectIn(folder)
  if (project === undefined) throw noProject(folder)
  return project
}

/** The project in a folder; undefined when it is none. */
async function projectIn(folder: string): Promise<Project | undefined> {
  const text = await readFile(join(folder, projectFileName), 'utf8').catch(() => undefined)
  if (text === undefined) {
    // What can't be read has another reason than that it is not there.
    const isThere = (await readProjectText(folder)) !== ''
    return isThere ? readProject(folder) : undefined
  }
  const key = `project-${bytesDigest(`${buildMark()}\n${text}`)}.json`
  const cached = await readCached(key)
  if (cached !== undefined) return { folder, ...(JSON.parse(cached) as ProjectText) }
  const valid = await validProjectText(text)
  await writeCached(key, JSON.stringify(valid))
  return { folder, ...valid }
}

/**
 * A contract with only the operations that are wanted, and what they need. What was there once and
 * is gone is told by a note; the choice goes on with the rest.
 *
 * @param only names and patterns, as {@link operationsMeant} reads them; everything when left out
 * @param kept names given before: by them it is known what there was
 * @param mayBeNone everything may be gone, to be told by who asks
 * @throws Problem TM-3003 when one fits nothing that there ever was, or nothing is left; what is
 *   wrong with an operation that is wanted and broken
 */
export function chooseOperations(
  contract: Contract,
  only: readonly string[] | undefined,
  name: string,
  kept: KeptNames = noNames,
  mayBeNone = false,
): Contract {
  if (only === undefined) {
    refuseBroken(contract, contract.broken ?? [])
    return contract
  }
  const chosen = new Set<Operation>()
  const broken = new Set<BrokenOperation>()
  const vanished: string[] = []
  const before = Object.keys(kept.operations)
  for (const wish of only) {
    const meant = operationsMeant(contract, wish)
    if (isNothing(meant)) {
      if (!wasMeant(before, wish)) throw nothingChosen(contract, [wish], name)
      vanished.push(wish)
    }
    for (const operation of meant.operations) chosen.add(operation)
    for (const operation of meant.broken) broken.add(operation)
  }
  refuseBroken(contract, [...broken])
  if (chosen.size === 0 && vanished.length > 0 && !mayBeNone)
    throw nothingChosen(contract, vanished, name)
  const selected = selectOperations(contract, (operation) => chosen.has(operation))
  const notes = vanished.map((wish) => vanishedNote('only', name, wish))
  return notes.length === 0 ? selected : { ...selected, notes: [...selected.notes, ...notes] }
}

/** An operation that is wanted and broken is told, with what can be had without it. */
function refuseBroken(contract: Contract, wanted: readonly BrokenOperation[]): void {
  const [first, ...others] = wanted
  if (first === undefined) return
  const names = wanted.slice(0, 5).map(({ path }) => path.join('.'))
  const more =
    wanted.length > names.length ? ` and ${String(wanted.length - names.length)} more` : ''
  const left = operationsOf(contract).map(pathOf)
  const example = left.length === 1 ? '' : ` (${String(left.length)} can, ${left[0] ?? ''} for one)`
  throw problemOfBroken(
    [first, ...others],
    `Because of it ${names.join(', ')}${more} can't be had; --only chooses operations that can${example}.`,
  )
}

function nothingChosen(contract: Contract, wishes: readonly string[], name: string): Problem {
  return problem('TM-3003', {
    only: wishes.map((wish) => `"${wish}"`).join(', '),
    contract: name,
    nearest: nearestAdvice(wishes[0] ?? '', namesForChoice(contract)),
  })
}

/**
 * The operation that a person names.
 *
 * @param wanted its path with dots between, or the end of it that no other operation has; capitals
 *   don't count
 * @throws Problem TM-1005 with the nearest names, where there is none or several have it; what is
 *   wrong with it, where it is broken
 */
export function findOperation(open: OpenContract, wanted: string): Operation {
  const operations = operationsOf(open.contract)
  const path = matchPath(wanted, operations.map(pathOf))
  const found = operations.find((operation) => pathOf(operation) === path)
  if (found !== undefined) return found
  const broken = open.whole.broken?.find((each) => each.path.join('.') === wanted)
  if (broken !== undefined) throw problemOfBroken([broken])
  const notChosen = operationsOf(open.whole).some((operation) => pathOf(operation) === wanted)
  const notOffered = open.whole.notOffered?.includes(wanted) === true
  const known = (): string =>
    notChosen
      ? 'It is in the metadata, but "only" in tolmach.yaml leaves it out.'
      : nearestAdvice(wanted, operations.map(pathOf))
  const nearest = notOffered
    ? 'The service says in its metadata that it does not offer it.'
    : known()
  throw problem('TM-1005', { what: 'operation', name: wanted, contract: open.name, nearest })
}

/**
 * The folder of the runtime that the client of a contract shares; undefined where it has its own.
 */
export function runtimeFolderOf({ kept }: OpenContract): string | undefined {
  return kept === undefined ? undefined : sharedRuntimeFolder(kept.project.contracts, kept.entry)
}

/**
 * Kinds of credentials that a header carries, or the transport: a client needs nothing for them.
 */
const carriedAnyway: readonly string[] = ['basic', 'bearer', 'key', 'ntlm', 'certificate']

/**
 * The kinds of credentials that the project has for the calls of a contract, of those that a client
 * needs something for.
 */
export function credentialKinds(open: OpenContract): string[] {
  const kinds = new Set(credentialEntries(open).map(({ kind }): string => kind))
  return [...kinds].filter((kind) => !carriedAnyway.includes(kind)).sort()
}

/** Digest of everything a client is made of. */
export function inputsDigest(open: OpenContract, names: KeptNames): string {
  const { entry } = open.kept ?? {}
  const keys = keyInputs(open)
  return bytesDigest(
    JSON.stringify([
      buildMark().replace(/-.*/, ''),
      open.name,
      open.digests,
      entry?.class,
      entry?.only,
      entry?.endpoint,
      entry?.pages,
      entry?.importSuffix,
      runtimeFolderOf(open) ?? 'own',
      credentialKinds(open),
      ...(keys.length === 0 ? [] : [keys]),
      namesText(names),
    ]),
  )
}

function digestsOf(documents: Documents): Record<string, string> {
  return Object.fromEntries(
    documents.all().map((document) => [document.label, bytesDigest(document.bytes)]),
  )
}

/** Words that say what is at an address or path, and not what it is about. */
const anyWord =
  /^(?:\$?metadata|v\d+(?:\.\d+)*|(?:open-?api|swagger)(?:[-_.]?v?\d[\d._-]*)?|api(?:-docs)?|docs|index|service|wsdl|\.\.?)$/i

/** Says a step nothing of what it is about, whatever its ending? */
function isAnyStep(step: string): boolean {
  return (
    anyWord.test(step) || anyWord.test(step.replace(/\.(?:json|ya?ml|xml|wsdl|edmx|svc)$/i, ''))
  )
}

/**
 * A contract name made from where it comes from: `https://host/desk?wsdl` -> `desk`,
 * `https://quay.example/v2/openapi.json` -> `quay`, `ferries/openapi.yaml` -> `ferries`.
 */
export function contractNameFor(location: string): string {
  const address = isWebAddress(location) && URL.canParse(location) ? new URL(location) : undefined
  const steps = (address?.pathname ?? location).split(/[/\\]/).filter((step) => step !== '')
  const host =
    address === undefined || /^[\d.[]/.test(address.hostname) ? undefined : hostName(address)
  const last = steps.findLast((step) => !isAnyStep(step)) ?? host ?? steps.at(-1) ?? 'service'
  const name = last
    .replace(/\.\w+$/, '')
    .replace(/[^\w-]+/g, '-')
    .replace(/^[^A-Za-z]+/, '')
    .slice(0, 60)
    .replace(/-+$/, '')
  return name === '' ? 'service' : name.charAt(0).toLowerCase() + name.slice(1)
}

/** The first part of a host's name that says something: `www.quay.example` -> `quay`. */
function hostName({ hostname }: URL): string | undefined {
  const parts = hostname.split('.')
  return parts.find((part) => !/^(?:www|api|services?|localhost)$/i.test(part))
}

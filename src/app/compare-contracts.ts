import type { PlaceInDocument } from '../contract/contract.js'
import { filled, present } from '../contract/present.js'
import { operationsOf, pathOf } from '../contract/queries.js'
import { verdicts, worse, worstOf, type Change, type Verdict } from '../compare/change.js'
import { compareContracts as differences } from '../compare/compare.js'
import { nextVersion, stepFor } from '../compare/next-version.js'
import { plainFacts } from '../compare/plain-facts.js'
import { dialectNamed } from '../dialects/registry.js'
import { placeOf } from '../documents/places.js'
import { assignNames, type Names } from '../naming/names.js'
import { packagesOf } from '../project/packed-record.js'
import { namesFor } from './clients/client-names.js'
import { builtClient, filesAsWritten } from './generate-client.js'
import { folderBeside } from '../project/runtime-folder.js'
import { findUses } from './uses/find-uses.js'
import type { CompilerFinding, Use } from './uses/lines.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'
import { asPacked } from './pack/as-packed.js'
import {
  isAnotherService,
  readAgain,
  type ReadAgain,
  type ReadAgainOptions,
} from './contracts/read-again.js'

/** A change with the places in the metadata before and after, as people read them. */
export interface PlacedChange extends Omit<Change, 'before' | 'after'> {
  /** Lines of the project's own code that use it, where they were looked for. */
  readonly uses?: readonly Use[]
  readonly before?: PlaceInDocument
  readonly after?: PlaceInDocument
}

/** Two contracts compared. */
export interface Comparison {
  readonly contract: string
  /** When the snapshot was taken that the source was compared with, ISO 8601. */
  readonly since?: string
  /** What it was compared with. */
  readonly from: string
  /** What hurts callers most first. */
  readonly changes: readonly PlacedChange[]
  /** Changes of nothing but words, order and examples, and types that are new. */
  readonly quiet: readonly PlacedChange[]
  readonly worst: { readonly calls: Verdict; readonly code: Verdict }
  /** The package that it was packed into last. */
  readonly package?: string
  /** The version that it was packed as last; 1.0.0 where it was not. */
  readonly lastVersion: string
  /** The version that the next client has. */
  readonly nextVersion: string
  /** Operations of the service that are new, and that the choice of the project leaves out. */
  readonly beside: readonly string[]
  /** What the choice of the project names, and the service has no more. */
  readonly vanished: readonly string[]
  /** The two have no operation in common. */
  readonly isAnother: boolean
  /** What the compiler says of the project's own code with the next client, where it was asked. */
  readonly compiled?: {
    readonly findings: readonly CompilerFinding[]
    /** How much it did not accept before. */
    readonly already: number
    /** Why it could not be asked. */
    readonly remark?: string
  }
}

export interface CompareOptions extends OpenOptions, Omit<ReadAgainOptions, 'from'> {
  /** Look for what the changes hurt in the project's own code. */
  readonly uses?: boolean | undefined
}

/**
 * Compares a contract with what its source says now, or with another place. Nothing is written.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @param location what to compare it with; where it came from when left out
 * @returns what differs, with what it does to running clients and to the caller's code
 * @throws Problem TM-1037, TM-3012, and those of opening a contract and reading metadata
 */
export async function compareContracts(
  reference: string,
  location?: string,
  options: CompareOptions = {},
): Promise<Comparison> {
  const before = await openContract(reference, options)
  return (await compareOpened(before, location, options)).comparison
}

/** Compares a contract that is open already, and gives also what was read. */
export async function compareOpened(
  before: OpenContract,
  location: string | undefined,
  options: CompareOptions,
): Promise<{ comparison: Comparison; after: ReadAgain }> {
  const after = await readAgain(before, { ...options, from: location })
  const comparison = await comparisonOf(before, after)
  // Who has nothing to mend need not wait for the compiler.
  const isAsked =
    options.uses === true && before.kept !== undefined && comparison.changes.length > 0
  return { comparison: isAsked ? await withUses(comparison, after.open) : comparison, after }
}

/** Puts to every change the lines of the project's own code that it concerns. */
async function withUses(comparison: Comparison, after: OpenContract): Promise<Comparison> {
  const { project } = after.kept ?? {}
  if (project === undefined) return comparison
  const built = await builtClient(after)
  const { lines, findings, already, remark } = findUses(
    {
      project: project.folder,
      folder: built.entry.folder,
      files: await filesAsWritten(project, built),
      generated: Object.values(project.contracts).flatMap((entry) => [
        entry.folder,
        folderBeside(entry),
      ]),
    },
    comparison.changes,
  )
  return {
    ...comparison,
    changes: comparison.changes.map((change, at) => ({
      ...change,
      ...filled({ uses: lines[at] ?? [] }),
    })),
    compiled: { findings, already, ...present({ remark }) },
  }
}

/**
 * What differs between two contracts that are open.
 *
 * @param now the names of the later one
 */
export async function changesBetween(
  before: OpenContract,
  after: OpenContract,
  now: Names,
): Promise<PlacedChange[]> {
  const { wire = plainFacts } = await dialectNamed(before.contract.dialect)
  const found = differences(
    { contract: before.contract, names: await namesFor(before), wire },
    { contract: after.contract, names: now, wire },
  )
  return placed(found, before, after)
}

/** The names of a contract that was read again: what is still there keeps those that it had. */
async function namesAfter(before: OpenContract, { contract }: OpenContract): Promise<Names> {
  const { emit } = await dialectNamed(before.contract.dialect)
  const { class: className } = before.kept?.entry ?? {}
  return assignNames(contract, await namesFor(before), emit.reservedNames(contract), className)
}

/** Which version the next client has: after that which was packed last, or as if it had been 1.0.0. */
async function versions(
  before: OpenContract,
  after: OpenContract,
  changes: readonly PlacedChange[],
): Promise<Pick<Comparison, 'package' | 'lastVersion' | 'nextVersion'>> {
  const { kept } = before
  const [record] = kept === undefined ? [] : await packagesOf(kept.project.folder, before.name)
  if (kept === undefined || record === undefined)
    return { lastVersion: '1.0.0', nextVersion: nextVersion('1.0.0', stepFor(changes)) }
  const packed = await asPacked(record, { ...before, kept })
  const since =
    packed === undefined
      ? changes
      : await changesBetween(packed, after, await namesAfter(before, after))
  return {
    package: record.package,
    lastVersion: record.version,
    nextVersion: nextVersion(record.version, stepFor(since)),
  }
}

async function comparisonOf(before: OpenContract, after: ReadAgain): Promise<Comparison> {
  const { contract } = after.open
  const names = await namesAfter(before, after.open)
  const changes = await changesBetween(before, after.open, names)
  const [quiet, loud] = [
    changes.filter((each) => each.quiet === true),
    changes.filter((each) => each.quiet !== true),
  ]
  return {
    contract: before.name,
    ...present({ since: before.kept?.index.taken }),
    from: after.from,
    changes: loud,
    quiet,
    worst: worstOf(loud),
    ...(await versions(before, after.open, changes)),
    beside: newBeside(before, after.open),
    vanished: contract.notes.filter(({ code }) => code === 'TM-3011').map(({ message }) => message),
    isAnother: isAnotherService(before.whole, after.open.whole),
  }
}

/** Operations that are new and that a choice does not take. */
function newBeside(before: OpenContract, after: OpenContract): string[] {
  const [known, chosen] = [before.whole, after.contract].map(
    (contract) => new Set(operationsOf(contract).map(pathOf)),
  )
  return operationsOf(after.whole)
    .map(pathOf)
    .filter((path) => known?.has(path) === false && chosen?.has(path) === false)
}

async function placed(
  changes: readonly Change[],
  before: OpenContract,
  after: OpenContract,
): Promise<PlacedChange[]> {
  const [old, now] = [(await before.documents()).all(), (await after.documents()).all()]
  return changes.map(({ before: was, after: is, ...change }) => ({
    ...change,
    ...present({
      before: was === undefined ? undefined : placeOf(old, was),
      after: is === undefined ? undefined : placeOf(now, is),
    }),
  }))
}

/** Which version comes next, in a sentence. */
export function nextVersionText({ package: name, nextVersion, lastVersion }: Comparison): string {
  return `By these changes the next version of ${name ?? 'the client'} is ${nextVersion}, after ${lastVersion}.`
}

/** How bad a comparison is at the worst. */
export function worstVerdict({ worst }: Pick<Comparison, 'worst'>): Verdict {
  return worse(worst.calls, worst.code)
}

/**
 * Is a comparison worse than somebody puts up with?
 *
 * @param tolerated the worst that is put up with; not even what is fine when left out
 */
export function isTooMuch(comparison: Comparison, tolerated?: Verdict): boolean {
  if (comparison.changes.length === 0) return false
  return (
    tolerated === undefined ||
    verdicts.indexOf(worstVerdict(comparison)) < verdicts.indexOf(tolerated)
  )
}

/**
 * A comparison as programs get it: what `compare --json` prints.
 *
 * @param all also what does nothing to anybody
 */
export function comparisonSummary(comparison: Comparison, all: boolean): object {
  const { quiet, changes, vanished, beside, isAnother, ...facts } = comparison
  return {
    ...facts,
    ...filled({ vanished, beside }),
    ...(isAnother ? { isAnother } : {}),
    changes: [...changes, ...(all ? quiet : [])],
  }
}

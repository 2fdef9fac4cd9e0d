import { compareTexts } from '../contract/ordering.js'
import { posix, resolve, sep } from 'node:path'
import type { Contract, Note } from '../contract/contract.js'
import { filled, present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { countTypes, operationsOf } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { sampleInput } from '../exercise/sample.js'
import { nameClashes, type NameClash } from '../naming/clashes.js'
import type { Names } from '../naming/names.js'
import type { ImportSuffix } from '../printing/page.js'
import type { ContractEntry, Project } from '../project/project-file.js'
import { whileLocked } from '../project/project-lock.js'
import { sharedName } from '../project/runtime-folder.js'
import { clearStages, writeTogether, type Change } from '../project/safe-writing.js'
import { namesChange, namesText, readNames } from '../project/snapshot.js'
import { clientFiles, type GeneratedFile } from '../typescript/client.js'
import { firstLines, type InputMaker } from '../typescript/first-lines.js'
import type { Packaged } from '../typescript/module-names.js'
import { namesFor } from './clients/client-names.js'
import {
  eachList,
  folderChange,
  isNothing,
  noDifferences,
  removeEmpty,
  type Differences,
} from './clients/folder-change.js'
import {
  credentialKinds,
  inputsDigest,
  openContract,
  runtimeFolderOf,
  type OpenContract,
  type OpenOptions,
} from './contracts/open-contract.js'
import { clientContract } from './contracts/key-inputs.js'
import { runtimeSources } from './package-files.js'
import { whatIsMissing, type Missing } from './start/missing.js'
import { projectSetup } from './start/project-setup.js'
import { runtimeOf, sharedRuntime } from './clients/shared-runtime.js'

export interface GenerateOptions extends OpenOptions {
  /** Write over files that were edited by hand. */
  readonly overwrite?: boolean | undefined
}

/** What is new in the runtime that the clients beside each other share. */
export interface WrittenRuntime extends Differences {
  /** From the project's folder. */
  readonly folder: string
  /** All of them, by path below it. */
  readonly files: readonly string[]
}

export interface Generated extends Differences {
  readonly contract: string
  /** The client's folder, from the project's. */
  readonly folder: string
  /** All files of the client, by path below its folder. */
  readonly files: readonly string[]
  readonly operations: number
  readonly types: number
  readonly notes: readonly Note[]
  /** What is called otherwise in the client than in the metadata, and why. */
  readonly clashes: readonly NameClash[]
  /** Left out where it is as before. */
  readonly runtime?: WrittenRuntime
  /** Other clients that had to be written with the runtime. */
  readonly along?: readonly string[]
  /** The first lines to write. */
  readonly firstLines: readonly string[]
  /** Packages that the client needs, with their version ranges. */
  readonly dependencies: Readonly<Record<string, string>>
  /** What the project lacks for the client to compile and to run. */
  readonly missing: readonly Missing[]
}

/** Makes the least input of an operation that satisfies its contract. */
export async function sampleMaker(contract: Contract): Promise<InputMaker> {
  const rules = (await dialectNamed(contract.dialect)).rules?.(contract)
  return (operation) => sampleInput(contract, operation, { full: false, rules })
}

/** How the imports of a client end. */
export function suffixOf(open: OpenContract): ImportSuffix {
  return open.kept?.entry.importSuffix ?? '.js'
}

/** How a client is made otherwise than the project says. */
export interface ClientForm {
  /** Where its runtime is; with the client's own files when left out. */
  readonly runtimeFolder?: '../runtime' | undefined
  readonly importSuffix?: ImportSuffix
  /** It is part of a package. */
  readonly packaged?: Packaged
}

/** A client as texts: pure, apart from reading the contract. */
export async function buildClient(
  open: OpenContract,
  form: ClientForm = {},
): Promise<{ files: GeneratedFile[]; names: Awaited<ReturnType<typeof namesFor>> }> {
  const dialect = await dialectNamed(open.contract.dialect)
  const names = await namesFor(open)
  const contract = clientContract(open)
  const files = clientFiles(contract, names, dialect, {
    contractName: open.name,
    runtime: runtimeSources(),
    sources: open.digests,
    inputs: inputsDigest(open, names),
    importSuffix: suffixOf(open),
    ...form,
    credentials: credentialKinds(open),
    endpoint: open.kept?.entry.endpoint,
    sample: await sampleMaker(contract),
  })
  return { files, names }
}

/**
 * Writes the client of a contract of the project and what it shares with those beside it, all of it
 * or nothing. Clients that could not go on with the shared runtime as it is to be are written with
 * it.
 *
 * @param name the contract's name in the project
 * @throws Problem TM-3001 when files were edited by hand, TM-3002 when the folder has files of
 *   others, and those of opening a contract
 */
export async function generateClient(
  name: string,
  options: GenerateOptions = {},
): Promise<Generated> {
  return generateOpened(await openContract(name, options), options.overwrite === true)
}

/**
 * Writes the client of a contract that is open already; as {@link generateClient}.
 *
 * @param overwrite write over files that were edited by hand
 * @returns what was written, by path below the client's folder
 * @throws as {@link generateClient} does
 */
export async function generateOpened(open: OpenContract, overwrite = false): Promise<Generated> {
  if (open.kept === undefined)
    throw problem('TM-1001', {
      name: open.name,
      nearest: 'Import it first: `tolmach import <location> --as <name>`.',
    })
  const { project } = open.kept
  const built = await builtClient(open)
  const { client, runtime, along } = await whileLocked(project.folder, 'generate', () =>
    writeClient(project, built, overwrite),
  )
  return {
    ...(await summaryOf(project, built)),
    ...client,
    ...present({ runtime }),
    ...filled({ along }),
  }
}

/** A client that was made, in memory. */
export interface BuiltClient {
  readonly open: OpenContract
  readonly entry: ContractEntry
  readonly files: readonly GeneratedFile[]
  readonly names: Names
}

/** Makes the client of a contract of the project, in memory. */
export async function builtClient(open: OpenContract): Promise<BuiltClient> {
  const { entry } = open.kept ?? {}
  if (entry === undefined) throw new Error(`${open.name} is not in a project`)
  const isShared = runtimeFolderOf(open) !== undefined
  return {
    open,
    entry,
    ...(await buildClient(open, { runtimeFolder: isShared ? `../${sharedName}` : undefined })),
  }
}

/** A client that is to be written, with what it takes along: nothing is written yet. */
export interface ClientWriting {
  readonly changes: readonly Change[]
  readonly client: Differences
  readonly runtime: WrittenRuntime | undefined
  readonly along: readonly string[]
  /** The folder of the shared runtime, where nothing is left in it. */
  readonly emptied: string | undefined
}

/** Writes everything together. The project must be locked. */
async function writeClient(
  project: Project,
  built: BuiltClient,
  overwrite: boolean,
): Promise<ClientWriting> {
  const writing = await clientWriting(project, built, overwrite)
  const changes = [...writing.changes, ...(await changeOfNames(project, built))]
  await clearStages(project.folder)
  if (changes.length > 0) await writeTogether(project.folder, changes)
  if (writing.emptied !== undefined) await removeEmpty(writing.emptied)
  return writing
}

/**
 * What has to be written for a client, without the names of its contract.
 *
 * @param overwrite write over files of it that were edited by hand
 * @throws Problem TM-3001, TM-3002
 */
export async function clientWriting(
  project: Project,
  built: BuiltClient,
  overwrite: boolean,
): Promise<ClientWriting> {
  const shared = await sharedRuntime(
    project,
    built.entry,
    new Map([[built.open.name, runtimeOf(built.files)]]),
  )
  // Those whose runtime changes under them.
  const others = await Promise.all(
    shared.outdated.map(async (name) =>
      builtClient(await openContract(name, { project: project.folder })),
    ),
  )
  const needs = [built, ...others].map((each) => [each.open.name, runtimeOf(each.files)] as const)
  const { files, folder } =
    others.length === 0 ? shared : await sharedRuntime(project, built.entry, new Map(needs))
  // Nobody said that what was edited in those may be written over.
  const clients = await Promise.all(
    [built, ...others].map((each) =>
      folderChange(project, each.entry.folder, each.files, overwrite && each === built),
    ),
  )
  const runtime = await folderChange(project, folder, files, overwrite)
  return {
    changes: [
      ...[...clients, runtime].flatMap(({ change }) => change ?? []),
      ...(await Promise.all(others.map((each) => changeOfNames(project, each)))).flat(),
    ],
    client: clients[0]?.differences ?? noDifferences,
    runtime: isNothing(runtime.differences)
      ? undefined
      : {
          folder,
          files: withoutManifest(files.map(({ path }) => path)),
          ...eachList(runtime.differences, withoutManifest),
        },
    along: others
      .filter((_, at) => clients[at + 1]?.change !== undefined)
      .map(({ open }) => open.name),
    emptied: files.length === 0 ? resolve(project.folder, folder) : undefined,
  }
}

/** The files of a client and of what it shares, by absolute path, as they would be written. */
export async function filesAsWritten(
  project: Project,
  built: BuiltClient,
): Promise<Map<string, string>> {
  const { folder, files } = await sharedRuntime(
    project,
    built.entry,
    new Map([[built.open.name, runtimeOf(built.files)]]),
  )
  const placed = (at: string, each: readonly GeneratedFile[]): (readonly [string, string])[] =>
    each.map(({ path, text }) => [resolve(project.folder, at, path), text])
  return new Map([...placed(folder, files), ...placed(built.entry.folder, built.files)])
}

/** The manifest tells nobody anything new. */
function withoutManifest(paths: readonly string[]): string[] {
  return paths.filter((path) => path !== 'manifest.json')
}

async function changeOfNames(project: Project, { open, names }: BuiltClient): Promise<Change[]> {
  const { class: className, ...identifiers } = names
  const kept = { class: className, ...identifiers }
  const isNamed = namesText(await readNames(project.folder, open.name)) === namesText(kept)
  return isNamed ? [] : [namesChange(project.folder, open.name, kept)]
}

async function summaryOf(
  project: Project,
  { open, entry, files, names }: BuiltClient,
): Promise<Omit<Generated, keyof Differences>> {
  const dialect = await dialectNamed(open.contract.dialect)
  const contract = clientContract(open)
  const operations = operationsOf(contract)
  const sorted = [...operations].sort((a, b) => compareTexts(a.path.join('.'), b.path.join('.')))
  const folder = entry.folder.split(sep).join('/')
  const dependencies = operations.length === 0 ? {} : dialect.emit.dependencies(open.contract)
  const importSuffix = suffixOf(open)
  return {
    contract: open.name,
    folder: entry.folder,
    files: files.map((file) => file.path),
    operations: operations.length,
    types: countTypes(open.contract, operations),
    notes: open.contract.notes,
    clashes: nameClashes(open.contract, names, dialect.emit.reservedNames(open.contract)),
    firstLines: firstLines(
      contract,
      names,
      sorted,
      await sampleMaker(contract),
      `./${posix.relative('src', folder)}/index${importSuffix}`,
    ),
    dependencies,
    missing: whatIsMissing(projectSetup(project.folder), {
      dependencies,
      importSuffix,
      contract: open.name,
      isProgram: false,
    }),
  }
}

/**
 * What was written, as programs get it: what `generate --json` prints.
 *
 * @returns folder, numbers of operations and types, files that are new, changed, removed and as
 *   before, notes, and what is called otherwise than in the metadata
 */
export function generatedSummary(generated: Generated): object {
  const { clashes, moved, dependencies: _, ...others } = generated
  return { ...others, renamed: clashes, ...filled({ moved }) }
}

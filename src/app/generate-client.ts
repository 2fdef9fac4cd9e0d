import { join, relative, resolve, sep } from 'node:path'
import type { Contract, Note } from '../contract/contract.js'
import { problem } from '../contract/problem.js'
import { countTypes, operationsOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import { dialectNamed } from '../dialects/registry.js'
import { nameClashes, type NameClash } from '../naming/clashes.js'
import type { Names } from '../naming/names.js'
import type { ImportSuffix } from '../printing/page.js'
import type { ContractEntry } from '../project/project-file.js'
import { whileLocked } from '../project/project-lock.js'
import { clearStages, writeTogether, type Change } from '../project/safe-writing.js'
import { namesChange, namesText, readNames } from '../project/snapshot.js'
import { sampleInput } from '../exercise/sample.js'
import { clientFiles, type GeneratedFile } from '../typescript/client.js'
import { firstLines, type InputMaker } from '../typescript/first-lines.js'
import { clientState } from './client-state.js'
import { namesFor } from './client-names.js'
import { inputsDigest, openContract, type OpenContract, type OpenOptions } from './open-contract.js'
import { runtimeSources } from './package-files.js'

export interface GenerateOptions extends OpenOptions {
  /** Write over files that were edited by hand. */
  readonly overwrite?: boolean | undefined
}

export interface Generated {
  readonly contract: string
  /** The client's folder, from the project's. */
  readonly folder: string
  /** All files of the client, by path below its folder. */
  readonly files: readonly string[]
  /** What is different from before. */
  readonly added: readonly string[]
  readonly changed: readonly string[]
  readonly removed: readonly string[]
  /** Files of others that were called like ones of the client, as they are called now. */
  readonly moved: readonly string[]
  readonly operations: number
  readonly types: number
  readonly notes: readonly Note[]
  /** What is called otherwise in the client than in the metadata, and why. */
  readonly clashes: readonly NameClash[]
  /** The first lines to write. */
  readonly firstLines: readonly string[]
  /** Packages that the client needs, with their version ranges. */
  readonly dependencies: Readonly<Record<string, string>>
}

/** Makes the least input of an operation that satisfies its contract. */
function sampleMaker(contract: Contract, dialect: Dialect): InputMaker {
  return (operation) =>
    sampleInput(contract, operation, { full: false, rules: dialect.rules?.(contract) })
}

function suffixOf(open: OpenContract): ImportSuffix {
  return open.kept?.entry.importSuffix ?? '.js'
}

/** A client as texts: pure, apart from reading the contract. */
export async function buildClient(
  open: OpenContract,
): Promise<{ files: GeneratedFile[]; names: Awaited<ReturnType<typeof namesFor>> }> {
  const dialect = await dialectNamed(open.contract.dialect)
  const names = await namesFor(open)
  const files = clientFiles(open.contract, names, dialect, {
    contractName: open.name,
    runtime: runtimeSources(),
    sources: open.digests,
    inputs: inputsDigest(open, names),
    importSuffix: suffixOf(open),
    sample: sampleMaker(open.contract, dialect),
  })
  return { files, names }
}

/** What is different in a client's folder from before. */
type Differences = Pick<Generated, 'added' | 'changed' | 'removed' | 'moved'>

/**
 * Writes a client's files and the names that they were made of, all of it or nothing. What others
 * have put there stays.
 */
async function writeClient(
  projectFolder: string,
  name: string,
  entry: ContractEntry,
  files: readonly GeneratedFile[],
  names: Names,
  overwrite: boolean,
): Promise<Differences> {
  const folder = resolve(projectFolder, entry.folder)
  const state = await clientState(folder)
  if (state.edited.length > 0 && !overwrite)
    throw problem('TM-3001', { folder: entry.folder, files: state.edited.join(', ') })
  const written = new Set(files.map((file) => file.path))
  const clashing = state.strangers.filter(
    (path) => written.has(path) || (state.manifest === undefined && path in state.texts),
  )
  if (clashing.length > 0 && !overwrite)
    throw problem('TM-3002', { folder: entry.folder, files: clashing.slice(0, 8).join(', ') })

  const before = state.texts
  const foreign = new Set(state.strangers)
  // What somebody else's file is called like one of ours is kept beside it.
  const keep = new Map(
    state.strangers.map((path) => [path, written.has(path) ? freeName(path, foreign) : path]),
  )
  const own = (path: string): boolean => path in before && !foreign.has(path)
  const differences: Differences = {
    added: files.filter(({ path }) => !own(path)).map(({ path }) => path),
    changed: files
      .filter(({ path, text }) => own(path) && before[path] !== text)
      .map(({ path }) => path),
    removed: Object.keys(before).filter((path) => own(path) && !written.has(path)),
    moved: [...keep].filter(([path, kept]) => path !== kept).map(([, kept]) => kept),
  }
  const isNew =
    differences.added.length + differences.changed.length + differences.removed.length > 0
  const client: Change[] = isNew
    ? [
        {
          path: folder,
          files: Object.fromEntries(files.map(({ path, text }) => [path, text])),
          keep,
        },
      ]
    : []
  const { class: className, ...identifiers } = names
  await clearStages(projectFolder)
  const kept = { class: className, ...identifiers }
  const isNamed = namesText(await readNames(projectFolder, name)) === namesText(kept)
  const changes = [...client, ...(isNamed ? [] : [namesChange(projectFolder, name, kept)])]
  if (changes.length > 0) await writeTogether(projectFolder, changes)
  return differences
}

function freeName(path: string, taken: ReadonlySet<string>): string {
  let name = `${path}.kept`
  for (let count = 2; taken.has(name); count += 1) name = `${path}.kept${count}`
  return name
}

/**
 * Writes the client of a contract of the project, all of it or nothing.
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

/** Writes the client of a contract that is open already; as {@link generateClient}. */
export async function generateOpened(open: OpenContract, overwrite = false): Promise<Generated> {
  const { name } = open
  if (open.kept === undefined)
    throw problem('TM-1001', {
      name,
      nearest: 'Import it first: `tolmach import <location> --as <name>`.',
    })
  const { project, entry } = open.kept
  const folder = resolve(project.folder, entry.folder)
  const { files, names } = await buildClient(open)
  const { added, changed, removed, moved } = await whileLocked(project.folder, 'generate', () =>
    writeClient(project.folder, name, entry, files, names, overwrite),
  )
  const dialect = await dialectNamed(open.contract.dialect)
  const operations = operationsOf(open.contract)
  const sorted = [...operations].sort((a, b) => (a.path.join('.') < b.path.join('.') ? -1 : 1))
  return {
    contract: open.name,
    folder: entry.folder,
    files: files.map((file) => file.path),
    added,
    changed,
    removed,
    moved,
    operations: operations.length,
    types: countTypes(open.contract, operations),
    notes: open.contract.notes,
    clashes: nameClashes(open.contract, names, dialect.emit.reservedNames(open.contract)),
    firstLines: firstLines(
      open.contract,
      names,
      sorted,
      sampleMaker(open.contract, dialect),
      `./${relative(join(project.folder, 'src'), folder).split(sep).join('/')}/index${suffixOf(open)}`,
    ),
    dependencies:
      operationsOf(open.contract).length === 0 ? {} : dialect.emit.dependencies(open.contract),
  }
}

/** What was written, as scripts get it. */
export function generatedSummary(generated: Generated): object {
  const { clashes, moved, dependencies: _, ...others } = generated
  return { ...others, renamed: clashes, ...(moved.length === 0 ? {} : { moved }) }
}

import { join, relative, resolve, sep } from 'node:path'
import type { Contract, Note } from '../contract/contract.js'
import { problem } from '../contract/problem.js'
import { countTypes, operationsOf } from '../contract/queries.js'
import type { Dialect } from '../dialects/dialect.js'
import { dialectNamed } from '../dialects/registry.js'
import { nameClashes, type NameClash } from '../naming/clashes.js'
import { replaceFolder } from '../project/safe-writing.js'
import type { ImportSuffix } from '../printing/page.js'
import { writeNames } from '../project/snapshot.js'
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
  return (operation) => sampleInput(contract, operation, { full: false, rules: dialect.rules?.(contract) })
}

function suffixOf(open: OpenContract): ImportSuffix {
  return open.kept?.entry.importSuffix ?? '.js'
}

/** A client as texts: pure, apart from reading the contract. */
export async function buildClient(open: OpenContract): Promise<{ files: GeneratedFile[]; names: Awaited<ReturnType<typeof namesFor>> }> {
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

/**
 * Writes the client of a contract of the project, all of it or nothing.
 *
 * @param name the contract's name in the project
 * @throws Problem TM-3001 when files were edited by hand, TM-3002 when the folder has files of others, and those of opening a contract
 */
export async function generateClient(name: string, options: GenerateOptions = {}): Promise<Generated> {
  const open = await openContract(name, options)
  if (open.kept === undefined) throw problem('TM-1001', { name, nearest: 'Import it first: `tolmach import <location> --as <name>`.' })
  const { project, entry } = open.kept
  const folder = resolve(project.folder, entry.folder)
  const { files, names } = await buildClient(open)
  const state = await clientState(folder)
  if (state.edited.length > 0 && options.overwrite !== true) throw problem('TM-3001', { folder: entry.folder, files: state.edited.join(', ') })
  const strangers = state.manifest === undefined ? state.present : state.strangers
  const written = new Set(files.map((file) => file.path))
  const clashing = strangers.filter((path) => state.manifest === undefined || written.has(path))
  if (clashing.length > 0 && options.overwrite !== true) throw problem('TM-3002', { folder: entry.folder, files: clashing.slice(0, 8).join(', ') })

  const before = state.texts
  const foreign = new Set(strangers)
  const added = files.filter((file) => !(file.path in before)).map((file) => file.path)
  const changed = files.filter((file) => file.path in before && before[file.path] !== file.text).map((file) => file.path)
  const removed = Object.keys(before).filter((path) => !foreign.has(path) && !written.has(path))
  if (added.length + changed.length + removed.length > 0) {
    const kept = strangers.filter((path) => !written.has(path))
    await replaceFolder(folder, Object.fromEntries(files.map((file) => [file.path, file.text])), kept)
  }
  const { class: _class, ...identifiers } = names
  await writeNames(project.folder, name, { class: names.class, ...identifiers })
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
    operations: operations.length,
    types: countTypes(open.contract, operations),
    notes: open.contract.notes,
    clashes: nameClashes(open.contract, names, dialect.emit.reservedNames),
    firstLines: firstLines(open.contract, names, sorted, sampleMaker(open.contract, dialect), `./${relative(join(project.folder, 'src'), folder).split(sep).join('/')}/index${suffixOf(open)}`),
    dependencies: dialect.emit.dependencies(open.contract),
  }
}

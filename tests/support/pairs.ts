import { cp, mkdir, readFile, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { compareContracts } from '../../src/compare/compare.js'
import type { Change } from '../../src/compare/change.js'
import { plainFacts } from '../../src/compare/plain-facts.js'
import { Reach } from '../../src/compare/reach.js'
import type { Contract } from '../../src/contract/contract.js'
import { noNames, type KeptNames } from '../../src/contract/kept-names.js'
import { neededOf } from '../../src/contract/queries.js'
import type { Dialect, LoadedDocument } from '../../src/dialects/dialect.js'
import { dialectNamed } from '../../src/dialects/registry.js'
import { assignNames, type Names } from '../../src/naming/names.js'
import { clientFiles } from '../../src/typescript/client.js'
import { runtimeSources } from '../../src/app/package-files.js'
import { complaintsOfProgram } from './compilers.js'
import { readText } from './descriptions.js'
import { everyUse, type Line } from './every-use.js'
import { repository } from './program.js'

/** One contract, with the names of the client that is made from it. */
export interface Edition {
  readonly contract: Contract
  readonly names: Names
  readonly dialect: Dialect
  readonly documents: readonly LoadedDocument[]
}

/** Reads a description as an edition of a contract whose names were given before, perhaps. */
export async function editionOf(file: string, text: string, kept?: KeptNames): Promise<Edition> {
  const { contract, documents } = await readText(file, text, {}, kept)
  const dialect = await dialectNamed(contract.dialect)
  const names = assignNames(contract, kept ?? noNames, dialect.emit.reservedNames(contract))
  return { contract, names, dialect, documents: documents.all() }
}

/** Two editions of a contract, and what is said of the way from the one to the other. */
export interface Pair {
  readonly name: string
  readonly before: Edition
  readonly after: Edition
  readonly changes: readonly Change[]
}

export function pairOf(name: string, before: Edition, after: Edition): Pair {
  const side = ({ contract, names, dialect }: Edition) => ({
    contract,
    names,
    wire: dialect.wire ?? plainFacts,
  })
  return { name, before, after, changes: compareContracts(side(before), side(after)) }
}

export const fixtureText = (file: string): Promise<string> =>
  readFile(join(repository, 'tests/fixtures/compare', file), 'utf8')

export function filesOf({ contract, names, dialect }: Edition): { path: string; text: string }[] {
  return clientFiles(contract, names, dialect, {
    contractName: 'quay',
    runtime: runtimeSources(),
    sources: {},
    inputs: '',
    importSuffix: '.js',
    runtimeFolder: '../runtime',
    credentials: [],
    sample: () => ({}),
  })
}

/** A line that does not compile, with what the compiler says. */
export interface BrokenLine extends Line {
  readonly said: string
  /** It speaks of what can't be imported. */
  readonly isSilent?: true
}

/**
 * Compiles, for every pair, a program that uses everything of the client before with the client
 * after in its place.
 *
 * @returns by pair the lines that do not compile, each with what the compiler says
 */
export async function brokenLines(
  folder: string,
  pairs: readonly Pair[],
): Promise<(readonly BrokenLine[])[]> {
  const source = join(folder, 'src')
  await cp(join(repository, 'src/runtime'), join(source, 'runtime'), { recursive: true })
  const programs = await Promise.all(
    pairs.map(async (pair, at) => {
      for (const { path, text } of filesOf(pair.after)) {
        const target = join(source, `c${String(at)}`, path)
        await mkdir(dirname(target), { recursive: true })
        await writeFile(target, text)
      }
      const { contract, names, dialect } = pair.before
      const reach = new Reach(neededOf(contract))
      const lines = everyUse(
        contract,
        names,
        dialect,
        (id) => reach.directions(id).includes('sent'),
        (id) => reach.directions(id).includes('received'),
      )
      const text = lines.map((line) => line.text.replaceAll('CLIENT', `c${String(at)}`))
      await writeFile(join(source, `p${String(at)}.ts`), `${text.join('\n')}\n`)
      return lines
    }),
  )
  const found: BrokenLine[][] = pairs.map(() => [])
  const told = await complaintsOfProgram(folder)
  for (const [, file = '', line = '', said = ''] of told.matchAll(
    /^(?:typescript-7: )?src\/([^(]+)\((\d+),\d+\): error (.*)$/gm,
  )) {
    const at = /^p(\d+)\.ts$/.exec(file)?.[1]
    if (at === undefined) throw new Error(`a client does not compile: ${file} ${line} ${said}`)
    const used = programs[Number(at)]?.[Number(line) - 1]
    if (used !== undefined) found[Number(at)]?.push({ ...used, said })
  }
  found.forEach((lines, at) => {
    // Of what can't be imported the compiler says nothing more.
    const names = lines.flatMap(({ text }) => /^import \{ (\w+) \}/.exec(text)?.[1] ?? [])
    const silent = new RegExp(`\\b(?:${names.join('|')})\\b`)
    if (names.length > 0)
      for (const line of programs[at] ?? [])
        if (silent.test(line.text) && !line.text.startsWith('import'))
          lines.push({ ...line, said: '', isSilent: true })
  })
  return found
}

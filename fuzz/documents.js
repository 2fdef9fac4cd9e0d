import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import ts from 'typescript'
import { parse } from 'yaml'
import { noNames } from '../dist/contract/kept-names.js'
import { Problem } from '../dist/contract/problem.js'
import { operationsOf } from '../dist/contract/queries.js'
import { dialectOf } from '../dist/dialects/registry.js'
import { documentsOf } from '../dist/documents/documents.js'
import { sampleInput } from '../dist/exercise/sample.js'
import { assignNames } from '../dist/naming/names.js'
import { clientFiles } from '../dist/typescript/client.js'
import { marker, spoiledXml, spoilTree } from './mutations.js'
import { processorTime } from './processor-time.js'

/** The documents of all dialects that a contract starts from, with their texts. */
export async function metadataFiles(folder) {
  const found = []
  for (const entry of readdirSync(folder, { recursive: true, withFileTypes: true }).sort((a, b) =>
    a.name < b.name ? -1 : 1,
  )) {
    if (!entry.isFile() || !/\.(wsdl|xml|yaml|json)$/.test(entry.name)) continue
    const file = join(entry.parentPath, entry.name)
    const text = readFileSync(file, 'utf8')
    const dialect = await dialectOf(text)
    if (dialect !== undefined) found.push({ name: entry.name, file, dialect, text })
  }
  return found
}

/** Fixtures that stand for themselves, with what each of them takes when it is as it should be. */
export async function readFixtures(folder) {
  const found = []
  for (const each of await metadataFiles(folder)) {
    const fixture = {
      ...each,
      tree: each.text.trimStart().startsWith('<') ? undefined : parse(each.text),
    }
    try {
      found.push({ ...fixture, milliseconds: (await outcomeOf(fixture, each.text)).milliseconds })
    } catch {
      // What refers to other documents stands for itself no more.
    }
  }
  return found
}

/** The text of a fixture with one to three mistakes. */
export function spoiled({ text, tree }, random) {
  const mistakes = 1 + Math.floor(random() * 3)
  if (tree === undefined)
    return Array.from({ length: mistakes }).reduce(
      (spoiledText) => spoiledXml(spoiledText, random),
      text,
    )
  const copy = structuredClone(tree)
  for (let count = 0; count < mistakes; count += 1)
    if (Object.keys(copy).length > 0) spoilTree(copy, random)
  return JSON.stringify(copy)
}

/**
 * Reads a document, generates its client, makes samples and has a stand-in play it.
 *
 * @returns how it went: `read`, or the code of the problem that it was refused with
 * @throws whatever is no problem with a place, and where generated code has a name that is data
 */
export async function outcomeOf({ dialect, name }, text) {
  const started = processorTime()
  const label = name.replace(/\.yaml$/, '.json')
  let result = 'read'
  try {
    const document = { label, from: `/${label}`, bytes: new Uint8Array(), text, refers: new Map() }
    const contract = await dialect.read(documentsOf([document], label), 'service')
    const runtime = new Proxy({}, { get: () => '' })
    const files = clientFiles(
      contract,
      assignNames(contract, noNames, dialect.emit.reservedNames(contract)),
      dialect,
      {
        contractName: 'service',
        runtime,
        sources: {},
        inputs: '',
        importSuffix: '.js',
        sample: () => ({}),
      },
    )
    for (const [path, code] of Object.entries(files))
      if (path.endsWith('.ts') && String(code).includes(marker)) refuseMarker(path, String(code))
    for (const operation of operationsOf(contract))
      for (const full of [false, true])
        sampleInput(contract, operation, { full, rules: dialect.rules?.(contract) })
    dialect.play(contract)
  } catch (error) {
    if (!(error instanceof Problem) || error.code.startsWith('TM-9')) throw error
    if (error.place === undefined && error.code.startsWith('TM-2'))
      throw new Error(`${error.code} names no place: ${error.message}`, { cause: error })
    result = error.code
  }
  return { result, milliseconds: processorTime() - started }
}

/** Names that are data may stand in texts and comments only. */
function refuseMarker(path, code) {
  const visit = (node) => {
    if (ts.isIdentifier(node) && node.text === marker) throw new Error(`${path} runs ${marker}`)
    ts.forEachChild(node, visit)
  }
  visit(ts.createSourceFile(path, code, ts.ScriptTarget.Latest))
}

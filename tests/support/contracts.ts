import { readdir, readFile } from 'node:fs/promises'
import { join } from 'node:path'
import type { Contract, Operation } from '../../src/contract/contract.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { CodecTrees, liveCodecs } from '../../src/dialects/soap/codec-tree.js'
import { dialectOf } from '../../src/dialects/registry.js'
import { soap } from '../../src/dialects/soap/index.js'
import { readWsdl } from '../../src/dialects/soap/reader.js'
import { loadDocuments, type Documents } from '../../src/documents/documents.js'
import type { SoapOperation } from '../../src/runtime/soap/soap.js'
import { repository } from './program.js'

export const fixtures: string = join(repository, 'tests', 'fixtures')

/** Reads a fixture's contract; also gives its documents. */
export async function readFixture(
  path: string,
): Promise<{ contract: Contract; documents: Documents }> {
  const documents = await loadDocuments(join(repository, path), {
    recognise: (text) => soap.recognise(text),
  })
  return { contract: await readWsdl(documents, 'fixture'), documents }
}

export function operationNamed(contract: Contract, name: string): Operation {
  const found = operationsOf(contract).find((operation) => pathOf(operation) === name)
  if (found === undefined) throw new Error(`no operation ${name}`)
  return found
}

/** An operation as the runtime takes it: what a generated client would print. */
export function liveOperation(
  contract: Contract,
  name: string,
): SoapOperation<Record<string, unknown>, unknown> {
  const operation = operationNamed(contract, name)
  const trees = new CodecTrees(contract, (id) => contract.types[id]?.name ?? id)
  const live = liveCodecs(contract, trees).of(trees.operation(operation)) as object
  return { name, action: '', ...live } as SoapOperation<Record<string, unknown>, unknown>
}

/** The metadata files of all fixtures and of the demo that a contract starts from. */
export async function metadataFiles(): Promise<string[]> {
  const found: string[] = []
  for (const folder of [fixtures, join(repository, 'demo')]) {
    const entries = await readdir(folder, { recursive: true, withFileTypes: true })
    for (const entry of entries) {
      if (!entry.isFile() || !/\.(wsdl|xml|yaml|json)$/.test(entry.name)) continue
      const file = join(entry.parentPath, entry.name)
      if ((await dialectOf(await readFile(file, 'utf8'))) !== undefined) found.push(file)
    }
  }
  return found.sort()
}

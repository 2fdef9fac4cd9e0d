import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { readSource } from '../../src/app/contracts/read-source.js'
import type { KeptNames } from '../../src/contract/kept-names.js'
import type { Contract } from '../../src/contract/contract.js'
import { JsonTrees, liveJson } from '../../src/dialects/http/json-trees.js'
import type { Documents } from '../../src/documents/documents.js'
import type { HttpOperation } from '../../src/runtime/http/http.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { operationNamed } from './contracts.js'
import { freshFolder } from './program.js'

/** Reads a description from texts: the first is the root. */
export async function readText(
  name: string,
  text: string,
  others: Readonly<Record<string, string>> = {},
  kept?: KeptNames,
): Promise<{ contract: Contract; documents: Documents }> {
  const folder = await freshFolder()
  for (const [file, content] of Object.entries({ [name]: text, ...others }))
    await writeFile(join(folder, file), content)
  return readSource(join(folder, name), 'api', undefined, kept)
}

/** An operation as the runtime takes it: what a generated client would print. */
export function liveHttp(contract: Contract, name: string): HttpOperation<object, unknown> {
  const trees = new JsonTrees(contract)
  return {
    name,
    parse: exactJson,
    ...(liveJson(contract, trees).of(trees.operation(operationNamed(contract, name))) as object),
  } as unknown as HttpOperation<object, unknown>
}

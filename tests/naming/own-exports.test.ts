import { mkdir, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { expect, test } from '@jest/globals'
import ts from 'typescript'
import { openContract } from '../../src/app/contracts/open-contract.js'
import { buildClient } from '../../src/app/generate-client.js'
import { dialectNamed } from '../../src/dialects/registry.js'
import { ownExports } from '../../src/naming/names.js'
import { freshFolder, repository } from '../support/program.js'

/** What a client exports that no name of the metadata is in. */
async function exportsOf(document: string): Promise<{ own: string[]; known: Set<string> }> {
  const open = await openContract(join(repository, document))
  const { files, names } = await buildClient(open)
  const folder = await freshFolder()
  for (const { path, text } of files) {
    await mkdir(dirname(join(folder, path)), { recursive: true })
    await writeFile(join(folder, path), text)
  }
  const index = join(folder, 'index.ts')
  const options = { module: ts.ModuleKind.NodeNext, target: ts.ScriptTarget.ES2022, types: [] }
  const program = ts.createProgram([index], options)
  const checker = program.getTypeChecker()
  const module = program.getSourceFile(index)
  const symbol = module && checker.getSymbolAtLocation(module)
  const { emit } = await dialectNamed(open.contract.dialect)
  const metadata = [names.class, ...Object.values(names.types), ...Object.values(names.operations)]
  const isOfMetadata = (name: string): boolean =>
    metadata.some((each) => name.toLowerCase().includes(each.toLowerCase()))
  return {
    own: (symbol === undefined ? [] : checker.getExportsOfModule(symbol))
      .map(({ name }) => name)
      .filter((name) => !isOfMetadata(name)),
    known: new Set([...ownExports, ...emit.reservedNames(open.contract)]),
  }
}

test.each(['demo/berths/desk.wsdl', 'demo/ferries/openapi.yaml', 'demo/registry/registry.xml'])(
  'nothing of the metadata can be called like what the client of %s exports besides',
  async (document) => {
    const { own, known } = await exportsOf(document)
    expect(own.length).toBeGreaterThan(15)
    expect(own.filter((name) => !known.has(name))).toEqual([])
  },
)

import { mkdir, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { buildClient } from '../../src/app/generate-client.js'
import { openContract, type OpenContract } from '../../src/app/contracts/open-contract.js'
import { runtimeSources } from '../../src/app/package-files.js'
import { operationsOf } from '../../src/contract/queries.js'
import { dialectNamed } from '../../src/dialects/registry.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { firstLines } from '../../src/typescript/first-lines.js'
import { complaints, olderComplaints, usualComplaints } from '../support/compilers.js'
import { metadataFiles } from '../support/contracts.js'
import { impossibleTypes } from '../support/never.js'
import { freshFolder } from '../support/program.js'

/** TypeScript itself takes no record without a member that is called like one of every object. */
const withoutFirstLines = ['ugly-properties']

function sharedRuntime(_written: string, up: string): string {
  return up === './' ? "'../runtime/" : "'../../runtime/"
}

async function writeAll(folder: string, files: Readonly<Record<string, string>>): Promise<void> {
  for (const [path, text] of Object.entries(files)) {
    const target = join(folder, path)
    await mkdir(dirname(target), { recursive: true })
    await writeFile(target, text)
  }
}

/** Writes a client, with the first lines to write, beside a runtime that all of them share. */
async function writeClient(project: string, name: string, open: OpenContract): Promise<void> {
  const { files, names } = await buildClient(open)
  const own = files.filter(({ path }) => !path.startsWith('runtime/'))
  const shared = (text: string): string => text.replace(/'(\.\.\/|\.\/)runtime\//g, sharedRuntime)
  const texts = own.map(({ path, text }) => [path, shared(text)])
  await writeAll(join(project, 'src', name), Object.fromEntries(texts))
  if (withoutFirstLines.includes(open.name)) return
  const { contract } = open
  const rules = (await dialectNamed(contract.dialect)).rules?.(contract)
  const lines = firstLines(
    contract,
    names,
    operationsOf(contract),
    (operation) => sampleInput(contract, operation, { full: false, rules }),
    `./${name}/index.js`,
  )
  await writeFile(join(project, 'src', `first-${name}.ts`), [...lines, 'export {}', ''].join('\n'))
}

describe('the clients of all fixtures and of the demo, with the first lines to write', () => {
  let project: string
  let written = 0

  beforeAll(async () => {
    project = await freshFolder()
    await writeAll(join(project, 'src/runtime'), runtimeSources())
    for (const file of await metadataFiles()) {
      // Some fixtures are there to be refused.
      const open = await openContract(file).catch(() => undefined)
      if (open === undefined) continue
      await writeClient(project, `${open.name}-${String(written)}`, open)
      written += 1
    }
  })

  test('there are many', () => expect(written).toBeGreaterThan(140))

  test('no member and no alternative is of a type that has no value', () => {
    expect(impossibleTypes(join(project, 'src'))).toEqual([])
  })

  test('the newest compiler takes them under its strictest and under usual settings', async () => {
    expect(await complaints(project, { skipLibCheck: true })).toBe('')
    expect(await usualComplaints(project)).toBe('')
  })

  test.each(['typescript-5.4', 'typescript'])(
    '%s takes them under its strictest settings',
    async (compiler) => {
      expect(await olderComplaints(project, compiler)).toBe('')
    },
  )
})

import { execFile } from 'node:child_process'
import { mkdir, readdir, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { promisify } from 'node:util'
import { beforeAll, describe, expect, test } from '@jest/globals'
import pMap from 'p-map'
import { buildClient, sampleMaker } from '../../src/app/generate-client.js'
import { openContract, type OpenContract } from '../../src/app/contracts/open-contract.js'
import { serveContracts } from '../../src/app/serve-contracts.js'
import { runtimeSources } from '../../src/app/package-files.js'
import { operationsOf } from '../../src/contract/queries.js'
import { dialectNamed } from '../../src/dialects/registry.js'
import { sampleInput } from '../../src/exercise/sample.js'
import type { Names } from '../../src/naming/names.js'
import { firstLines } from '../../src/typescript/first-lines.js'
import { variablePrefix } from '../../src/typescript/variables.js'
import { firstProgram } from '../../src/typescript/program.js'
import { complaints, olderComplaints, usualComplaints } from '../support/compilers.js'
import { metadataFiles } from '../support/contracts.js'
import { impossibleTypes } from '../support/never.js'
import { freshFolder } from '../support/program.js'

const execute = promisify(execFile)

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
  await writeProgram(project, name, open, names)
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

/** What a program of the console has, where the types of Node.js are left out. */
const consoleOnly =
  'declare const process: { readonly env: Readonly<Record<string, string>>; exitCode?: number }'

/** Writes the first program, as `generate --program` does, where there is something to call. */
async function writeProgram(
  project: string,
  name: string,
  open: OpenContract,
  names: Names,
): Promise<void> {
  const sample = await sampleMaker(open.contract)
  const from = `./${name}/index.js`
  const program = firstProgram(open.contract, names, { contractName: open.name, from, sample })
  if (program !== undefined)
    await writeFile(join(project, 'src', `program-${name}.ts`), `${program.lines.join('\n')}\n`)
}

/** Runs the first program of a client against a stand-in; how it ended, and what it printed. */
async function runProgram(folder: string, name: string, document: string): Promise<string> {
  const standIn = await serveContracts([document])
  const variable = `${variablePrefix(name.replace(/-\d+$/, ''))}_URL`
  const env = { ...process.env, NODE_OPTIONS: '', [variable]: standIn.addresses[0]?.service }
  const { stdout, stderr } = await execute(process.execPath, [`program-${name}.js`], {
    cwd: folder,
    env,
  }).catch((error: { readonly stdout: string; readonly stderr: string }) => error)
  await standIn.stop()
  return stderr === '' && stdout !== '' ? '' : `${name}: ${stdout}${stderr}`
}

describe('the clients of all fixtures and of the demo, with the first lines to write', () => {
  let project: string
  let written = 0
  const documents = new Map<string, string>()

  beforeAll(async () => {
    project = await freshFolder()
    await writeAll(project, { 'src/console.d.ts': consoleOnly })
    await writeAll(join(project, 'src/runtime'), runtimeSources())
    for (const file of await metadataFiles()) {
      // Some fixtures are there to be refused.
      const open = await openContract(file).catch(() => undefined)
      if (open === undefined) continue
      const name = `${open.name}-${String(written)}`
      await writeClient(project, name, open)
      documents.set(name, file)
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

  test('the first programs run, and show an answer of a stand-in', async () => {
    const made = join(project, 'made')
    expect(
      await complaints(project, {
        noEmit: false,
        outDir: made,
        rootDir: join(project, 'src'),
        skipLibCheck: true,
      }),
    ).toBe('')
    const programs = (await readdir(made)).flatMap(
      (each) => /^program-(.*)\.js$/.exec(each)?.[1] ?? [],
    )
    expect(programs.length).toBeGreaterThan(130)
    const trouble = await pMap(
      programs,
      async (name) => runProgram(made, name, documents.get(name) ?? ''),
      { concurrency: 4 },
    )
    expect(trouble.filter((each) => each !== '')).toEqual([])
  }, 300_000)

  test.each(['typescript-5.4', 'typescript'])(
    '%s takes them under its strictest settings',
    async (compiler) => {
      expect(await olderComplaints(project, compiler)).toBe('')
    },
  )
})

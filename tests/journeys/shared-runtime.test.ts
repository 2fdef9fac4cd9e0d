import { cp, readFile, rm, stat, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeEach, expect, test } from '@jest/globals'
import { complaints, runBundled } from '../support/compilers.js'
import { freshFolder, repository, startTolmach, tolmachJson } from '../support/program.js'

let folder: string
const clients = 'src/clients'
const path = (name: string): string => join(folder, clients, name)
const isThere = (name: string): Promise<boolean> =>
  stat(path(name)).then(
    () => true,
    () => false,
  )
const generate = (...words: string[]): Promise<Record<string, unknown>> =>
  tolmachJson(folder, ['generate', ...words])
const edit = async (file: string, change: (text: string) => string): Promise<void> =>
  writeFile(join(folder, file), change(await readFile(join(folder, file), 'utf8')))
const ofFerries = (text: string): string =>
  text.replace('folder: src/clients/ferries', 'folder: src/clients/ferries\n    runtime: own')
const clientOf = async (contract: string): Promise<unknown> => {
  const { contracts } = (await tolmachJson(folder, ['list'])) as {
    contracts: { contract: string; client: string }[]
  }
  return contracts.find((each) => each.contract === contract)?.client
}

beforeEach(async () => {
  folder = await freshFolder()
  for (const [name, file] of [
    ['berths', 'berths/desk.wsdl'],
    ['ferries', 'ferries/openapi.yaml'],
  ] as const)
    await tolmachJson(folder, ['import', join(repository, 'demo', file), '--as', name])
  await generate()
})

test('clients beside each other compile, run and fail with one runtime', async () => {
  expect(await isThere('berths/runtime')).toBe(false)
  expect(await isThere('runtime/soap/soap.ts')).toBe(true)
  expect(await isThere('runtime/http/http.ts')).toBe(true)
  await writeFile(
    join(folder, 'src/main.ts'),
    [
      "import { BerthDesk, TransportFailure as OfBerths } from './clients/berths/index.js'",
      "import { SkerryFerries, TransportFailure } from './clients/ferries/index.js'",
      "const settings = { url: 'http://127.0.0.1:9', timeLimit: 2 }",
      'const failures: unknown[] = []',
      'await new BerthDesk(settings).listBerths().catch((error: unknown) => failures.push(error))',
      'await new SkerryFerries(settings).bookings.list().catch((error: unknown) => failures.push(error))',
      'console.log(OfBerths === TransportFailure, failures.every((each) => each instanceof OfBerths), failures.length)',
      '',
    ].join('\n'),
  )
  expect(await complaints(folder, { lib: ['ES2022', 'DOM'], skipLibCheck: true })).toBe('')
  expect(await runBundled(folder, 'src/main.ts')).toBe('true true 2\n')
})

test('a file of it that was edited or is gone is noticed by list, call and generate', async () => {
  const shared = path('runtime/soap/soap.ts')
  const before = await readFile(shared, 'utf8')
  await writeFile(shared, `${before}// mine\n`)
  expect(await clientOf('berths')).toBe('edited by hand')
  expect(await clientOf('ferries')).toBe('current')
  const call = await startTolmach(folder, ['call', 'berths', 'listBerths', '--preview'])
  expect(call.stderr).toContain('edited by hand: ../runtime/soap/soap.ts')
  const refused = await startTolmach(folder, ['generate', 'berths'])
  expect(refused.code).toBe(2)
  expect(refused.stderr).toMatch(/error TM-3001 .*src\/clients\/runtime.*soap\/soap\.ts/)
  await generate('berths', '--overwrite')
  expect(await readFile(shared, 'utf8')).toBe(before)

  await rm(shared)
  expect(await clientOf('berths')).toBe('files are missing')
  expect(await generate('berths')).toMatchObject({
    added: [],
    runtime: { added: ['soap/soap.ts'], changed: [], removed: [] },
  })
  expect(await clientOf('berths')).toBe('current')
})

test('`runtime: own` keeps a client in one folder, and what nobody shares any more goes', async () => {
  await edit('tolmach.yaml', ofFerries)
  expect(await clientOf('ferries')).toBe('older than the contract')
  const { runtime } = (await generate('ferries')) as { runtime: { removed: string[] } }
  expect(runtime.removed).toContain('http/http.ts')
  expect(runtime.removed).not.toContain('connection.ts')
  expect(await isThere('ferries/runtime/http/http.ts')).toBe(true)
  await edit('tolmach.yaml', (text) =>
    text.replace('berths\n    class', 'berths\n    runtime: own\n    class'),
  )
  await generate('berths')
  expect(await isThere('runtime')).toBe(false)
  expect(await complaints(folder, { skipLibCheck: true })).toBe('')

  // As a project of before has it: generated once more, all move, and nobody else's file is lost.
  await writeFile(path('berths/runtime/mine.ts'), '// mine\n')
  await edit('tolmach.yaml', (text) => text.replaceAll('    runtime: own\n', ''))
  const moved = await startTolmach(folder, ['generate'])
  expect(moved.stdout).toMatch(
    /removed: \d+ files[\s\S]*runtime {2}src\/clients\/runtime {2}\d+ files/,
  )
  expect(await isThere('ferries/runtime')).toBe(false)
  expect(await readFile(path('berths/runtime/mine.ts'), 'utf8')).toBe('// mine\n')
  expect(await clientOf('berths')).toBe('current')
})

test('a client made for another runtime is written with it', async () => {
  // As if an earlier version had a file that there is no more.
  await edit(`${clients}/berths/manifest.json`, (text) =>
    text.replace('"connection.ts",', '"connection.ts", "earlier.ts",'),
  )
  expect(await clientOf('berths')).toBe('files are missing')
  const index = await readFile(path('berths/index.ts'), 'utf8')
  await writeFile(path('berths/index.ts'), `${index}// mine\n`)
  const refused = await startTolmach(folder, ['generate', 'ferries', '--overwrite'])
  expect(refused.stderr).toMatch(/error TM-3001 .*src\/clients\/berths.*index\.ts/)
  await writeFile(path('berths/index.ts'), index)
  const { along } = await generate('ferries')
  expect(along).toEqual(['berths'])
  expect(await clientOf('berths')).toBe('current')
})

test('nobody else writes where it is, and imports that end otherwise have their own', async () => {
  const inTheWay = await startTolmach(folder, [
    'import',
    join(repository, 'demo/cargo/cargo.xml'),
    '--as',
    'runtime',
  ])
  expect(inTheWay.code).toBe(0)
  expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toContain(
    'folder: src/clients/runtime-client',
  )
  await edit('tolmach.yaml', (text) => text.replace('runtime-client', 'runtime/cargo'))
  expect((await startTolmach(folder, ['list'])).stderr).toContain('error TM-1028')
  await edit('tolmach.yaml', (text) =>
    text
      .replace('runtime/cargo', 'cargo')
      .replace('  ferries:', '  ferries:\n    importSuffix: .ts'),
  )
  await generate('ferries')
  expect(await isThere('ferries/runtime/http/http.ts')).toBe(true)
  expect(await isThere('runtime/http/http.ts')).toBe(false)

  const strange = await freshFolder()
  await cp(join(folder, 'snapshots'), join(strange, 'snapshots'), { recursive: true })
  await cp(join(folder, 'tolmach.yaml'), join(strange, 'tolmach.yaml'))
  await cp(join(repository, 'demo/berths/desk.wsdl'), join(strange, clients, 'runtime/mine.ts'))
  const refused = await startTolmach(strange, ['generate', 'berths'])
  expect(refused.stderr).toMatch(/error TM-3002 .*src\/clients\/runtime.*mine\.ts/)
  expect(refused.stderr).toContain('`runtime: own` in tolmach.yaml')
})

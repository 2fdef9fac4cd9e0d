import { spawn } from 'node:child_process'
import { cp, mkdir, readdir, readFile, rm, writeFile } from 'node:fs/promises'
import { join, relative } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { openDemo } from '../../src/app/demo-world.js'
import {
  demoWsdl,
  freshFolder,
  repository,
  startTolmach as tolmach,
  tolmachJson,
} from '../support/program.js'

test('import with its client writes what importing and generating write, and leaves edited files alone', async () => {
  const [together, apart] = [await freshFolder(), await freshFolder()]
  const source = join(repository, 'demo/registry/registry.xml')
  const words = ['import', source, '--as', 'registry', '--only', 'Vessels,Office']
  const once = await tolmach(together, [...words, '--generate', '--json'])
  const imported = await tolmach(apart, [...words, '--json'])
  const generated = await tolmach(apart, ['generate', 'registry', '--json'])
  expect(JSON.parse(once.stdout)).toEqual({
    ...(JSON.parse(imported.stdout) as object),
    client: JSON.parse(generated.stdout) as unknown,
  })
  const texts = async (folder: string): Promise<string[]> => {
    const client = join(folder, 'src/clients/registry')
    const entries = await readdir(client, { recursive: true, withFileTypes: true })
    const files = entries
      .filter((each) => each.isFile())
      .map((each) => join(each.parentPath, each.name))
    return Promise.all(
      files
        .sort()
        .map(async (file) => `${relative(folder, file)}\n${await readFile(file, 'utf8')}`),
    )
  }
  expect(await texts(together)).toEqual(await texts(apart))
  const edited = join(together, 'src/clients/registry/types.ts')
  await writeFile(edited, 'export {}\n')
  const again = await tolmach(together, [...words, '--overwrite', '--generate'])
  expect(again).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('error TM-3001') as unknown,
  })
  expect(await readFile(edited, 'utf8')).toBe('export {}\n')
})

test('list names what belongs to no contract any more, and nothing of somebody else', async () => {
  const folder = await freshFolder()
  const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(folder, words)
  for (const name of ['berths', 'desk'])
    expect((await run('import', demoWsdl, '--as', name, '--generate')).code).toBe(0)
  await mkdir(join(folder, 'src/clients/by-hand'))
  await writeFile(join(folder, 'src/clients/by-hand/manifest.json'), '{}')
  await mkdir(join(folder, 'snapshots/notes'))
  const all = await tolmachJson(folder, ['list'])
  expect(all).toMatchObject({ contracts: [{}, {}], leftOver: [] })
  expect((await run('list')).stderr).toBe('')
  const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
  await writeFile(
    join(folder, 'tolmach.yaml'),
    project
      .replace('src/clients/berths', 'src/clients/quay')
      .replace(/ {2}desk:\n(?: {4}.*\n)*/, ''),
  )
  expect(await tolmachJson(folder, ['list'])).toMatchObject({
    contracts: [{ contract: 'berths', client: 'not generated' }],
    leftOver: [
      { kind: 'snapshot', path: 'snapshots/desk' },
      { kind: 'client', path: 'src/clients/berths' },
      { kind: 'client', path: 'src/clients/desk' },
    ],
  })
  expect((await run('list')).stderr).toContain('Left over')
})

test('a folder that is named and is no project is told as such', async () => {
  const folder = await freshFolder()
  const nowhere = join(folder, 'nowhere')
  for (const words of [
    ['list'],
    ['generate'],
    ['show', 'berths'],
    ['call', 'berths', 'listBerths'],
  ])
    expect(await tolmach(folder, [...words, '--project', 'nowhere'])).toMatchObject({
      code: 2,
      stdout: '',
      stderr: expect.stringContaining('there is no tolmach.yaml in nowhere') as unknown,
    })
  // Importing makes one.
  const made = await tolmach(folder, ['import', demoWsdl, '--as', 'berths', '--project', nowhere])
  expect(made.code).toBe(0)
  const { contracts } = await tolmachJson(folder, ['list', '--project', nowhere])
  expect(contracts).toMatchObject([{ contract: 'berths', client: 'not generated' }])
})

test('of a client of hundreds of operations only the one is loaded that is called', async () => {
  const folder = await freshFolder()
  const cache = await freshFolder()
  const operation = (at: number): object => ({
    get: { operationId: `getBerth${at}`, responses: { 200: { description: 'Found.' } } },
  })
  const paths = Object.fromEntries(
    Array.from({ length: 310 }, (_, at) => [`/berths/${at}`, operation(at)]),
  )
  const servers = [{ url: 'http://quay.example' }]
  const info = { title: 'Quay', version: '1' }
  await writeFile(
    join(folder, 'quay.json'),
    JSON.stringify({ openapi: '3.1.0', info, servers, paths }),
  )
  const run = (...words: string[]): ReturnType<typeof tolmach> =>
    tolmach(folder, words, { env: { XDG_CACHE_HOME: cache } })
  const clients = async (): Promise<string[]> => {
    const kept = join(cache, 'tolmach')
    const names = (await readdir(kept)).filter((name) => name.startsWith('client-'))
    return Promise.all(names.map((name) => readFile(join(kept, name), 'utf8')))
  }
  await run('import', 'quay.json', '--as', 'quay')
  // Aside, from its folder, and once more.
  for (const [at, count] of [
    [7, 1],
    [7, 2],
    [7, 2],
    [8, 3],
  ] as const) {
    const called = await run('call', 'quay', `getBerth${at}`, '--preview')
    expect(called.stdout).toContain(`GET http://quay.example/berths/${at}`)
    const bundles = await clients()
    expect(bundles).toHaveLength(count)
    for (const text of bundles)
      expect(text.match(/'\/berths\/\d+'|"\/berths\/\d+"/g)).toHaveLength(1)
    await run('generate', 'quay')
  }
})

describe('a project with two contracts', () => {
  let folder: string
  const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(folder, words)
  beforeAll(async () => {
    folder = await freshFolder()
    await cp(join(repository, 'demo/berths'), join(folder, 'metadata/berths'), { recursive: true })
    await run('import', 'metadata/berths', '--as', 'berths')
    await run(
      'import',
      join(repository, 'demo/ferries/openapi.yaml'),
      '--as',
      'ferries',
      '--only',
      'bookings.*',
    )
  })

  test('list tells them apart, and whether their clients are current', async () => {
    const own = await freshFolder()
    await cp(folder, own, { recursive: true })
    await rm(join(own, 'src'), { recursive: true, force: true })
    const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(own, words)
    const client = async (): Promise<string[]> =>
      (
        JSON.parse((await run('list', '--json')).stdout) as {
          contracts: { contract: string; operations: number; client: string; from: string }[]
        }
      ).contracts.map(
        (each) =>
          `${each.contract} ${each.operations} ${each.client} ${each.from.startsWith('/') ? 'outside' : each.from}`,
      )
    expect(await client()).toEqual([
      'berths 8 not generated metadata/berths',
      'ferries 8 not generated outside',
    ])
    expect((await run('generate')).code).toBe(0)
    expect(await client()).toEqual([
      'berths 8 current metadata/berths',
      'ferries 8 current outside',
    ])
    const project = await readFile(join(own, 'tolmach.yaml'), 'utf8')
    await writeFile(
      join(own, 'tolmach.yaml'),
      project.replace('class: BerthDesk', 'class: BerthDesk\n    only: [getBerth]'),
    )
    expect(await client()).toEqual([
      'berths 1 older than the contract metadata/berths',
      'ferries 8 current outside',
    ])
    expect(
      (await run('call', 'berths', 'getBerth', '--with', 'Code=N-1', '--preview')).stderr,
    ).toContain('because it is older than the contract')
    expect((await run('generate', 'berths')).stdout).toMatch(
      /changed: .*client\.ts[\s\S]*removed: .*operations\/listBerths\.ts/,
    )
  })

  test('the project file chooses the endpoint and how imports end; it is found from below', async () => {
    const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
    await writeFile(
      join(folder, 'tolmach.yaml'),
      project.replace(
        'class: BerthDesk',
        'class: BerthDesk\n    endpoint: DeskLine11\n    importSuffix: .ts',
      ),
    )
    const { stdout } = await tolmach(join(folder, 'metadata'), [
      'call',
      'berths',
      'listBerths',
      '--preview',
    ])
    expect(stdout).toMatch(/soapaction: "urn:brackmouth:desk:listBerths"/)
    expect((await run('generate', 'berths')).code).toBe(0)
    expect(await readFile(join(folder, 'src/clients/berths/client.ts'), 'utf8')).toContain(
      "from './settings.ts'",
    )
    await writeFile(join(folder, 'tolmach.yaml'), project)
  })

  test('a sample is saved; quiet is quiet; details go to a log and nowhere else', async () => {
    expect(
      (await run('sample', 'berths', 'quoteDues', '--full', '--save', 'samples/q.json')).stdout,
    ).toBe('')
    expect(JSON.parse(await readFile(join(folder, 'samples/q.json'), 'utf8'))).toEqual({
      Vessel: 'AAA-000',
      Nights: 1,
      Tide: 'any',
    })
    const failed = await run(
      'call',
      'berths',
      'listBerths',
      '--url',
      'http://127.0.0.1:1/',
      '--log-file',
      'log.txt',
      '--quiet',
    )
    expect(failed.code).toBe(4)
    expect(failed.stderr).not.toMatch(/\n\s+at /)
    expect(await readFile(join(folder, 'log.txt'), 'utf8')).toMatch(/TM-4002[\s\S]*\n\s+at /)
    expect((await run('generate', 'ferries', '--quiet')).stderr).toBe('')
  })

  test('colours only where they are wanted', async () => {
    const plain = await tolmach(folder, ['show', 'berths'])
    const coloured = await tolmach(folder, ['show', 'berths'], {
      env: { NO_COLOR: '', FORCE_COLOR: '1' },
    })
    expect(plain.stdout).not.toContain('\u001b[')
    expect(coloured.stdout).toContain('\u001b[')
    expect(coloured.stdout.replace(/\u001b\[\d+m/g, '')).toBe(plain.stdout)
    expect(
      (
        await tolmach(folder, ['show', 'berths', '--no-color'], {
          env: { NO_COLOR: '', FORCE_COLOR: '1' },
        })
      ).stdout,
    ).toBe(plain.stdout)
  })

  test('a narrow terminal loses nothing of a table', async () => {
    const shown = (
      await tolmach(folder, ['show', 'berths', 'reserveBerth'], { env: { COLUMNS: '60' } })
    ).stdout
    expect(
      Math.max(
        ...shown
          .split('\n')
          .filter((line) => line.startsWith('  ') && !line.includes('urn:') && !line.includes('('))
          .map((line) => line.length),
      ),
    ).toBeLessThanOrEqual(70)
    // Words too long for their column go on in the next line, none of their letters missing.
    for (const name of ['Reservation', 'Arrival', 'DeskKey', 'state', 'Longer', 'exactly'])
      expect(shown).toContain(name)
    expect(shown).not.toContain('…')
  })

  test('serve runs until it is told to end, and says what it played', async () => {
    const child = spawn(
      process.execPath,
      [join(repository, 'dist/bin/main.js'), 'serve', 'berths', 'ferries'],
      { cwd: folder, env: { ...process.env, NO_COLOR: '1', NODE_OPTIONS: '' } },
    )
    let [out, told] = ['', '']
    child.stderr.on('data', (chunk: Buffer) => (told += chunk.toString()))
    await new Promise<void>((done) =>
      child.stdout.on('data', (chunk: Buffer) => {
        out += chunk.toString()
        if (out.includes('ferries')) done()
      }),
    )
    const [berths = '', ferries = ''] = [...out.matchAll(/service (\S+)/g)].map(
      ([, address]) => address,
    )
    expect(
      (await tolmach(folder, ['call', 'berths', 'getBerth', '--with', 'Code=N-1', '--url', berths]))
        .code,
    ).toBe(0)
    expect(
      (
        await tolmach(folder, [
          'call',
          'ferries',
          'bookings.list',
          '--url',
          ferries,
          '--format',
          'csv',
        ])
      ).stdout,
    ).toMatch(/^number,sailing,lead/)
    child.kill('SIGINT')
    expect(await new Promise((done) => child.on('exit', done))).toBe(0)
    expect(told).toMatch(
      /berths {2}getBerth {2}200 {2}\d+ ms {2}made up {2}\{"Code":"N-1"\}\n.*ferries {2}bookings\.list {2}200 {2}\d+ ms {2}made up/,
    )
  })
})

test('a contract that is imported again keeps the names it gave', async () => {
  const folder = await freshFolder()
  await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
  const names = join(folder, 'snapshots/berths/names.json')
  const given = await readFile(names, 'utf8')
  await writeFile(names, given.replace('"quoteDues": "quoteDues"', '"quoteDues": "askThePrice"'))
  await tolmach(folder, ['import', demoWsdl, '--as', 'berths', '--overwrite'])
  expect((await tolmach(folder, ['generate'])).code).toBe(0)
  expect(
    await readFile(join(folder, 'src/clients/berths/operations/askThePrice.ts'), 'utf8'),
  ).toContain('export function askThePrice(')
})

test("the demo's folder is made anew each time; a folder of somebody's own is left as it is", async () => {
  const folder = join(await freshFolder(), 'demo')
  for (const left of ['berths.yaml', 'notes.txt']) {
    const demo = await openDemo(folder)
    expect((await fetch(demo.metadata.berths)).status).toBe(200)
    await demo.stop()
    expect((await readdir(join(folder, 'seeds'))).sort()).toEqual(
      ['berths', 'cargo', 'ferries', 'registry'].map((name) => `${name}.yaml`),
    )
    await writeFile(join(folder, 'seeds', left), '')
  }
  const own = await freshFolder()
  await writeFile(join(own, 'mine.txt'), 'mine')
  await expect(openDemo(own)).rejects.toMatchObject({ code: 'TM-1017' })
  expect(await readdir(own)).toEqual(['mine.txt'])
})

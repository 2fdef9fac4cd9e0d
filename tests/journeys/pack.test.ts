import { execFile } from 'node:child_process'
import { cp, mkdir, readdir, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { homedir, tmpdir } from 'node:os'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { checkPackage, createPackageFromTarballData } from '@arethetypeswrong/core'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { build } from 'esbuild'
import { publint } from 'publint'
import { inBrowser } from '../support/browser.js'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  tolmachJson,
} from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

const execute = promisify(execFile)

/** The made-up world: contracts, each with its document, a module of an operation, and the operation. */
const world = [
  ['berths', 'berths/desk.wsdl', 'listBerths'],
  ['cargo', 'cargo/cargo.xml', 'listShips'],
  ['ferries', 'ferries/openapi.yaml', 'listBookings'],
  ['registry', 'registry/registry.xml', 'owners', 'createOwners'],
] as const
const all = world.map(([name]) => name)
const secret = 'hushhush-4711'

/** Where the clients are packed. */
let project: string
/** A customer's folder: neither the tool nor TypeScript is in it. */
let customer: string
const archives: Record<string, string> = {}
const services: Record<string, Awaited<ReturnType<typeof startStandIn>>> = {}

const packageOf = (contract: string): string => `${contract}-client`

/** Runs a program of the customer's with the addresses of the stand-ins. */
async function runs(file: string): Promise<string> {
  const addresses = Object.entries(services).map(([name, { service }]) => [
    `${name.toUpperCase()}_URL`,
    service,
  ])
  const env = { ...process.env, NODE_OPTIONS: '', ...Object.fromEntries(addresses) }
  return (await execute(process.execPath, [file], { cwd: customer, env })).stdout
}

async function texts(folder: string): Promise<[path: string, text: string][]> {
  const entries = await readdir(folder, { recursive: true, withFileTypes: true })
  return Promise.all(
    entries
      .filter((entry) => entry.isFile())
      .map(async ({ parentPath, name }) => {
        const path = join(parentPath, name)
        return [path, await readFile(path, 'utf8')] as [string, string]
      }),
  )
}

beforeAll(async () => {
  project = await freshFolder()
  await mkdir(join(project, 'node_modules'))
  await symlink(
    join(repository, 'node_modules/typescript-7'),
    join(project, 'node_modules/typescript'),
  )
  await writeFile(
    join(project, 'package.json'),
    '{"name":"harbour","license":"MIT","author":{"name":"The harbour office","email":"office@brackmouth.example"}}',
  )
  await writeFile(join(project, 'LICENSE'), 'Copyright of the harbour office.\n')
  for (const [name, document] of world) {
    const path = join(repository, 'demo', document)
    expect((await tolmach(project, ['import', path, '--as', name])).code).toBe(0)
    services[name] = await startStandIn(document)
  }
  const file = join(project, 'tolmach.yaml')
  await writeFile(
    file,
    `${await readFile(file, 'utf8')}credential: clerk\ncredentials:\n  clerk: { kind: basic, user: anna, password: $DESK_PASSWORD }\n`,
  )
  await writeFile(join(project, '.env'), `DESK_PASSWORD=${secret}\n`)
  for (const names of [...all.map((name) => [name]), all]) {
    const name = names.length > 1 ? ['--name', '@harbour/clients'] : []
    const { archive } = (await tolmachJson(project, ['pack', ...names, ...name])) as {
      archive: { file: string }
    }
    archives[names.length > 1 ? '@harbour/clients' : packageOf(names[0] ?? '')] = join(
      project,
      archive.file,
    )
  }
  customer = await freshFolder()
  await writeFile(join(customer, 'package.json'), '{"private":true}')
  const words = ['--prefer-offline', '--no-audit', '--no-fund', ...Object.values(archives)]
  await execute('npm', ['install', ...words], { cwd: customer })
}, 240_000)
afterAll(() => Object.values(services).forEach(({ stop }) => stop()))

describe('whoever gets a package', () => {
  test('has no TypeScript, and no more packages than its clients need', async () => {
    const packages = await readdir(join(customer, 'node_modules'))
    expect(packages.filter((name) => !name.startsWith('.')).sort()).toEqual(
      ['@harbour', 'saxes', 'xmlchars', ...all.map(packageOf)].sort(),
    )
  })

  test.each(all)('runs the first program of the README of %s, as it stands', async (name) => {
    const readme = await readFile(
      join(customer, 'node_modules', packageOf(name), 'README.md'),
      'utf8',
    )
    const program = /```ts\n(import .*?)\n```/s.exec(readme)?.[1] ?? ''
    await writeFile(join(customer, `first-${name}.mjs`), program)
    expect(await runs(`first-${name}.mjs`)).toContain('│ 0 ')
  })

  test('calls from an ES module, from CommonJS, by one operation alone, and several services', async () => {
    await writeFile(
      join(customer, 'required.cjs'),
      `const { BerthDesk } = require('berths-client')
       const { SkerryFerries } = require('ferries-client')
       const { CargoLedger } = require('cargo-client')
       const { VesselRegister } = require('registry-client')
       const first = async (list) => { for await (const each of list) return typeof each }
       const calls = async () => [
         (await BerthDesk.fromVariables(process.env).getBerth({ Code: 'S-3' })).Name,
         Array.isArray(await SkerryFerries.fromVariables(process.env).bookings.list()),
         await first(CargoLedger.fromVariables(process.env).Ships.list()),
         await first(VesselRegister.fromVariables(process.env).Owners.list()),
       ]
       calls().then((told) => console.log(told.join(' ')))`,
    )
    expect(await runs('required.cjs')).toBe('Quai Élan true object object\n')
    await writeFile(
      join(customer, 'together.mjs'),
      `import { BerthDesk, SkerryFerries } from '@harbour/clients'
       import { settingsFrom } from '@harbour/clients/ferries'
       import { connect } from '@harbour/clients/berths/settings'
       import { listBerths } from '@harbour/clients/berths/operations/listBerths'
       import { nodeTransport } from '@harbour/clients/runtime/node/transport'
       const url = process.env.BERTHS_URL
       const fetch = nodeTransport({})
       const ferries = new SkerryFerries({ ...settingsFrom(process.env), fetch })
       const bookings = await ferries.bookings.list()
       const berth = await new BerthDesk({ url, fetch }).getBerth({ Code: 'S-3' })
       console.log(bookings.length > 0, berth.Name, (await listBerths(connect({ url }))).length > 3)`,
    )
    expect(await runs('together.mjs')).toBe('true Quai Élan true\n')
  })

  ;(hasViewers ? test : test.skip)(
    'calls from a page in a browser, which has no more of it than it uses',
    async () => {
      await writeFile(
        join(customer, 'page.js'),
        `import { getBerth } from 'berths-client/operations/getBerth'
         import { connect } from 'berths-client/settings'
         import { listBookings } from 'ferries-client/operations/listBookings'
         import { connect as toFerries } from 'ferries-client/settings'
         import { CargoLedger } from 'cargo-client'
         import { VesselRegister } from '@harbour/clients'
         const url = (name) => new URL('/at/' + name, location.href).href
         const rows = async (list) => { let count = 0; for await (const each of list) count += 1; return count }
         const berth = await getBerth(connect({ url: url('berths') }), { Code: 'S-3' })
         const bookings = await listBookings(toFerries({ url: url('ferries') }))
         const ships = await rows(new CargoLedger({ url: url('cargo') }).Ships.list())
         const owners = await rows(new VesselRegister({ url: url('registry') }).Owners.list())
         document.title = [berth.Name, bookings.length > 2, ships > 2, owners > 2].join()`,
      )
      const { outputFiles } = await build({
        entryPoints: [join(customer, 'page.js')],
        bundle: true,
        format: 'esm',
        platform: 'browser',
        write: false,
      })
      const script = outputFiles[0]?.text ?? ''
      expect(script).not.toContain('urn:brackmouth:desk:moveVessel')
      // The stand-in allows no pages of others; a server of our own stands between.
      const site = await startServer((request, response, body) => {
        const [, name = '', rest = ''] = /^\/at\/(\w+)(.*)$/.exec(request.url ?? '') ?? []
        if (name === '')
          return void response
            .setHeader('content-type', 'text/html; charset=utf-8')
            .end(`<!doctype html><meta charset="utf-8"><script type="module">${script}</script>`)
        const { method = 'GET' } = request
        const headers = {
          accept: request.headers.accept ?? '*/*',
          'content-type': request.headers['content-type'] ?? 'text/plain',
        }
        const sent = fetch(`${services[name]?.service ?? ''}${rest}`, {
          method,
          headers,
          ...(method === 'GET' ? {} : { body }),
        })
        void sent.then(async (answer) => {
          response.statusCode = answer.status
          response.setHeader('content-type', answer.headers.get('content-type') ?? '')
          response.end(await answer.text())
        })
      })
      const seen = await inBrowser(site.url, async (page) => {
        await page.waitForFunction('document.title !== ""', { timeout: 20_000 })
        return page.title()
      })
      await site.stop()
      expect(seen).toEqual(['Quai Élan,true,true,true'])
    },
    60_000,
  )

  test.each([
    ['typescript-7', 'nodenext'],
    ['typescript-7', 'bundler'],
    ['typescript', 'node10'],
    ['typescript-5.4', 'node16'],
  ])('has types that %s finds (%s) and accepts, all of them looked at', async (compiler, way) => {
    const folder = join(customer, `typed-${compiler}-${way}`)
    const lines = world.map(
      ([name, , module, operation = module], at) =>
        `import type * as types${at} from '@harbour/clients/${name}'
import * as own${at} from '${packageOf(name)}'
import { ${operation} as only${at} } from '${packageOf(name)}/operations/${module}'
export const used${at}: unknown = [own${at}, only${at}] as unknown as types${at}.Settings`,
    )
    await mkdir(folder)
    await writeFile(join(folder, 'typed.mts'), `${lines.join('\n')}\n`)
    // Where `exports` do not count, the kind of a module is not told by its name.
    const file = way === 'node10' ? 'typed.ts' : 'typed.mts'
    await writeFile(join(folder, file), `${lines.join('\n')}\n`)
    const compilerOptions = {
      target: 'es2022',
      module: way === 'bundler' || way === 'node10' ? 'es2022' : way,
      moduleResolution: way,
      lib: ['es2022', 'dom', 'esnext.disposable'],
      strict: true,
      exactOptionalPropertyTypes: true,
      noEmit: true,
      types: [],
    }
    await writeFile(
      join(folder, 'tsconfig.json'),
      JSON.stringify({ compilerOptions, files: [file] }),
    )
    const { stdout } = await execute(
      process.execPath,
      [join(repository, 'node_modules', compiler, 'bin/tsc'), '-p', folder],
      { cwd: customer },
    ).catch((error: { stdout: string }) => error)
    expect(stdout).toBe('')
  })
})

describe('a package', () => {
  test.each([...all.map(packageOf), '@harbour/clients'])(
    '%s is as the linters of packages want it: what it exports, and its types however they are looked for',
    async (name) => {
      const bytes = await readFile(archives[name] ?? '')
      const { messages } = await publint({
        pkgDir: join(customer, 'node_modules', name),
        pack: false,
        strict: true,
      })
      expect(messages).toEqual([])
      const alone = name.startsWith('@') ? './berths/operations/listBerths' : undefined
      const operation = world.find(([contract]) => packageOf(contract) === name)?.[2]
      const checked = await checkPackage(createPackageFromTarballData(new Uint8Array(bytes)), {
        includeEntrypoints: [alone ?? `./operations/${operation ?? ''}`],
      })
      if (checked.types === false) throw new Error('it has no types')
      // CommonJS gets it by `require` of ES modules, where Node.js has that: the README says so.
      const found = checked.problems.filter(({ kind }) => kind !== 'CJSResolvesToESM')
      expect(found).toEqual([])
    },
  )

  test('packed elsewhere, and packed again, is the same to the last byte', async () => {
    const other = await freshFolder()
    await cp(project, other, { recursive: true, verbatimSymlinks: true })
    const pack = (folder: string): Promise<Record<string, unknown>> =>
      tolmachJson(folder, ['pack', 'ferries', 'cargo', '--name', 'two'])
    const first = await pack(project)
    expect(await pack(project)).toEqual({ ...first, isCurrent: true })
    expect(await pack(other)).toEqual(first)
    // The order in which clients are named says nothing.
    expect(
      await tolmachJson(other, ['pack', 'cargo', 'ferries', 'cargo', '--name', 'two']),
    ).toMatchObject({ isCurrent: true, contracts: ['cargo', 'ferries'] })
    const folder = join(project, 'packed/two')
    const packed = await freshFolder()
    await execute('tar', ['xf', join(project, 'packed/two-1.0.0.tgz'), '-C', packed])
    const plain = async (from: string): Promise<string[][]> =>
      (await texts(from)).map(([path, text]) => [path.slice(from.length), text]).sort()
    expect(await plain(join(packed, 'package'))).toEqual(await plain(folder))
  })

  test('names no path of this machine, and no secret', async () => {
    for (const name of Object.keys(archives))
      for (const [path, text] of await texts(join(customer, 'node_modules', name)))
        for (const hidden of [project, repository, homedir(), `${tmpdir()}/`, 'file://', secret])
          expect([path, hidden, text.includes(hidden)]).toEqual([path, hidden, false])
  })

  test('says whose it is', async () => {
    const folder = join(customer, 'node_modules/@harbour/clients')
    const about = JSON.parse(await readFile(join(folder, 'package.json'), 'utf8')) as object
    expect(about).toMatchObject({
      license: 'MIT',
      author: 'The harbour office <office@brackmouth.example>',
      sideEffects: false,
    })
    expect(await readFile(join(folder, 'LICENSE'), 'utf8')).toContain('harbour office')
    expect(await readFile(join(folder, 'berths/settings.example.env'), 'utf8')).toContain(
      '# BERTHS_URL=',
    )
  })
})

describe('the next version', () => {
  let own: string

  beforeAll(async () => {
    own = await freshFolder()
    await cp(project, own, { recursive: true, verbatimSymlinks: true })
    await cp(join(repository, 'demo/berths'), join(own, 'metadata'), { recursive: true })
    const from = join(own, 'metadata/desk.wsdl')
    expect((await tolmach(own, ['refresh', 'berths', '--from', from, '--yes'])).code).toBe(0)
  })

  const edit = async (file: string, was: string | RegExp, is: string): Promise<void> => {
    const path = join(own, 'metadata', file)
    const text = await readFile(path, 'utf8')
    expect(text).toMatch(was)
    await writeFile(path, text.replace(was, is))
    expect((await tolmach(own, ['refresh', 'berths', '--yes'])).code).toBe(0)
  }
  const changelog = (): Promise<string> =>
    readFile(join(own, 'packed/berths-client/CHANGELOG.md'), 'utf8')

  test('follows from what its callers notice, and so does the list of changes', async () => {
    await edit('desk.wsdl', 'One berth, by its code on the quay.', 'One berth, by its code.')
    expect(await tolmachJson(own, ['pack', 'berths'])).toMatchObject({ version: '1.0.1' })
    await edit('harbour.xsd', /name="Depth"/, 'name="Draught"')
    const compared = await tolmachJson(own, [
      'compare',
      'berths',
      join(repository, 'demo/berths/desk.wsdl'),
    ]).catch((error: Error) => error.message)
    expect(String(compared)).toMatch(/"lastVersion": "1\.0\.1"/)
    expect(await tolmachJson(own, ['pack', 'berths'])).toMatchObject({
      version: '2.0.0',
      after: '1.0.1',
      isCurrent: false,
    })
    expect(await tolmachJson(own, ['pack', 'berths'])).toMatchObject({ isCurrent: true })
    const text = await changelog()
    expect(text.match(/^## .*$/gm)).toEqual(['## 2.0.0', '## 1.0.1', '## 1.0.0'])
    expect(text).toMatch(/## 2\.0\.0\n\nBreaks:\n\n- .*Depth/)
    expect(text).toContain('Nothing that callers would notice.')
  })

  test('is the one that is wished; one that was packed with other contents stays as it was', async () => {
    expect(await tolmachJson(own, ['pack', 'berths', '--version', '3.0.0-beta.1'])).toMatchObject({
      version: '3.0.0-beta.1',
    })
    expect(await tolmachJson(own, ['pack', 'berths', '--version', '3.0.0'])).toMatchObject({
      version: '3.0.0',
    })
    await edit('harbour.xsd', /name="Draught"/, 'name="Depth"')
    const before = await readFile(join(own, 'packed/berths-client-3.0.0.tgz'))
    const refused = await tolmach(own, ['pack', 'berths', '--version', '3.0.0'])
    expect([refused.code, refused.stderr]).toEqual([2, expect.stringContaining('TM-1048')])
    expect(await readFile(join(own, 'packed/berths-client-3.0.0.tgz'))).toEqual(before)
    expect((await changelog()).match(/^## .*$/m)?.[0]).toBe('## 3.0.0')
  })

  test('of a package with other clients in it breaks those who import what is gone', async () => {
    const name = ['--name', 'some']
    await tolmachJson(own, ['pack', 'berths', 'cargo', 'ferries', ...name])
    expect(await tolmachJson(own, ['pack', 'cargo', 'ferries', ...name])).toMatchObject({
      version: '2.0.0',
      changes: [{ verdict: 'break', text: 'the client of berths is gone' }],
    })
    expect(await tolmachJson(own, ['pack', 'cargo', 'ferries', 'registry', ...name])).toMatchObject(
      { version: '2.1.0' },
    )
  })
})

describe('what can not be packed is told, and nothing is written', () => {
  const refused = async (folder: string, ...words: readonly string[]): Promise<string> => {
    const { code, stderr } = await tolmach(folder, ['pack', ...words])
    expect([code, stderr]).toEqual([2, expect.not.stringContaining('    at ')])
    return stderr
  }

  test('without TypeScript, licence, name, or a version that is one', async () => {
    const bare = await freshFolder()
    for (const each of ['tolmach.yaml', 'snapshots'])
      await cp(join(project, each), join(bare, each), { recursive: true })
    await rm(join(bare, 'snapshots/_packed'), { recursive: true })
    expect(await refused(bare, 'berths')).toContain('TM-1045')
    expect(await refused(bare, 'berths', 'cargo')).toContain('TM-1046')
    expect(await refused(bare, 'berths', '--name', 'Not a name')).toContain('TM-1046')
    expect(await refused(bare, 'berths', '--version', '1.2')).toContain('TM-1047')
    expect(await refused(bare, 'nothing')).toContain('TM-1001')
    await mkdir(join(bare, 'node_modules/typescript'), { recursive: true })
    await writeFile(join(bare, 'node_modules/typescript/package.json'), '{"version":"4.9.5"}')
    expect(await refused(bare, 'berths', '--license', 'MIT')).toMatch(/TM-1042.*4\.9\.5/s)
    expect((await readdir(bare)).sort()).toEqual(['node_modules', 'snapshots', 'tolmach.yaml'])
    expect(await readdir(join(bare, 'snapshots'))).toEqual(all)
  })

  test('where a folder is not ours, or was edited by hand', async () => {
    const other = await freshFolder()
    await cp(project, other, { recursive: true, verbatimSymlinks: true })
    await mkdir(join(other, 'out/berths-client'), { recursive: true })
    await writeFile(join(other, 'out/berths-client/mine.txt'), 'mine')
    expect(await refused(other, 'berths', '--to', 'out')).toMatch(/TM-3002.*--to/s)
    await writeFile(join(other, 'packed/berths-client/index.js'), '// mine')
    expect(await refused(other, 'berths')).toContain('TM-3001')
    await writeFile(join(other, 'snapshots/_packed/berths-client/record.json'), '{')
    expect(await refused(other, 'berths')).toContain('TM-1044')
  })
})

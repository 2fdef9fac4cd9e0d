import { execFile } from 'node:child_process'
import { mkdir, readFile, symlink, writeFile } from 'node:fs/promises'
import { dirname, join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, startStandIn, tolmach } from '../support/program.js'

const execute = promisify(execFile)

interface Missing {
  readonly what: string
  readonly command?: string
  readonly edit?: string
}

let standIn: Awaited<ReturnType<typeof startStandIn>>
let metadata: string

beforeAll(async () => {
  standIn = await startStandIn()
  metadata = join(repository, 'demo/berths/desk.wsdl')
})
afterAll(() => standIn.stop())

/** A folder with the client of one operation, and what a project may have beside it. */
async function project(files: Readonly<Record<string, object>>, document = metadata) {
  const folder = await freshFolder()
  for (const [name, value] of Object.entries(files))
    await writeFile(join(folder, name), JSON.stringify(value))
  const imported = ['import', document, '--as', 'svc']
  expect(await tolmach(folder, imported)).toMatchObject({ code: 0 })
  return folder
}

interface Told {
  readonly missing: readonly Missing[]
  readonly run: string
}

async function programIn(folder: string): Promise<Told> {
  const words = ['generate', 'svc', '--program', 'src/first.ts', '--overwrite', '--json']
  const { stdout } = await tolmach(folder, words)
  return (JSON.parse(stdout) as { program: Told }).program
}

/** Puts a package of ours where the project finds it, as installing it would. */
async function install(folder: string, name: string, as = name): Promise<void> {
  const target = join(folder, 'node_modules', as)
  await mkdir(dirname(target), { recursive: true })
  await symlink(join(repository, 'node_modules', name), target).catch(() => undefined)
}

/** Does what is said to mend a project, with a compiler in the place of the newest. */
async function mend(folder: string, missing: readonly Missing[], compiler: string): Promise<void> {
  for (const { command = '', edit = '' } of missing) {
    for (const each of command.split(' && ').filter(Boolean)) {
      const words = each.split(' ')
      if (each.startsWith('npm install')) {
        const named = words.filter((word) => !/^(?:npm|install|--.*)$/.test(word))
        const names = named.map((word) => word.replaceAll('"', '').replace(/(?<=.)@.*/, ''))
        for (const name of names)
          await install(folder, name === 'typescript' ? compiler : name, name)
        await editJson(folder, 'package.json', (about) => ({
          ...about,
          dependencies: {
            ...(about['dependencies'] as object),
            ...Object.fromEntries(names.map((name) => [name, '*'])),
          },
        }))
      } else if (each.startsWith('npx tsc'))
        await execute(
          process.execPath,
          [join(folder, 'node_modules/typescript/bin/tsc'), ...words.slice(2)],
          { cwd: folder },
        )
      else await execute(each, { cwd: folder, shell: true })
    }
    const [, setting] = /^("\w+": .*) among compilerOptions in tsconfig\.json$/.exec(edit) ?? []
    const [, lib] = /^("\w+") in "lib" among/.exec(edit) ?? []
    if (setting !== undefined || lib !== undefined)
      await editJson(folder, 'tsconfig.json', ({ compilerOptions: options = {}, ...others }) => ({
        ...others,
        compilerOptions: {
          ...options,
          ...(setting === undefined
            ? { lib: [JSON.parse(lib ?? ''), 'dom'] }
            : (JSON.parse(`{${setting}}`) as object)),
        },
      }))
    else expect(edit).toBe('')
  }
}

async function editJson(
  folder: string,
  name: string,
  change: (value: Record<string, object>) => object,
): Promise<void> {
  const path = join(folder, name)
  const value = JSON.parse(await readFile(path, 'utf8')) as Record<string, object>
  await writeFile(path, JSON.stringify(change(value)))
}

/** Runs the line that was told, with our own programs; what it printed, or complained of. */
async function start(folder: string, line: string, url = standIn.service): Promise<string> {
  const own = line.replace('npx tsc', `node node_modules/typescript/bin/tsc`)
  return execute(own, { cwd: folder, shell: true, env: { ...process.env, SVC_URL: url } }).then(
    ({ stdout }) => stdout,
    ({ stdout, stderr }: { stdout: string; stderr: string }) => `failed: ${stdout}${stderr}`,
  )
}

const usual = {
  module: 'nodenext',
  target: 'es2022',
  strict: true,
  skipLibCheck: true,
  types: ['node'],
}
const esModules = { name: 'x', type: 'module', dependencies: { saxes: '6' } }
const commonJs = { name: 'x', type: 'commonjs', dependencies: { saxes: '6' } }
const newest = 'typescript-7'
/** What others bring along. */
const together = ['xmlchars', 'undici-types']

type Case = [
  what: string,
  packageFile: object,
  options: object,
  missing: RegExp[],
  compiler?: string,
]

/** Settings, and what is missing under them; with nothing missing it compiles and runs. */
const cases: Case[] = [
  ['ES modules', esModules, usual, []],
  ['ES modules and TypeScript 5.4', esModules, usual, [], 'typescript-5.4'],
  ['CommonJS', commonJs, { ...usual, module: 'commonjs' }, []],
  ['CommonJS and TypeScript 5.9', commonJs, { ...usual, module: 'commonjs' }, [], 'typescript'],
  ['CommonJS as Node.js has it', commonJs, { ...usual, module: 'node16' }, []],
  [
    'a bundler',
    esModules,
    { ...usual, module: 'esnext', moduleResolution: 'bundler', noEmit: true },
    [],
  ],
  [
    'the strictest',
    esModules,
    {
      ...usual,
      exactOptionalPropertyTypes: true,
      noUncheckedIndexedAccess: true,
      verbatimModuleSyntax: true,
      erasableSyntaxOnly: true,
      outDir: 'made',
      rootDir: 'src',
    },
    [],
  ],
  [
    'imports kept in CommonJS',
    commonJs,
    { ...usual, verbatimModuleSyntax: true },
    [/keeps imports as they stand/],
  ],
  [
    'ES modules in a package of CommonJS',
    commonJs,
    { ...usual, module: 'esnext', moduleResolution: 'node10' },
    [/has ES modules written/],
    'typescript',
  ],
  [
    'CommonJS in a package of ES modules',
    esModules,
    { ...usual, module: 'commonjs' },
    [/has CommonJS written/],
  ],
  ['an old language', esModules, { ...usual, target: 'es2017' }, [/an older language/]],
  ['an old library', esModules, { ...usual, lib: ['es2021', 'dom'] }, [/an older library/]],
  [
    'libraries that are checked',
    esModules,
    { ...usual, skipLibCheck: false },
    [/declarations of saxes/],
  ],
  ['no types of Node.js', esModules, { ...usual, types: [] }, [/leaves out the types of Node/]],
  [
    'nothing said, to TypeScript 5.9',
    commonJs,
    {},
    [/does not say which modules/, /declarations of saxes/],
    'typescript',
  ],
  [
    'nothing said, to TypeScript 7',
    esModules,
    {},
    [/leaves out the types of Node/, /declarations of saxes/],
  ],
]

describe('what is missing is what the compiler and Node.js miss, and what is told mends it', () => {
  test.each(cases)(
    '%s',
    async (_what, packageFile, compilerOptions, expected, compiler = newest) => {
      const folder = await project({
        'package.json': packageFile,
        'tsconfig.json': { compilerOptions },
      })
      for (const name of [...together, '@types/node', 'saxes']) await install(folder, name)
      await install(folder, compiler, 'typescript')
      const first = await programIn(folder)
      expect(first.missing.map(({ what }) => what)).toEqual(
        expected.map((words) => expect.stringMatching(words) as unknown),
      )
      if (expected.length > 0) {
        expect(await start(folder, first.run)).toMatch(/^failed/)
        await mend(folder, first.missing, compiler)
      }
      const { missing, run } = await programIn(folder)
      expect(missing).toEqual([])
      expect(await start(folder, run)).toContain("'N-1'")
    },
    60_000,
  )

  test.each<[string, string, string, string]>([
    ['SOAP', 'berths/desk.wsdl', "'N-1'", ''],
    [
      'SOAP, under the first npm that says nothing of CommonJS',
      'berths/desk.wsdl',
      "'N-1'",
      '{"name":"x"}',
    ],
    [
      'SOAP, in a package of CommonJS',
      'berths/desk.wsdl',
      "'N-1'",
      '{"name":"x","type":"commonjs"}',
    ],
    ['REST', 'ferries/openapi.yaml', 'OST-0715', ''],
    ['OData', 'registry/registry.xml', 'Skerry Line', ''],
  ])(
    'from an empty folder: %s',
    async (_what, document, shown, packageFile) => {
      const service = await startStandIn(document)
      try {
        const files =
          packageFile === '' ? {} : { 'package.json': JSON.parse(packageFile) as object }
        const folder = await project(files, join(repository, 'demo', document))
        await mend(folder, (await programIn(folder)).missing, newest)
        for (const name of together) await install(folder, name)
        const { missing, run } = await programIn(folder)
        expect(missing).toEqual([])
        expect(await start(folder, run, service.service)).toContain(shown)
        // A second time, with what the first one made lying about.
        expect(await start(folder, run, service.service)).toContain(shown)
      } finally {
        service.stop()
      }
    },
    60_000,
  )

  test('plain JavaScript: with types in comments, and required from CommonJS', async () => {
    const options = { ...usual, module: 'commonjs', allowJs: true, checkJs: true }
    const folder = await project({
      'package.json': commonJs,
      'tsconfig.json': { compilerOptions: options, include: ['src'] },
    })
    for (const name of [...together, '@types/node', 'saxes']) await install(folder, name)
    await install(folder, newest, 'typescript')
    const { run } = await programIn(folder)
    const script = (member: string): string =>
      `import { BerthDesk } from './clients/svc/index.js'
       /** @type {Promise<import('./clients/svc/index.js').Berth[]>} */
       const berths = BerthDesk.fromVariables(process.env).listBerths({ Basin: 'South' })
       berths.then((all) => console.log(all.map((each) => each.${member})))`
    await writeFile(join(folder, 'src/second.js'), script('Cod'))
    const line = run.replace('first.js', 'second.js')
    expect(await start(folder, line)).toMatch(/^failed: src\/second\.js.*TS2551.*'Code'/s)
    await writeFile(join(folder, 'src/second.js'), script('Code'))
    expect(await start(folder, line)).toContain("'S-1'")
    const required = `const { BerthDesk } = require('./build/src/clients/svc/index.js')
      BerthDesk.fromVariables(process.env).getBerth({ Code: 'S-1' }).then((berth) => console.log(berth.Name))`
    await writeFile(join(folder, 'third.cjs'), required)
    expect(await start(folder, 'node third.cjs')).toContain("Fisherman's Row")
  }, 60_000)

  test('imports that end in .ts, where the compiler is to write what Node.js runs', async () => {
    const folder = await project({
      'package.json': esModules,
      'tsconfig.json': { compilerOptions: usual },
    })
    for (const name of [...together, '@types/node', 'saxes']) await install(folder, name)
    await install(folder, newest, 'typescript')
    const file = join(folder, 'tolmach.yaml')
    await writeFile(file, `${await readFile(file, 'utf8')}    importSuffix: .ts\n`)
    const { missing, run } = await programIn(folder)
    if ('typescript' in process.features && process.features.typescript !== false)
      expect(run).toBe('node src/first.ts')
    expect(missing.map(({ what }) => what)).toEqual([
      expect.stringMatching(/does not allow imports to end in \.ts/),
    ])
    await mend(folder, missing, newest)
    expect(await start(folder, (await programIn(folder)).run)).toContain("'N-1'")
  }, 60_000)

  test('a program that is there, in the way, or not TypeScript is not written', async () => {
    const folder = await project({})
    const told = async (file: string): Promise<string> =>
      (await tolmach(folder, ['generate', 'svc', '--program', file])).stderr
    expect(await told('first.ts')).toContain('Run it:')
    expect(await told('first.ts')).toContain('there is a file of that name')
    expect(await told('src/clients/svc/first.ts')).toContain("in the client's own folder")
    expect(await told('first.js')).toContain('their names end in .ts')
    await writeFile(join(folder, 'tsconfig.json'), '{ "extends": "./gone.json" }')
    const { stderr } = await tolmach(folder, ['generate'])
    expect(stderr).toContain("tsconfig.json can't be read")
    expect(await tolmach(folder, ['generate', '--program', 'x.ts'])).toMatchObject({ code: 0 })
  })
})

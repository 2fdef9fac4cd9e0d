import { spawn } from 'node:child_process'
import { appendFile, mkdir, readdir, readFile, rm, symlink, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from '@jest/globals'
import { validateXML } from 'xmllint-wasm'
import { fixtureText } from '../support/pairs.js'
import { freshFolder, repository, startServer, tolmach, type Ran } from '../support/program.js'

/** A project with a client, a choice, a view and comments, and code that uses the client. */
let folder: string
let text: string
/** The project file, with the comments where they are put when it is written. */
let asImported: string

const projectFile = `# Ours.
tolmach: 1
contracts:
  quay: # the quay
    from: quay.yaml
    folder: src/clients/quay
    class: Harbour
    only: # what we need
      - getBooking
      - createBooking
      - craneLoad
    views:
      all: { start: everything }
`
const app = `import { Harbour } from './clients/quay/index.js'

const harbour = new Harbour({ url: 'http://127.0.0.1:9' })
export async function note(number: string): Promise<string> {
  const booking = await harbour.getBooking({ number })
  return booking.note ?? booking.status
}
export const load = () => harbour.craneLoad()
`

beforeEach(async () => {
  folder = await freshFolder()
  text = await fixtureText('quay.yaml')
  await mkdir(join(folder, 'src'))
  await writeFile(join(folder, 'tolmach.yaml'), projectFile)
  await source(text)
  await writeFile(join(folder, 'src/app.ts'), app)
  await writeFile(join(folder, 'package.json'), '{"type":"module"}')
  await writeFile(
    join(folder, 'tsconfig.json'),
    '{"compilerOptions":{"module":"nodenext","target":"es2022","strict":true,"noEmit":true,"skipLibCheck":true,"types":[]},"include":["src"]}',
  )
  await symlink(join(repository, 'node_modules'), join(folder, 'node_modules'))
  expect((await run('import', 'quay.yaml', '--as', 'quay', '--overwrite', '--generate')).code).toBe(
    0,
  )
  asImported = await file('tolmach.yaml')
})

/** Servers that a test started. */
const stops: (() => Promise<void>)[] = []
afterEach(async () => {
  for (const stop of stops.splice(0)) await stop()
})

const run = (...words: string[]): Promise<Ran> => tolmach(folder, words)
const json = async (...words: string[]): Promise<unknown> =>
  JSON.parse((await run(...words, '--json')).stdout)
const source = (changed: string): Promise<void> => writeFile(join(folder, 'quay.yaml'), changed)
const file = (path: string): Promise<string> => readFile(join(folder, path), 'utf8')

/** Everything in the project that the tool writes, with its contents. */
async function written(): Promise<Record<string, string>> {
  const found: Record<string, string> = {}
  for (const part of ['snapshots', 'src/clients']) {
    const entries = await readdir(join(folder, part), { recursive: true, withFileTypes: true })
    for (const entry of entries.filter((each) => each.isFile())) {
      const path = join(entry.parentPath, entry.name)
      found[path] = await readFile(path, 'utf8')
    }
  }
  return { ...found, project: await file('tolmach.yaml') }
}

describe('what the owner changes', () => {
  test('nothing: nobody is told anything, and nothing is written', async () => {
    expect(await run('compare', 'quay')).toMatchObject({ code: 0 })
    const before = await written()
    const { code, stdout } = await run('refresh')
    expect([code, stdout]).toEqual([0, 'quay: nothing has changed\n'])
    expect(await written()).toEqual(before)
  })

  test('a member more that comes: refreshed without asking; choice, class, views and comments stay', async () => {
    await source(
      text
        .replace('maxLength: 20 }', 'maxLength: 20 }\n        berth: { type: string }')
        .replace(
          'required: [number, nights, status, owner, tags]',
          'required: [number, nights, status, owner, tags]\n      description: With a berth.',
        ),
    )
    await source((await file('quay.yaml')).replace(/ {4}put:\n[^]*?(?= {2}\/crane)/, ''))
    const { code, stdout } = await run('refresh')
    expect(stdout).toContain('fine       fine       Booking.berth is new: text')
    expect(stdout).toContain('refreshed quay: the snapshot, and')
    expect(code).toBe(0)
    expect(await file('tolmach.yaml')).toBe(asImported)
    expect(await file('src/clients/quay/types.ts')).toContain('berth?: string')
    expect(await file('src/clients/quay/client.ts')).toContain('class Harbour')
  })

  test('a member less that our code reads: its line is named, nothing is written but with --yes', async () => {
    await source(text.replace('        note: { type: string, maxLength: 20 }\n', ''))
    const before = await written()
    const compared = await run('compare', 'quay', '--uses')
    expect(compared.code).toBe(6)
    expect(compared.stdout).toMatch(
      /break {6}Booking\.note is gone\n[^]*src\/app\.ts:6 {2}return booking\.note/,
    )
    expect(compared.stdout).toMatch(
      /does not compile with the next client, in 1 place:\n {2}src\/app\.ts:6 [^]*TS2339/,
    )
    expect(compared.stdout).toContain('next version of the client is 2.0.0')
    expect((await run('compare', 'quay', '--tolerate', 'may')).code).toBe(6)
    const refused = await run('refresh')
    expect([refused.code, refused.stderr]).toEqual([
      6,
      expect.stringContaining('Nothing was written; --yes writes.'),
    ])
    expect((await run('refresh', '--preview')).code).toBe(6)
    expect(await written()).toEqual(before)
    expect((await run('refresh', '--yes')).code).toBe(0)
    expect(await file('src/clients/quay/types.ts')).not.toContain('note?')
    // What vanished gets its old names again when it comes back.
    await source(text)
    expect((await run('refresh', '--yes')).code).toBe(0)
    const { project: _project, ...after } = await written()
    for (const [path, contents] of Object.entries(after))
      if (!path.endsWith('index.json')) expect(contents).toBe(before[path])
  })

  test('an operation that is gone: the choice goes on without it, and says so', async () => {
    await source(text.replace(/ {4}get:\n {6}operationId: craneLoad[^]*?(?=components:)/, ''))
    const { code, stdout, stderr } = await run('refresh', '--yes')
    expect(stdout).toMatch(/break {6}break {6}craneLoad is gone/)
    expect(stdout).toContain('src/app.ts:8  export const load = () => harbour.craneLoad()')
    expect(stderr).toContain(
      '"only" of quay names craneLoad, which the service does not have any more',
    )
    expect(code).toBe(0)
    expect(await file('tolmach.yaml')).toBe(asImported)
    expect((await run('list')).stdout).toContain('current')
    const { checks } = (await json('check')) as { checks: { check: string; ok: boolean }[] }
    expect(checks.filter(({ ok }) => !ok).map(({ check }) => check)).toEqual(
      ['choice', 'types'].slice(0, 1),
    )
  })

  test('another id for an operation, another address, a header that must be given, a value more', async () => {
    await source(
      text
        .replace('operationId: getBooking', 'operationId: fetchBooking')
        .replace('quay.example/v1', 'quay.example/v2')
        .replace('{ name: X-Desk, in: header,', '{ name: X-Desk, in: header, required: true,')
        .replace('enum: [open, held, closed]', 'enum: [open, held, closed, lost]'),
    )
    const { changes } = (await json('compare', 'quay')) as {
      changes: { text: string; calls: { verdict: string }; code: { verdict: string } }[]
    }
    const told = changes.map(
      ({ text: what, calls, code }) => `${calls.verdict}, ${code.verdict}: ${what}`,
    )
    expect(told).toEqual([
      'may break, may break: the input X-Desk of getBooking is required now',
      'may break, may break: Status has a new value "lost"',
      expect.stringMatching(
        /^may break, fine: the endpoint .* was at http:\/\/quay.example\/v1, is at /,
      ),
      'fine, fine: getBooking is called fetchBooking in the metadata now; the client goes on with its name',
    ])
    expect((await run('compare', 'quay', '--tolerate', 'may')).code).toBe(0)
  })
})

describe('what goes wrong', () => {
  test('a client that was edited by hand is noticed before anything is written', async () => {
    await appendFile(join(folder, 'src/clients/quay/types.ts'), '// mine\n')
    await source(text.replace('maxLength: 20', 'maxLength: 30'))
    const before = await written()
    expect(await run('refresh', '--yes')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('TM-3001'),
    })
    expect(await written()).toEqual(before)
  })

  test('a server that is away: nothing changes; one that wants a login: told; one that knows what we have: asked for nothing', async () => {
    let isAway = false
    const asked: string[] = []
    const server = await startServer((request, response) => {
      if (isAway) return void request.socket.destroy()
      if (request.headers.authorization === undefined)
        return void response.writeHead(401, { 'www-authenticate': 'Basic realm="quay"' }).end()
      asked.push(request.headers['if-none-match'] ?? 'all')
      if (request.headers['if-none-match'] === '"1"') return void response.writeHead(304).end()
      response.writeHead(200, { etag: '"1"', 'content-type': 'application/yaml' }).end(text)
    })
    const url = `${server.url}/quay.yaml`
    stops.push(server.stop)
    const withLogin = (address: string): string => address.replace('http://', 'http://ann:secret@')
    expect(await run('compare', 'quay', url)).toMatchObject({
      code: 4,
      stderr: expect.stringContaining('TM-2004'),
    })
    await writeFile(
      join(folder, 'tolmach.yaml'),
      `${projectFile}    credential: desk\ncredentials:\n  desk: { kind: basic, user: ann, password: $DESK_PASSWORD }\n`,
    )
    const env = { DESK_PASSWORD: 'secret' }
    expect(
      await tolmach(folder, ['refresh', 'quay', '--from', url, '--yes'], { env }),
    ).toMatchObject({ code: 0, stderr: '' })
    expect(await file('tolmach.yaml')).toContain(`from: ${url}\n`)
    expect((await tolmach(folder, ['refresh'], { env })).stdout).toBe('quay: nothing has changed\n')
    expect(asked).toEqual(['all', '"1"'])
    const before = await written()
    expect(await tolmach(folder, ['compare', 'quay', withLogin(url)], { env })).toMatchObject({
      code: 0,
    })
    isAway = true
    expect(await tolmach(folder, ['refresh', '--yes'], { env })).toMatchObject({
      code: 4,
      stderr: expect.stringContaining('TM-2002'),
    })
    expect(await written()).toEqual(before)
  })

  test('killed at any moment: snapshot, project file and client are all old or all new', async () => {
    await source(text.replace('maxLength: 20', 'maxLength: 30'))
    const before = await written()
    const clean = (all: Record<string, string>): string =>
      JSON.stringify(
        Object.entries(all)
          .map(([path, contents]) => [path, contents.replace(/"taken": "[^"]*"/, '')])
          .sort(),
      )
    const fresh = clean(before)
    const outcomes = new Set<string>()
    for (const delay of [300, 500, 600, 700, 800, 900, 1000, 1200, 1500]) {
      const child = spawn(
        process.execPath,
        [join(repository, 'dist/bin/main.js'), 'refresh', '--yes', '--no-uses'],
        { cwd: folder },
      )
      const ended = new Promise((done) => child.on('close', done))
      setTimeout(() => child.kill('SIGKILL'), delay)
      await ended
      // The next command ends what was begun.
      await run('list')
      const isNew = async (path: string): Promise<boolean> => (await file(path)).includes('30')
      const news = [
        await isNew('snapshots/quay/documents/quay.yaml'),
        await isNew('src/clients/quay/types.ts'),
      ]
      if (news.includes(false)) expect(clean(await written())).toBe(fresh)
      outcomes.add(String(news))
    }
    for (const each of outcomes) expect(['true,true', 'false,false']).toContain(each)
    expect((await run('refresh', '--yes')).code).toBe(0)
    expect((await run('check')).stdout).not.toContain('client')
  }, 60_000)
})

test('another service in its place is told; other dialects are refused', async () => {
  await source(text.replaceAll('/bookings', '/tickets').replaceAll('/crane', '/lift'))
  expect((await run('compare', 'quay')).stderr).toContain('probably another service')
  expect(
    (await run('import', 'quay.yaml', '--as', 'quay', '--only', '*', '--overwrite')).stderr,
  ).toContain('probably another service')
  await writeFile(join(folder, 'quay.wsdl'), await fixtureText('quay.wsdl'))
  expect(await run('refresh', 'quay', '--from', 'quay.wsdl', '--yes')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('TM-3012'),
  })
  expect(await run('compare', 'quay.yaml')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('TM-1037'),
  })
})

test('reports are saved as page, Markdown and JSON', async () => {
  await source(text.replace('note: { type: string', '"no|te<b>": { type: string'))
  for (const name of ['r.html', 'r.md', 'r.json'])
    expect((await run('compare', 'quay', '--save', name)).code).toBe(6)
  expect(await file('r.html')).toContain('Booking.no|te&#60;b&#62; is new')
  expect(await file('r.md')).toContain('no\\|te')
  expect((JSON.parse(await file('r.json')) as { contract: string }).contract).toBe('quay')
  expect(await run('compare', 'quay', '--save', 'r.txt')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('.html, .md or .json'),
  })
})

test('forget takes out what is ours, keeps what was touched, and tells who still speaks of it', async () => {
  await mkdir(join(folder, 'samples/quay'), { recursive: true })
  for (const name of ['getBooking', 'createBooking'])
    await run('sample', 'quay', name, '--save', `samples/quay/${name}.json`)
  await appendFile(join(folder, 'samples/quay/createBooking.json'), '\n')
  await appendFile(join(folder, 'src/clients/quay/types.ts'), '// mine\n')
  const { stdout, stderr, code } = await run('forget', 'quay', '--client')
  expect(code).toBe(0)
  expect(stdout).toMatch(
    /kept {2}samples\/quay\/createBooking\.json[^]*kept {2}src\/clients\/quay\/types\.ts/,
  )
  expect(stderr).toContain('src/app.ts')
  expect(await file('tolmach.yaml')).not.toContain('quay.yaml')
  expect((await readdir(join(folder, 'src/clients'))).sort()).toEqual(['quay'])
  expect(await readdir(join(folder, 'samples/quay'))).toEqual(['createBooking.json'])
  expect(await run('forget', 'quay')).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('TM-1001'),
  })
})

test('check finds what is not sound, a line each with its remedy, also as JUnit', async () => {
  expect(await run('check')).toMatchObject({ code: 0, stdout: expect.stringContaining('sound') })
  await appendFile(join(folder, 'src/clients/quay/types.ts'), 'export const bad: number = "x"\n')
  await rm(join(folder, 'src/clients/quay/settings.ts'))
  await mkdir(join(folder, 'rehearsals'))
  await writeFile(
    join(folder, 'rehearsals/r.yaml'),
    'rehearsal: 1\ncontract: quay\nsteps:\n  - call: getBoking\n',
  )
  await mkdir(join(folder, 'samples/quay'), { recursive: true })
  await writeFile(
    join(folder, 'samples/quay/getBooking.json'),
    '{ "number": 5, "password": "hunter22" }',
  )
  const { code, stdout } = await run('check', '--junit', 'check.xml')
  expect(code).toBe(6)
  for (const said of [
    /quay client {2}src\/clients\/quay\/types\.ts {2}types\.ts was edited by hand/,
    /quay client .*settings\.ts is missing/,
    /quay types {2}src\/clients\/quay\/types\.ts:\d+ {2}Type 'string' is not assignable/,
    /quay samples {2}samples\/quay\/getBooking\.json/,
    /rehearsals {2}rehearsals\/r\.yaml:4 {2}There is no operation "getBoking"/,
    /secrets {2}samples\/quay\/getBooking\.json:1 .*"password"/,
  ])
    expect(stdout).toMatch(said)
  const { errors } = await validateXML({
    xml: await file('check.xml'),
    schema: [
      '<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema"><xs:element name="testsuites"/></xs:schema>',
    ],
  })
  expect(errors).toEqual([])
  expect(await file('check.xml')).toContain('<testsuite name="quay"')
  const reach = await run('check', 'quay', '--reach')
  expect(reach.stdout).toMatch(/quay endpoints {2}Nobody answers at http:\/\/quay\.example\/v1/)
})

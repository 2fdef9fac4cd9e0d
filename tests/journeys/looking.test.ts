import { execFileSync } from 'node:child_process'
import { symlinkSync } from 'node:fs'
import { readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import {
  freshFolder,
  repository,
  startServer,
  tolmach,
  tolmachJson,
  type Ran,
} from '../support/program.js'
import { foldNotes } from '../../src/app/describe/fold-notes.js'
import type { Note } from '../../src/contract/contract.js'
import { hasViewers } from '../support/viewers.js'

/**
 * A description with so many operations: each with a type of its own, which names the type of its
 * tag.
 */
function largeDescription(operations: number, tags: number): string {
  const schemas: Record<string, object> = {}
  const paths: Record<string, object> = {}
  for (let at = 0; at < operations; at += 1) {
    const tag = `quay${at % tags}`
    schemas[`Tag${at % tags}`] = { type: 'object', properties: { name: { type: 'string' } } }
    schemas[`Thing${at}`] = {
      type: 'object',
      description: `What operation ${at} answers.`,
      properties: { id: { type: 'string' }, tag: { $ref: `#/components/schemas/Tag${at % tags}` } },
    }
    paths[`/things/${at}`] = {
      get: {
        operationId: `getThing${at}`,
        tags: [tag, at === 7 ? 'night watch' : 'day watch'],
        summary: `Gets thing ${at}.`,
        responses: {
          200: {
            description: 'ok',
            content: {
              'application/json': { schema: { $ref: `#/components/schemas/Thing${at}` } },
            },
          },
        },
      },
    }
  }
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Many Things', version: '1' },
    servers: [{ url: 'http://quay.example' }],
    paths,
    components: { schemas },
  })
}

test('a name that fits two things leads to one, and the other is told; the first line takes nothing away', async () => {
  const folder = await freshFolder()
  const answers = {
    200: {
      description: 'ok',
      content: { 'application/json': { schema: { $ref: '#/components/schemas/quay' } } },
    },
  }
  await writeFile(
    join(folder, 'twice.json'),
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Twice', version: '1' },
      servers: [{ url: 'http://quay.example' }],
      paths: {
        '/a': { post: { operationId: 'deleteAll', responses: answers } },
        '/b': { post: { operationId: 'shutDown', responses: answers } },
        '/quay': { get: { operationId: 'quay', responses: answers } },
      },
      components: {
        schemas: { quay: { type: 'object', properties: { code: { type: 'string' } } } },
      },
    }),
  )
  const shown = await tolmach(folder, ['show', 'twice.json', 'quay'])
  expect(shown.stdout).toMatch(/^quay {2}operation/)
  expect(shown.stderr).toContain('Also of that name: type:quay')
  const other = await tolmach(folder, ['show', 'twice.json', 'type:quay'])
  expect(other.stdout).toMatch(/^quay {2}record/)
  expect(other.stderr).toContain('operation:quay')
  const { stderr } = await tolmach(folder, ['locate', 'twice.json', 'quay'])
  expect(stderr).toContain('type:quay')
  await tolmach(folder, ['import', 'twice.json', '--as', 'twice'])
  expect((await tolmach(folder, ['generate'])).stderr).toContain('await twice.quay()')
})

test('notes of one kind are told as one, refusals first', () => {
  const note = (code: string, effect: Note['effect'], line: number): Note => ({
    code,
    effect,
    message: `${code} at ${line}`,
    origin: { document: 'a', line, column: 1 },
  })
  const folded = foldNotes([
    ...[1, 2, 3, 4].map((line) => note('TM-1', 'ignored', line)),
    note('TM-2', 'ignored', 5),
    note('TM-3', 'refused', 6),
    note('TM-3', 'refused', 7),
  ])
  expect(folded.map(({ first, others }) => [first.message, others.length])).toEqual([
    ['TM-3 at 6', 0],
    ['TM-3 at 7', 0],
    ['TM-1 at 1', 3],
    ['TM-2 at 5', 0],
  ])
})

describe('looking before adding', () => {
  let folder: string
  const run = (...words: string[]): Promise<Ran> => tolmach(folder, words)
  beforeAll(async () => {
    folder = await freshFolder()
    for (const [name, path] of [
      ['berths', 'berths/desk.wsdl'],
      ['ferries', 'ferries/openapi.yaml'],
      ['registry', 'registry/registry.xml'],
    ])
      expect(
        (await run('import', join(repository, 'demo', path ?? ''), '--as', name ?? '', '--quiet'))
          .code,
      ).toBe(0)
    expect((await run('generate', '--quiet')).code).toBe(0)
    await writeFile(join(folder, 'large.json'), largeDescription(300, 30))
  })

  test('the overview has counts, then a tree: sets with what all of them have in one line, and what is their own below', async () => {
    const { stdout } = await run('show', 'registry')
    expect(stdout).toMatch(
      /1 endpoint, 76 operations, 12 types, 2 notes\n\n├─ endpoints\n│ {2}└─ service {2}OData 4\.0/,
    )
    expect(stdout).toMatch(
      /│ {2}├─ Vessels {2}Vessel\[\] {2,}A vessel in the register[^\n]*\n│ {2}│ {2}├─ list, get, count, [^\n]*\n[^\n]*unlink\n│ {2}│ {2}├─ Vessels\.Assist\(key, vessels, ifMatch\?\) → nothing {2,}Sends a tug/,
    )
  })

  test.each(['60', '100', '200'])(
    'on a terminal of %s columns no line of the tree is longer',
    async (columns) => {
      const { stdout } = await tolmach(folder, ['show', 'berths'], { env: { COLUMNS: columns } })
      // What can be called is never cut.
      for (const line of stdout
        .split('\n')
        .filter((each) => !each.includes('(') && !each.includes('http')))
        expect(line.length).toBeLessThanOrEqual(Number(columns))
      expect(stdout).toContain('listBerths(Basin?, MinimumDepth?) → Berth[]')
    },
  )

  test('very many operations and types are told by groups and names; --full tells them one by one', async () => {
    const short = (await run('show', 'large.json')).stdout
    expect(short).toMatch(/300 operations, 330 types/)
    expect(short.split('\n').length).toBeLessThan(110)
    expect(short).toMatch(/├─ quay3 {2}10 operations\n│ {2}│ {2}└─ getThing3, getThing33, /)
    expect(short).toContain('330 records')
    const full = (await run('show', 'large.json', '--full')).stdout
    for (const each of ['getThing299() → Thing299', 'Thing12   record, 2 fields'])
      expect(full).toContain(each)
  })

  test('one thing in full: an operation with its TypeScript signature, a type with what uses it and what it uses, an endpoint with its credentials', async () => {
    expect((await run('show', 'berths', 'moveVessel')).stdout).toMatch(
      /in TypeScript\n {2}moveVessel\(input: MoveVesselInput, thisCall\?: ThisCall\): Promise<MoveVesselOutcome>\n/,
    )
    expect((await run('show', 'registry', 'Vessels.list')).stdout).toContain(
      'Vessels.list<const Input extends ListVesselsInput>(input?: Input, thisCall?: ThisCall): Listing<Asked<AnyVessel, Input>>',
    )
    expect((await run('show', 'berths', 'Vessel.Name')).stdout).toMatch(
      /used by\n {2}Reservation, ReservationRequest, Ferry, Tug\n\nuses\n {2}CallSign, Metres\n/,
    )
    expect((await run('show', 'ferries', 'bookings.lash')).stdout).toMatch(
      / {4}either {4}Chains *\n {6}chains .*\n {6}ring .*\n {4}or {8}Wedges *\n {6}wedges /,
    )
    expect((await run('show', 'ferries', 'theOffice')).stdout).toMatch(
      /credentials {2}counterKey: a key\n/,
    )
    expect((await run('show', 'berths', 'DeskLine12')).stdout).toMatch(
      /message headers {2}DeskKey\n/,
    )
    expect(
      (await run('show', join(repository, 'tests/fixtures/openapi/conditions.yaml'), 'Booking'))
        .stdout,
    ).toMatch(
      /rules\n {2}when kind is "night": lamp must be there\n {2}unless kind is "night": not: lamp must be there\n {2}not: until and card must be there\n/,
    )
    const { declarations } = (await tolmachJson(folder, ['show', 'registry', 'VesselKind'])) as {
      declarations: string[]
    }
    expect(declarations.join('\n')).toContain("export type VesselKind = 'Coaster' | 'Ferry'")
  })

  test('--find looks through names and documentation, and marks what it found', async () => {
    const found = (await tolmachJson(folder, ['show', 'berths', '--find', 'CANCEL reserv'])) as {
      matches: {
        kind: string
        name: string
        inName: number[][]
        documentation: string
        inDocumentation: number[][]
      }[]
    }
    expect(found.matches.map(({ kind, name }) => `${kind} ${name}`)).toEqual([
      'operation cancelReservation',
    ])
    const [match] = found.matches
    expect(
      match?.inName.map(([start = 0, length = 0]) => match.name.slice(start, start + length)),
    ).toEqual(['cancelReserv'])
    expect(
      match?.inDocumentation.map(([start = 0, length = 0]) =>
        match.documentation.slice(start, start + length),
      ),
    ).toEqual(['Cancel', 'reserv'])
    const coloured = await tolmach(folder, ['show', 'registry', '--find', 'tug'], {
      env: { NO_COLOR: '', FORCE_COLOR: '1' },
    })
    expect(coloured.stdout).toContain('\u001b[1m\u001b[4mTug\u001b[24m\u001b[22m')
    expect((await run('show', 'berths', '--find', 'zeppelin')).stdout).toBe(
      'Nothing in berths has "zeppelin" in its name or documentation.\n',
    )
    expect(await run('show', 'berths', 'Vessel', '--find', 'x')).toMatchObject({ code: 2 })
  })

  test.each([
    [
      'berths',
      'reserveBerth',
      'export function reserveBerth(',
      '<wsdl:operation name="reserveBerth">',
    ],
    [
      'berths',
      'reserveBerth.BerthTaken',
      'export type ReserveBerthFault',
      '<wsdl:fault name="BerthTaken"',
    ],
    ['berths', 'Tug.Name', 'Name: string', '<xs:element name="Name"'],
    ['berths', 'DeskLine12', 'DeskLine12', '<wsdl:port name="DeskLine12"'],
    ['ferries', 'bookings.lash.body', 'body: LashingPlan', 'required: true'],
    ['ferries', 'bookings', 'export class SkerryFerriesBookings', 'name: bookings'],
    ['ferries', 'BookingState.no show', "'no show'", 'no show'],
    ['ferries', 'Car.roofBox', 'roofBox?: boolean', 'roofBox'],
    ['registry', 'Vessels.Rename', 'export function renameVessels(', '<Action Name="Rename"'],
    ['registry', 'vessel.flag', 'Flag: string', '<Property Name="Flag"'],
    [
      'registry',
      'PortCalls',
      'export class VesselRegisterPortCalls',
      '<EntitySet Name="PortCalls"',
    ],
  ])(
    'locate %s %s leads to its line in the client and in the metadata',
    async (contract, thing, code, metadata) => {
      const located = (await tolmachJson(folder, ['locate', contract, thing])) as Record<
        'code' | 'metadata',
        { file: string; line: number; column: number; url: string }
      >
      for (const [place, text] of [
        [located.code, code],
        [located.metadata, metadata],
      ] as const) {
        const line =
          (await readFile(join(folder, place.file), 'utf8')).split('\n')[place.line - 1] ?? ''
        expect(line).toContain(text)
        expect(line.slice(place.column - 1).length).toBeGreaterThan(0)
        expect(new URL(place.url).pathname).toBe(join(folder, place.file))
      }
      expect((await run('locate', contract, thing)).stdout).toContain(
        `${located.code.file}:${located.code.line}:${located.code.column}`,
      )
    },
  )

  test("what can't be located says why", async () => {
    expect((await run('locate', join(repository, 'demo/berths'), 'Tug')).stdout).toMatch(
      /code +The contract is not in the project.*\n {2}metadata {2}.*harbour\.xsd:87:3/,
    )
    expect(await run('locate', 'berths', 'Tugg')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('Nearest: "Tug"') as unknown,
    })
    expect(await run('locate', 'berths', 'Tug.Pull')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(
        /no field, input or value "Pull" in Tug[\s\S]*Nearest: "BollardPull"/,
      ) as unknown,
    })
  })
})

describe('diagrams as files', () => {
  let folder: string
  const run = (...words: string[]): Promise<Ran> => tolmach(folder, words)
  beforeAll(async () => {
    folder = await freshFolder()
    expect(
      (
        await run(
          'import',
          join(repository, 'demo/registry/registry.xml'),
          '--as',
          'registry',
          '--quiet',
        )
      ).code,
    ).toBe(0)
  })

  test('a view is kept in tolmach.yaml and opened again exactly', async () => {
    const first = await run(
      'diagram',
      'registry',
      'a.svg',
      '--around',
      'Survey',
      '--steps',
      '1',
      '--towards',
      'down',
      '--view',
      'surveys',
    )
    expect(first).toMatchObject({
      code: 0,
      stdout: 'Saved: a.svg  2 types of 11, 1 link\n',
      stderr: 'Kept in tolmach.yaml as the view "surveys".\n',
    })
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toContain(
      'surveys: { around: [ Survey ], steps: 1, towards: down }',
    )
    expect(await run('diagram', 'registry', 'b.svg', '--view', 'surveys')).toMatchObject({
      code: 0,
      stderr: '',
    })
    expect(await readFile(join(folder, 'b.svg'), 'utf8')).toBe(
      await readFile(join(folder, 'a.svg'), 'utf8'),
    )
    const more = await tolmachJson(folder, [
      'diagram',
      'registry',
      '--view',
      'surveys',
      '--add',
      'Owner,Pap*',
      '--remove',
      'Survey',
    ])
    expect(more).toMatchObject({
      view: {
        around: ['Survey'],
        steps: 1,
        towards: 'down',
        add: ['Owner', 'Pap*'],
        remove: ['Survey'],
      },
      all: 11,
    })
    expect((more['types'] as { name: string }[]).map(({ name }) => name)).toEqual([
      'Owner',
      'Paper',
      'Vessel',
    ])
    const again = await tolmachJson(folder, [
      'diagram',
      'registry',
      '--view',
      'surveys',
      '--add',
      'Survey',
    ])
    expect(again['view']).toEqual({
      around: ['Survey'],
      steps: 1,
      towards: 'down',
      add: ['Owner', 'Pap*', 'Survey'],
    })
    // An import over it keeps what was chosen.
    expect(
      (
        await run(
          'import',
          join(repository, 'demo/registry/registry.xml'),
          '--as',
          'registry',
          '--overwrite',
          '--quiet',
        )
      ).code,
    ).toBe(0)
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toContain(
      'surveys: { around: [ Survey ]',
    )
  })

  test.each([
    [['x.jpg'], /TM-3007 .*x\.jpg.*\.svg, \.png, \.pdf, \.html/],
    [['x.svg', '--around', 'Vesel'], /TM-3004 .*"Vesel"[\s\S]*Nearest: "Vessel"/],
    [['x.svg', '--view', 'nope'], /TM-3006 .*no view "nope"/],
    [['x.svg', '--steps', 'many'], /TM-1010 .*--steps/],
    [['x.svg', '--towards', 'left'], /TM-1010 .*right, down/],
    [['no-such-folder/file/x.svg', '--start', 'all'], /TM-1010 .*everything, nothing/],
  ])('diagram registry %j is refused with a remedy, and writes nothing', async (words, told) => {
    const { code, stderr } = await run('diagram', 'registry', ...words)
    expect({ code, stderr: stderr.replace(/\s+/g, ' ') }).toEqual({
      code: 2,
      stderr: expect.stringMatching(told) as unknown,
    })
    expect(await readdir(folder)).not.toContain('x.svg')
  })

  test('300 types are drawn without their fields, with advice; 500 are refused, but not as text', async () => {
    await writeFile(join(folder, 'large.json'), largeDescription(270, 30))
    const drawn = await run('diagram', 'large.json', 'large.svg')
    expect(drawn).toMatchObject({
      code: 0,
      stdout: 'Saved: large.svg  300 types, 270 links\n',
      stderr: expect.stringMatching(/without their fields[\s\S]*--around \w+ --steps 1/) as unknown,
    })
    await writeFile(join(folder, 'huge.json'), largeDescription(470, 30))
    expect(await run('diagram', 'huge.json', 'huge.png')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/TM-3005 .*500 types[\s\S]*--around/) as unknown,
    })
    expect((await run('diagram', 'huge.json', 'huge.dot')).code).toBe(0)
    expect((await run('diagram', 'huge.json')).stdout.match(/^ {2}class /gm)).toHaveLength(500)
  })

  ;(hasViewers ? test : test.skip)('PDF and PNG open in other programs', async () => {
    for (const name of ['r.pdf', 'r.png'])
      expect((await run('diagram', 'registry', name)).code).toBe(0)
    const text = execFileSync('pdftotext', ['-layout', 'r.pdf', '-'], {
      cwd: folder,
      encoding: 'utf8',
    })
    for (const each of [
      'VesselRegister',
      'PortCall',
      'OwnerNumber',
      'Surveys *',
      'Owner 0..1',
      'Vessels.Rename(key, name)',
    ])
      expect(text.replace(/ +/g, ' ')).toContain(each)
    execFileSync('pdftoppm', ['-r', '40', '-png', 'r.pdf', 'page'], { cwd: folder })
    expect((await readdir(folder)).filter((name) => name.startsWith('page'))).toHaveLength(1)
    const png = await readFile(join(folder, 'r.png'))
    const { default: puppeteer } = await import('puppeteer-core')
    const browser = await puppeteer.launch({
      executablePath: '/usr/bin/chromium',
      args: ['--no-sandbox', '--disable-gpu'],
    })
    const page = await browser.newPage()
    const size = await page.evaluate(async (data: string) => {
      const image = new Image()
      image.src = `data:image/png;base64,${data}`
      await image.decode()
      return [image.naturalWidth, image.naturalHeight]
    }, png.toString('base64'))
    await browser.close()
    expect(size).toEqual([png.readUInt32BE(16), png.readUInt32BE(20)])
    expect(size[0]).toBeGreaterThan(1000)
  })
})

describe('choosing a part', () => {
  test('one operation out of 50: the client holds exactly what it needs, grows and shrinks, and nothing is renamed', async () => {
    const folder = await freshFolder()
    const run = (...words: string[]): Promise<Ran> => tolmach(folder, words)
    await writeFile(join(folder, 'fifty.json'), largeDescription(50, 5))
    const declared = async (): Promise<string[]> =>
      [
        ...(await readFile(join(folder, 'src/clients/fifty/types.ts'), 'utf8')).matchAll(
          /^export \w+ (\w+)/gm,
        ),
      ]
        .map(([, name]) => name ?? '')
        .sort()
    const choose = async (...only: string[]): Promise<string[]> => {
      const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
      await writeFile(
        join(folder, 'tolmach.yaml'),
        project.replace(/ {4}only:[\s\S]*$/, `    only: [${only.join(', ')}]\n`),
      )
      const { stderr } = await run('generate', 'fifty', '--quiet')
      return stderr === ''
        ? (await readdir(join(folder, 'src/clients/fifty/operations'))).sort()
        : [stderr]
    }
    expect(
      (await run('import', 'fifty.json', '--as', 'fifty', '--only', 'quay2.getThing7')).stdout,
    ).toContain('1 endpoint, 1 operation, 2 types, 0 notes')
    expect((await run('generate', 'fifty')).code).toBe(0)
    expect(await readdir(join(folder, 'src/clients/fifty/operations'))).toEqual(['getThing7.ts'])
    expect(await declared()).toEqual(['Tag2', 'Thing7'])
    const before = await readFile(join(folder, 'src/clients/fifty/operations/getThing7.ts'), 'utf8')

    const shown = (await run('show', 'fifty')).stdout
    expect(shown).toMatch(
      /1 of 50 operations, 2 of 55 types[^\n]*\nchosen in tolmach\.yaml: quay2\.getThing7\n[\s\S]*├─ left out\n│ {2}└─ quay0\.getThing0, /,
    )
    expect((await run('show', 'fifty', 'Thing8')).stdout).toContain(
      'not chosen: "only" in tolmach.yaml leaves Thing8 out',
    )
    expect((await run('locate', 'fifty', 'Thing8')).stdout).toContain(
      '"only" in tolmach.yaml leaves it out.',
    )
    expect(await run('call', 'fifty', 'quay3.getThing8')).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('"only" in tolmach.yaml leaves it out') as unknown,
    })
    expect((await tolmachJson(folder, ['diagram', 'fifty']))['types']).toHaveLength(2)

    expect(await choose('quay2', '"*.getThing4"')).toHaveLength(11)
    expect(await declared()).toHaveLength(13)
    expect(await readFile(join(folder, 'src/clients/fifty/operations/getThing7.ts'), 'utf8')).toBe(
      before,
    )
    expect(await choose('night watch')).toEqual(['getThing7.ts'])
    expect(await declared()).toEqual(['Tag2', 'Thing7'])
    expect(await choose('nightwatch')).toEqual([
      expect.stringMatching(/TM-3003[\s\S]*Nearest: "night watch"/),
    ])
  })

  test('entities that lie in others need only the keys of those; the stand-in plays what is chosen, and nothing else', async () => {
    const folder = await freshFolder()
    expect(
      (
        await tolmach(folder, [
          'import',
          join(repository, 'demo/registry/registry.xml'),
          '--as',
          'registry',
          '--only',
          'vesselslog, Owners.delete',
          '--quiet',
        ])
      ).code,
    ).toBe(0)
    expect((await tolmach(folder, ['generate', '--quiet'])).code).toBe(0)
    const types = await readFile(join(folder, 'src/clients/registry/types.ts'), 'utf8')
    expect(types).toMatch(/export interface Vessel \{\n {2}Number: bigint\n\}/)
    expect(types).toMatch(/export interface Owner \{\n {2}\/\*\*[^\n]*\n {2}Number: bigint\n\}/)
    expect([...types.matchAll(/^export interface (\w+)/gm)].map(([, name]) => name)).toEqual([
      'LogEntry',
      'LogEntryChanges',
      'NewLogEntry',
      'Owner',
      'Vessel',
    ])
    const { spawn } = await import('node:child_process')
    const child = spawn(
      process.execPath,
      [
        join(repository, 'dist/bin/main.js'),
        'serve',
        'registry',
        '--seed',
        join(repository, 'demo/registry/seed.yaml'),
        '--json',
      ],
      { cwd: folder, env: { ...process.env, NODE_OPTIONS: '' } },
    )
    try {
      const service = await new Promise<string>((done) =>
        child.stdout.on('data', (chunk: Buffer) =>
          done(
            (JSON.parse(chunk.toString()) as { addresses: { service: string }[] }).addresses[0]
              ?.service ?? '',
          ),
        ),
      )
      expect(
        (
          await tolmach(folder, [
            'call',
            'registry',
            'VesselsLog.list',
            '--url',
            service,
            '--with',
            'of=9007199254740993',
          ])
        ).code,
      ).toBe(0)
      expect((await fetch(`${service}/Surveys`)).status).toBe(404)
    } finally {
      child.kill()
    }
  })
})

test('of two services in one WSDL one can be chosen, with its endpoint', async () => {
  const folder = await freshFolder()
  const told = (
    await tolmach(folder, ['show', join(repository, 'tests/fixtures/two-services.wsdl')])
  ).stdout
  expect(told).toMatch(
    /├─ NorthDesk\n│ {2}├─ endpoints\n│ {2}│ {2}└─ NorthPort[^\n]*\n│ {2}└─ operations\n│ {5}└─ NorthDesk\n│ {8}└─ NorthDesk\.Ask\(Text\) → text\n├─ SouthDesk\n/,
  )
  expect(
    (
      await tolmach(folder, [
        'import',
        join(repository, 'tests/fixtures/two-services.wsdl'),
        '--as',
        'south',
        '--only',
        'southdesk',
      ])
    ).stdout,
  ).toMatch(/1 endpoint, 1 operation, 2 types, 0 notes\n\n[^\n]*\n[^\n]*\nSouthPort /)
  expect((await tolmach(folder, ['generate', 'south', '--quiet'])).code).toBe(0)
  expect(await readFile(join(folder, 'src/clients/south/settings.ts'), 'utf8')).not.toContain(
    'NorthPort',
  )
})

describe('names that clash', () => {
  test('are foreseen when a contract is imported, explained, and stay', async () => {
    const folder = await freshFolder()
    const clashing = join(repository, 'tests/fixtures/clashing-names.xml')
    const imported = await tolmach(folder, ['import', clashing, '--as', 'clashing'])
    for (const told of [
      'the class "Promise" is called PromiseClient in the client: JavaScript has its own Promise',
      'the operation "import" is called importOperation in the client: "import" is a word of the language',
      'the type "Listing" is called ListingValues in the client: every client has its own Listing',
    ]) {
      expect(imported.stderr.replace(/\s+/g, ' ').toLowerCase()).toContain(told.toLowerCase())
    }
    const { renamed } = (await tolmachJson(folder, ['generate', 'clashing'])) as {
      renamed: { name: string; given: string }[]
    }
    expect(renamed).toContainEqual({
      what: 'type',
      name: 'Date',
      given: 'DateRecord',
      reason: 'JavaScript has its own Date',
    })
    const names = await readFile(join(folder, 'snapshots/clashing/names.json'), 'utf8')
    expect(
      (await tolmachJson(folder, ['import', clashing, '--as', 'clashing', '--overwrite']))[
        'renamed'
      ],
    ).toEqual(renamed)
    expect(await readFile(join(folder, 'snapshots/clashing/names.json'), 'utf8')).toBe(names)
  })

  test("a second contract of the same service gets a class of its own; a class that can't be is refused", async () => {
    const folder = await freshFolder()
    for (const name of ['first', 'second'])
      expect(
        (
          await tolmach(folder, [
            'import',
            join(repository, 'demo/berths'),
            '--as',
            name,
            '--quiet',
          ])
        ).code,
      ).toBe(0)
    const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
    expect(project.match(/class: \w+/g)).toEqual(['class: BerthDesk', 'class: SecondBerthDesk'])
    await writeFile(join(folder, 'tolmach.yaml'), project.replace('SecondBerthDesk', 'Promise'))
    expect(await tolmach(folder, ['generate', 'second'])).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(
        /TM-3009 .*"Promise" of second can't be called so: JavaScript has its own Promise/,
      ) as unknown,
    })
    await writeFile(join(folder, 'tolmach.yaml'), project.replace('SecondBerthDesk', 'Quay'))
    expect((await tolmach(folder, ['generate', 'second'])).code).toBe(0)
    expect(await readFile(join(folder, 'src/clients/second/client.ts'), 'utf8')).toContain(
      'export class Quay {',
    )
  })
})

test('metadata read from an address and not kept has no place on this machine', async () => {
  const text = await readFile(join(repository, 'demo/registry/registry.xml'), 'utf8')
  const server = await startServer((_request, response) =>
    response.setHeader('content-type', 'application/xml').end(text),
  )
  const { stdout } = await tolmach(await freshFolder(), [
    'locate',
    `${server.url}/$metadata`,
    'Vessel',
  ])
  await server.stop()
  expect(stdout).toContain('It was read from an address and not kept.')
})

describe('what generation writes', () => {
  test('a description of messages alone gives their types, and nothing to call', async () => {
    const folder = await freshFolder()
    const run = (...parts: string[]): Promise<Ran> => tolmach(folder, parts)
    const file = join(repository, 'tests/fixtures/openapi/messages-only.yaml')
    expect((await run('import', file, '--as', 'quay')).stdout).toContain('0 operations, 2 types')
    const { stderr } = await run('generate', 'quay')
    expect(stderr).toContain("import type { Left } from './clients/quay/index.js'")
    expect((await readdir(join(folder, 'src/clients/quay'))).sort()).toEqual([
      'README.md',
      'index.ts',
      'manifest.json',
      'types.ts',
    ])
    const called = await run('call', 'quay')
    expect([called.code, called.stderr.split(/\s+/)[1]]).toEqual([2, 'TM-1036'])
    expect((await run('list')).stdout).toMatch(/quay .*current/)
  })

  test('a large client is several files, named after what is in them, which fit together', async () => {
    const folder = await generated('many.json', largeDescription(600, 3))
    const client = join(folder, 'src/clients/made')
    const parts = ['quay0.ts', 'quay1.ts', 'quay2.ts']
    for (const each of ['types', 'codecs', 'groups'])
      expect([each, (await readdir(join(client, each))).sort()]).toEqual([each, parts])
    expect(await readFile(join(client, 'types.ts'), 'utf8')).toContain(
      "export * from './types/quay0.js'",
    )
    compile(folder, join(client, 'index.ts'))
  })

  test('long names that differ at their ends only are all there, and compile', async () => {
    const folder = await generated('long.json', longNames(5))
    const client = join(folder, 'src/clients/made')
    expect(await readdir(join(client, 'operations'))).toHaveLength(5)
    compile(folder, join(client, 'index.ts'))
  })

  test('a thousand types below one, four levels deep, compile and are told apart', async () => {
    const folder = await generated('deep.wsdl', hierarchy(1000))
    await writeFile(
      join(folder, 'src/use.ts'),
      `import type { AnyBoat0 } from './clients/made/types.js'
export const speed = (boat: AnyBoat0): string | undefined => boat.$is === 'Boat789' ? boat.own789 : boat.$is === 'Boat78' ? boat.own78 : undefined
// @ts-expect-error: not every boat has it
export const other = (boat: AnyBoat0): unknown => boat.own5
`,
    )
    compile(folder, join(folder, 'src/clients/made/index.ts'), join(folder, 'src/use.ts'))
  })
})

/** A description in which so many things of every kind have names that are the same for long. */
function longNames(count: number): string {
  const long = 'TheLongNameOfAThingAtTheEndOfTheLongestQuayOfTheHarbourWhereNobodyEverGoesAtNight'
  const each = Array.from({ length: count }, (_, at) => at)
  const body = (schema: object): object => ({
    'application/xml': { schema },
    'application/json': { schema },
  })
  const schema = (at: number): object => ({ $ref: `#/components/schemas/${long}${at % count}` })
  const values = (at: number): object => ({ type: 'string', enum: ['up', `down${at}`] })
  const schemas = each.map((at) => ({
    type: 'object',
    xml: { name: `${long}${at}` },
    properties: {
      [`${long}${at}`]: values(at),
      inside: { type: 'object', properties: { [`own${at}`]: { type: 'string' } } },
      next: schema(at + 1),
    },
  }))
  const operation = (at: number): object => ({
    operationId: `${long}Operation${at}`,
    tags: [`${long}Tag${at}`],
    parameters: [{ name: `${long}${at}`, in: 'query', schema: values(at) }],
    requestBody: { content: body(schema(at)) },
    responses: { 200: { description: 'd', content: body(schema(at + 1)) } },
  })
  const scheme = { type: 'apiKey', in: 'header', name: 'k' }
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: long, version: '1' },
    servers: [{ url: 'http://quay.example', description: long }],
    paths: Object.fromEntries(each.map((at) => [`/${long}/${at}`, { post: operation(at) }])),
    components: {
      schemas: Object.fromEntries(schemas.map((one, at) => [`${long}${at}`, one])),
      securitySchemes: { [`${long}A`]: scheme, [`${long}B`]: scheme },
    },
    security: [{ [`${long}A`]: [], [`${long}B`]: [] }],
  })
}

/** A project with a client, `made`, of a description. */
async function generated(file: string, text: string): Promise<string> {
  const folder = await freshFolder()
  await writeFile(join(folder, file), text)
  for (const words of [
    ['import', file, '--as', 'made'],
    ['generate', 'made'],
  ])
    expect(await tolmach(folder, words)).toMatchObject({ code: 0 })
  return folder
}

/** Has the newest compiler check files, under strict settings. @throws what it says */
function compile(folder: string, ...files: string[]): void {
  symlinkSync(join(repository, 'node_modules'), join(folder, 'node_modules'))
  const compiler = join(repository, 'node_modules/typescript-7/bin/tsc')
  const flags = ['--noEmit', '--strict', '--skipLibCheck', '--noUnusedLocals', '--types', '']
  const settings = ['--module', 'esnext', '--moduleResolution', 'bundler', '--lib', 'es2022,dom']
  execFileSync('node', [compiler, ...flags, ...settings, '--target', 'es2022', ...files], {
    cwd: folder,
  })
}

/** A WSDL with so many types: ten below each, as far as they go. */
function hierarchy(count: number): string {
  const types = Array.from({ length: count - 1 }, (_, at) => {
    const base = Math.floor(at / 10)
    const own = `<xs:sequence><xs:element name="own${at + 1}" type="xs:string" minOccurs="0"/></xs:sequence>`
    return `<xs:complexType name="Boat${at + 1}"><xs:complexContent><xs:extension base="t:Boat${base}">${own}</xs:extension></xs:complexContent></xs:complexType>`
  })
  const element = (name: string): string =>
    `<xs:element name="${name}"><xs:complexType><xs:sequence><xs:element name="boat" type="t:Boat0"/></xs:sequence></xs:complexType></xs:element>`
  const message = (name: string): string =>
    `<message name="${name}"><part name="parameters" element="t:${name}"/></message>`
  return `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:quay" xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:quay">
<types><xs:schema targetNamespace="urn:quay"><xs:complexType name="Boat0"><xs:sequence><xs:element name="name" type="xs:string"/></xs:sequence></xs:complexType>${types.join('')}${element('Ask')}${element('Answer')}</xs:schema></types>
${message('Ask')}${message('Answer')}
<portType name="Desk"><operation name="ask"><input message="t:Ask"/><output message="t:Answer"/></operation></portType>
<binding name="B" type="t:Desk"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="ask"><soap:operation soapAction="ask"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="Quay"><port name="P" binding="t:B"><soap:address location="http://quay.example/"/></port></service></definitions>`
}

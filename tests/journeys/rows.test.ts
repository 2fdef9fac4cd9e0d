import { spawn } from 'node:child_process'
import { access, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  type Ran,
} from '../support/program.js'

interface Outcome {
  readonly row: number
  readonly ok: boolean
  readonly status?: number
  readonly value?: unknown
  readonly failure?: {
    readonly kind: string
    readonly code: string
    readonly details?: readonly string[]
  }
}
interface Told {
  readonly ok: boolean
  readonly rows: number
  readonly done: number
  readonly failed: number
  readonly results: readonly Outcome[]
}

const exists = (path: string): Promise<boolean> =>
  access(path).then(
    () => true,
    () => false,
  )

describe('a call for each row', () => {
  let folder: string
  let berths: Awaited<ReturnType<typeof startStandIn>>
  const each = async (file: string, ...words: string[]): Promise<Ran & { told: Told }> => {
    const ran = await tolmach(folder, [
      'call',
      join(repository, 'demo/berths/desk.wsdl'),
      'quoteDues',
      '--url',
      berths.service,
      '--each',
      file,
      '--json',
      ...words,
    ])
    return {
      ...ran,
      told: ran.stdout.startsWith('{"ok"')
        ? (JSON.parse(ran.stdout) as Told)
        : { ok: false, rows: 0, done: 0, failed: 0, results: [] },
    }
  }
  beforeAll(async () => {
    folder = await freshFolder()
    berths = await startStandIn()
  })
  afterAll(() => berths.stop())

  test.each([
    [
      'commas and quotes',
      'stays.csv',
      'Vessel,Nights,Tide\r\nBKM-114,3,"half"\r\nBKM-002,7,\r\n',
      [],
    ],
    [
      'semicolons, other headings, a mark of the byte order',
      'stays2.csv',
      '\ufeffShip;How long;Tide\nBKM-114;3;half\nBKM-002;7;\n',
      ['--fill', 'Vessel=Ship, Nights=How long, Tide'],
    ],
    [
      'tabs, and more columns than are wanted',
      'stays3.csv',
      'Vessel\tNights\tRemark\nBKM-114\t3\t"a ""b"", c"\nBKM-002\t7\t\n',
      ['--fill', 'Vessel, Nights', '--with', 'Tide=half'],
    ],
    [
      'a list in JSON, with braces and brackets in texts',
      'stays.json',
      '[ {"Vessel": "BKM-114", "Nights": 3, "Tide": "half"},\n {"Vessel":"BKM-002","Nights":7} ]',
      [],
    ],
    [
      'JSON, a value a line',
      'stays.ndjson',
      '{"Vessel":"BKM-114","Nights":3}\n\n{"Vessel":"BKM-002","Nights":7}\n',
      ['--with', 'Tide=any'],
    ],
    [
      'JSON whose members lie elsewhere',
      'stays4.json',
      '[{"ship":{"sign":"BKM-114"},"n":3},{"ship":{"sign":"BKM-002"},"n":7}]',
      ['--fill', 'Vessel=ship.sign,Nights=n'],
    ],
  ])('%s', async (_what, file, text, words) => {
    await writeFile(join(folder, file), text)
    const { told, code, stderr } = await each(file, ...words)
    expect({
      code,
      stderr,
      ...told,
      results: told.results.map(({ row, ok, value }) => [
        row,
        ok,
        (value as { Amount: string }).Amount,
      ]),
    }).toEqual({
      code: 0,
      stderr: '',
      ok: true,
      rows: 2,
      done: 2,
      failed: 0,
      results: [
        [1, true, '1250.50'],
        [2, true, '406.00'],
      ],
    })
    // A run that went well leaves nothing behind.
    expect(
      await exists(join(folder, `${file.replace(/\.\w+$/, '')}.quoteDues.unfinished.ndjson`)),
    ).toBe(false)
  })

  test('rows that fail are told with their numbers; the others go on; what is left can be tried again, and nothing else is', async () => {
    await writeFile(
      join(folder, 'mixed.csv'),
      'Vessel,Nights\nBKM-114,3\nBKM-002,70\nnobody,x\nBKM-002,7\n',
    )
    const first = await each('mixed.csv', '--parallel', '3')
    expect(first.code).toBe(6)
    expect(
      first.told.results.map(({ row, ok, failure }) => [
        row,
        ok,
        failure?.kind,
        failure?.details?.length,
      ]),
    ).toEqual([
      [1, true, undefined, undefined],
      [2, false, 'input', 1],
      [3, false, 'input', 2],
      [4, true, undefined, undefined],
    ])
    expect(await each('mixed.csv')).toMatchObject({
      code: 2,
      stdout: expect.stringContaining('TM-1019') as unknown,
    })
    // The table keeps the numbers; texts wrap, so they are looked for without spaces.
    const shown = await tolmach(folder, [
      'call',
      join(repository, 'demo/berths/desk.wsdl'),
      'quoteDues',
      '--url',
      berths.service,
      '--each',
      'mixed.csv',
      '--resume',
      '--columns',
      'Amount=Dues',
    ])
    expect(shown.code).toBe(6)
    expect(shown.stdout).toMatch(
      /row +Dues +failed\n[─ ]+\n +1 +1250\.50\n +2 +TM-1013 [\s\S]*must be at most\s+60, is 70[\s\S]*\n +4 +406\.00/,
    )
    expect(shown.stderr).toContain('2 of 4 rows went well, 2 of them in an earlier run, 2 failed')
    const over = await each('mixed.csv', '--overwrite', '--pick', '$.Line[*].Text')
    expect(over.told.results[0]?.value).toEqual([
      'Berth O-2, 3 nights',
      'Pilot <inward>',
      'Water & waste',
    ])
    for (const [file, starts] of [
      ['out.csv', 'row,value,failed\n1,"Berth'],
      ['out.json', '[\n  {"row":1'],
      ['out.ndjson', '{"row":1'],
      ['out.html', '<!doctype html>'],
    ] as const) {
      expect((await each('mixed.csv', '--resume', '--save', file)).code).toBe(6)
      if (starts !== undefined)
        expect(
          (await readFile(join(folder, file), 'utf8')).startsWith(
            file === 'out.csv' ? 'row,' : starts,
          ),
        ).toBe(true)
    }
  })

  test('a file that was corrected is gone on with: done rows are known by what they say, and nothing is done twice', async () => {
    const file = join(folder, 'corrected.csv')
    const rows = (...nights: (string | number)[]): Promise<void> =>
      writeFile(file, `Vessel,Nights\n${nights.map((each) => `BKM-114,${each}\n`).join('')}`)
    const sentNow = async (...words: string[]): Promise<string[]> => {
      const ran = await each('corrected.csv', ...words)
      return ran.told.results.map(
        ({ row, ok, failure }) => `${row} ${ok ? 'well' : (failure?.code ?? '')}`,
      )
    }
    await rows(3, 70, 5, 80)
    expect(await sentNow()).toEqual(['1 well', '2 TM-1013', '3 well', '4 TM-1013'])
    // One row comes before all others, one that failed is corrected, one that went well moves.
    await rows(9, 3, 7, 5, 80)
    expect(await sentNow('--resume')).toEqual(['1 well', '2 well', '3 well', '4 well', '5 TM-1013'])
    // A row that was done says something else now: what is new could be it.
    await rows(9, 4, 7, 5, 8)
    expect(await each('corrected.csv', '--resume')).toMatchObject({
      code: 2,
      stdout: expect.stringContaining('TM-1031') as unknown,
    })
    await rows(9, 3, 7, 5, 8)
    expect((await sentNow('--resume')).at(-1)).toBe('5 well')
  })

  test.each([
    ['no such input', 'Vesel,Nights\nBKM-114,3\n', [], /"Vesel" is no input.*Nearest: "Vessel"/s],
    ['two columns of one name', 'Nights,Nights\n1,2\n', [], /two columns are called "Nights"/],
    [
      'a row that is too long, far down',
      `Vessel,Nights\n${'BKM-114,3\n'.repeat(50)}BKM-114,3,4\n`,
      [],
      /bad\.csv:52/,
    ],
    ['a quote that never ends', 'Vessel,Nights\n"BKM-114,3\n', [], /bad\.csv/],
    ['a list of something else', '["BKM-114"]', [], /every row must be an object/],
    ['JSON that is cut off', '[{"Vessel":"BKM-1', [], /ends in the middle/],
    ['a wrong --fill', 'Vessel,Nights\nBKM-114,3\n', ['--fill', '=x'], /--fill/],
    ['options that are for one call', 'Vessel,Nights\nBKM-114,3\n', ['--ask'], /--each makes many/],
    ['nothing to go on with', 'Vessel,Nights\nBKM-114,3\n', ['--resume'], /nothing to go on with/],
  ])('%s is refused before anything is sent', async (_what, text, words, reason) => {
    await writeFile(join(folder, 'bad.csv'), text)
    const ran = await tolmach(folder, [
      'call',
      join(repository, 'demo/berths/desk.wsdl'),
      'quoteDues',
      '--url',
      'http://127.0.0.1:1',
      '--each',
      'bad.csv',
      ...words,
    ])
    expect(ran).toMatchObject({ code: 2, stdout: '' })
    expect(ran.stderr.replace(/\n +/g, ' ')).toMatch(reason)
    expect(await exists(join(folder, 'bad.quoteDues.unfinished.ndjson'))).toBe(false)
  })

  test('where nobody answers, a long run ends early', async () => {
    await writeFile(join(folder, 'many.csv'), `Vessel,Nights\n${'BKM-114,3\n'.repeat(300)}`)
    const ran = await tolmach(folder, [
      'call',
      join(repository, 'demo/berths/desk.wsdl'),
      'quoteDues',
      '--url',
      'http://127.0.0.1:1',
      '--each',
      'many.csv',
      '--parallel',
      '4',
    ])
    expect(ran.code).toBe(6)
    expect(ran.stderr).toMatch(/0 of 300 rows went well, 1\d failed/)
  })
})

test.each([
  [
    'ferries',
    'ferries/openapi.yaml',
    'bookings.create',
    'body.sailing,body.lead.name,body.passengers,body.vehicle\nBRK-0715,Søren,2,\nBRK-0716,"O\'Malley, ""Pat""",1,"{kind: car, plate: BK 1}"\nBRK-0715,Ann,1,"{kind: car, plate: BK 1}"\n',
    [201, 409, 201],
  ],
  [
    'registry',
    'registry/registry.xml',
    'Vessels.get',
    'key,select\n9007199254740993,"Number,Name"\n1,\n9007199254740997,Name\n',
    [200, 404, 200],
  ],
])(
  'rows for %s: paths into records, long keys, records in a cell',
  async (name, document, operation, text, statuses) => {
    const folder = await freshFolder()
    const standIn = await startStandIn(document)
    await writeFile(join(folder, 'rows.csv'), text)
    const ran = await tolmach(folder, [
      'call',
      join(repository, 'demo', document),
      operation,
      '--url',
      standIn.service,
      '--each',
      'rows.csv',
      '--json',
    ])
    standIn.stop()
    const told = JSON.parse(ran.stdout) as Told
    expect({ name, code: ran.code, statuses: told.results.map(({ status }) => status) }).toEqual({
      name,
      code: 6,
      statuses,
    })
  },
)

describe('1,000 rows, eight at a time', () => {
  test('one in ten fails: every row is accounted for, in order', async () => {
    const folder = await freshFolder()
    const standIn = await startStandIn('berths/desk.wsdl', [
      '--fail',
      '10%',
      '--misbehave',
      'busy,faulty',
    ])
    await writeFile(
      join(folder, 'stays.csv'),
      `Vessel,Nights\n${Array.from({ length: 1000 }, (_, at) => `BKM-${String(at).padStart(3, '0')},${1 + (at % 60)}\n`).join('')}`,
    )
    const call = (...words: string[]): Promise<Ran> =>
      tolmach(folder, [
        'call',
        join(repository, 'demo/berths/desk.wsdl'),
        'quoteDues',
        '--url',
        standIn.service,
        '--each',
        'stays.csv',
        '--parallel',
        '8',
        '--save',
        'out.ndjson',
        ...words,
      ])
    const outcomes = async (): Promise<Outcome[]> =>
      (await readFile(join(folder, 'out.ndjson'), 'utf8'))
        .trimEnd()
        .split('\n')
        .map((line) => JSON.parse(line) as Outcome)
    const ran = await call()
    expect({ code: ran.code, told: ran.stderr }).toEqual({
      code: 6,
      told: expect.stringContaining('900 of 1000 rows went well, 100 failed') as unknown,
    })
    const first = await outcomes()
    expect(first.map(({ row }) => row)).toEqual(Array.from({ length: 1000 }, (_, at) => at + 1))
    expect(first.filter(({ ok }) => !ok).map(({ failure }) => failure?.kind)).toEqual(
      Array.from({ length: 100 }, () => 'fault'),
    )
    // Again and again, until all went well.
    for (let tries = 0; tries < 4 && (await call('--resume')).code !== 0; tries += 1)
      expect(tries).toBeLessThan(3)
    expect((await outcomes()).every(({ ok }) => ok)).toBe(true)
    standIn.stop()
  })

  test('stopped in the middle, it goes on where it was: no row is called twice, none is left out', async () => {
    const folder = await freshFolder()
    const seen = new Map<string, number>()
    const server = await startServer((request, response) => {
      const id = new URL(request.url ?? '', 'http://x').searchParams.get('id') ?? ''
      seen.set(id, (seen.get(id) ?? 0) + 1)
      setTimeout(
        () =>
          void response.setHeader('content-type', 'application/json').end(JSON.stringify({ id })),
        20,
      )
    })
    await writeFile(
      join(folder, 'quay.json'),
      JSON.stringify({
        openapi: '3.1.0',
        info: { title: 'Quay', version: '1' },
        servers: [{ url: server.url }],
        paths: {
          '/a': {
            get: {
              operationId: 'look',
              parameters: [
                {
                  name: 'id',
                  in: 'query',
                  required: true,
                  schema: { type: 'integer', format: 'int64' },
                },
              ],
              responses: {
                200: {
                  description: 'd',
                  content: {
                    'application/json': {
                      schema: { type: 'object', properties: { id: { type: 'string' } } },
                    },
                  },
                },
              },
            },
          },
        },
      }),
    )
    await writeFile(
      join(folder, 'rows.ndjson'),
      Array.from(
        { length: 400 },
        (_, at) => `{"id":${9_007_199_254_740_993n + BigInt(at)}}\n`,
      ).join(''),
    )
    const words = [
      join(repository, 'dist/bin/main.js'),
      'call',
      'quay.json',
      'look',
      '--each',
      'rows.ndjson',
      '--parallel',
      '8',
      '--save',
      'out.csv',
    ]
    const child = spawn(process.execPath, words, {
      cwd: folder,
      env: { ...process.env, NODE_OPTIONS: '' },
    })
    let told = ''
    child.stderr.on('data', (chunk: Buffer) => (told += chunk.toString()))
    while (seen.size < 100) await new Promise((resolve) => setTimeout(resolve, 10))
    child.kill('SIGINT')
    expect(await new Promise((resolve) => child.on('close', resolve))).toBe(130)
    expect(told).toMatch(
      /--resume tries those that are left; what was done is kept in rows\.look\.unfinished\.ndjson/,
    )
    const before = seen.size
    expect(before).toBeLessThan(400)
    expect(await tolmach(folder, [...words.slice(1), '--resume'])).toMatchObject({
      code: 0,
      stderr: `400 of 400 rows went well, ${before} of them in an earlier run\n`,
    })
    expect([...seen.values()].every((times) => times === 1)).toBe(true)
    const lines = (await readFile(join(folder, 'out.csv'), 'utf8')).trimEnd().split('\n')
    expect([lines[0], lines[1], lines[400]]).toEqual([
      'row,id',
      '1,9007199254740993',
      '400,9007199254741392',
    ])
    await server.stop()
  })
})

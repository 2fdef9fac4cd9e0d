import { execFile } from 'node:child_process'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints, runBundled } from '../support/compilers.js'
import { demoErrors } from '../support/libxml2.js'
import { freshFolder, repository, startStandIn, tolmach, tolmachJson } from '../support/program.js'

const execute = promisify(execFile)
const operations = [
  'listBerths',
  'getBerth',
  'quoteDues',
  'reserveBerth',
  'listReservations',
  'moveVessel',
  'cancelReservation',
  'attachManifest',
]

describe("the first voyage, from the stand-in's own address", () => {
  let folder: string
  let standIn: Awaited<ReturnType<typeof startStandIn>>
  let imported: Record<string, unknown>
  let generated: Record<string, unknown>
  const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(folder, words)
  const json = (...words: string[]): ReturnType<typeof tolmachJson> => tolmachJson(folder, words)

  beforeAll(async () => {
    folder = await freshFolder()
    standIn = await startStandIn()
    imported = await json('import', standIn.metadata, '--as', 'berths')
    generated = await json('generate', 'berths')
    await writeFile(join(folder, 'src/use.ts'), useOfTheClient)
  })
  afterAll(() => standIn.stop())

  test('import reads the WSDL and the schemas behind it, and says what it found', async () => {
    expect(imported).toMatchObject({
      contract: 'berths',
      dialect: 'soap',
      operations,
      types: 20,
      notes: [],
    })
    expect(imported['endpoints']).toEqual([
      { name: 'DeskLine11', protocol: 'SOAP 1.1', address: standIn.service },
      { name: 'DeskLine12', protocol: 'SOAP 1.2', address: standIn.service },
    ])
    const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
    expect(project).toContain('from: ' + standIn.metadata)
    const index = JSON.parse(
      await readFile(join(folder, 'snapshots/berths/index.json'), 'utf8'),
    ) as { documents: { label: string }[] }
    expect(index.documents.map(({ label }) => label).sort()).toEqual([
      'desk.wsdl',
      'desk.xsd',
      'dues.xsd',
      'harbour.xsd',
    ])
  })

  test('show tells the overview, an operation and a type', async () => {
    const overview = await run('show', 'berths')
    expect(overview.stdout).toContain('2 endpoints, 8 operations, 20 types, 0 notes')
    expect(overview.stdout).toMatch(/DeskLine12 {2}SOAP 1\.2 .*.*calls go here/)
    const operation = await run('show', 'berths', 'reserveberth')
    expect(operation.stdout).toContain(
      'reserveBerth(input: ReserveBerthInput, thisCall?: ThisCall): Promise<Reservation>',
    )
    expect(operation.stdout).toMatch(/BerthTaken .* The berth asked for is taken\./)
    const type = await run('show', 'berths', 'Tug')
    expect(type.stdout).toMatch(/extends Vessel[\s\S]*BollardPull {2}int32/)
  })

  test('generate writes a client that compiles under the strictest settings, the same bytes each time', async () => {
    expect(generated).toMatchObject({
      contract: 'berths',
      folder: 'src/clients/berths',
      operations: 8,
      types: 20,
    })
    const files = generated['files'] as string[]
    const read = (): Promise<string[]> =>
      Promise.all(files.map((file) => readFile(join(folder, 'src/clients/berths', file), 'utf8')))
    const before = await read()
    const again = await run('generate', 'berths', '--overwrite')
    expect(again.stdout).toContain('Nothing changed')
    expect(await read()).toEqual(before)

    expect(await complaints(folder, { skipLibCheck: true })).toBe('')
    for (const text of before) expect(text).not.toMatch(/\bany\b[;,)>\]]|@ts-|eslint-disable/)
  })

  test.each(operations)(
    'the samples of %s, minimal and full, make a request that libxml2 finds valid by the original schemas',
    async (operation) => {
      for (const [extra, endpoint] of [
        [[], 'DeskLine11'],
        [['--full'], 'DeskLine12'],
      ] as const) {
        const sample = await run('sample', 'berths', operation, ...extra)
        await mkdir(join(folder, 'samples'), { recursive: true })
        await writeFile(join(folder, 'samples/input.json'), sample.stdout)
        const preview = await json(
          'call',
          'berths',
          operation,
          '--input',
          'samples/input.json',
          '--endpoint',
          endpoint,
          '--preview',
        )
        const { body, headers } = preview['request'] as {
          body: string
          headers: Record<string, string>
        }
        expect(await demoErrors(body, repository)).toEqual([])
        const action = `urn:brackmouth:desk:${operation}`
        if (endpoint === 'DeskLine11')
          expect(headers).toMatchObject({
            'content-type': 'text/xml; charset=utf-8',
            soapaction: `"${action}"`,
          })
        else
          expect(headers['content-type']).toBe(
            `application/soap+xml; charset=utf-8; action="${action}"`,
          )
      }
    },
  )

  test('every operation is called; what comes back is what the seed data says', async () => {
    const value = async (...words: string[]): Promise<unknown> => {
      const called = await json('call', 'berths', ...words)
      expect(called).toMatchObject({ ok: true, status: 200, deviations: [] })
      return called['value']
    }
    const berths = (await value('listBerths')) as Record<string, unknown>[]
    expect(berths).toHaveLength(15)
    expect(berths.find((berth) => berth['Code'] === 'N-12')).toEqual({
      Code: 'N-12',
      Name: 'Crane berth & heavy lift',
      Basin: 'North',
      Depth: '9.10',
      Tide: 'any',
      Dues: '1250.50',
      FreeFrom: '2026-11-30',
      Note: 'Loads < 40 t only when the wind is below 6',
    })
    // Empty text, absent and null are three things.
    expect(berths.find((berth) => berth['Code'] === 'N-4')).toMatchObject({
      Note: '',
      FreeFrom: null,
    })
    expect(berths.find((berth) => berth['Code'] === 'O-4')).not.toHaveProperty('Note')
    expect(await value('getBerth', '--with', 'Code=N-3')).toMatchObject({
      Note: 'Ring the bell; the "day" watch opens at 06:00',
    })
    expect(
      await value('quoteDues', '--with', 'Vessel=BKM-114', '--with', 'Nights=3'),
    ).toMatchObject({
      Amount: '1250.50',
      validUntil: '2026-12-31',
      Line: [{}, { Text: 'Pilot <inward>', Amount: '1200.00' }, {}],
    })
    const reservations = (await value('listReservations', '--endpoint', 'DeskLine11')) as Record<
      string,
      unknown
    >[]
    expect(reservations.map((each) => each['Arrival'])).toEqual([
      '2026-11-20T06:15:00+01:00',
      '2026-11-01T00:00:00',
      '2026-11-22T17:40:30.5Z',
      '2026-11-23T08:00:00',
    ])
    expect(reservations[0]).toMatchObject({
      Number: '9007199254740993',
      Vessel: { $is: 'Ferry', Name: 'Ålesund Pride', Passengers: 410 },
      state: 'paid in full',
    })
    expect(reservations[1]).toMatchObject({ Vessel: { $is: 'Vessel', Draught: null } })
    expect(reservations[3]).toMatchObject({
      Vessel: { $is: 'Tug', BollardPull: 65 },
      Remark: { $text: '', language: 'en' },
    })

    const reservation = {
      Reservation: {
        Berth: 'S-3',
        Vessel: {
          $is: 'Tug',
          CallSign: 'BKM-031',
          Name: 'Bärbel & Sons',
          Draught: 3.1,
          BollardPull: 48,
        },
        Arrival: '2026-11-24T07:30:00+01:00',
        Nights: 2,
        Service: ['pilot'],
      },
    }
    await writeFile(
      join(folder, 'reserve.yaml'),
      JSON.stringify(reservation).replace('3.1,', '3.10,'),
    )
    expect(await value('reserveBerth', '--input', 'reserve.yaml')).toMatchObject({
      Number: '9007199254741000',
      Dues: '140.00',
      Vessel: { $is: 'Tug', Draught: '3.10' },
    })
    expect(
      await value('moveVessel', '--with', 'Number=9007199254741000', '--with', 'Berth=S-5'),
    ).toEqual({ Berth: 'S-5', Dues: '155.75', MovedAt: '2026-11-23T14:30:00' })
    await writeFile(join(folder, 'manifest.bin'), Buffer.from([0, 255, 128, 13, 10]))
    expect(
      await value(
        'attachManifest',
        '--with',
        'Number=9007199254741000',
        '--with',
        'FileName=a "b".csv',
        '--with',
        'Content={"$file": "manifest.bin"}',
      ),
    ).toBe(true)
    expect(await value('cancelReservation', '--with', 'Number=9007199254741000')).toBeNull()
    expect(await value('listReservations', '--with', 'Berth=S-5')).toEqual([])
  })

  test('the answer is a table of the columns asked for, or CSV, YAML, text', async () => {
    const words = ['call', 'berths', 'listBerths', '--with', 'Basin=Old harbour']
    const table = await run(...words, '--columns', 'Code, Name=Berth, Dues')
    const lines = [
      'Code  Berth           Dues',
      '────  ─────────────  ─────',
      'O-1   Old Steps      12.00',
      "O-2   Weaver's Pier  14.50",
      'O-3   Lantern Wall   18.00',
      'O-4   Brücke         14.50',
      '4 rows',
      '',
    ]
    expect(table.stdout).toBe(lines.join('\n'))
    expect((await run(...words, '--columns', 'Code,FreeFrom', '--format', 'csv')).stdout).toBe(
      'Code,FreeFrom\nO-1,null\nO-2,null\nO-3,2026-11-25\nO-4,null\n',
    )
    expect(
      (await run('call', 'berths', 'getBerth', '--with', 'Code=O-4', '--format', 'yaml')).stdout,
    ).toContain('Dues: "14.50"\nFreeFrom: null\n')
    const wrong = await run(...words, '--columns', 'Cude')
    expect(wrong).toMatchObject({ code: 2 })
    expect(wrong.stderr).toContain('Nearest: "Code"')
  })

  test('a declared fault is told with its detail, exit code 1', async () => {
    const taken = await run(
      'call',
      'berths',
      'moveVessel',
      '--with',
      'Number=9007199254740993',
      '--with',
      'Berth=N-12',
    )
    expect(taken.code).toBe(1)
    expect(taken.stderr).toMatch(
      /error TM-4001 {2}The service refused the call: Berth N-12 is taken\.[\s\S]*fault +BerthTaken[\s\S]*detail\.FreeFrom +2026-11-30/,
    )
    const { stdout, code } = await run(
      'call',
      'berths',
      'moveVessel',
      '--with',
      'Number=9007199254740993',
      '--with',
      'Berth=N-12',
      '--endpoint',
      'DeskLine11',
      '--json',
    )
    expect(code).toBe(1)
    expect(JSON.parse(stdout)).toMatchObject({
      ok: false,
      failure: {
        kind: 'fault',
        code: 'TM-4001',
        status: 500,
        fault: 'BerthTaken',
        faultCode: 'Client',
        detail: { Berth: 'N-12', FreeFrom: '2026-11-30' },
      },
    })
  })

  test('traffic shows both sides with secrets masked, and the answers are valid by the original schemas too', async () => {
    const shown = await run(
      'call',
      'berths',
      'listBerths',
      '--traffic',
      '--header',
      'Authorization=Basic c2VjcmV0',
    )
    expect(shown.stderr).toMatch(
      /authorization: Basic \*\*\*[\s\S]*<n1:listBerths\/>[\s\S]*HTTP 200[\s\S]*Brücke/,
    )
    expect(shown.stderr).not.toContain('c2VjcmV0')
    for (const operation of ['listBerths', 'listReservations']) {
      const { request } = (await json('call', 'berths', operation, '--preview')) as {
        request: { url: string; headers: Record<string, string>; body: string }
      }
      const answer = await fetch(request.url, {
        method: 'POST',
        headers: request.headers,
        body: request.body,
      })
      expect(await demoErrors(await answer.text(), repository)).toEqual([])
    }
  })

  test('the program in src uses class, function and guard as an application would', async () => {
    expect(await runBundled(folder, 'src/use.ts', standIn.service)).toBe(
      '15 Nordkai 1250.50 BerthTaken N-12 input Nights: must be at most 60, is 90\n',
    )
  })

  test('a location works in place of a name, and then nothing is kept', async () => {
    const elsewhere = await freshFolder()
    const called = await tolmach(elsewhere, [
      'call',
      standIn.metadata,
      'getBerth',
      '--with',
      'Code=O-4',
      '--json',
    ])
    expect(JSON.parse(called.stdout)).toMatchObject({ ok: true, value: { Name: 'Brücke' } })
    const shown = await tolmach(repository, ['show', 'demo/berths', 'DeskLine11'])
    expect(shown.stdout).toContain('SOAP 1.1')
    expect((await execute('ls', ['-A', elsewhere])).stdout).toBe('')
  })

  test('only some operations: the client has them and what they need, nothing else', async () => {
    const elsewhere = await freshFolder()
    expect(
      (await tolmach(elsewhere, ['import', standIn.metadata, '--as', 'desk', '--only', 'list*']))
        .code,
    ).toBe(0)
    const generated = JSON.parse((await tolmach(elsewhere, ['generate', '--json'])).stdout) as {
      files: string[]
      operations: number
    }
    expect(generated.operations).toBe(2)
    expect(await readFile(join(elsewhere, 'src/clients/desk/types.ts'), 'utf8')).not.toContain(
      'Quote',
    )
    expect((await tolmach(elsewhere, ['call', 'desk', 'quoteDues'])).stderr).toContain(
      '"only" in tolmach.yaml leaves it out',
    )
  })
})

const useOfTheClient = `
import { BerthDesk, connect, InputRejected, isMoveVesselFault, listBerths, quoteDues, type AnyVessel, type Berth } from './clients/berths/index.js'

declare const process: { argv: string[] }
const url = process.argv[2] ?? ''
const pull = (vessel: AnyVessel): number => (vessel.$is === 'Tug' ? vessel.BollardPull : 0)

async function main(): Promise<string> {
  const connection = connect({ url })
  const berths: Berth[] = await listBerths(connection)
  await using desk = new BerthDesk({ url })
  const quote = await desk.quoteDues({ Vessel: 'BKM-114', Nights: 3 })
  const words: (string | number)[] = [berths.length + pull({ CallSign: 'A', Name: 'B', Draught: null }), berths[0]?.Name ?? '', quote.Amount]
  try {
    await desk.moveVessel({ Number: 9007199254740993n, Berth: 'N-12' })
  } catch (error) {
    if (isMoveVesselFault(error) && error.fault === 'BerthTaken') words.push(error.fault, error.detail.Berth)
  }
  try {
    await quoteDues(connection, { Vessel: 'BKM-114', Nights: 90 })
  } catch (error) {
    if (error instanceof InputRejected) words.push(error.kind, ...error.misfits.map(({ path, message }) => path + ': ' + message))
  }
  return words.join(' ')
}

console.log(await main())
`

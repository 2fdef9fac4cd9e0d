import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import { parse } from 'yaml'
import { complaints, runBundled } from '../support/compilers.js'
import {
  freshFolder,
  repository,
  startStandIn,
  startServer,
  tolmach,
  tolmachJson,
} from '../support/program.js'

/** Judges a body by the original schema document: Ajv reads it itself, not through our reader. */
async function ajvErrors(schema: string, body: string): Promise<unknown> {
  const ajv = new Ajv2020({
    strict: false,
    allErrors: true,
    formats: { decimal: true, int64: true, int32: true },
  })
  ;(addFormats as unknown as (ajv: Ajv2020) => void)(ajv)
  ajv.addSchema(
    parse(await readFile(join(repository, 'demo/ferries/schemas.yaml'), 'utf8')) as object,
    'schemas',
  )
  const validate = ajv.compile({ $ref: `schemas#/schemas/${schema}` })
  return validate(JSON.parse(body)) ? [] : validate.errors
}

describe('the same voyage for a REST service', () => {
  let folder: string
  let standIn: Awaited<ReturnType<typeof startStandIn>>
  const run = (...words: string[]): ReturnType<typeof tolmach> => tolmach(folder, words)
  const json = (...words: string[]): ReturnType<typeof tolmachJson> => tolmachJson(folder, words)
  const value = async (...words: string[]): Promise<unknown> => {
    const called = await json('call', 'ferries', ...words)
    expect(called).toMatchObject({ ok: true, deviations: [] })
    return called['value']
  }

  beforeAll(async () => {
    folder = await freshFolder()
    standIn = await startStandIn('ferries/openapi.yaml')
    expect(await json('import', standIn.metadata, '--as', 'ferries')).toMatchObject({
      dialect: 'http',
      types: 23,
      notes: [],
      endpoints: [{ name: 'theOffice', address: standIn.service }],
    })
    expect(await json('generate', 'ferries')).toMatchObject({ operations: 10, types: 23 })
  })
  afterAll(() => standIn.stop())

  test('show reads the same way; the client compiles under the strictest settings', async () => {
    expect((await run('show', 'ferries')).stdout).toMatch(
      /1 endpoint, 10 operations, 23 types, 0 notes[\s\S]*bookings\.create\(body\) → Booking {2,}Books places on a sailing\./,
    )
    expect((await run('show', 'ferries', 'bookings.create')).stdout).toMatch(
      /POST \/bookings\n[\s\S]*answer 201 +application\/json/,
    )
    await writeFile(join(folder, 'src/use.ts'), useOfTheClient)
    expect(await complaints(folder)).toBe('')
    expect(await runBundled(folder, 'src/use.ts', standIn.service)).toBe(
      '37.00 9007199254740997 12.5 409 OST-0715 dues 120.00\n',
    )
  })

  test.each([
    ['bookings.create', 'Booking'],
    ['bookings.change', 'BookingChange'],
    ['bookings.lash', 'LashingPlan'],
  ])(
    'the samples of %s, minimal and full, are valid by Ajv against the original schema',
    async (operation, schema) => {
      for (const extra of [[], ['--full']]) {
        await writeFile(
          join(folder, 'sample.json'),
          (await run('sample', 'ferries', operation, ...extra)).stdout,
        )
        const { request } = (await json(
          'call',
          'ferries',
          operation,
          '--input',
          'sample.json',
          '--preview',
        )) as { request: { body: string; headers: object } }
        expect(await ajvErrors(schema, request.body)).toEqual([])
        expect(request.headers).toMatchObject({ 'content-type': 'application/json' })
      }
    },
  )

  test('list, create, list and see it, get, change, delete, list and see it gone; every digit survives', async () => {
    const numbers = async (): Promise<unknown[]> =>
      ((await value('bookings.list')) as { number: string }[]).map(({ number }) => number)
    expect(await numbers()).toEqual(['9007199254740993', '9007199254740995', '9007199254740997'])
    const made = await value(
      'bookings.create',
      '--input',
      join(repository, 'demo/ferries/samples/createBooking.yaml'),
    )
    expect(made).toMatchObject({
      number: '9007199254740998',
      price: '18.50',
      lead: { name: 'Bärbel "Babs" O\'Hara', born: '1984-02-29' },
      vehicle: { kind: 'lorry', lengthMetres: 7.5 },
      remark: 'Höhe < 4 m & leer',
    })
    expect(made).not.toHaveProperty('pin')
    expect(await numbers()).toHaveLength(4)
    expect(await value('bookings.get', '--with', 'number=9007199254740998')).toMatchObject({
      price: '18.50',
      state: 'held',
    })
    expect(
      await value(
        'bookings.change',
        '--with',
        'number=9007199254740998',
        '--with',
        'body={"remark": null}',
      ),
    ).toMatchObject({ number: '9007199254740998' })
    expect(
      await value(
        'bookings.lash',
        '--with',
        'number=9007199254740998',
        '--with',
        'body=by the crew',
      ),
    ).toEqual({ status: 200, body: { dues: '18.50', at: '2026-11-23T14:30:00Z' } })
    expect(await value('bookings.cancel', '--with', 'number=9007199254740998')).toBeNull()
    expect(await numbers()).toHaveLength(3)
    const gone = await run(
      'call',
      'ferries',
      'bookings.get',
      '--with',
      'number=9007199254740998',
      '--json',
    )
    expect(gone.code).toBe(1)
    expect(JSON.parse(gone.stdout)).toMatchObject({
      failure: { kind: 'fault', status: 404, fault: '404', detail: { title: 'Not found' } },
    })
  })

  test('a query with a list and an object, a file in a form, a file that comes back', async () => {
    const { request } = (await json(
      'call',
      'ferries',
      'sailings.search',
      '--with',
      "line=L'Île <round trip>",
      '--with',
      'days=["2027-07-15", "2027-07-16"]',
      '--with',
      'room={"cars": 3, "deckMetres": 1.5}',
      '--with',
      'X-Counter=7',
      '--preview',
    )) as { request: { url: string; headers: object } }
    // Worked by hand: form without explode keeps the commas, deepObject has the members in brackets
    // (OpenAPI 3.1, section 4.8.12.5; RFC 3986, section 2.3).
    expect(request.url).toBe(
      `${standIn.service}/sailings?line=L%27%C3%8Ele%20%3Cround%20trip%3E&days=2027-07-15,2027-07-16&room%5Bcars%5D=3&room%5BdeckMetres%5D=1.5`,
    )
    expect(request.headers).toMatchObject({
      'x-counter': '7',
      accept: 'application/json, application/problem+json;q=0.9',
    })
    expect(await value('sailings.search', '--with', "line=L'Île <round trip>")).toMatchObject([
      { code: 'SKE-0801' },
    ])
    await writeFile(join(folder, 'list.csv'), 'name\nAnn\n')
    expect(
      await value(
        'bookings.uploadPassengers',
        '--with',
        'number=9007199254740993',
        '--with',
        'body={"list": {"$file": "list.csv"}, "separator": "tab", "replace": true}',
      ),
    ).toEqual({ read: 7 })
    expect(await value('bookings.downloadTicket', '--with', 'number=1')).toBe('eHh4')
  })

  test('inputs that do not fit are refused at every place; a key goes where the contract says', async () => {
    const { code, stdout } = await run(
      'call',
      'ferries',
      'bookings.create',
      '--with',
      'body={"sailing": "x", "lead": {}, "passengers": 0, "vehicle": {"kind": "boat"}, "number": 1}',
      '--json',
    )
    expect(code).toBe(2)
    expect((JSON.parse(stdout) as { failure: { details: string[] } }).failure.details).toEqual([
      'body.sailing: must match ^[A-Z]{3}-\\d{4}$, is "x"',
      'body.lead.name: is missing',
      'body.passengers: must be at least 1, is 0',
      'body.vehicle.kind: expected one of "car", "lorry", got "boat"',
      'body.number: is not known here; there are sailing, lead, passengers, vehicle, pin, remark',
    ])
    let seen: object = {}
    const server = await startServer((request, response) => {
      seen = request.headers
      response.writeHead(200, { 'content-type': 'application/json' }).end('[]')
    })
    await writeFile(
      join(folder, 'key.ts'),
      "import { listBookings, connect } from './src/clients/ferries/index.js'\nconsole.log(await listBookings(connect({ url: process.argv[2] ?? '', credential: { kind: 'key', value: 'k 1' } })))\n",
    )
    expect(await runBundled(folder, 'key.ts', server.url)).toBe('[]\n')
    await server.stop()
    expect(seen).toMatchObject({ 'x-counter-key': 'k 1' })
  })

  test('the stand-in is strict: paths, methods, types and members', async () => {
    const ask = async (path: string, method = 'GET', body?: string): Promise<[number, unknown]> => {
      const response = await fetch(standIn.service + path, {
        method,
        ...(body === undefined ? {} : { body, headers: { 'content-type': 'application/json' } }),
      })
      return [response.status, ((await response.json()) as { detail: string }).detail]
    }
    expect(await ask('/nowhere')).toEqual([404, 'There is no path /nowhere.'])
    expect(await ask('/bookings', 'PUT')).toEqual([405, 'PUT is not offered at /bookings.'])
    expect(await ask('/bookings/x')).toEqual([
      400,
      'number: promised was a whole number (bigint) of 64 bits, but there came "x"',
    ])
    expect(await ask('/bookings', 'POST', '{"sailing": "BRK-0715"')).toMatchObject([
      400,
      expect.stringContaining("can't be read"),
    ])
    expect(
      await ask(
        '/bookings',
        'POST',
        '{"sailing": "BRK-0715", "lead": {"name": ""}, "passengers": 1.5, "number": 1}',
      ),
    ).toEqual([400, 'body.passengers: promised was a whole number, but there came 1.5'])
  })
})

const useOfTheClient = `
import { connect, createBookings, isCreateBookingsFault, lashBookings, SkerryFerries, type Vehicle } from './clients/ferries/index.js'

declare const process: { argv: string[] }
const length = (vehicle: Vehicle | undefined): number => (vehicle?.kind === 'lorry' ? vehicle.lengthMetres : 0)

const ferries = new SkerryFerries({ url: process.argv[2] ?? '' })
const [first, , third] = await ferries.bookings.list()
const words: (string | number | bigint)[] = [first?.price ?? '', third?.number ?? 0n, length(third?.vehicle)]
try {
  await createBookings(ferries.connection, { body: { sailing: 'BRK-0716', lead: { name: 'Ann' }, passengers: 1 } })
} catch (error) {
  if (isCreateBookingsFault(error) && error.fault === '409') words.push(error.fault, error.detail.nextWithRoom ?? '')
}
const lashed = await lashBookings(connect({ url: process.argv[2] ?? '' }), { number: 9007199254740995n, body: { wedges: 4 } })
if (lashed.status === 200) words.push('dues', lashed.body.dues)
console.log(words.join(' '))
`

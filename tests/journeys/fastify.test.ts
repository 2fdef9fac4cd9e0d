import { cp, mkdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { bundleClient } from '../../src/exercise/run-client.js'
import { complaints } from '../support/compilers.js'
import { startQuay } from '../support/fastify-quay.js'
import { freshFolder, repository, tolmach } from '../support/program.js'

/** The generated client against a server that knows nothing of it. */
type Operation = (input?: object, thisCall?: object) => unknown
let server: Awaited<ReturnType<typeof startQuay>>
let folder: string
let quay: Record<string, Operation>
let open: (settings: object) => Record<string, Operation>

beforeAll(async () => {
  server = await startQuay()
  folder = await freshFolder()
  await mkdir(join(folder, 'src'))
  await cp(join(repository, 'tests/fixtures/fastify/quay.yaml'), join(folder, 'quay.yaml'))
  expect((await tolmach(folder, ['import', 'quay.yaml', '--as', 'quay'])).code).toBe(0)
  expect((await tolmach(folder, ['generate'])).code).toBe(0)
  await writeFile(join(folder, 'client.mjs'), await bundleClient(join(folder, 'src/clients/quay')))
  const { Quay } = (await import(pathToFileURL(join(folder, 'client.mjs')).href)) as {
    Quay: new (settings: object) => Record<string, Operation>
  }
  open = (settings) => new Quay({ url: server.address, ...settings })
  quay = open({})
})
afterAll(() => server.stop())

const call = async (operation: string, input: object = {}, thisCall?: object): Promise<unknown> =>
  quay[operation]?.(input, thisCall)

describe('values that were meant arrive', () => {
  test('in paths, queries, headers and cookies', async () => {
    const texts = fc
      .string({ unit: 'grapheme', minLength: 1, maxLength: 12 })
      .filter((text) => !/^\.{1,2}$/.test(text))
    const inputs = fc.record({
      text: texts,
      number: fc.double({ noNaN: true, noDefaultInfinity: true }),
      flag: fc.boolean(),
      words: fc.array(fc.string({ unit: 'grapheme' }), { minLength: 1 }),
      numbers: fc.array(fc.integer(), { minLength: 1 }),
      limit: fc.integer({ min: 1, max: 100 }),
    })
    await fc.assert(
      fc.asyncProperty(inputs, async (input) => {
        const { text, number, flag, ...query } = input
        expect(await call('echoAddress', input)).toMatchObject({
          params: { text, number: number === 0 ? 0 : number, flag },
          query,
        })
      }),
      { numRuns: 150 },
    )
    expect(
      await call('echoAddress', {
        text: 'a/b?c',
        number: 1.5,
        flag: false,
        day: '2026-11-23',
        kind: 'sail',
        'X-Trace': 'x y',
        session: 'a;b',
      }),
    ).toEqual({
      params: { text: 'a/b?c', number: 1.5, flag: false },
      query: { day: '2026-11-23', kind: 'sail' },
      headers: { trace: 'x y', cookie: 'session=a%3Bb', accept: 'application/json' },
    })
  })

  test('as JSON, also random ones; what the server refuses our check refuses, and the other way round', async () => {
    const mostly = <T>(good: T, ...others: T[]): fc.Arbitrary<T> =>
      fc.oneof(
        { arbitrary: fc.constant(good), weight: 12 },
        { arbitrary: fc.constantFrom(...others), weight: 1 },
      )
    const common = {
      name: fc.string({ unit: 'grapheme', minLength: 1, maxLength: 9 }),
      built: mostly('2026-11-23', '2026-02-30', '2024-02-29', 'soon'),
      tags: fc.array(fc.constantFrom('a', 'b', 'c', 'd', 'e', 'f'), { maxLength: 2 }),
      draught: mostly(null, 0, 1.5, -1),
      place: mostly<unknown>(['A', 1], ['A'], ['A', 'b'], ['A', 1, 2]),
      measures: fc.dictionary(
        fc.constantFrom('a', 'b', 'c', 'd'),
        fc.double({ noNaN: true, noDefaultInfinity: true }),
        { maxKeys: 4 },
      ),
    }
    const optional = { requiredKeys: ['name', 'built', 'kind'] } as {
      requiredKeys: ['name', 'built', 'kind']
    }
    const vessels = fc.oneof(
      fc.record(
        { ...common, kind: fc.constant('sail'), masts: fc.integer({ min: 0, max: 8 }) },
        optional as object,
      ),
      fc.record(
        {
          ...common,
          kind: mostly('motor', 'steam'),
          power: fc.integer(),
          fuel: mostly('oil', 'coal'),
        },
        optional as object,
      ),
    )
    const counts = { good: 0, bad: 0 }
    for (const body of fc.sample(vessels, { numRuns: 400, seed: 3 })) {
      const ours = await call('echoJson', { body }).catch((error: unknown) => error)
      const theirs = await Promise.resolve(
        open({ checkInputs: false })['echoJson']?.({ body }),
      ).catch((error: unknown) => error)
      const [weRefuse, theyRefuse] = [ours, theirs].map((each) => each instanceof Error)
      expect({ body, weRefuse, ours: ours instanceof Error ? ours.message : '' }).toMatchObject({
        weRefuse: theyRefuse,
      })
      if (!weRefuse) expect(ours).toEqual(JSON.parse(JSON.stringify(body)))
      else
        expect(theirs).toMatchObject({
          kind: 'fault',
          fault: '400',
          status: 400,
          detail: { code: 'FST_ERR_VALIDATION' },
        })
      counts[weRefuse ? 'bad' : 'good'] += 1
    }
    expect(Math.min(counts.good, counts.bad)).toBeGreaterThan(30)
  })

  test('as forms, as several parts, as text and bytes, there and back', async () => {
    expect(await call('echoForm', { body: { name: 'a b&c=ü+', tags: ['x', 'y z'] } })).toEqual({
      name: 'a b&c=ü+',
      tags: ['x', 'y z'],
    })
    const parts = await call('echoParts', {
      body: {
        note: 'é"',
        about: { berth: 'A1' },
        files: [
          Uint8Array.of(0, 255, 13, 10),
          { content: Uint8Array.of(1), name: 'chart é.png', type: 'image/png' },
        ],
      },
    })
    expect(parts).toEqual([
      { name: 'note', type: 'text/plain', size: 3, text: 'é"' },
      { name: 'about', type: 'application/json', size: 14, text: '{"berth":"A1"}' },
      { name: 'files', file: 'files', type: 'application/octet-stream', size: 4, text: 'AP8NCg==' },
      { name: 'files', file: 'chart é.png', type: 'image/png', size: 1, text: 'AQ==' },
    ])
    expect(await call('echoText', { body: 'ü\r\n€' })).toBe('ü\r\n€')
    const bytes = Uint8Array.from({ length: 300_000 }, (_, at) => (at * 7) % 256)
    expect(
      Buffer.from((await call('echoBytes', { body: bytes })) as Uint8Array).equals(
        Buffer.from(bytes),
      ),
    ).toBe(true)
    const pieces: Uint8Array[] = []
    for await (const piece of (await call(
      'echoBytes',
      { body: bytes },
      { asStream: true },
    )) as AsyncIterable<Uint8Array>)
      pieces.push(piece)
    expect(Buffer.concat(pieces).equals(Buffer.from(bytes))).toBe(true)
  })
})

describe('sequences, headers, logins', () => {
  test('events of a stream without end are read until one leaves', async () => {
    const heights: unknown[] = []
    for await (const event of quay['watchTides']?.() as AsyncIterable<{
      data: { height: number }
      event: string
    }>) {
      heights.push([event.event, event.data.height])
      if (heights.length === 3) break
    }
    expect(heights).toEqual([
      ['turned', 1.5],
      ['turned', 2.5],
      ['turned', 3.5],
    ])
  })

  test('lines of JSON, thousands of them; at the prompt the first hundred', async () => {
    let count = 0
    for await (const line of quay['readLog']?.({ lines: 5000 }) as AsyncIterable<{
      height: number
    }>)
      expect(line.height).toBe(count++)
    expect(count).toBe(5000)
    const { code, stdout } = await tolmach(folder, [
      'call',
      'quay',
      'readLog',
      '--with',
      'lines=150',
      '--url',
      server.address,
      '--json',
    ])
    expect([code, (JSON.parse(stdout) as { value: unknown[] }).value.length]).toEqual([0, 100])
  })

  test('a key and a token together; the token is kept, and had again when it was withdrawn; headers come decoded', async () => {
    const desk = open({
      credential: [
        { kind: 'key', value: 'open' },
        {
          kind: 'oauth2',
          clientId: 'desk',
          clientSecret: 'p@ss',
          tokenUrl: `${server.address}/token`,
        },
      ],
    })
    const heard: unknown[] = []
    const ask = (): unknown =>
      desk['guarded']?.({}, { onHeaders: (headers: unknown) => heard.push(headers) })
    expect(await Promise.all([ask(), ask()])).toEqual([{ who: 'token-1' }, { who: 'token-1' }])
    server.withdraw()
    expect([await ask(), server.tokens()]).toEqual([{ who: 'token-2' }, 2])
    expect(heard).toEqual([{ 'X-Remaining': 41 }, { 'X-Remaining': 41 }, { 'X-Remaining': 41 }])
    await expect(
      Promise.resolve(
        open({
          credential: [
            { kind: 'key', value: 'open' },
            {
              kind: 'oauth2',
              clientId: 'x',
              clientSecret: 'y',
              tokenUrl: `${server.address}/token`,
            },
          ],
        })['guarded']?.(),
      ),
    ).rejects.toMatchObject({
      kind: 'login',
      message: expect.stringContaining('invalid_client: Unknown desk'),
    })
    await expect(call('guarded')).rejects.toMatchObject({ kind: 'login', status: 401 })
  })
})

test('what TypeScript knows of it: narrowing, outcomes by media type, what must not be written', async () => {
  await writeFile(
    join(folder, 'src/uses.ts'),
    `import { Quay, type Vessel } from './clients/quay/index.js'
const quay = new Quay()
export async function use(vessel: Vessel): Promise<number> {
  if (vessel.kind === 'sail') return vessel.masts
  const power: number | undefined = vessel.power
  // @ts-expect-error a motor vessel has no masts
  vessel.masts
  const bytes: Uint8Array = await quay.echoBytes({ body: new Uint8Array() })
  const stream: ReadableStream<Uint8Array> = await quay.echoBytes({ body: new Uint8Array() }, { asStream: true })
  for await (const tide of quay.watchTides()) return tide.data.height
  await quay.guarded({}, { onHeaders: (headers) => headers['X-Remaining'].toFixed() })
  // @ts-expect-error of several parts a file is bytes, or bytes with a name and a type
  await quay.echoParts({ body: { note: 'n', files: ['text'] } })
  // @ts-expect-error the place has two parts
  await quay.echoJson({ body: { kind: 'sail', masts: 1, name: 'ab', built: '2026-11-23', place: ['A'] } })
  return (power ?? 0) + bytes.length + (stream.locked ? 1 : 0)
}
`,
  )
  expect(await complaints(folder)).toBe('')
})

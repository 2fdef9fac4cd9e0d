import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import { serveContracts } from '../../src/app/serve-contracts.js'
import { http } from '../../src/dialects/http/index.js'
import { readSeed, SeedState, type Seed } from '../../src/stand-in/seed.js'
import { demoErrors } from '../support/libxml2.js'
import { demoWsdl, freshFolder, repository, tolmach } from '../support/program.js'

describe('seed data', () => {
  const seed: Seed = {
    seed: 1,
    tables: {
      Berths: [
        { Code: 'A', Depth: '3.10', State: 'free' },
        { Code: 'B', Depth: '7', State: 'taken' },
      ],
      Log: [],
    },
    operations: {
      list: [
        {
          list: {
            found: {
              in: 'Berths',
              where: { State: '$input.State', Depth: { atLeast: '$input.Least', atMost: 9 } },
            },
          },
          answer: { rows: '$found', note: 'for ${input.Who}', cost: '$$5' },
        },
      ],
      take: [
        {
          find: { berth: { in: 'Berths', where: { Code: '$input.Code', State: 'free' } } },
          add: { entry: { to: 'Log', row: { Number: '$next.Log.Number', Code: '$berth.Code' } } },
          set: { berth: { State: 'taken' } },
          answer: '$entry',
        },
        {
          find: { berth: { in: 'Berths', where: { Code: '$input.Code' } } },
          fault: 'Taken',
          reason: '${berth.Code} is taken',
          detail: { Code: '$berth.Code' },
        },
      ],
      clear: [{ find: { entry: { in: 'Log' } }, remove: ['entry'], answer: '$entry.Number' }],
    },
  }

  test('the first rule that fits is followed; tables change', () => {
    const state = new SeedState(seed)
    expect(state.play('list', { Who: 'Ann' })).toEqual({
      kind: 'answer',
      value: { rows: seed.tables['Berths'], note: 'for Ann', cost: '$5' },
    })
    expect(state.play('list', { Least: '4', State: 'taken' })).toMatchObject({
      value: { rows: [{ Code: 'B' }] },
    })
    expect(state.play('take', { Code: 'A' })).toEqual({
      kind: 'answer',
      value: { Number: '1', Code: 'A' },
    })
    expect(state.play('take', { Code: 'A' })).toEqual({
      kind: 'fault',
      name: 'Taken',
      reason: 'A is taken',
      detail: { Code: 'A' },
    })
    expect(state.play('take', { Code: 'Z' })).toBeUndefined()
    expect(state.play('clear', {})).toEqual({ kind: 'answer', value: '1' })
    expect(state.play('clear', {})).toBeUndefined()
    // Another stand-in starts from the seed again.
    expect(new SeedState(seed).play('take', { Code: 'A' })).toMatchObject({ kind: 'answer' })
  })

  test.each([
    [{ tables: {} }, '"seed" is required'],
    [{ seed: 2 }, 'seed'],
    [{ seed: 1, operations: { a: [{ awnser: 1 }] } }, '"operations.a[0].awnser" is not allowed'],
    [{ seed: 1, operations: { a: [{ list: { x: { in: 'Nope' } } }] } }, 'names the table "Nope"'],
  ])('%j is refused', async (plain, words) => {
    await expect(readSeed(plain, 's.yaml')).rejects.toMatchObject({
      code: 'TM-1014',
      message: expect.stringContaining(words),
    })
  })
})

describe('the stand-in, spoken to by hand', () => {
  let standIn: Awaited<ReturnType<typeof serveContracts>>
  let service: string
  const post = async (
    body: string,
    type = 'text/xml',
  ): Promise<{ status: number; type: string | null; text: string }> => {
    const response = await fetch(service, {
      method: 'POST',
      headers: { 'content-type': type },
      body,
    })
    return {
      status: response.status,
      type: response.headers.get('content-type'),
      text: await response.text(),
    }
  }
  const envelope = (inside: string): string =>
    `<E:Envelope xmlns:E="http://schemas.xmlsoap.org/soap/envelope/"><E:Body>${inside}</E:Body></E:Envelope>`
  beforeAll(async () => {
    standIn = await serveContracts([demoWsdl])
    service = standIn.addresses[0]?.service ?? ''
  })
  afterAll(() => standIn.stop())

  test('serves the metadata with its own addresses, whatever refers to whatever', async () => {
    const wsdl = await (await fetch(`${service}?wsdl`)).text()
    expect(wsdl).toContain(`<soap:address location="${service}"/>`)
    expect(wsdl).toContain(`schemaLocation="${service}?xsd=desk.xsd"`)
    expect(await (await fetch(`${service}?xsd=desk.xsd`)).text()).toContain(
      `schemaLocation="${service}?xsd=dues.xsd"`,
    )
    expect((await fetch(`${service}s`)).status).toBe(404)
    expect((await fetch(service)).status).toBe(405)
  })

  test('without seed data it answers with samples, which are valid', async () => {
    const { status, text } = await post(
      envelope('<getBerth xmlns="urn:brackmouth:desk"><Code>N-1</Code></getBerth>'),
    )
    expect(status).toBe(200)
    expect(await demoErrors(text, repository)).toEqual([])
    const newer = await post(
      envelope('<listReservations xmlns="urn:brackmouth:desk"/>').replace(
        'http://schemas.xmlsoap.org/soap/envelope/',
        'http://www.w3.org/2003/05/soap-envelope',
      ),
      'application/soap+xml',
    )
    expect(newer.type).toBe('application/soap+xml; charset=utf-8')
    expect(await demoErrors(newer.text, repository)).toEqual([])
  })

  test.each([
    ['not XML', 'hello', /not a SOAP envelope/],
    ['another document', '<a/>', /root is &lt;a&gt;/],
    ['an empty body', envelope(''), /The body is empty/],
    [
      'an unknown element',
      envelope('<x xmlns="urn:x"/>'),
      /no operation for the element \{urn:x\}x/,
    ],
    [
      'a value of the wrong type',
      envelope(
        '<d:quoteDues xmlns:d="urn:brackmouth:desk"><d:Vessel>BKM-114</d:Vessel><d:Nights>many</d:Nights></d:quoteDues>',
      ),
      /Nights: promised was a whole number/,
    ],
    [
      'a missing element',
      envelope(
        '<d:quoteDues xmlns:d="urn:brackmouth:desk"><d:Vessel>BKM-114</d:Vessel></d:quoteDues>',
      ),
      /Nights is missing/,
    ],
    [
      'a wrong order',
      envelope(
        '<d:quoteDues xmlns:d="urn:brackmouth:desk"><d:Nights>3</d:Nights><d:Vessel>BKM-114</d:Vessel></d:quoteDues>',
      ),
      /another order/,
    ],
  ])('refuses %s with a fault', async (_what, body, words) => {
    const { status, text } = await post(body)
    expect(status).toBe(500)
    expect(text).toMatch(words)
    expect(text).toContain('<faultcode>soap:Client</faultcode>')
  })

  test.each([
    ['/ships/42', 'ship'],
    ['/ships/42,7', 'shipInSteps'],
    ['/ships?type=tug', 'tugs'],
    ['/ships?kind=tug', 'shipsByKind'],
    ['/ships?top=3', 'ships'],
    ['/ships', 'ships'],
  ])('of paths that fit %s the one that says most is meant', async (target, meant) => {
    const file = join(repository, 'tests/fixtures/openapi/more-than-paths.yaml')
    const { contract } = await readSource(file, 'ships')
    const understood = await http
      .play(contract)
      .understand({ method: 'GET', target: `/ships${target}`, headers: {}, body: new Uint8Array() })
    expect('operation' in understood && understood.operation.path.at(-1)).toBe(meant)
  })

  test('a port that is taken and seed data that is not there are told', async () => {
    const port = new URL(service).port
    await expect(serveContracts([demoWsdl], { port: Number(port) })).rejects.toMatchObject({
      code: 'TM-1016',
    })
    await expect(serveContracts([demoWsdl], { seed: 'gone.yaml' })).rejects.toMatchObject({
      code: 'TM-1007',
    })
    const folder = await freshFolder()
    await writeFile(
      join(folder, 'bad.yaml'),
      'seed: 1\noperations: { a: [{ fault: X, answer: 1 }] }\n',
    )
    const { code, stderr } = await tolmach(folder, ['serve', demoWsdl, '--seed', 'bad.yaml'])
    expect(code).toBe(2)
    expect(stderr).toContain('error TM-1014')
  })
})

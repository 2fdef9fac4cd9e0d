import { writeFile } from 'node:fs/promises'
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
import { atTerminal, hasTerminal } from '../support/terminal.js'

const documents = {
  berths: 'berths/desk.wsdl',
  ferries: 'ferries/openapi.yaml',
  registry: 'registry/registry.xml',
} as const

describe('asked for each input', () => {
  let folder: string
  const standIns: Partial<
    Record<keyof typeof documents, Awaited<ReturnType<typeof startStandIn>>>
  > = {}
  const words = (name: keyof typeof documents, operation: string): string[] => [
    'call',
    join(repository, 'demo', documents[name]),
    operation,
    '--ask',
    '--url',
    standIns[name]?.service ?? '',
  ]
  const ask = (
    name: keyof typeof documents,
    operation: string,
    lines: readonly string[],
    ...further: string[]
  ): Promise<Ran> =>
    tolmach(folder, [...words(name, operation), ...further], {
      input: lines.map((line) => `${line}\n`).join(''),
    })
  beforeAll(async () => {
    folder = await freshFolder()
    for (const [name, document] of Object.entries(documents))
      standIns[name as keyof typeof documents] = await startStandIn(document)
  })
  afterAll(() => Object.values(standIns).forEach((standIn) => standIn.stop()))

  test('through a pipe: types, rules and documentation are told; what was given last is kept; it asks until q', async () => {
    const { code, stdout, stderr } = await ask(
      'berths',
      'quoteDues',
      ['', '?', 'BKM-114', 'three', '3', 'HALF', '', '', '7', '-', 'q'],
      '--format',
      'json',
    )
    expect(code).toBe(0)
    // Two answers, the second with other nights and without a tide.
    expect(stdout.match(/"Amount": "[\d.]+"/g)).toHaveLength(6 + 2)
    expect(stdout).toContain('Berth O-2, 3 nights')
    expect(stdout).toContain('7 nights')
    for (const told of [
      'Vessel (CallSign, required, matching `[A-Z]{3}-\\d{3}`): ?',
      "The vessel's call sign.",
      'it must be there',
      'it must be a number',
      'Tide (Tide, any | half | high water): HALF',
      'Vessel (CallSign, required, matching `[A-Z]{3}-\\d{3}`) [BKM-114]: ',
      'Nights (int32, required, 1 to 60) [3]: 7',
      'Tide (Tide, any | half | high water) [half]: -',
    ])
      expect(stderr).toContain(told)
  })

  test("an input that is refused is asked for again with what was given; the last call's exit code is the program's", async () => {
    const { code, stderr } = await ask(
      'berths',
      'quoteDues',
      ['70', '', '', '4', '', 'q'].flatMap((line, at) => (at === 0 ? ['', line] : [line])),
      '--with',
      'Vessel=BKM-114',
    )
    expect(stderr).toContain('Vessel (CallSign, required, matching `[A-Z]{3}-\\d{3}`) [BKM-114]: ')
    expect(stderr).toContain('Nights: must be at most 60, is 70')
    expect(code).toBe(2)
    expect((await ask('berths', 'quoteDues', ['', '4', ''], '--with', 'Vessel=BKM-114')).code).toBe(
      0,
    )
  })

  test('records are asked for field by field, optional ones when they are opened; lists with commas', async () => {
    const lines = ['BRK-0715', 'Søren', '', '2', '+', 'car', 'BK 77', '', '', '', '']
    const { code, stdout, stderr } = await ask('ferries', 'bookings.create', lines, '--json')
    expect({ code, told: stderr }).toMatchObject({
      told: expect.stringContaining('body.vehicle') as unknown,
    })
    expect(stdout + stderr).toMatch(/Søren/)
  })

  test('null is null where it may be; in quotes it is a text; a row of a file says it the same way', async () => {
    const sent: unknown[] = []
    const server = await startServer((_, response, body) => {
      sent.push(JSON.parse(body))
      response.setHeader('content-type', 'application/json')
      response.end('{}')
    })
    const kind = (type: string, more = {}): object => ({ type: [type, 'null'], ...more })
    const properties = {
      number: kind('integer'),
      text: kind('string'),
      list: kind('array', { items: { type: 'integer' } }),
      plain: { type: 'string' },
    }
    const schema = { type: 'object', required: Object.keys(properties), properties }
    const description = {
      openapi: '3.1.0',
      info: { title: 'Notes', version: '1' },
      paths: {
        '/notes': {
          post: {
            operationId: 'note',
            requestBody: { required: true, content: { 'application/json': { schema } } },
            responses: { 200: { description: '', content: { 'application/json': {} } } },
          },
        },
      },
    }
    await writeFile(join(folder, 'notes.json'), JSON.stringify(description))
    await writeFile(
      join(folder, 'notes.csv'),
      'number,text,list,plain\nnull,"""null""",null,null\n',
    )
    const call = ['call', 'notes.json', 'note', '--url', server.url]
    const asked = await tolmach(folder, [...call, '--ask'], {
      input: ['null', '"null"', 'null', 'null', 'q', ''].join('\n'),
    })
    const columns = Object.keys(properties).map((name) => `body.${name}=${name}`)
    const rows = await tolmach(folder, [...call, '--each', 'notes.csv', '--fill', columns.join()])
    await server.stop()
    expect([asked.code, rows.code]).toEqual([0, 0])
    const meant = { number: null, text: 'null', list: null, plain: 'null' }
    expect(sent).toEqual([meant, meant])
  })

  test('of an OData service', async () => {
    const { code, stdout, stderr } = await ask('registry', 'FeeFor', [
      'Tug',
      '12.50',
      '',
      'Submarine',
      'q',
    ])
    expect({ code, stdout }).toEqual({
      code: 0,
      stdout: expect.stringMatching(/^\d+\.\d+\n$/) as unknown,
    })
    expect(stderr).toMatch(/it must be one of Coaster/)
  })

  ;(hasTerminal ? test : test.skip)(
    'at a terminal: what is typed is seen once; Ctrl-D ends it, and so does Ctrl-C',
    async () => {
      const talk = [
        ['Vessel (', 'BKM-114\r'],
        ['Nights (', '3\r'],
        ['Tide (', '\r'],
        ['Again?', '\r'],
        ['[BKM-114]: ', '\r'],
        ['[3]: ', '9\r'],
        ['Tide (', '\r'],
        ['Again?', '\u0004'],
      ] as const
      const { code, screen } = await atTerminal(folder, words('berths', 'quoteDues'), talk)
      expect({ code, screen }).toEqual({
        code: 0,
        screen: expect.stringMatching(
          /1250\.50[\s\S]*Berth O-2, 3 nights[\s\S]*3120\.00[\s\S]*by the season/,
        ) as unknown,
      })
      expect(screen.match(/BKM-114/g)?.length).toBeLessThanOrEqual(4)
      expect(
        await atTerminal(folder, words('berths', 'quoteDues'), [['Vessel (', '\u0003']]),
      ).toMatchObject({ code: 0 })
    },
  )
})

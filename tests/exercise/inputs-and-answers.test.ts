import { laidOut } from '../../src/exercise/documents-in-text.js'
import { describe, expect, test } from '@jest/globals'
import { ExactNumber, fromPlain, fromText } from '../../src/contract/plain.js'
import { matchName, nearestAdvice, nearestNames } from '../../src/contract/nearest.js'
import { readSource } from '../../src/app/contracts/read-source.js'
import { printable, problem } from '../../src/contract/problem.js'
import type { InputField, Operation, ScalarBase, Type } from '../../src/contract/contract.js'
import { parseAssignment, parseInput, parsePath, readInput } from '../../src/exercise/input.js'
import { base64ToBytes, bytesToBase64, toPlain } from '../../src/runtime/plain.js'
import { operationNamed, readFixture } from '../support/contracts.js'
import { readText } from '../support/descriptions.js'

const { contract } = await readFixture('demo/berths/desk.wsdl')
const origin = 0
const scalar = (base: ScalarBase): Type => ({ kind: 'scalar', base, format: '' })

const withNulls = `
openapi: 3.1.0
info: { title: Nulls, version: '1' }
paths:
  /a:
    post:
      operationId: tell
      requestBody: { content: { application/json: { schema: { $ref: '#/components/schemas/Part' } } } }
      responses: { '200': { description: d } }
components:
  schemas:
    Part:
      type: object
      properties:
        Remark: { type: [string, 'null'] }
        Name: { type: string }
        Any: {}
        Open: { type: object, properties: { a: { type: string } }, additionalProperties: true }
        Weights: { type: array, items: { type: [number, 'null'] } }
`

describe('inputs', () => {
  test.each([
    [
      'XML Schema',
      'demo/berths/desk.wsdl',
      'reserveBerth',
      'Reservation.Vessel',
      'Draught',
      'Name',
    ],
    ['OData', 'demo/registry/registry.xml', 'Vessels.update', 'body', 'OwnerNumber', 'Name'],
    ['OpenAPI', withNulls, 'tell', 'body', 'Remark', 'Name'],
    ['OpenAPI, anything', withNulls, 'tell', 'body', 'Any', 'Name'],
    ['OpenAPI, an item', withNulls, 'tell', 'body', 'Weights[0]', 'Name'],
  ])(
    'null at the prompt is null where null may stand, and its text is written "null": %s',
    async (_dialect, metadata, name, owner, nullable, other) => {
      const { contract } = metadata.includes('\n')
        ? await readText('nulls.yaml', metadata)
        : { contract: await readSource(metadata, 'api').then((read) => read.contract) }
      const read = (assignment: string): Promise<unknown> =>
        readInput(
          contract,
          operationNamed(contract, name),
          {},
          [parseAssignment(`${owner}.${assignment}`)],
          () => Promise.reject(new Error('no file')),
        )
      const member = nullable.replace('[0]', '')
      const inOwner = (value: object): object =>
        owner.split('.').reduceRight<object>((inner, step) => ({ [step]: inner }), value)
      const shape = (value: unknown): unknown => (member === nullable ? value : [value])
      expect(await read(`${nullable}=null`)).toEqual(inOwner({ [member]: shape(null) }))
      expect(await read(`${other}=null`)).toEqual(inOwner({ [other]: 'null' }))
      expect(await read(`${nullable}="null"`)).toEqual(inOwner({ [member]: shape('null') }))
    },
  )

  test('JSON and YAML keep every digit until the type is known', async () => {
    const json = await parseInput(
      '{"a": 9007199254740993, "b": 1.10, "c": 1e2, "d": "1.10", "e": null, "f": [true]}',
      'x',
    )
    const yaml = await parseInput(
      'a: 9007199254740993\nb: 1.10\nc: 1e2\nd: "1.10"\ne: null\nf:\n  - true\n',
      'x',
    )
    expect(yaml).toEqual(json)
    expect(json).toEqual({
      a: new ExactNumber('9007199254740993'),
      b: new ExactNumber('1.10'),
      c: new ExactNumber('1e2'),
      d: '1.10',
      e: null,
      f: [true],
    })
    expect(await parseInput('day: 2026-11-23\nno: on\n', 'x')).toEqual({
      day: '2026-11-23',
      no: 'on',
    })
    await expect(parseInput('{"a": 1, "a": 2}', 'in.json')).rejects.toMatchObject({
      code: 'TM-1009',
      place: { document: 'in.json', line: 1 },
    })
    await expect(parseInput('a: &x [1]\nb: *x', 'x')).rejects.toMatchObject({ code: 'TM-1009' })
  })

  test.each([
    ['{"body":{"Any":[{"a":1.23456789012345678901}]}}', 'body.Any[0].a'],
    ['{"body":{"Any":1e400}}', 'body.Any'],
    ['{"body":{"Open":{"b":0.12345678901234567890}}}', 'body.Open.b'],
    [
      '{"body":{"Any":[9007199254740993,-0.0,1.50,1e3,0.1],"Weights":[1.23456789012345678901]}}',
      undefined,
    ],
  ])(
    '%s: digits that would be lost where nobody says what they are are refused',
    async (text, path) => {
      const { contract: nulls } = await readText('api.yaml', withNulls)
      const plain = await parseInput(text, 'x')
      const none = (): Promise<never> => Promise.reject(new Error('no file'))
      const read = readInput(nulls, operationNamed(nulls, 'tell'), plain, [], none)
      if (path === undefined)
        await expect(read).resolves.toMatchObject({
          body: {
            Any: [9007199254740993n, -0, 1.5, 1000, 0.1],
            Weights: [Number('1.23456789012345678901')],
          },
        })
      else
        await expect(read).rejects.toMatchObject({
          code: 'TM-1035',
          message: expect.stringContaining(`${path} is `) as unknown,
        })
    },
  )

  test.each<[ScalarBase, unknown, unknown]>([
    ['int64', new ExactNumber('9007199254740993'), 9007199254740993n],
    ['int64', '-5', -5n],
    ['int64', new ExactNumber('1.5'), 1.5],
    ['decimal', new ExactNumber('1.10'), '1.10'],
    ['decimal', '1.10', '1.10'],
    ['int32', new ExactNumber('7'), 7],
    ['int32', '7', '7'],
    ['bytes', 'AP8=', Uint8Array.of(0, 255)],
    ['bytes', 'not base64', 'not base64'],
    ['double', 'INF', Infinity],
    ['double', new ExactNumber('1e2'), 100],
    ['text', new ExactNumber('5'), 5],
    ['boolean', true, true],
  ])('a plain value for %s: %j', (base, plain, typed) =>
    expect(fromPlain(contract, scalar(base), plain)).toEqual(typed),
  )

  test.each<[ScalarBase, string, unknown]>([
    ['int32', '7', 7],
    ['int32', 'seven', 'seven'],
    ['boolean', 'true', true],
    ['boolean', 'yes', 'yes'],
    ['decimal', '1.10', '1.10'],
    ['text', '5', '5'],
    ['int64', '5', 5n],
    ['date', '2026-11-23', '2026-11-23'],
  ])('a text at the prompt for %s: %s', (base, text, typed) =>
    expect(fromText(contract, scalar(base), text)).toEqual(typed),
  )

  test('--with goes to any place, on top of the input, read by the type there', async () => {
    const operation = operationNamed(contract, 'reserveBerth')
    const plain = await parseInput(
      '{"Reservation": {"Berth": "N-1", "Vessel": {"$is": "Tug", "BollardPull": 40}, "Service": ["water"]}}',
      'x',
    )
    const words = [
      'Reservation.Nights=3',
      'Reservation.Vessel.Draught=3.10',
      'Reservation.Vessel.Name=12',
      'Reservation.Service[1]=pilot',
      'Reservation.Remark={"$text": "hi"}',
      'headers.DeskKey.Key=7',
      'Odd.Place=x',
    ]
    const input = await readInput(contract, operation, plain, words.map(parseAssignment), () =>
      Promise.reject(new Error('no files')),
    )
    expect(input).toEqual({
      Reservation: {
        Berth: 'N-1',
        Vessel: { $is: 'Tug', BollardPull: 40, Draught: '3.10', Name: '12' },
        Service: ['water', 'pilot'],
        Nights: 3,
        Remark: { $text: 'hi' },
      },
      Odd: { Place: 'x' },
      headers: { DeskKey: { Key: '7' } },
    })
    expect(parsePath('a[2][0].b c.d')).toEqual(['a', 2, 0, 'b c', 'd'])
    expect(() => parseAssignment('Vessel')).toThrow('is not <path>=<value>')
    const odd: Operation = {
      ...operation,
      inputs: ['filter[x]', 'a.b'].map((name) => ({
        name,
        type: { kind: 'list', item: scalar('int32'), origin },
        optional: true,
        nullable: false,
        place: 'query',
        origin,
      })),
    }
    expect(
      await readInput(
        contract,
        odd,
        undefined,
        ['filter[x]=[1]', 'filter[x][1]=2', 'a.b=[3]'].map(parseAssignment),
        () => Promise.reject(new Error()),
      ),
    ).toEqual({ 'filter[x]': [1, 2], 'a.b': [3] })
    const open: Operation = {
      ...operation,
      inputs: [
        ['counts', { kind: 'map', value: scalar('int64'), origin }],
        ['free', { kind: 'map', value: { kind: 'anything', origin }, origin }],
      ].map(([name, type]) => ({
        name: name as string,
        type: type as Type,
        optional: true,
        nullable: false,
        place: 'query',
        origin,
      })),
    }
    expect(
      await readInput(
        contract,
        open,
        undefined,
        ['counts.a=5', 'free.b={"of": "x", "n": [1]}', 'free.c.d=word', 'free.e[0].f=7'].map(
          parseAssignment,
        ),
        () => Promise.reject(new Error()),
      ),
    ).toEqual({
      counts: { a: 5n },
      free: { b: { of: 'x', n: [1] }, c: { d: 'word' }, e: [{ f: 7 }] },
    })
    const polluted = await readInput(
      contract,
      operation,
      undefined,
      [parseAssignment('__proto__.polluted=1')],
      () => Promise.reject(new Error()),
    )
    expect(Object.hasOwn(polluted, '__proto__')).toBe(true)
    expect(({} as Record<string, unknown>)['polluted']).toBeUndefined()
  })

  test('a record that stands where any may is read by the type that it says it is of', async () => {
    const operation = operationNamed(contract, 'reserveBerth')
    const [vessel] = operation.inputs
    const any: Operation = {
      ...operation,
      inputs: [
        {
          ...(vessel as InputField),
          name: 'any',
          type: { kind: 'fragment', mayBeRecord: true },
        },
      ],
    }
    const tug = '{"$is": "Tug", "Draught": 3.10, "Odd": 9007199254740993}'
    const read = { $is: 'Tug', Draught: '3.10', Odd: 9007199254740993n }
    const input = async (text: string, ...words: string[]): Promise<unknown> =>
      readInput(contract, any, await parseInput(text, 'x'), words.map(parseAssignment), () =>
        Promise.resolve(Uint8Array.of(1)),
      )
    expect(await input(`{"any": [${tug}, 3]}`)).toEqual({ any: [read, 3] })
    const words = ['any.$is=Tug', 'any.Draught=3.0', 'any.Name=12', 'any.BollardPull=40']
    expect(await input('{}', ...words)).toEqual({
      any: { $is: 'Tug', Draught: '3.0', Name: '12', BollardPull: 40 },
    })
    expect(await input('{"any": {"$is": "Nobody", "Draught": 3.5}}')).toEqual({
      any: { $is: 'Nobody', Draught: 3.5 },
    })
  })
})

describe('answers', () => {
  test('plain JSON of anything', () => {
    expect(
      toPlain({
        a: 5n,
        b: Uint8Array.of(1),
        c: undefined,
        d: [NaN, -Infinity, 1.5],
        e: null,
        f: new Date(0),
      }),
    ).toEqual({
      a: '5',
      b: 'AQ==',
      d: ['NaN', '-INF', 1.5],
      e: null,
      f: '1970-01-01T00:00:00.000Z',
    })
    const many = Uint8Array.from({ length: 100_000 }, (_, at) => at % 256)
    expect(base64ToBytes(bytesToBase64(many))).toEqual(many)
    expect(bytesToBase64(many)).toBe(Buffer.from(many).toString('base64'))
    expect(() => base64ToBytes('a')).toThrow('not base64')
  })
})

describe('names and messages', () => {
  test('names are matched exactly, then ignoring case; else the nearest are offered', () => {
    expect([
      matchName('a', ['A', 'a']),
      matchName('B', ['b']),
      matchName('c', ['C', 'ç']),
      matchName('D', ['d', 'Dd', 'D ']),
    ]).toEqual(['a', 'b', 'C', 'd'])
    expect(matchName('x', ['X', 'x '])).toBe('X')
    expect(nearestNames('listBirths', ['listBerths', 'getBerth', 'quoteDues'])).toEqual([
      'listBerths',
      'getBerth',
    ])
    expect(nearestAdvice('zzz', ['a', 'b'])).toBe('There are: "a", "b".')
  })

  test("what a document says can't play with the terminal", () => {
    expect(printable('a\u001b[31mred\u202e\u0007\nb')).toBe('a\\u001b[31mred\\u202e\\u0007\nb')
    expect(problem('TM-1006', { name: '\u001b[2J' }).message).not.toContain('\u001b')
  })
})

describe('a document inside of a text', () => {
  test.each([
    ['XML', '<a><b>1</b></a>', '<a>\n  <b>1</b>\n</a>'],
    ['XML that is not well-formed, as it is', '<a><b></a>', '<a><b></a>'],
    [
      'JSON, with every digit',
      '{"n":12345678901234567890,"l":[1.10]}',
      '{\n  "n": 12345678901234567890,\n  "l": [\n    1.10\n  ]\n}',
    ],
    ['broken JSON, as it is', '{"n":', '{"n":'],
    ['any other text', 'a < b', 'a < b'],
  ])('%s', async (_what, text, shown) => {
    expect(await laidOut(text)).toBe(shown)
  })
})

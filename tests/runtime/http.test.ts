import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { text } from 'node:stream/consumers'
import { describe, expect, test } from '@jest/globals'
import type { Connection, Settings } from '../../src/runtime/connection.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'
import { ContractBreach, ServiceFault, type Deviation } from '../../src/runtime/failures.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { form as formFormat } from '../../src/runtime/http/forms.js'
import {
  checkInput,
  readAnswer,
  sendAnd,
  writeBody,
  writeParameters,
  type AnyHttpOperation,
} from '../../src/runtime/http/http.js'
import { multipart } from '../../src/runtime/http/multipart.js'
import { checkJson, fromJson, toJson } from '../../src/runtime/http/json.js'
import type { AnyJsonRef } from '../../src/runtime/http/json-codec.js'
import * as json from '../../src/runtime/json/values.js'
import { inPath, inQuery, type Style, type Written } from '../../src/runtime/http/parameters.js'

const origin = 'http://h'

function connectionTo(address: string, settings: Settings = {}): Connection {
  const endpoints = { quay: { address, protocol: 'HTTP' } }
  return { settings, endpoints, closed: new AbortController() }
}

describe('parameters, by the table of OpenAPI 3.1, section 4.8.12.5', () => {
  const array = ['blue', 'black', 'brown']
  const object = { R: '100', G: '200', B: '150' }

  test.each<[Style, boolean, string, string, string, string]>([
    [
      'matrix',
      false,
      ';color',
      ';color=blue',
      ';color=blue,black,brown',
      ';color=R,100,G,200,B,150',
    ],
    [
      'matrix',
      true,
      ';color',
      ';color=blue',
      ';color=blue;color=black;color=brown',
      ';R=100;G=200;B=150',
    ],
    ['label', false, '.', '.blue', '.blue,black,brown', '.R,100,G,200,B,150'],
    ['label', true, '.', '.blue', '.blue.black.brown', '.R=100.G=200.B=150'],
    ['simple', false, '', 'blue', 'blue,black,brown', 'R,100,G,200,B,150'],
    ['simple', true, '', 'blue', 'blue,black,brown', 'R=100,G=200,B=150'],
  ])('in a path: %s, explode %s', (style, explode, empty, text, list, members) => {
    expect(
      ['', 'blue', array, object].map((value) => inPath('color', value, style, explode)),
    ).toEqual([empty, text, list, members])
  })

  test.each<[Style, boolean, Written, string]>([
    ['form', false, '', 'color='],
    ['form', false, 'blue', 'color=blue'],
    ['form', false, array, 'color=blue,black,brown'],
    ['form', false, object, 'color=R,100,G,200,B,150'],
    ['form', true, array, 'color=blue&color=black&color=brown'],
    ['form', true, object, 'R=100&G=200&B=150'],
    ['spaceDelimited', false, array, 'color=blue%20black%20brown'],
    ['spaceDelimited', false, object, 'color=R%20100%20G%20200%20B%20150'],
    ['pipeDelimited', false, array, 'color=blue%7Cblack%7Cbrown'],
    ['pipeDelimited', false, object, 'color=R%7C100%7CG%7C200%7CB%7C150'],
    ['deepObject', true, object, 'color%5BR%5D=100&color%5BG%5D=200&color%5BB%5D=150'],
  ])('in a query: %s, explode %s, %j', (style, explode, value, written) => {
    expect(inQuery('color', value, style, explode)).toBe(written)
  })

  test('what is written is read back by the URL class as it was meant', () => {
    const nasty = "a b&c=d/e?f#g%20+é[x]!*'()👋"
    for (const value of [nasty, ''])
      expect(new URL(`${origin}/?${inQuery('p', value, 'form', true)}`).searchParams.get('p')).toBe(
        value,
      )
    expect(
      new URL(`${origin}/?${inQuery('p', [nasty, 'x'], 'form', true)}`).searchParams.getAll('p'),
    ).toEqual([nasty, 'x'])
    expect([
      ...new URL(`${origin}/?${inQuery('p', { [nasty]: nasty }, 'deepObject', true)}`).searchParams,
    ]).toEqual([[`p[${nasty}]`, nasty]])
    const path = new URL(`${origin}/${inPath('p', nasty, 'simple', false)}/end`).pathname
    expect(path.split('/')).toHaveLength(3)
    expect(decodeURIComponent(path.split('/')[1] ?? '')).toBe(nasty)
    expect(inQuery('p', '/a?b', 'form', true, true)).toBe('p=/a?b')
  })

  test('a whole request: path, query, headers, cookies, a key', () => {
    const operation: AnyHttpOperation = {
      name: 'x',
      method: 'GET',
      path: '/v/{number}/{name}',
      answers: {},
      parameters: {
        number: { in: 'path', is: json.int64 },
        name: { in: 'path', is: json.text },
        ids: {
          in: 'query',
          is: { items: json.int32 },
          optional: true,
          style: 'pipeDelimited',
          explode: false,
        },
        filter: { in: 'query', is: json.anything, optional: true, json: true },
        'X-Day': { in: 'header', is: json.date, optional: true },
        session: { in: 'cookie', is: json.text, optional: true },
        name_: { in: 'query', name: 'name', is: json.text, optional: true },
      },
    }
    const input = {
      number: 9007199254740993n,
      name: 'a/b',
      ids: [1, 2],
      filter: { a: [1] },
      'X-Day': '2026-11-23',
      session: 's 1',
      name_: 'q',
    }
    expect(checkInput(operation, input)).toEqual([])
    expect(writeParameters(operation, input, { query: ['k=v%26'], cookies: [] })).toEqual({
      target: '/v/9007199254740993/a%2Fb?ids=1%7C2&filter=%7B%22a%22%3A%5B1%5D%7D&name=q&k=v%26',
      headers: { 'x-day': '2026-11-23', cookie: 'session=s%201' },
    })
  })
})

describe('bodies', () => {
  test("JSON keeps every digit; forms and multipart are what the platform's own readers read", async () => {
    const codec: AnyJsonRef = {
      members: {
        id: { is: json.int64 },
        price: { is: json.decimal },
        text: { is: json.decimalText, optional: true },
        tags: { is: { items: json.text }, optional: true },
        file: { is: json.base64, optional: true },
      },
    }
    expect(
      writeBody(
        { type: 'application/json', is: codec },
        { id: 9007199254740993n, price: '1.10', text: '2.50', file: Uint8Array.of(1, 2) },
      ).content,
    ).toBe('{"id":9007199254740993,"price":1.10,"text":"2.50","file":"AQI="}')
    const form = writeBody(
      { type: 'application/x-www-form-urlencoded', is: codec, format: formFormat },
      { id: 5n, price: '1.10', tags: ['a b', 'ü&='] },
    ).content as string
    expect([...new URLSearchParams(form)]).toEqual([
      ['id', '5'],
      ['price', '1.10'],
      ['tags', 'a b'],
      ['tags', 'ü&='],
    ])
    const { type, content } = writeBody(
      { type: 'multipart/form-data', is: codec, format: multipart },
      { id: 5n, price: '1.10', tags: ['x', 'é"\r\n'], file: Uint8Array.of(0, 255, 13, 10) },
    )
    const read = await new Response((content as Uint8Array).slice(), {
      headers: { 'content-type': type },
    }).formData()
    expect([read.get('id'), read.get('price'), read.getAll('tags')]).toEqual([
      '5',
      '1.10',
      ['x', 'é"\r\n'],
    ])
    expect(new Uint8Array(await (read.get('file') as File).arrayBuffer())).toEqual(
      Uint8Array.of(0, 255, 13, 10),
    )
  })
})

describe('answers, written by hand', () => {
  const { text } = json
  const vessel: AnyJsonRef = {
    members: {
      id: { is: json.int64 },
      name: { is: json.text },
      price: { is: json.decimal, optional: true },
      note: { is: json.text, optional: true, nullable: true },
      kind: { is: { literals: ['tug', 'ferry'] }, optional: true },
    },
  }
  const operation: AnyHttpOperation = {
    name: 'x',
    method: 'GET',
    path: '/',
    parse: exactJson,
    answers: {
      '200': { type: 'application/json', is: vessel },
      '2XX': { type: 'application/json', is: { items: vessel } },
      '204': {},
    },
    faults: {
      '404': { type: 'application/json', is: { members: { message: { is: json.text } } } },
      default: {
        type: 'application/problem+json',
        is: { members: { title: { is: json.text } }, open: true },
      },
    },
  }
  const read = (
    status: number,
    body: string,
    type = 'application/json',
    of = operation,
  ): { value: unknown; deviations: string[] } => {
    const deviations: Deviation[] = []
    const value = readAnswer(
      of,
      { status, headers: { 'content-type': type }, body: new TextEncoder().encode(body) },
      (each) => deviations.push(each),
    )
    return { value, deviations: deviations.map(({ path, message }) => `${path} ${message}`) }
  }
  const caught = (...parameters: Parameters<typeof read>): unknown => {
    try {
      return read(...parameters)
    } catch (error) {
      return error
    }
  }

  test('numbers and digits as text mean the same; what is unknown survives', () => {
    expect(
      read(200, '{"id": 9007199254740993, "name": "é", "price": 1250.50, "note": null}'),
    ).toEqual({
      value: { id: 9007199254740993n, name: 'é', price: '1250.50', note: null },
      deviations: [],
    })
    expect(read(200, '{"id": "9007199254740993", "name": "x", "price": "1.10"}').value).toEqual({
      id: 9007199254740993n,
      name: 'x',
      price: '1.10',
    })
    expect(read(200, '{"id": 1, "kind": "raft", "crane": {"lift": 4.0}, "price": 1e2}')).toEqual({
      value: { id: 1n, kind: 'raft', crane: { lift: 4 }, price: '1e2' },
      deviations: [
        'kind "raft" is not one of the contract\'s values',
        'crane is not in the contract',
        'name is missing',
      ],
    })
    expect(read(200, '{"id": 1, "name": null}').deviations).toEqual([
      'name is null, which the contract does not allow',
    ])
    expect(
      JSON.stringify(
        read(200, '{"id": 1, "name": "x", "__proto__": {"a": 1}}').value,
        (_, value: unknown) => (typeof value === 'bigint' ? 1 : value),
      ),
    ).toBe('{"id":1,"name":"x","__proto__":{"a":1}}')
  })

  test('by status: exact, range, and what was not promised', () => {
    expect(read(206, '[{"id": 1, "name": "x"}]').value).toEqual([{ id: 1n, name: 'x' }])
    expect(read(204, '').value).toBeUndefined()
    const { '2XX': _range, ...answers } = operation.answers
    expect(
      read(201, '{"id": 1, "name": "x"}', 'application/json', { ...operation, answers }),
    ).toEqual({
      value: { id: 1n, name: 'x' },
      deviations: ['status is 201, where the contract promised 200'],
    })
    expect(
      read(200, '{"id": 1, "name": "x"}', 'application/json', { ...operation, byStatus: true })
        .value,
    ).toEqual({ status: 200, body: { id: 1n, name: 'x' } })
  })

  test('null as a whole is a value where it may be, and else nothing, of a list no items', () => {
    const told = ' is null, where the contract promised a value'
    const nullable = {
      ...operation,
      answers: { 200: { ...operation.answers['200'], nullable: true } },
    }
    expect(read(200, 'null')).toEqual({ value: undefined, deviations: [told] })
    expect(read(206, 'null')).toEqual({ value: [], deviations: [told] })
    expect(read(206, '').value).toEqual([])
    expect(read(200, 'null', 'application/json', nullable)).toEqual({ value: null, deviations: [] })
  })

  test.each([
    ['text/plain', ' comes as text/plain, where application/json was asked for'],
    ['application/vnd.quay+json; charset=utf-8', undefined],
    ['', undefined],
  ])('an answer that comes as "%s" is read, and what was not asked for is told', (type, told) => {
    expect(read(200, '{"id": 1, "name": "x"}', type)).toEqual({
      value: { id: 1n, name: 'x' },
      deviations: told === undefined ? [] : [told],
    })
  })

  test.each([
    ['a text without quotes', text, 'M-12', 'M-12'],
    ['a text of digits', text, '0012', '0012'],
    ['a text in quotes', text, '"M-12"', 'M-12'],
    ['a list', { items: text }, '["M-12"]', ['M-12']],
    ['a number', json.double, '12', 12],
  ] as const)('%s that comes as text/plain is taken as it was meant', (_, is, body, value) => {
    const answers = { 200: { type: 'application/json', is } }
    expect(read(200, body, 'text/plain', { ...operation, answers })).toEqual({
      value,
      deviations: [' comes as text/plain, where application/json was asked for'],
    })
  })

  test.each([
    ['"-7"', json.int32, -7],
    ['"1.5e3"', json.double, 1500],
    ['"true"', json.boolean, true],
  ] as const)('%s where no text was promised: taken, and told', (body, is, value) => {
    const answers = { 200: { type: 'application/json', is } }
    expect(read(200, body, 'application/json', { ...operation, answers })).toEqual({
      value,
      deviations: [` is the text ${body}, where the contract promised ${is.simple}`],
    })
  })

  test('a picture is bytes, in XML too', () => {
    const answers = { 200: { type: 'image/svg+xml', is: json.base64 } }
    expect(read(200, '<svg/>', 'image/svg+xml', { ...operation, answers })).toEqual({
      value: new TextEncoder().encode('<svg/>'),
      deviations: [],
    })
  })

  test('what has not changed since is nothing, and told', () => {
    expect(read(304, '', '')).toEqual({
      value: undefined,
      deviations: ['status is 304: what was asked for has not changed'],
    })
  })

  test("what can't be represented is a breach", () => {
    for (const [body, place, came] of [
      ['<html><title>Hi</title></html>', '', 'an HTML page titled "Hi"'],
      ['{"id": 1', '', 'a body of type application/json: {"id": 1'],
      ['{"id": "x", "name": "y"}', 'id', '"x"'],
      ['[]', '', 'a list of 0'],
      ['{"id": 1.5, "name": "y"}', 'id', '1.5'],
    ] as const) {
      expect(caught(200, body)).toBeInstanceOf(ContractBreach)
      expect(caught(200, body)).toMatchObject({ place, came })
    }
  })

  test('faults: declared by status, by default, or not at all', () => {
    expect(caught(404, '{"message": "no such vessel"}')).toMatchObject({
      fault: '404',
      message: 'no such vessel',
      detail: { message: 'no such vessel' },
      status: 404,
      code: '404',
    })
    expect(caught(503, '{"title": "busy", "retry": 5}', 'application/problem+json')).toMatchObject({
      fault: 'default',
      message: 'busy',
      detail: { retry: 5 },
    })
    expect(caught(500, '<html><title>It broke</title></html>', 'text/html')).toMatchObject({
      fault: undefined,
      message: 'HTTP 500 with an HTML page titled "It broke"',
    })
    expect(caught(404, '')).toBeInstanceOf(ServiceFault)
  })
})

describe('unions and compositions', () => {
  const car: AnyJsonRef = { members: { kind: { is: json.text }, plate: { is: json.text } } }
  const lorry: AnyJsonRef = { allOf: [car, { members: { length: { is: json.decimal } } }] }
  const vehicle: AnyJsonRef = {
    oneOf: [() => car, () => lorry],
    by: { member: 'kind', when: { car: 0, lorry: 1 } },
  }
  const misfits = (codec: AnyJsonRef, value: unknown): string[] => {
    const found: { path: string; message: string }[] = []
    checkJson(codec, value, '', found)
    return found.map(({ path, message }) => `${path}: ${message}`)
  }
  const deviations: Deviation[] = []
  const read = (codec: AnyJsonRef, text: string): unknown =>
    fromJson(codec, exactJson(text), '', (each) => deviations.push(each))

  test('told apart by a member, or by what fits', () => {
    expect(read(vehicle, '{"kind": "lorry", "plate": "x", "length": 7.50}')).toEqual({
      kind: 'lorry',
      plate: 'x',
      length: '7.50',
    })
    expect(json.jsonText(toJson(vehicle, { kind: 'lorry', plate: 'x', length: '7.50' }))).toBe(
      '{"kind":"lorry","plate":"x","length":7.50}',
    )
    expect(misfits(vehicle, { kind: 'boat', plate: 'x' })).toEqual([
      'kind: expected one of "car", "lorry", got "boat"',
    ])
    expect(misfits(vehicle, { kind: 'lorry', plate: 'x', lenght: 1 })).toEqual([
      'length: is missing',
      'lenght: is not known here; is "length" meant?',
    ])
    const either: AnyJsonRef = {
      oneOf: [{ members: { id: { is: json.int64 } } }, json.text, { items: json.int32 }],
    }
    expect([
      read(either, '{"id": 9007199254740993}'),
      read(either, '"x"'),
      read(either, '[1, 2]'),
    ]).toEqual([{ id: 9007199254740993n }, 'x', [1, 2]])
    expect(misfits(either, [1, 2.5])).not.toEqual([])
    expect(deviations).toEqual([])
  })

  test('limits, formats and lists', () => {
    expect(
      misfits(
        { restricts: json.double, exclusiveMinimum: '0', maximum: '5', multipleOf: '0.1' },
        0.3,
      ),
    ).toEqual([])
    expect(misfits({ restricts: json.double, exclusiveMinimum: '0' }, 0)).toEqual([
      ': must be more than 0, is 0',
    ])
    expect(
      misfits({ items: json.date, min: 1, max: 2 }, ['2026-11-23', '2026-13-01', 'x']),
    ).toEqual([
      ': must have at most 2, has 3',
      '[1]: expected a date like 2026-11-23, got "2026-13-01"',
      '[2]: expected a date like 2026-11-23, got "x"',
    ])
    expect(misfits({ values: json.boolean }, { a: true, b: 1 })).toEqual([
      'b: expected true or false, got 1',
    ])
    for (const [codec, good, bad] of [
      [json.dateTime, '2026-11-23T14:30:00.5+01:00', '2026-11-23'],
      [json.time, '14:30:00Z', '25:00:00'],
      [json.duration, 'P3W', 'P'],
      [json.int32, 5, 2 ** 31],
      [json.integer, 5, 5.5],
    ] as const) {
      expect([misfits(codec, good), misfits(codec, bad).length]).toEqual([[], 1])
    }
  })
})

describe('a body that no answer promises', () => {
  const nothing: AnyHttpOperation = { name: 'n', method: 'GET', path: '/', answers: { '200': {} } }
  const read = (type: string, body: string): { value: unknown; told: string[] } => {
    const told: string[] = []
    const value = readAnswer(
      nothing,
      { status: 200, headers: { 'content-type': type }, body: new TextEncoder().encode(body) },
      ({ message }) => told.push(message),
    )
    return { value, told }
  }

  test.each([
    ['application/json', '{"a":9007199254740993}', { a: 9007199254740993n }],
    ['application/problem+json; charset=utf-8', '[1]', [1]],
    ['application/json', 'no JSON', 'no JSON'],
    ['text/plain', 'all well', 'all well'],
    ['application/pdf', '%P', Uint8Array.of(37, 80)],
  ])('is handed on as %s says, and told: %s', (type, body, value) => {
    const [essence = ''] = type.split(';')
    expect(read(type, body)).toEqual({
      value,
      told: [`has a body of ${essence}, where the contract declares none`],
    })
  })

  test('none is nothing', () => {
    expect(read('application/json', '')).toEqual({ value: undefined, told: [] })
  })
})

test('content that is described with 204 never comes, and nobody is told', () => {
  const told: string[] = []
  const answers = { '204': { type: 'application/json', is: json.text } }
  const value = readAnswer(
    { name: 'n', method: 'DELETE', path: '/', answers },
    { status: 204, headers: {}, body: new Uint8Array() },
    ({ message }) => told.push(message),
  )
  expect([value, told]).toEqual([undefined, []])
})

describe('what is more than the platform sends', () => {
  const search: AnyHttpOperation = {
    name: 'search',
    method: 'GET',
    path: '/search',
    body: { type: 'application/json', is: json.text },
    answers: { '200': { type: 'application/json', is: json.text } },
  }

  test.each(['a body with GET', 'a body with HEAD', 'TRACE'])(
    '%s is refused with the reason, and nothing is sent',
    async (what) => {
      const [method = ''] = what.split(' ').slice(-1)
      const connection = connectionTo('http://h')
      const call = sendAnd(connection, { ...search, method }, { body: 'tug' })
      await expect(call).rejects.toMatchObject({
        kind: 'unreachable',
        message: expect.stringContaining(`(${what})`),
      })
    },
  )

  test('and comes through where the transport can', async () => {
    const server = createServer((request, response) => {
      void text(request).then((body) => {
        response.setHeader('content-type', 'application/json')
        response.end(JSON.stringify(`${request.method ?? ''} ${body}`))
      })
    })
    await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening))
    const { port } = server.address() as AddressInfo
    const connection = connectionTo(`http://127.0.0.1:${port}`, { fetch: nodeTransport() })
    expect(await sendAnd(connection, search, { body: 'tug' })).toBe('GET "tug"')
    server.close()
  })
})

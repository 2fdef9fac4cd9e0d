import { describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { Connection, Exchange, Settings } from '../../src/runtime/connection.js'
import {
  ContractBreach,
  InputRejected,
  ServiceFault,
  type Deviation,
} from '../../src/runtime/failures.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import { jsonText } from '../../src/runtime/json/values.js'
import * as edm2 from '../../src/runtime/odata/edm2.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import type { EntityOperation } from '../../src/runtime/odata/input-checks.js'
import type { Restrictions } from '../../src/runtime/odata/restrictions.js'
import { invoke, type AnyInvocation } from '../../src/runtime/odata/invocations.js'
import { count, create, get, list, remove, replace, update } from '../../src/runtime/odata/odata.js'
import type { Protocol } from '../../src/runtime/odata/protocol.js'
import type { AnyStructure } from '../../src/runtime/odata/model.js'
import { readStructure, writeStructure } from '../../src/runtime/odata/structure.js'
import { v2, v3 } from '../../src/runtime/odata/v2.js'
import { v4 } from '../../src/runtime/odata/v4.js'

/**
 * Answers written by hand from the texts of the standards and from what services are known to send.
 */

const survey: AnyStructure = {
  type: 'Ns.Survey',
  keys: ['Id'],
  members: { Id: { is: edm4.int32 }, Passed: { is: edm4.boolean } },
}
const ship: AnyStructure = {
  type: 'Ns.Ship',
  is: 'Ship',
  keys: ['Number'],
  members: {
    Number: { is: edm4.int64, computed: true },
    Name: { is: { restricts: edm4.string, maxLength: 10 } },
    Length: { is: edm4.decimal, nullable: true },
    Tags: { is: edm4.string, many: true },
    Kind: { is: { enumeration: 'Ns.Kind', values: ['A', 'B'], flags: true }, optional: true },
    Surveys: { is: () => survey, many: true, navigation: true },
    Home: { is: edm4.string, immutable: true, nullable: true },
  },
  subtypes: () => [tug],
}
const tug: AnyStructure = {
  type: 'Ns.Tug',
  is: 'Tug',
  members: { Pull: { is: edm4.double } },
  base: () => ship,
}

interface Asked {
  readonly method: string
  readonly url: string
  readonly headers: Record<string, string>
  readonly body: string
}

/** A connection to a service that answers one thing after the other, and what it was asked. */
function service(
  answers: readonly (
    string | { status?: number; headers?: Record<string, string>; body?: string }
  )[],
  more: Partial<Settings> = {},
): { connection: Connection; asked: Asked[]; deviations: Deviation[] } {
  const asked: Asked[] = []
  const deviations: Deviation[] = []
  const waiting = [...answers]
  const fetching: typeof fetch = (url, init) => {
    asked.push({
      method: init?.method ?? '',
      url: String(url),
      headers: init?.headers as Record<string, string>,
      body: typeof init?.body === 'string' ? init.body : '',
    })
    const answer = waiting.shift() ?? ''
    const {
      status = 200,
      headers = {},
      body = '',
    } = typeof answer === 'string' ? { body: answer } : answer
    return Promise.resolve(
      new Response([204, 304].includes(status) ? null : body, {
        status,
        headers: { 'content-type': 'application/json', ...headers },
      }),
    )
  }
  const settings: Settings = {
    url: 'https://outside.example/gate/ships/',
    fetch: fetching,
    onDeviation: (each) => deviations.push(each),
    ...more,
  }
  return {
    connection: { settings, endpoints: {}, closed: new AbortController() },
    asked,
    deviations,
  }
}

const ships: EntityOperation = {
  name: 'Ships.list',
  path: 'Ships',
  of: ship,
  protocol: v4,
  parse: exactJson,
}
const one =
  '{"@odata.context":"$metadata#Ships/$entity","@odata.etag":"W/\\"1\\"","Number":"9007199254740993","Name":"a","Length":"12.50","Tags":[],"Kind":"A, B","Home":null}'

describe('answers of version 4 (JSON Format 4.01)', () => {
  test('numbers and texts for 64-bit integers and decimals, with every digit (section 3.2 and 7.1)', async () => {
    for (const body of [
      one,
      one.replace('"9007199254740993"', '9007199254740993').replace('"12.50"', '12.50'),
    ]) {
      const { connection, asked, deviations } = service([body])
      expect(await get(connection, ships, { key: 9007199254740993n })).toEqual({
        $is: 'Ship',
        $etag: 'W/"1"',
        Number: 9007199254740993n,
        Name: 'a',
        Length: '12.50',
        Tags: [],
        Kind: ['A', 'B'],
        Home: null,
      })
      expect(asked[0]).toMatchObject({
        method: 'GET',
        url: 'https://outside.example/gate/ships/Ships(9007199254740993)',
        headers: {
          accept: 'application/json;odata.metadata=minimal;IEEE754Compatible=true',
          'odata-maxversion': '4.0',
        },
      })
      expect(deviations).toEqual([])
    }
  })

  test('subtypes are told by @odata.type, with or without its prefix; annotations are no properties (sections 4.5 and 4.6)', async () => {
    const tugs = `{"value":[{"@odata.type":"#Ns.Tug","Number":1,"Name":"t","Length":null,"Tags":["x"],"Kind":"","Home":null,"Pull":1.5,"Surveys@odata.navigationLink":"x","@odata.editLink":"y"},
      {"@type":"https://outside.example/$metadata#Ns.Tug","@etag":"e","Number":2,"Name":"u","Length":0,"Tags":[],"Kind":"B","Home":"h","Pull":"INF","@Ns.Seen":true},{"@odata.type":"#Ns.Raft","Number":3,"Name":"r","Length":null,"Tags":null,"Kind":"C","Home":null,"Extra":1}]}`
    const { connection, deviations } = service([tugs])
    expect(await list(connection, ships).all()).toEqual([
      {
        $is: 'Tug',
        Number: 1n,
        Name: 't',
        Length: null,
        Tags: ['x'],
        Kind: [],
        Home: null,
        Pull: 1.5,
      },
      {
        $is: 'Tug',
        $etag: 'e',
        Number: 2n,
        Name: 'u',
        Length: '0',
        Tags: [],
        Kind: ['B'],
        Home: 'h',
        Pull: Infinity,
        '@Ns.Seen': true,
      },
      {
        $is: 'Ship',
        Number: 3n,
        Name: 'r',
        Length: null,
        Tags: [],
        Kind: ['C'],
        Home: null,
        Extra: 1,
      },
    ])
    expect(deviations.map(({ path, message }) => `${path} ${message}`)).toEqual([
      '[2] is of the type Ns.Raft, which is no kind of Ns.Ship',
      '[2].Tags is null, where the contract has a collection; it is taken for an empty one',
      '[2].Kind "C" is not one of the contract\'s values',
      '[2].Extra is not in the contract',
    ])
  })

  test('pages follow each other, on our host whatever the links say (Protocol, section 11.2.6.7)', async () => {
    const page = (number: number, next?: string): string =>
      `{"@odata.count":"3","value":[{"Number":"${number}","Name":"n","Length":null,"Tags":[],"Kind":"","Home":null}]${next === undefined ? '' : `,"@odata.nextLink":"${next}"`}}`
    const { connection, asked } = service([
      page(1, 'Ships?$skiptoken=1'),
      page(2, 'http://internal:8080/ships/Ships?$skiptoken=2'),
      page(3),
    ])
    const found: bigint[] = []
    for await (const each of list<{ Number: bigint }>(connection, ships, { count: true }))
      found.push(each.Number)
    expect(found).toEqual([1n, 2n, 3n])
    expect(asked.map(({ url }) => url)).toEqual([
      'https://outside.example/gate/ships/Ships?$count=true',
      'https://outside.example/gate/ships/Ships?$skiptoken=1',
      'https://outside.example/gate/ships/Ships?$skiptoken=2',
    ])
  })

  test('one page at a time, continued later; a service that goes in a circle is a breach', async () => {
    const page = '{"value":[],"@odata.count":7,"@odata.nextLink":"Ships?p=2"}'
    const { connection, asked } = service([page, '{"value":[]}', page, page])
    const first = await list(connection, ships).page()
    expect(first).toEqual({
      rows: [],
      total: 7,
      next: 'https://outside.example/gate/ships/Ships?p=2',
    })
    expect(await list(connection, ships).page(first.next)).toEqual({ rows: [] })
    await expect(list(connection, ships).all()).rejects.toThrow('once more')
    expect(asked).toHaveLength(4)
  })

  test('what was not selected is not missed; what is missing otherwise is told', async () => {
    const partial = service([
      '{"value":[{"Name":"a"}]}',
      '{"value":[{"Name":"a"}]}',
      '{"value":[{"Number":"1","Name":"longer than ten","Length":null,"Tags":[],"Kind":"A","Home":null,"Surveys":[{"Id":1}],"Surveys@odata.nextLink":"x"}]}',
    ])
    await list(partial.connection, ships, { select: ['Name'] }).all()
    expect(partial.deviations).toEqual([])
    await list(partial.connection, ships).all()
    expect(partial.deviations.map(({ path }) => path)).toEqual([
      '[0].Number',
      '[0].Length',
      '[0].Tags',
      '[0].Kind',
      '[0].Home',
    ])
    partial.deviations.length = 0
    await list(partial.connection, ships, { expand: [{ Surveys: { select: 'Id' } }] }).all()
    expect(partial.deviations.map(({ path, message }) => `${path} ${message}`)).toEqual([
      '[0].Name must have at most 10 characters, has 15',
      '[0].Surveys is only the beginning; the service keeps the rest back',
    ])
  })

  test.each([
    ['{"value":{}}', 'a list'],
    ['<html><title>Login</title></html>', 'an HTML page titled "Login"'],
    ['{"value":[{"Number":"x","Name":"a"}]}', '[0].Number: promised was'],
    ['{"value":[5]}', '[0]: promised was an object'],
    ['{}', 'promised was a list'],
  ])('%s is a breach', async (body, words) => {
    const failure: unknown = await list(service([body]).connection, ships)
      .all()
      .catch((error: unknown) => error)
    expect(failure).toBeInstanceOf(ContractBreach)
    expect((failure as Error).message).toContain(words)
  })

  test('counting, with a byte-order mark or not', async () => {
    const { connection, asked } = service(['\uFEFF 12 ', 'twelve'])
    expect(await count(connection, ships, { filter: "Name eq 'a'" })).toBe(12)
    expect(asked[0]).toMatchObject({
      url: 'https://outside.example/gate/ships/Ships/$count?$filter=Name%20eq%20%27a%27',
      headers: { accept: 'text/plain, */*;q=0.1' },
    })
    await expect(count(connection, ships)).rejects.toThrow('promised was a number')
  })
})

describe('what services send that is not quite what they promised is taken, and told', () => {
  test.each([
    ['{"value":2}', 2],
    ['{"@odata.count":"7"}', 7],
  ])('a count as %s', async (body, number) => {
    const { connection, deviations } = service([body])
    expect(await count(connection, ships)).toBe(number)
    expect(deviations).toMatchObject([{ message: expect.stringContaining('is an object') }])
  })

  test.each(['{"value":SHIP}', '{"@odata.context":"x","value":[SHIP]}'])(
    'one entity wrapped as %s',
    async (wrapper) => {
      const { connection, deviations } = service([wrapper.replace('SHIP', one)])
      expect(await get(connection, ships, { key: 1n })).toMatchObject({ Name: 'a' })
      expect(deviations).toMatchObject([{ message: expect.stringContaining('is wrapped') }])
    },
  )

  test('an entity without its key, unless the query left it out', async () => {
    const { connection, deviations } = service([
      '{"value":[{"Name":"a"},{"Name":"b","Number":"1"}]}',
      '{"value":[{"Name":"a"}]}',
      '{"Name":"a"}',
    ])
    await list(connection, ships, { expand: [{ Surveys: { select: ['Passed'] } }] }).page()
    expect(deviations.map(({ path }) => path)).toEqual(['[0].Number'])
    await list(connection, ships, { select: ['Name'] }).page()
    expect(deviations).toHaveLength(1)
    await get(connection, ships, { key: 1n, select: ['Name', 'Number'] })
    expect(deviations.at(-1)).toMatchObject({ path: 'Number' })
  })

  test('bytes in either alphabet of base64, with or without padding', () => {
    for (const binary of [edm2.binary, edm4.binary])
      for (const text of ['-_8=', '-_8', '+/8=', '+/8'])
        expect(binary.read(text)).toEqual(new Uint8Array([0xfb, 0xff]))
  })
})

describe('writing', () => {
  test('an entity is created; a service that answers without it is asked for it (Protocol, section 11.4.2)', async () => {
    const { connection, asked } = service([
      { status: 201, body: one },
      { status: 204, headers: { location: 'http://internal/ships/Ships(1)' } },
      one,
      { status: 204 },
    ])
    const operation = { ...ships, name: 'Ships.create' }
    expect(
      await create(connection, operation, {
        body: { $is: 'Tug', Name: 'a', Length: '12.50', Tags: ['é'], Kind: ['A', 'B'], Pull: 2 },
      }),
    ).toMatchObject({ Number: 9007199254740993n })
    expect(asked[0]).toMatchObject({
      method: 'POST',
      headers: {
        'content-type': 'application/json;odata.metadata=minimal;IEEE754Compatible=true',
        'odata-version': '4.0',
      },
    })
    expect(JSON.parse(asked[0]?.body ?? '')).toEqual({
      '@odata.type': '#Ns.Tug',
      Name: 'a',
      Length: '12.50',
      Tags: ['é'],
      Kind: 'A,B',
      Pull: 2,
    })
    expect(await create(connection, operation, { body: { Name: 'a' } })).toMatchObject({
      Name: 'a',
    })
    expect(asked[2]).toMatchObject({
      method: 'GET',
      url: 'https://outside.example/gate/ships/Ships(1)',
    })
    await expect(create(connection, operation, { body: { Name: 'a' } })).rejects.toThrow(
      'promised was the entity that was created',
    )
  })

  test('changes, replacement and deletion, with ETags (Protocol, sections 11.4.1 to 11.4.5)', async () => {
    const { connection, asked } = service([
      { status: 204 },
      { body: one, headers: { etag: 'W/"9"' } },
      { status: 204 },
      { status: 412, body: '{"error":{"code":"","message":"changed"}}' },
    ])
    expect(
      await update(connection, ships, { key: 1n, body: { Length: null }, ifMatch: 'W/"1"' }),
    ).toBeUndefined()
    expect(asked[0]).toMatchObject({
      method: 'PATCH',
      body: '{"Length":null}',
      headers: { 'if-match': 'W/"1"', prefer: 'return=representation' },
    })
    expect(
      await replace(connection, ships, { key: 1n, body: { Name: 'b', Home: 'h' } }),
    ).toMatchObject({ $etag: 'W/"1"' })
    await remove(connection, ships, { key: 1n, ifMatch: '*' })
    expect(asked.map(({ method }) => method)).toEqual(['PATCH', 'PUT', 'DELETE'])
    const failure: unknown = await remove(connection, ships, { key: 1n }).catch(
      (error: unknown) => error,
    )
    expect(failure).toMatchObject({
      status: 412,
      code: '412',
      message: 'the entity was changed meanwhile, so that the ETag does not fit: changed',
    })
  })

  test('what has not changed since is nothing, where the caller said what there is (section 8.2.5)', async () => {
    const { connection, asked } = service([
      { status: 304, headers: { etag: 'W/"1"' } },
      { body: one },
    ])
    expect(await get(connection, ships, { key: 1n, ifNoneMatch: 'W/"1"' })).toBeUndefined()
    expect(asked[0]).toMatchObject({ method: 'GET', headers: { 'if-none-match': 'W/"1"' } })
    expect(await get(connection, ships, { key: 1n, ifNoneMatch: 'W/"0"' })).toMatchObject({
      $etag: 'W/"1"',
    })
    await expect(get(connection, ships, { key: 1n, ifNoneMatch: 1 })).rejects.toThrow(InputRejected)
  })

  test('inputs that do not fit are refused at every place; nothing is sent', async () => {
    const { connection, asked } = service([])
    const misfits = async (call: Promise<unknown>): Promise<string[]> =>
      ((await call.catch((error: unknown) => error)) as InputRejected).misfits.map(
        ({ path, message }) => `${path}: ${message}`,
      )
    expect(
      await misfits(
        create(
          connection,
          { ...ships, name: 'Ships.create' },
          {
            body: {
              Number: 1n,
              Name: 'longer than ten',
              Length: 12.5,
              Tags: 'x',
              Kind: 'A',
              Hme: 1,
            },
          },
        ),
      ),
    ).toEqual([
      "body.Number: is made by the service and can't be given",
      'body.Name: must have at most 10 characters, has 15',
      'body.Length: expected a decimal number as text, like "12.50", got 12.5',
      'body.Tags: expected a list, got "x"',
      'body.Kind: expected a list of "A", "B", got "A"',
      'body.Hme: is not known here; is "Home" meant?',
    ])
    expect(
      await misfits(
        update(connection, ships, { key: 'abc', body: { Home: 'x', Surveys: [] }, ifmatch: 'x' }),
      ),
    ).toEqual([
      'key: expected a whole number (bigint) of 64 bits, got "abc"',
      'body.Surveys: leads to other entities, which are changed by themselves',
      "body.Home: can't be changed",
      'ifmatch: is not known here; is "ifMatch" meant?',
    ])
    expect(
      await misfits(
        create(
          connection,
          { ...ships, name: 'Ships.create' },
          { body: { $is: 'Raft', Name: 'x' } },
        ),
      ),
    ).toEqual(['body.$is: expected one of "Ship", "Tug", got "Raft"'])
    expect(await misfits(get(connection, ships, {}))).toEqual(['key: is missing'])
    expect(asked).toEqual([])
  })
})

describe("refusals in the service's words", () => {
  const refusal = async (
    protocol: Protocol,
    body: string,
    type = 'application/json',
    status = 400,
  ): Promise<unknown> =>
    get(
      service([{ status, body, headers: { 'content-type': type } }]).connection,
      { ...ships, protocol },
      { key: 1n },
    ).catch((error: unknown) => error)
  test('version 4 (JSON Format, section 21), version 2, and neither', async () => {
    expect(
      await refusal(
        v4,
        '{"error":{"code":"Taken","message":"The name is taken.","details":[{"code":"x","message":"y"}],"innererror":{"at":"z"}}}',
      ),
    ).toMatchObject({
      message: 'The name is taken.',
      code: 'Taken',
      status: 400,
      detail: { details: [{ code: 'x' }], innererror: { at: 'z' } },
    })
    expect(
      await refusal(
        v2,
        '{"error":{"code":"005","message":{"lang":"de","value":"Nicht gefunden"}}}',
        'application/json;charset=utf-8',
        404,
      ),
    ).toMatchObject({ message: 'Nicht gefunden', code: '005', status: 404 })
    expect(await refusal(v4, '<h1>Oops</h1><title>Oops</title>', 'text/html', 500)).toMatchObject({
      message: expect.stringContaining('HTTP 500'),
      detail: '<h1>Oops</h1><title>Oops</title>',
    })
    expect(await refusal(v4, '', 'text/plain', 503)).toBeInstanceOf(ServiceFault)
  })
})

test('for which version an action is meant; a service that insists on it is told as such (Protocol, section 11.4.1.1)', async () => {
  const rename = {
    name: 'rename',
    call: 'Ns.rename',
    method: 'POST' as const,
    passing: 'body' as const,
    protocol: v4,
    on: { path: 'Ships', of: ship },
  }
  const { connection, asked } = service([
    '',
    { status: 428, body: '{"error":{"message":"which?"}}' },
  ])
  await invoke(connection, rename, { key: 1n, ifMatch: 'W/"1"' })
  expect(asked[0]?.headers).toMatchObject({ 'if-match': 'W/"1"' })
  await expect(invoke(connection, rename, { key: 1n })).rejects.toMatchObject({
    status: 428,
    message: 'the service wants to know which version is meant (`ifMatch`): which?',
  })
  await expect(invoke(connection, rename, { key: 1n, ifMatch: 5 })).rejects.toThrow(InputRejected)
})

describe('what a service says of queries is heeded before it is asked', () => {
  const one = ['Name']
  test.each<[Restrictions, object, string | undefined]>([
    [
      { filtered: one },
      {},
      'filter: is missing; the service answers only who says which ones, by Name',
    ],
    [{ filtered: [] }, {}, 'filter: is missing; the service answers only who says which ones'],
    [{ filtered: one }, { filter: 'Length gt 1' }, 'filter.Name: must be a part of the filter'],
    [{ filtered: one }, { filter: "Length gt 1 and Name eq 'a'" }, undefined],
    [
      { unfiltered: one },
      { filter: "startswith(Name,'a')" },
      "filter: the service can't filter by Name",
    ],
    [{ unfiltered: one }, { filter: 'Length gt 1' }, undefined],
    [
      { unsorted: one },
      { orderBy: ['Length', 'Name desc'] },
      "orderBy: the service can't sort by Name",
    ],
    [{ unsorted: one }, { orderBy: 'Length' }, undefined],
    [{ unexpanded: ['Surveys'] }, { expand: 'Surveys($top=1)' }, "can't expand Surveys"],
    [{ unexpanded: ['Surveys'] }, { expand: [{ Surveys: { top: 1 } }] }, "can't expand Surveys"],
    [{ without: ['top'] }, { top: 1 }, "top: can't be asked for here"],
  ])('%j of %j', async (restricted, query, reason) => {
    const { connection, asked } = service(['{"value":[]}'])
    const rows = list(connection, { ...ships, restricted }, query).all()
    await (reason === undefined
      ? expect(rows).resolves.toEqual([])
      : expect(rows).rejects.toThrow(reason))
    expect(asked).toHaveLength(reason === undefined ? 1 : 0)
  })
})

describe('functions and actions', () => {
  const facts = {
    name: 'x',
    protocol: v4,
    call: 'Do',
    method: 'GET' as const,
    passing: 'inline' as const,
  }
  test('one value, a list over several pages, an entity, nothing (JSON Format, sections 11 to 14)', async () => {
    const { connection } = service([
      '{"value":"12.50"}',
      '{"value":[1],"@odata.nextLink":"Do()?p=2"}',
      '{"value":[2]}',
      '{"Id":1,"Passed":true}',
      { status: 204 },
      { status: 204 },
      { status: 204 },
    ])
    expect(await invoke(connection, { ...facts, returns: { is: edm4.decimal } })).toBe('12.50')
    expect(await invoke(connection, { ...facts, returns: { is: edm4.int32, many: true } })).toEqual(
      [1, 2],
    )
    expect(await invoke(connection, { ...facts, returns: { is: () => survey } })).toEqual({
      Id: 1,
      Passed: true,
    })
    expect(
      await invoke(connection, { ...facts, returns: { is: () => survey, nullable: true } }),
    ).toBeNull()
    expect(await invoke(connection, facts)).toBeUndefined()
    await expect(
      invoke(connection, { ...facts, parameters: { a: { is: edm4.int32 } } }, { b: 1 }),
    ).rejects.toThrow('a: is missing; b: is not known here')
  })

  test('what a function returns is asked for in part; a parameter that is called like an option is none (Protocol, section 11.5.4.1)', async () => {
    const { connection, asked, deviations } = service(['{"value":[{"Id":1}]}'])
    const operation: AnyInvocation = {
      ...facts,
      parameters: { top: { is: edm4.string } },
      returns: { is: () => survey, many: true },
      asks: { of: survey, options: ['filter', 'select', 'orderBy'] },
    }
    const query = { filter: 'Passed', select: ['Id'], orderBy: 'Id desc' }
    expect(await invoke(connection, operation, { top: 'a/b', ...query })).toEqual([{ Id: 1 }])
    expect(decodeURIComponent(asked[0]?.url.split('/ships/')[1] ?? '')).toBe(
      "Do(top=@top)?@top='a/b'&$filter=Passed&$select=Id&$orderby=Id desc",
    )
    expect(deviations).toEqual([])
    await expect(
      invoke(connection, operation, { top: 'a', select: 'Deep', skip: 1 }),
    ).rejects.toThrow('select: "Deep" is not known here; there are Id, Passed; skip: is not known')
  })
})

const old: AnyStructure = {
  type: 'Ns.Crate',
  keys: ['Number'],
  members: {
    Number: { is: edm2.int64 },
    Weight: { is: edm2.decimal },
    At: { is: edm2.dateTime, nullable: true },
    Sealed: { is: edm2.dateTimeOffset, nullable: true },
    Opens: { is: edm2.time, nullable: true },
    Tilt: { is: edm2.double, nullable: true },
    Seal: { is: edm2.binary, nullable: true },
    Ship: { is: () => old, navigation: true, nullable: true },
    Moves: { is: () => old, many: true, navigation: true },
  },
}
const crates: EntityOperation = {
  name: 'Crates.list',
  path: 'Crates',
  of: old,
  protocol: v2,
  parse: exactJson,
}

describe('answers of version 2 (OData V2, JSON Format)', () => {
  const row =
    '{"__metadata":{"uri":"x","type":"Ns.Crate","etag":"W/\\"2\\""},"Number":"9007199254740993","Weight":"1250.50","At":"/Date(1795421700000)/","Sealed":"/Date(1793372400000+0060)/","Opens":"PT6H30M","Tilt":"1.5","Seal":"AQI=","Ship":{"__deferred":{"uri":"y"}},"Moves":{"results":[]}}'
  const value = {
    $etag: 'W/"2"',
    Number: 9007199254740993n,
    Weight: '1250.50',
    At: '2026-11-23T08:15:00',
    Sealed: '2026-10-30T16:00:00+01:00',
    Opens: 'PT6H30M',
    Tilt: 1.5,
    Seal: new Uint8Array([1, 2]),
    Moves: [],
  }
  test.each([[`{"d":{"results":[${row}],"__count":"9"}}`], [`{"d":[${row}]}`]])(
    'lists, wrapped as version 2 and as version 1 do it',
    async (body) => {
      const { connection, asked } = service([body])
      expect((await list(connection, crates, { count: true }).page()).rows).toEqual([value])
      expect(asked[0]).toMatchObject({
        url: 'https://outside.example/gate/ships/Crates?$inlinecount=allpages',
        headers: { accept: 'application/json', maxdataserviceversion: '2.0' },
      })
    },
  )

  test('pages, changes by MERGE, function imports', async () => {
    const { connection, asked } = service([
      '{"d":{"results":[],"__next":"http://internal/ships/Crates?$skiptoken=5"}}',
      '{"d":{"results":[]}}',
      { status: 204 },
      '{"d":{"TotalWeight":"10.00"}}',
      `{"d":${row}}`,
      '{"d":{"results":["a","b"]}}',
    ])
    expect(await list(connection, crates).all()).toEqual([])
    expect(asked[1]?.url).toBe('https://outside.example/gate/ships/Crates?$skiptoken=5')
    expect(
      await update(connection, crates, {
        key: 5n,
        body: {
          Weight: '1.20',
          At: '2026-11-23T08:15:00.250',
          Sealed: '2026-10-30T16:00:00-03:30',
          Tilt: 2,
        },
      }),
    ).toBeUndefined()
    expect(asked[2]).toMatchObject({
      method: 'MERGE',
      url: 'https://outside.example/gate/ships/Crates(5L)',
      body: '{"Weight":"1.20","At":"/Date(1795421700250)/","Sealed":"/Date(1793388600000-0210)/","Tilt":"2"}',
    })
    const facts = {
      name: 'x',
      protocol: v2,
      call: 'TotalWeight',
      method: 'GET' as const,
      passing: 'query' as const,
      parse: exactJson,
    }
    expect(await invoke(connection, { ...facts, returns: { is: edm2.decimal } })).toBe('10.00')
    expect(await invoke(connection, { ...facts, returns: { is: () => old } })).toEqual(value)
    expect(
      await invoke(connection, { ...facts, returns: { is: edm2.string, many: true } }),
    ).toEqual(['a', 'b'])
  })

  test('version 3 says which JSON it wants', async () => {
    const { connection, asked } = service(['{"d":{"results":[]}}'])
    await list(connection, { ...crates, protocol: v3 }).all()
    expect(asked[0]?.headers).toMatchObject({
      accept: 'application/json;odata=verbose',
      maxdataserviceversion: '3.0',
    })
  })
})

test('any moment and any value come back from JSON as they went (both versions)', () => {
  const moment = fc.record({
    year: fc.integer({ min: 1900, max: 2200 }),
    day: fc.integer({ min: 1, max: 28 }),
    month: fc.integer({ min: 1, max: 12 }),
    second: fc.integer({ min: 0, max: 86399 }),
    minutes: fc.integer({ min: -839, max: 839 }),
  })
  const two = (count: number): string => String(count).padStart(2, '0')
  const silent = {
    partial: false,
    onDeviation: (deviation: Deviation) => expect(deviation).toBeUndefined(),
  }
  fc.assert(
    fc.property(
      moment,
      fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }),
      fc.uint8Array({ maxLength: 20 }),
      fc.double({ noNaN: true }).map((value) => value + 0),
      fc.string({ unit: 'binary' }),
      ({ year, month, day, second, minutes }, whole, bytes, double, text) => {
        const local = `${year}-${two(month)}-${two(day)}T${two(Math.floor(second / 3600))}:${two(Math.floor(second / 60) % 60)}:${two(second % 60)}`
        const offset =
          minutes === 0
            ? 'Z'
            : `${minutes < 0 ? '-' : '+'}${two(Math.floor(Math.abs(minutes) / 60))}:${two(Math.abs(minutes) % 60)}`
        const older: AnyStructure = {
          type: 'T',
          members: {
            a: { is: edm2.dateTime },
            b: { is: edm2.dateTimeOffset },
            c: { is: edm2.int64 },
            d: { is: edm2.binary },
            e: { is: edm2.double },
            f: { is: edm2.string },
          },
        }
        const newer: AnyStructure = {
          type: 'T',
          members: {
            b: { is: edm4.dateTimeOffset },
            c: { is: edm4.int64 },
            d: { is: edm4.binary },
            e: { is: edm4.double },
            f: { is: edm4.string },
          },
        }
        const value = { b: local + offset, c: whole, d: bytes, e: double, f: text }
        const again = (
          structure: AnyStructure,
          wire: Protocol,
          sent: Record<string, unknown>,
        ): unknown =>
          readStructure(structure, exactJson(jsonText(writeStructure(structure, sent, wire))), '', {
            wire,
            ...silent,
          })
        expect(again(older, v2, { a: local, ...value })).toEqual({ a: local, ...value })
        expect(again(newer, v4, value)).toEqual(value)
      },
    ),
    { numRuns: 300 },
  )
})

test('a credential that there is no place for is refused, and not left out without a word', async () => {
  const { connection, asked } = service([], { credential: { kind: 'key', value: 'x' } })
  await expect(list(connection, ships).all()).rejects.toThrow(
    'nothing says where a credential of the kind "key" goes',
  )
  expect(asked).toEqual([])
})

test('whoever wants to hear of it hears of every page', async () => {
  const exchanges: Exchange[] = []
  const { connection } = service(['{"value":[],"@odata.nextLink":"Ships?p=2"}', '{"value":[]}'], {
    onExchange: (each) => exchanges.push(each),
  })
  await list(connection, ships).all()
  expect(exchanges).toHaveLength(2)
})

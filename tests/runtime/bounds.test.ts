import { createServer, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { tableText } from '../../src/cli/tables.js'
import { isTooDeeplyNested } from '../../src/exercise/depth.js'
import type { Connection, Settings } from '../../src/runtime/connection.js'
import { ContractBreach, TransportFailure } from '../../src/runtime/failures.js'
import {
  sendAnd as sendHttp,
  sendForBytes,
  type AnyHttpOperation,
  type HttpOperation,
} from '../../src/runtime/http/http.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
import * as values from '../../src/runtime/json/values.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import type { EntityOperation } from '../../src/runtime/odata/input-checks.js'
import type { AnyStructure } from '../../src/runtime/odata/model.js'
import { get, list } from '../../src/runtime/odata/odata.js'
import { v4 } from '../../src/runtime/odata/v4.js'
import { readAnswer } from '../support/soap-answers.js'
import { send as sendSoap } from '../../src/runtime/soap/soap.js'
import { soap11 } from '../../src/runtime/soap/envelope.js'
import { liveOperation, readFixture } from '../support/contracts.js'

let url: string
let answer: (response: ServerResponse) => void
const server = createServer((_, response) => answer(response))
// A caller that is busy with a large answer finds its connection as it left it.
server.keepAliveTimeout = 0
beforeAll(async () => {
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(() => {
  server.close()
  server.closeAllConnections()
})

const connection = (settings: Settings = {}): Connection => ({
  settings: { url, ...settings },
  endpoints: { quay: { address: url, protocol: 'HTTP' } },
  closed: new AbortController(),
})
const transports: readonly (readonly [string, () => typeof fetch])[] = [
  ["the platform's fetch", () => fetch],
  ['nodeTransport', () => nodeTransport()],
]
const bytes: HttpOperation<object, Uint8Array> = {
  name: 'b',
  method: 'GET',
  path: '/b',
  answers: { 200: { type: 'application/octet-stream' } },
}
const anything: AnyHttpOperation = {
  name: 'a',
  method: 'GET',
  path: '/a',
  answers: { 200: { type: 'application/json' } },
}
const failure = async (call: Promise<unknown>): Promise<unknown> =>
  call.then(
    () => undefined,
    (error: unknown) => error,
  )

describe.each(transports)('an answer is read up to a limit, with %s', (_, transport) => {
  test.each([
    ['plain', undefined],
    ['gzip', 'gzip'],
  ] as const)('as it is when unpacked: %s', async (_name, encoding) => {
    const body = Buffer.alloc(100_000, 'x')
    answer = (response) =>
      response
        .writeHead(200, {
          'content-type': 'application/octet-stream',
          ...(encoding === undefined ? {} : { 'content-encoding': encoding }),
        })
        .end(encoding === undefined ? body : gzipSync(body))
    const call = (mostBytes?: number): Promise<Uint8Array> =>
      sendHttp(
        connection({ fetch: transport(), ...(mostBytes === undefined ? {} : { mostBytes }) }),
        bytes,
        {},
      )
    expect((await call()).length).toBe(100_000)
    expect((await call(100_000)).length).toBe(100_000)
    expect(await failure(call(99_999))).toMatchObject({
      kind: 'breach',
      message: expect.stringContaining('at most 99999 bytes') as unknown,
    })
  })

  test('one that never ends is broken off; a stream has no limit', async () => {
    let closed = 0
    answer = (response) => {
      response.writeHead(200, { 'content-type': 'application/octet-stream' })
      const more = (): void => {
        if (response.destroyed) closed += 1
        else if (response.write(Buffer.alloc(65_536))) setImmediate(more)
        else response.once('drain', more)
      }
      response.on('close', () => (closed += 1))
      more()
    }
    const limited = connection({ fetch: transport(), mostBytes: 1_000_000 })
    expect(await failure(sendHttp(limited, bytes, {}))).toBeInstanceOf(ContractBreach)
    const stream = await sendForBytes(limited, bytes, {}, { asStream: true })
    let size = 0
    for await (const piece of stream as unknown as AsyncIterable<Uint8Array>)
      if ((size += piece.length) > 3_000_000) break
    expect(size).toBeGreaterThan(3_000_000)
    for (let tries = 0; closed < 2 && tries < 100; tries += 1)
      await new Promise((done) => setTimeout(done, 20))
    expect(closed).toBeGreaterThanOrEqual(2)
  })
})

describe('what is nested without end is a breach in every dialect, and what is wide is read', () => {
  const json = (text: string): void => {
    answer = (response) => response.writeHead(200, { 'content-type': 'application/json' }).end(text)
  }
  const levels = 100_000
  const deep = `${'[{"a":'.repeat(levels)}1${'}]'.repeat(levels)}`

  test('JSON by a description, typed, exact and untyped', async () => {
    const node = { members: { a: { is: () => nodes, optional: true } }, open: false } as object
    const nodes = { items: node } as object
    json(deep)
    for (const parse of [undefined, exactJson]) {
      const operation = {
        ...anything,
        answers: { 200: { type: 'application/json', is: nodes } },
        ...(parse === undefined ? {} : { parse }),
      } as unknown as AnyHttpOperation
      expect(await failure(sendHttp(connection(), operation, {}))).toMatchObject({ kind: 'breach' })
    }
    // What the contract says nothing of comes as it is; who shows it has to look.
    const value = await sendHttp(connection(), anything, {})
    expect([
      isTooDeeplyNested(value),
      isTooDeeplyNested(JSON.parse(`${'['.repeat(900)}${']'.repeat(900)}`)),
      isTooDeeplyNested({ a: new Uint8Array(10) }),
    ]).toEqual([true, false, false])
  })

  test('OData', async () => {
    const place: AnyStructure = {
      type: 'Ns.Place',
      keys: ['Id'],
      members: {
        Id: { is: edm4.int32, optional: true },
        a: { is: () => place, many: true, optional: true },
      },
    }
    const of: EntityOperation = {
      name: 'Places.get',
      protocol: v4,
      path: [{ set: 'Places', of: place }],
      of: place,
    } as unknown as EntityOperation
    json(`{"Id":1,"a":${deep}}`)
    expect(await failure(get(connection(), of, { key: 1 }))).toMatchObject({ kind: 'breach' })
  })

  test('SOAP', async () => {
    const { contract } = await readFixture('tests/fixtures/soap/recursion.wsdl')
    const xml = (inside: string): string =>
      `<e:Envelope xmlns:e="${soap11}"><e:Body>${inside}</e:Body></e:Envelope>`
    const read = (body: string): unknown =>
      readAnswer(
        liveOperation(contract, 'send'),
        { status: 200, headers: {}, body: new TextEncoder().encode(xml(body)) },
        () => undefined,
      )
    for (const body of [
      `${'<a>'.repeat(levels)}${'</a>'.repeat(levels)}`,
      `<x:y xmlns:x="u" href="#1"/>${'<a id="1">'.repeat(levels)}${'</a>'.repeat(levels)}`,
    ])
      expect(() => read(body)).toThrow(ContractBreach)
    const attributes = Array.from({ length: 200_000 }, (_, at) => `a${at}="${at}"`).join(' ')
    expect(() =>
      read(
        `<n:sendResponse xmlns:n="urn:brackmouth:recursion" ${attributes}><n:value ${attributes}/></n:sendResponse>`,
      ),
    ).not.toThrow(RangeError)
  })

  test('a page of 150,000 rows, and a table of as many', async () => {
    const row: AnyStructure = { type: 'Ns.Row', keys: ['Id'], members: { Id: { is: edm4.int32 } } }
    const of = {
      name: 'Rows.list',
      protocol: v4,
      path: [{ set: 'Rows', of: row }],
      of: row,
    } as unknown as EntityOperation
    json(`{"value":[${'{"Id":1},'.repeat(149_999)}{"Id":2}]}`)
    const rows = await list<{ Id: number }>(connection(), of, {}).all()
    expect([rows.length, rows.at(-1)]).toEqual([150_000, { Id: 2 }])
    const numbers = {
      ...anything,
      answers: {
        200: { type: 'application/json', is: { items: { members: { n: { is: values.int32 } } } } },
      },
    } as unknown as AnyHttpOperation
    json(`[${'{"n":1},'.repeat(149_999)}{"n":2}]`)
    expect((await sendHttp<unknown[]>(connection(), numbers, {})).length).toBe(150_000)
    expect(
      tableText(
        ['n'],
        Array.from({ length: 150_000 }, (_, at) => [String(at)]),
      ).split('\n').length,
    ).toBe(150_002)
  })
})

test('the time limit holds while an answer is read, and others get their turn meanwhile', async () => {
  const { contract } = await readFixture('tests/fixtures/soap/recursion.wsdl')
  const operation = { ...liveOperation(contract, 'send'), action: '' }
  const body = Buffer.from(
    `<e:Envelope xmlns:e="${soap11}"><e:Body><n:sendResponse xmlns:n="urn:brackmouth:recursion"><n:value>${'<n:More x="1">text</n:More>'.repeat(1_500_000)}</n:value></n:sendResponse></e:Body></e:Envelope>`,
  )
  answer = (response) => response.writeHead(200, { 'content-type': 'text/xml' }).end(body)
  let turns = 0
  const timer = setInterval(() => (turns += 1), 1)
  const slow = await failure(
    sendSoap(
      {
        ...connection({ timeLimit: '600ms', checkInputs: false }),
        endpoints: { quay: { address: url, protocol: 'SOAP 1.1' } },
      },
      operation,
      { value: {} },
    ),
  )
  expect(slow).toBeInstanceOf(TransportFailure)
  expect(slow).toMatchObject({ kind: 'timeout' })
  const before = turns
  const stop = new AbortController()
  setTimeout(() => stop.abort(new Error('enough')), 500)
  await expect(
    sendSoap(
      {
        ...connection({ checkInputs: false }),
        endpoints: { quay: { address: url, protocol: 'SOAP 1.1' } },
      },
      operation,
      { value: {} },
      { signal: stop.signal },
    ),
  ).rejects.toThrow('enough')
  clearInterval(timer)
  expect(turns).toBeGreaterThan(before + 3)
})

import { createServer } from 'node:http'
import { connect, type AddressInfo, type Socket } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { misbehaviours, serveContracts, type Misbehaviour } from '../../src/app/serve-contracts.js'
import { turnsOf } from '../../src/stand-in/misbehaviour.js'
import { freshFolder, repository, startServer, tolmach } from '../support/program.js'

/** What each misbehaviour comes to: the kind of failure, its side, and the exit code. */
const comesTo: Readonly<
  Record<Misbehaviour, { kind: string; side: string; code: number; advice: RegExp }>
> = {
  busy: { kind: 'fault', side: 'service', code: 1, advice: /try again after 1 s/ },
  faulty: { kind: 'fault', side: 'service', code: 1, advice: /--traffic/ },
  'hang-up': { kind: 'unreachable', side: 'between', code: 4, advice: /look whether it did/ },
  garbled: { kind: 'breach', side: 'service', code: 5, advice: /--unchecked-answer/ },
  mistyped: { kind: 'breach', side: 'service', code: 5, advice: /--unchecked-answer/ },
  trickle: { kind: 'timeout', side: 'between', code: 4, advice: /--timeout/ },
  silent: { kind: 'timeout', side: 'between', code: 4, advice: /--timeout/ },
}

const worlds = [
  ['berths', 'berths/desk.wsdl', 'listBerths'],
  ['ferries', 'ferries/openapi.yaml', 'bookings.list'],
  ['registry', 'registry/registry.xml', 'Vessels.list'],
  ['cargo', 'cargo/cargo.xml', 'Crates.list'],
] as const

describe.each(worlds)('a stand-in of %s that misbehaves', (name, document, operation) => {
  let folder: string
  beforeAll(async () => {
    folder = await freshFolder()
  })

  test.each(misbehaviours)(
    '%s: a typed failure, in time, that says whose side it is on and what to try; no connection is left that broke off',
    async (kind) => {
      const path = join(repository, 'demo', document)
      const standIn = await serveContracts([path], {
        seed: join(repository, 'demo', name, 'seed.yaml'),
        temper: { kinds: [kind], rate: 1 },
      })
      const [{ service = '' } = {}] = standIn.addresses
      const open = new Set<Socket>()
      // A gate in between sees every connection come and go.
      const gate = createServer().on('connection', (socket) => {
        open.add(socket)
        const inner = connect(Number(new URL(service).port), '127.0.0.1')
        socket.pipe(inner).pipe(socket)
        for (const each of [socket, inner])
          each
            .on('error', () => each.destroy())
            .on('close', () => [socket, inner].forEach((other) => other.destroy()))
        socket.on('close', () => open.delete(socket))
      })
      await new Promise<void>((done) => gate.listen(0, '127.0.0.1', done))
      const url = `http://127.0.0.1:${(gate.address() as AddressInfo).port}${new URL(service).pathname}`
      const started = Date.now()
      const { code, stdout } = await tolmach(folder, [
        'call',
        path,
        operation,
        '--url',
        url,
        '--timeout',
        '1500ms',
        '--json',
      ])
      const {
        kind: failed,
        side,
        advice,
        message,
      } = (
        JSON.parse(stdout) as {
          failure: { kind: string; side: string; advice: string; message: string }
        }
      ).failure
      const wanted = comesTo[kind]
      expect({ name, kind, code, failed, side, message }).toEqual({
        name,
        kind,
        code: wanted.code,
        failed: wanted.kind,
        side: wanted.side,
        message: expect.stringMatching(/\w/) as unknown,
      })
      expect(advice).toMatch(wanted.advice)
      expect(Date.now() - started).toBeLessThan(15_000)
      expect(standIn.asked.map(({ answered, misbehaviour }) => [answered, misbehaviour])).toEqual([
        ['misbehaving', kind],
      ])
      // After a whole answer the connection may be used again, if the program lives on.
      const idle = wanted.kind === 'fault' || wanted.kind === 'breach' ? 1 : 0
      for (let waited = 0; open.size > idle && waited < 100; waited += 1)
        await new Promise((resolve) => setTimeout(resolve, 20))
      expect(open.size).toBeLessThanOrEqual(idle)
      for (const each of open) each.destroy()
      gate.close()
      await standIn.stop()
    },
  )
})

test('of a share of requests so many fail, evenly; several ways take turns', () => {
  for (const [rate, kinds] of [
    [0.1, ['busy']],
    [1 / 3, ['busy', 'garbled']],
    [1, ['silent', 'faulty', 'busy']],
    [0, ['busy']],
  ] as const) {
    const turn = turnsOf({ rate, kinds })
    const failed = Array.from({ length: 3000 }, turn).filter((each) => each !== undefined)
    expect(failed).toHaveLength(Math.round(3000 * rate))
    expect(failed.slice(0, 6)).toEqual(failed.slice(0, 6).map((_, at) => kinds[at % kinds.length]))
  }
})

describe('what a failure says', () => {
  const description = (url: string): string =>
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Quay', version: '1' },
      servers: [{ url }],
      paths: {
        '/a': {
          get: {
            operationId: 'look',
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
    })
  let folder: string
  let server: Awaited<ReturnType<typeof startServer>>
  let answer: { status: number; headers: Record<string, string>; body: string }
  beforeAll(async () => {
    folder = await freshFolder()
    server = await startServer(
      (_request, response) =>
        void response.writeHead(answer.status, answer.headers).end(answer.body),
    )
    const { writeFile } = await import('node:fs/promises')
    await writeFile(join(folder, 'quay.json'), description(server.url))
  })
  afterAll(() => server.stop())

  test.each([
    [
      'a login page with a good status',
      {
        status: 200,
        headers: { 'content-type': 'text/html' },
        body: '<!doctype html><title>Sign in</title>',
      },
      5,
      [
        'HTML page titled "Sign in"',
        "On the service's side: a web page came instead of data",
        'Open the address in a browser',
      ],
    ],
    [
      'another media type',
      { status: 200, headers: { 'content-type': 'text/plain' }, body: 'all well' },
      5,
      ['text/plain', 'does not keep to the contract'],
    ],
    [
      'a problem (RFC 9457)',
      {
        status: 422,
        headers: { 'content-type': 'application/problem+json' },
        body: '{"title":"No such quay","detail":"Quay 9 was filled in."}',
      },
      1,
      ['Quay 9 was filled in.', 'On your side', '--traffic'],
    ],
    [
      'an error page of a gateway',
      {
        status: 502,
        headers: { 'content-type': 'text/html' },
        body: '<html><title>Bad gateway</title></html>',
      },
      1,
      ['502', "On the service's side", 'Try once more'],
    ],
    [
      'a login that is wanted',
      { status: 401, headers: { 'www-authenticate': 'Bearer realm="quay"' }, body: '' },
      4,
      ['offering Bearer realm="quay"', 'On your side', 'Authorization=Bearer <token>'],
    ],
    [
      'a login that does not suffice',
      { status: 403, headers: {}, body: '' },
      4,
      ['HTTP 403', 'does not allow this', 'permission'],
    ],
    [
      'a query that is not supported',
      {
        status: 501,
        headers: { 'content-type': 'application/json' },
        body: '{"error":{"message":"$search is not implemented"}}',
      },
      1,
      ['$search is not implemented', 'does not support this operation or query', 'simpler'],
    ],
    [
      'what changed meanwhile',
      { status: 412, headers: {}, body: '' },
      1,
      ['somebody changed it meanwhile', 'Fetch it again'],
    ],
    [
      'what is not there',
      { status: 404, headers: {}, body: '' },
      1,
      ['nothing at this address', '--preview'],
    ],
  ])('%s', async (_what, sent, code, words) => {
    answer = sent
    const told = await tolmach(folder, ['call', 'quay.json', 'look'])
    expect(told.code).toBe(code)
    for (const each of words) expect(told.stderr.replace(/\s+/g, ' ')).toContain(each)
  })

  test('nobody there; an input outside of its limits', async () => {
    const refused = await tolmach(folder, [
      'call',
      'quay.json',
      'look',
      '--url',
      'http://127.0.0.1:1',
    ])
    expect(refused.stderr.replace(/\s+/g, ' ')).toMatch(
      /the connection was refused\. Between you and the service: .* Is the service running/,
    )
    const outside = await tolmach(folder, [
      'call',
      join(repository, 'demo/berths/desk.wsdl'),
      'quoteDues',
      '--with',
      'Vessel=BKM-114',
      '--with',
      'Nights=90',
    ])
    expect(outside.stderr.replace(/\s+/g, ' ')).toMatch(
      /Nights: must be at most 60, is 90 On your side: the service was not asked\. Correct the places listed/,
    )
  })
})

import { readFileSync } from 'node:fs'
import { createServer as createPlain, type IncomingMessage, type ServerResponse } from 'node:http'
import { createServer as createSecure } from 'node:https'
import { createServer as createRaw, type AddressInfo } from 'node:net'
import type { TLSSocket } from 'node:tls'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { Agent, fetch as undiciFetch } from 'undici'
import type { Connection, Settings } from '../../src/runtime/connection.js'
import { digestLogin } from '../../src/runtime/digest.js'
import { exchange, type Request } from '../../src/runtime/exchange.js'
import { ContractBreach, TransportFailure } from '../../src/runtime/failures.js'
import { prove } from '../../src/runtime/http/security.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'
import { tokenSource } from '../../src/runtime/tokens.js'
import { hasServers, makeCertificates } from '../support/nginx.js'
import { freshFolder } from '../support/program.js'

const secret = 'open-sesame-4711'
/** The secret in whatever form it travels, and the headers that carry such. */
const proofs = new RegExp(
  `${secret}|${Buffer.from(`x:${secret}`).toString('base64').slice(4, 16)}|authorization|cookie|x-desk-key|ntlm`,
  'i',
)

interface Heard {
  readonly told: string
  readonly certificate: string | undefined
}

/** What several origins have heard, and what they answer. */
interface Station {
  readonly url: string
  heard: Heard[]
}

describe('what proves who calls stays at its origin', () => {
  const stops: (() => void)[] = []
  let certificates: Awaited<ReturnType<typeof makeCertificates>> | undefined
  let [plain, otherPort, secure, otherSecure]: Station[] = []

  async function station(isSecure: boolean): Promise<Station> {
    const answer = (request: IncomingMessage, response: ServerResponse): void => {
      let body = ''
      request.on('data', (chunk: Buffer) => (body += chunk.toString()))
      request.on('end', () => {
        const peer = (request.socket as TLSSocket).getPeerCertificate?.()
        const cn = peer?.subject?.CN
        made.heard.push({
          told: `${request.method ?? ''} ${request.url ?? ''}\n${request.rawHeaders.join('\n')}\n\n${body}`,
          certificate: typeof cn === 'string' ? cn : undefined,
        })
        const { searchParams, pathname } = new URL(request.url ?? '/', 'http://x')
        if (pathname === '/token')
          return void response
            .setHeader('content-type', 'application/json')
            .end(JSON.stringify({ access_token: secret, expires_in: 100 }))
        if (pathname === '/session')
          return void response.setHeader('set-cookie', `session=${secret}; Path=/`).end('ok')
        const to = searchParams.get('to')
        const wants = request.headers.authorization === undefined ? searchParams.get('wants') : null
        if (wants !== null)
          return void response
            .writeHead(401, {
              'www-authenticate':
                wants === 'Digest' ? 'Digest realm="r", nonce="n", qop="auth"' : wants,
            })
            .end()
        if (to === null) return void response.end('arrived')
        response.writeHead(Number(searchParams.get('status') ?? 302), { location: to }).end()
      })
    }
    const files = certificates
    const server =
      isSecure && files !== undefined
        ? createSecure(
            {
              cert: readFileSync(files.cert),
              key: readFileSync(files.key),
              requestCert: true,
              rejectUnauthorized: false,
            },
            answer,
          )
        : createPlain(answer)
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    stops.push(() => {
      server.close()
      server.closeAllConnections()
    })
    const made: Station = {
      url: `${isSecure ? 'https' : 'http'}://localhost:${(server.address() as AddressInfo).port}`,
      heard: [],
    }
    return made
  }

  beforeAll(async () => {
    certificates = hasServers ? await makeCertificates(await freshFolder()) : undefined
    ;[plain, otherPort] = [await station(false), await station(false)]
    if (hasServers) [secure, otherSecure] = [await station(true), await station(true)]
  })
  afterAll(() => {
    for (const stop of stops) stop()
  })

  /** Each kind of proof: settings, and what of the request carries it. */
  const kinds: readonly (readonly [
    name: string,
    settings: (origin: string) => Settings,
    request: Partial<Request>,
    query?: string,
  ])[] = [
    ['basic', () => ({ credential: { kind: 'basic', user: 'x', password: secret } }), {}],
    [
      'digest',
      () => ({
        credential: { kind: 'digest', user: 'x', password: secret },
        logins: [digestLogin],
      }),
      {},
      '&wants=Digest',
    ],
    ['bearer', () => ({ credential: { kind: 'bearer', token: secret } }), {}],
    [
      'oauth2',
      (origin) => ({
        credential: {
          kind: 'oauth2',
          clientId: 'x',
          clientSecret: secret,
          tokenUrl: `${origin}/token`,
        },
      }),
      {},
    ],
    ['a key in a header of the settings', () => ({ headers: { 'X-Desk-Key': secret } }), {}],
    ['a header that is an ordinary input', () => ({}), { headers: { 'x-desk-key': secret } }],
    ['a key in the query', () => ({}), { proven: true }, `&key=${secret}`],
    ['a cookie', () => ({ headers: { cookie: `session=${secret}` } }), {}],
    [
      "authorization among headers of the caller's own",
      () => ({
        headers: { Authorization: `Basic ${Buffer.from(`x:${secret}`).toString('base64')}` },
      }),
      {},
    ],
    [
      'a body',
      () => ({}),
      {
        method: 'POST',
        body: `password=${secret}`,
        headers: { 'content-type': 'application/x-www-form-urlencoded' },
      },
    ],
    [
      'the body of a method that is repeated',
      () => ({}),
      { method: 'PUT', body: `password=${secret}` },
      '&status=307',
    ],
    ['a company login', () => ({}), {}, '&wants=NTLM'],
    ["a session's cookies", () => ({}), {}],
    ['a certificate', () => ({}), {}],
  ]

  const directions = [
    ['another port', 'http', 'http'],
    ['another host', 'http', 'host'],
    ['from http to https', 'http', 'https'],
    ['from https to http', 'https', 'http'],
    ['another port with https', 'https', 'https'],
  ] as const

  // What reads the authorities takes far longer than a call: one of each kind serves all tests.
  const shared = new Map<string, typeof fetch>()
  const once = (name: string, make: () => typeof fetch): typeof fetch => {
    const made = shared.get(name) ?? make()
    shared.set(name, made)
    return made
  }

  const transports = {
    "the platform's fetch": (): typeof fetch =>
      once('platform', () => {
        const dispatcher =
          certificates === undefined
            ? undefined
            : new Agent({ connect: { ca: readFileSync(certificates.ca, 'utf8') } })
        return ((url: string, init: object) =>
          undiciFetch(url, {
            ...init,
            ...(dispatcher === undefined ? {} : { dispatcher }),
          })) as unknown as typeof fetch
      }),
    nodeTransport: (): typeof fetch =>
      once('node', () =>
        nodeTransport({
          // What one test was given as a cookie is not sent by the next.
          cookies: false,
          ...(certificates === undefined
            ? {}
            : {
                caFile: certificates.ca,
                certificateFiles: { cert: certificates.clientCert, key: certificates.clientKey },
              }),
        }),
      ),
  }
  const withCookies = (): typeof fetch =>
    nodeTransport(certificates === undefined ? {} : { caFile: certificates.ca })
  const withLogin = (): typeof fetch =>
    once('login', () =>
      nodeTransport({
        companyLogin: { user: 'x', password: secret },
        ...(certificates === undefined ? {} : { caFile: certificates.ca }),
      }),
    )

  const isPossible = (from: string, to: string): boolean =>
    hasServers || (from !== 'https' && to !== 'https')

  describe.each(Object.entries(transports))('with %s', (name, transport) => {
    describe.each(directions.filter(([, from, to]) => isPossible(from, to)))(
      'to %s',
      (_, from, to) => {
        test.each(kinds)('%s', async (kind, settings, request, query = '') => {
          // The platform's own fetch has no logins, certificates or cookies of its own.
          if (
            name !== 'nodeTransport' &&
            ['a company login', "a session's cookies", 'a certificate'].includes(kind)
          )
            return
          const start = from === 'https' ? secure : plain
          const goal = to === 'https' ? otherSecure : otherPort
          const address = to === 'host' ? goal?.url.replace('localhost', '127.0.0.1') : goal?.url
          if (start === undefined || goal === undefined) throw new Error('no station')
          for (const each of [start, goal]) each.heard = []
          const special = { 'a company login': withLogin, "a session's cookies": withCookies }
          const send = (
            Object.hasOwn(special, kind) ? special[kind as keyof typeof special] : transport
          )()
          const connection: Connection = {
            settings: { fetch: send, ...settings(start.url) },
            endpoints: {},
            closed: new AbortController(),
          }
          const call = (path: string, further: Partial<Request> = {}): Promise<unknown> =>
            exchange(
              connection,
              { method: 'GET', headers: {}, url: `${start.url}${path}`, ...further },
              {},
              () => '',
            )
          if (kind === "a session's cookies") await call('/session')
          await call(
            `/?to=${encodeURIComponent(`${address ?? ''}/goal${query.includes('NTLM') ? '?wants=N%54LM' : ''}`)}${query}`,
            request,
          ).catch((error: unknown) => expect(error).toBeInstanceOf(TransportFailure))
          for (const { told, certificate } of goal.heard) {
            expect(told).not.toMatch(proofs)
            expect(certificate).toBeUndefined()
          }
          // It was led there, unless it had something to carry that may not go.
          if (kind !== 'the body of a method that is repeated')
            expect(goal.heard.length).toBeGreaterThan(0)
          // And its own origin did get it, or could have asked for it.
          if (kind === 'a certificate' && from === 'https')
            expect(start.heard[0]?.certificate).toBe('Berth Clerk')
          if (kind === 'basic') expect(start.heard.at(-1)?.told).toMatch(/authorization/i)
        })
      },
    )
  })

  test('a certificate is shown to nobody else on a connection that is shared afterwards, nor a login after a way back', async () => {
    if (secure === undefined || otherSecure === undefined || certificates === undefined) return
    for (const each of [secure, otherSecure]) each.heard = []
    const send = nodeTransport({
      caFile: certificates.ca,
      certificateFiles: { cert: certificates.clientCert, key: certificates.clientKey },
    })
    await (
      await send(
        `${secure.url}/?to=${encodeURIComponent(`${otherSecure.url}/?to=${encodeURIComponent(`${secure.url}/back`)}`)}`,
      )
    ).text()
    expect(secure.heard.map(({ certificate }) => certificate)).toEqual(['Berth Clerk', undefined])
    expect(otherSecure.heard.map(({ certificate }) => certificate)).toEqual([undefined])
    await (await send(`${secure.url}/`)).text()
    expect(secure.heard.at(-1)?.certificate).toBe('Berth Clerk')
  })

  test('what tokens are asked for with goes to the address for tokens alone, and renewals to the same origin', async () => {
    if (plain === undefined || otherPort === undefined) throw new Error('no station')
    for (const each of [plain, otherPort]) each.heard = []
    const connection: Connection = { settings: {}, endpoints: {}, closed: new AbortController() }
    const credential = {
      kind: 'oauth2',
      clientId: 'x',
      clientSecret: secret,
      user: 'x',
      password: secret,
    } as const
    const moved = {
      name: 'm',
      tokenUrl: `${plain.url}/?status=307&to=${encodeURIComponent(`${otherPort.url}/token`)}`,
    }
    await expect(tokenSource.get(connection, moved, credential, [], {})).rejects.toThrow(
      'another origin',
    )
    expect(otherPort.heard).toEqual([])
    const scheme = {
      kind: 'oauth2',
      name: 'n',
      tokenUrl: `${plain.url}/token`,
      refreshUrl: `${otherPort.url}/token`,
      tokens: tokenSource,
    }
    await prove(
      { ...connection, settings: { credential } },
      'x',
      { anyOf: [[{ scheme }]], prove, renew: () => false },
      {},
    )
    expect(plain.heard.length).toBe(2)
    expect(otherPort.heard).toEqual([])
  })
})

describe('an exchange that ends nothing is a failure', () => {
  let url: string
  const stops: (() => void)[] = []
  beforeAll(async () => {
    const server = createRaw((socket) => {
      socket.on('error', () => undefined)
      socket.on('data', (chunk: Buffer) => {
        const [, path = ''] = /^\w+ (\S+)/.exec(chunk.toString()) ?? []
        const head = new URL(path, 'http://x').searchParams.get('head') ?? ''
        socket.end(
          `${head.replaceAll('|', '\r\n')}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`,
        )
      })
    })
    await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
    stops.push(() => server.close())
    url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => {
    for (const stop of stops) stop()
  })

  const cases: readonly (readonly [
    head: string,
    kind: typeof TransportFailure | typeof ContractBreach,
    says: RegExp,
    platform?: RegExp,
  ])[] = [
    [
      'HTTP/1.1 302 Found',
      TransportFailure,
      /a redirect \(HTTP 302\) is not followed: it does not say where to; the way it went: http:\/\/127\.0\.0\.1:\d+\/$/,
    ],
    [
      'HTTP/1.1 302 Found|Location: http://[bad',
      TransportFailure,
      /where it leads is no address/,
      /Invalid URL|no address/,
    ],
    [
      'HTTP/1.1 301 Moved|Location: ftp://quay.example/',
      TransportFailure,
      /ftp:, which is not HTTP/,
      /scheme|not HTTP/,
    ],
    ['HTTP/1.1 300 Multiple Choices', TransportFailure, /HTTP 300.*no one place/],
    ['HTTP/1.1 305 Use Proxy|Location: http://quay.example/', TransportFailure, /HTTP 305/],
    [
      'HTTP/1.1 101 Switching Protocols|Upgrade: x|Connection: upgrade',
      ContractBreach,
      /HTTP 101|upgrade/i,
    ],
    ['HTTP/1.1 101 Switching Protocols', ContractBreach, /HTTP 101|upgrade/i],
    ['HTTP/1.1 000 Nothing', ContractBreach, /HTTP 0/],
    ['HTTP/1.1 199 Early', TransportFailure, /can't be reached/],
  ]
  const transports: readonly (readonly [string, typeof fetch])[] = [
    ["the platform's fetch", fetch],
    ['nodeTransport', nodeTransport({ connectLimit: '2s' })],
  ]

  describe.each(transports)('with %s', (name, send) => {
    test.each(cases)('%s', async (head, kind, says, platform = says) => {
      for (const headers of [{}, { 'x-desk-key': 'k' }]) {
        const connection: Connection = {
          settings: { fetch: send, timeLimit: 3 },
          endpoints: {},
          closed: new AbortController(),
        }
        const failure = await exchange(
          connection,
          { method: 'GET', url: `${url}/?head=${encodeURIComponent(head)}`, headers },
          {},
          () => '',
        ).then(
          () => undefined,
          (error: unknown) => error,
        )
        // What the platform's own fetch makes of it by itself may be a failure of another kind; it
        // is never a success.
        if (name === 'nodeTransport') expect(failure).toBeInstanceOf(kind)
        else
          expect([TransportFailure, ContractBreach].some((each) => failure instanceof each)).toBe(
            true,
          )
        expect((failure as Error).message).toMatch(
          name === 'nodeTransport'
            ? says
            : new RegExp(`${platform.source}|${says.source}|answer|fetch|response|HTTP`, 'i'),
        )
      }
    })
  })

  test('a status that the contract declares is an answer, a redirect or not', async () => {
    const connection: Connection = { settings: {}, endpoints: {}, closed: new AbortController() }
    for (const head of [
      'HTTP/1.1 302 Found',
      'HTTP/1.1 300 Several',
      'HTTP/1.1 304 Not Modified',
    ]) {
      const { status } = await exchange(
        connection,
        {
          method: 'GET',
          url: `${url}/?head=${encodeURIComponent(head)}`,
          headers: { 'x-desk-key': 'k' },
          expects: (each) => each < 400,
        },
        {},
        () => '',
      )
      expect(status).toBe(Number(head.slice(9, 12)))
    }
  })
})

import { createHmac, randomBytes, createHash } from 'node:crypto'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo, Socket } from 'node:net'
import { afterEach, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { Connection, Settings } from '../../src/runtime/connection.js'
import { bestChallenge, digestLogin, digestResponse } from '../../src/runtime/digest.js'
import { exchange } from '../../src/runtime/exchange.js'
import { send, type HttpOperation } from '../../src/runtime/http/http.js'
import { md5 } from '../../src/runtime/md5.js'
import { CookieJar } from '../../src/runtime/node/cookies.js'
import { md4, readChallenge, responses } from '../../src/runtime/node/ntlm.js'
import { proxyFor } from '../../src/runtime/node/proxy.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'
import { wsseLogin } from '../../src/runtime/soap/security.js'

const hex = (bytes: Uint8Array): string => Buffer.from(bytes).toString('hex')
const bytes = (text: string): Uint8Array =>
  new Uint8Array(Buffer.from(text.replace(/\s/g, ''), 'hex'))
const md5Of = {
  hmac: (key: Uint8Array, data: Uint8Array): Uint8Array =>
    new Uint8Array(createHmac('md5', key).update(data).digest()),
}

const servers: (() => Promise<void>)[] = []
afterEach(async () => {
  for (const stop of servers.splice(0)) await stop()
})
async function serve(
  answer: (request: IncomingMessage, response: ServerResponse, body: string) => void,
): Promise<string> {
  const server = createServer((request, response) => {
    let body = ''
    request.on('data', (chunk: Buffer) => (body += chunk.toString()))
    request.on('end', () => answer(request, response, body))
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  servers.push(
    () =>
      new Promise((done) => {
        server.close(() => done())
        server.closeAllConnections()
      }),
  )
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`
}

const connected = (settings: Settings): Connection => ({
  settings,
  endpoints: {},
  closed: new AbortController(),
})
const ask = async (
  connection: Connection,
  url: string,
  method = 'GET',
  body?: string,
): Promise<{ status: number; text: string }> => {
  const { status, body: came } = await exchange(
    connection,
    { method, url, headers: {}, ...(body === undefined ? {} : { body }) },
    {},
    () => '',
  )
  return { status, text: new TextDecoder().decode(came) }
}

test('a credential whose login the client was not given is refused, with what to give', async () => {
  const call = (settings: Settings): Promise<unknown> =>
    send(
      connected({ url: 'http://127.0.0.1:9', ...settings }),
      { name: 'look', method: 'GET', path: '/', answers: {} } as HttpOperation<object, unknown>,
      {},
    )
  for (const [credential, login] of [
    [{ kind: 'digest', user: 'me', password: 'x' }, 'digestLogin'],
    [{ kind: 'oauth2', clientId: 'me' }, 'tokenLogin'],
    [{ kind: 'wsse', user: 'me', password: 'x' }, 'wsseLogin'],
  ] as const)
    await expect(call({ credential })).rejects.toMatchObject({
      misfits: [
        {
          path: 'settings.credential',
          message: expect.stringContaining(`logins: [${login}]`) as unknown,
        },
      ],
    })
  // One that is in SOAP messages has no place in a call of HTTP, whoever gives it.
  const token = { kind: 'wsse', user: 'me', password: 'x' } as const
  await expect(call({ credential: token, logins: [wsseLogin] })).rejects.toThrow(
    'nothing says where a credential of the kind "wsse" goes',
  )
  await expect(call({ credential: { kind: 'key', value: 'k' } })).rejects.toThrow(
    'send it with settings.headers',
  )
})

describe('digests', () => {
  test('MD5 and MD4 as their RFCs have them, and as Node has the first', () => {
    for (const [text, digest] of [
      ['', '31d6cfe0d16ae931b73c59d7e0c089c0'],
      ['a', 'bde52cb31de33e46245e05fbdbd6fb24'],
      ['abc', 'a448017aaf21d8525fc10ae87aa6729d'],
      ['message digest', 'd9130a8164549fe818874806e1c7014b'],
      ['abcdefghijklmnopqrstuvwxyz', 'd79e1c308aa5bbcdeea8ed63df412da9'],
      [
        '12345678901234567890123456789012345678901234567890123456789012345678901234567890',
        'e33b4ddc9c38f2199c3e7b164fcc0536',
      ],
    ] as const)
      expect(hex(md4(new TextEncoder().encode(text)))).toBe(digest)
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 200 }), (text) =>
        expect(md5(text)).toBe(createHash('md5').update(text).digest('hex')),
      ),
    )
  })

  const mufasa = {
    user: 'Mufasa',
    uri: '/dir/index.html',
    method: 'GET',
    qop: 'auth',
    count: '00000001',
  }
  const newer = {
    ...mufasa,
    password: 'Circle of Life',
    realm: 'http-auth@example.org',
    nonce: '7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v',
    cnonce: 'f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ',
  }
  test.each([
    [
      'RFC 7616, section 3.9.1, MD5',
      { ...newer, algorithm: 'MD5' },
      '8ca523f5e9506fed4657c9700eebdbec',
    ],
    [
      'RFC 7616, section 3.9.1, SHA-256',
      { ...newer, algorithm: 'SHA-256' },
      '753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1',
    ],
    [
      'RFC 2617, section 3.5',
      {
        ...mufasa,
        password: 'Circle Of Life',
        realm: 'testrealm@host.com',
        nonce: 'dcd98b7102dd2f0e8b11d0f600bfb0c093',
        cnonce: '0a4f113b',
        algorithm: 'MD5',
      },
      '6629fae49393a05397450978507c4ef1',
    ],
  ])('the example of %s', async (_what, facts, response) => {
    expect(await digestResponse(facts)).toBe(response)
  })

  test('of several challenges the best one that is known is taken', () => {
    expect(
      bestChallenge(
        'Basic realm="x", Digest realm="a, b", qop="auth, auth-int", algorithm=SHA-512-256, nonce="n1", Digest realm="a", algorithm=MD5, nonce="n2", opaque="o\\"q", Digest realm="a", algorithm=SHA-256, nonce="n3"',
      ),
    ).toMatchObject({ algorithm: 'SHA-256', nonce: 'n3' })
    expect(bestChallenge('Basic realm="x"')).toBeUndefined()
    expect(bestChallenge('Digest realm="r", nonce="n", stale=TRUE')).toEqual({
      realm: 'r',
      nonce: 'n',
      stale: 'TRUE',
    })
  })

  test.each(['MD5', 'SHA-256', 'MD5-sess'])(
    'a service that wants %s: asked once, then proven with each request, body and query too; a stale nonce is renewed; a wrong password is told',
    async (algorithm) => {
      const hash = (text: string): string =>
        createHash(algorithm.startsWith('SHA') ? 'sha256' : 'md5')
          .update(text)
          .digest('hex')
      let nonce = 'n1'
      const seen: string[] = []
      const url = await serve((request, response, body) => {
        const parts = Object.fromEntries(
          [
            ...(request.headers.authorization ?? '').matchAll(
              /(\w+)=(?:"((?:[^"\\]|\\.)*)"|([^\s,]+))/g,
            ),
          ].map(([, name, quoted, plain]) => [
            name,
            (quoted ?? plain ?? '').replace(/\\(.)/g, '$1'),
          ]),
        )
        const base = hash(`me "x":harbour:pass&word`)
        const secret = algorithm.endsWith('sess')
          ? hash(`${base}:${parts['nonce']}:${parts['cnonce']}`)
          : base
        const good =
          parts['uri'] === request.url &&
          parts['response'] ===
            hash(
              `${secret}:${parts['nonce']}:${parts['nc']}:${parts['cnonce']}:auth:${hash(`${request.method}:${request.url}`)}`,
            )
        seen.push(`${request.method} ${good ? `${parts['nc']} ${parts['nonce']}` : 'no'} ${body}`)
        if (good && parts['nonce'] === nonce) response.end('in')
        else
          response
            .writeHead(401, {
              'www-authenticate': `Digest realm="harbour", qop="auth", algorithm=${algorithm}, nonce="${nonce}"${good ? ', stale=true' : ''}`,
            })
            .end()
      })
      const connection = connected({
        credential: { kind: 'digest', user: 'me "x"', password: 'pass&word' },
        logins: [digestLogin],
      })
      expect(await ask(connection, `${url}/a?b=c%20d`)).toEqual({ status: 200, text: 'in' })
      expect(await ask(connection, `${url}/a`, 'POST', 'hello')).toEqual({
        status: 200,
        text: 'in',
      })
      nonce = 'n2'
      expect(await ask(connection, `${url}/a`)).toEqual({ status: 200, text: 'in' })
      expect(seen).toEqual([
        'GET no ',
        'GET 00000001 n1 ',
        'POST 00000002 n1 hello',
        'GET 00000003 n1 ',
        'GET 00000001 n2 ',
      ])
      const wrong = connected({
        credential: { kind: 'digest', user: 'me', password: 'x' },
        logins: [digestLogin],
      })
      await expect(ask(wrong, url)).rejects.toMatchObject({ kind: 'login', status: 401 })
    },
  )
})

describe('company login', () => {
  const targetInfo = bytes(
    '02000c0044006f006d00610069006e0001000c005300650072007600650072000000 0000',
  )
  test('the published examples of version 2', () => {
    const { nt, lm } = responses(
      { user: 'User', password: 'Password', domain: 'Domain' },
      { challenge: bytes('0123456789abcdef'), targetInfo },
      { nonce: bytes('aaaaaaaaaaaaaaaa'), timestamp: 0n },
      md5Of,
    )
    expect(hex(nt.slice(0, 16))).toBe('68cd0ab851e51c96aabc927bebef6a1c')
    expect(hex(lm)).toBe('86c35097ac9cec102554764a57cccc19aaaaaaaaaaaaaaaa')
  })

  test('a service of our own that checks the proof: once for each connection, bodies whole, calls side by side; a wrong password is refused', async () => {
    const challenge = randomBytes(8)
    const second = Buffer.concat([
      Buffer.from('NTLMSSP\0'),
      bytes('02000000'),
      bytes('0000000038000000'),
      bytes('05820280'),
      challenge,
      Buffer.alloc(8),
      Buffer.from([targetInfo.length, 0, targetInfo.length, 0, 56, 0, 0, 0]),
      Buffer.alloc(8),
      targetInfo,
    ])
    const states = new WeakMap<Socket, 'asked' | 'in'>()
    let handshakes = 0
    const url = await serve((request, response, body) => {
      const token = /^NTLM (.*)$/.exec(request.headers.authorization ?? '')?.[1]
      const message = token === undefined ? undefined : Buffer.from(token, 'base64')
      if (message?.readUInt32LE(8) === 1) {
        handshakes += 1
        states.set(request.socket, 'asked')
        response.writeHead(401, { 'www-authenticate': `NTLM ${second.toString('base64')}` }).end()
      } else if (message?.readUInt32LE(8) === 3 && states.get(request.socket) === 'asked') {
        const field = (at: number): Buffer =>
          message.subarray(
            message.readUInt32LE(at + 4),
            message.readUInt32LE(at + 4) + message.readUInt16LE(at),
          )
        const nt = field(20)
        const [domain, user] = [field(28).toString('utf16le'), field(36).toString('utf16le')]
        const key = createHmac('md5', md4(new Uint8Array(Buffer.from('Pä§sword', 'utf16le'))))
          .update(Buffer.from(user.toUpperCase() + domain, 'utf16le'))
          .digest()
        const proof = createHmac('md5', key).update(challenge).update(nt.subarray(16)).digest()
        if (!proof.equals(nt.subarray(0, 16)) || domain !== 'HARBOUR')
          response.writeHead(401, { 'www-authenticate': 'NTLM' }).end('no')
        else {
          states.set(request.socket, 'in')
          response.end(`in ${body}`)
        }
      } else if (states.get(request.socket) === 'in') response.end(`still in ${body}`)
      else response.writeHead(401, { 'www-authenticate': 'NTLM' }).end('who are you?')
    })
    const login = { user: 'clerk', password: 'Pä§sword', domain: 'HARBOUR' }
    const connection = connected({ fetch: nodeTransport({ companyLogin: login }) })
    expect(await ask(connection, url, 'POST', 'first')).toEqual({ status: 200, text: 'in first' })
    expect(await ask(connection, url, 'POST', 'second')).toEqual({
      status: 200,
      text: 'still in second',
    })
    const several = await Promise.all(
      ['a', 'b', 'c'].map((body) => ask(connection, url, 'POST', body)),
    )
    expect(several.map(({ text }) => text.replace(/^still /, '')).sort()).toEqual([
      'in a',
      'in b',
      'in c',
    ])
    expect(handshakes).toBeLessThanOrEqual(3)
    await expect(
      ask(
        connected({ fetch: nodeTransport({ companyLogin: { ...login, password: 'no' } }) }),
        url,
        'POST',
        'x',
      ),
    ).rejects.toMatchObject({ kind: 'login' })
    expect(() => readChallenge(new Uint8Array(40))).toThrow("can't be read")
  })
})

describe('trying again', () => {
  const answering = async (
    statuses: readonly number[],
    headers: Record<string, string> = {},
  ): Promise<{ url: string; seen: string[] }> => {
    const seen: string[] = []
    const url = await serve((request, response, body) => {
      const status = statuses[seen.length] ?? 200
      seen.push(`${request.method} ${body}`)
      response.writeHead(status, status === 200 ? {} : headers).end(String(status))
    })
    return { url, seen }
  }
  test.each([
    ['reading after 503 and 502', 'GET', [503, 502], {}, 3, 200],
    ['writing after 503 that names a time', 'POST', [503], { 'retry-after': '0' }, 2, 200],
    [
      'writing after 429 that names a date',
      'POST',
      [429],
      { 'retry-after': new Date(0).toUTCString() },
      2,
      200,
    ],
    ['not writing after 503 alone', 'POST', [503], {}, 1, 503],
    ['not writing after 502', 'POST', [502], {}, 1, 502],
    ['nothing after 500', 'GET', [500], {}, 1, 500],
    ['not more often than told', 'GET', [503, 503, 503, 503], { 'retry-after': '0' }, 4, 503],
  ] as const)('%s', async (_what, method, statuses, headers, times, status) => {
    const { url, seen } = await answering(statuses, headers)
    const connection = connected({ retries: 3 })
    expect(await ask(connection, url, method, method === 'POST' ? 'x' : undefined)).toMatchObject({
      status,
    })
    expect(seen).toHaveLength(times)
  })

  test('never without being told; not when the wait would take longer than the call may; not when the call was aborted', async () => {
    const { url, seen } = await answering([503, 503], { 'retry-after': '60' })
    expect(await ask(connected({}), url)).toMatchObject({ status: 503 })
    expect(await ask(connected({ retries: 3, timeLimit: '500ms' }), url)).toMatchObject({
      status: 503,
    })
    expect(seen).toHaveLength(2)
  })
})

describe('the transport for Node.js', () => {
  test("a session's cookies come back to their host and path, and to nobody else; those that ended do not", async () => {
    const seen: string[] = []
    const url = await serve((request, response) => {
      seen.push(`${request.url ?? ''} ${request.headers.cookie ?? '-'}`)
      response.setHeader(
        'set-cookie',
        request.url === '/out'
          ? ['sid=; Max-Age=0; Path=/']
          : [
              'sid=s1; Path=/; HttpOnly',
              'deep=d; Path=/deep',
              'far=f; Domain=other.example',
              'safe=x; Secure',
            ],
      )
      response.end()
    })
    const fetched = nodeTransport()
    for (const path of ['/in', '/deep/er', '/deeper', '/out', '/after'])
      await (await fetched(`${url}${path}`)).arrayBuffer()
    expect(seen).toEqual([
      '/in -',
      '/deep/er deep=d; sid=s1',
      '/deeper sid=s1',
      '/out sid=s1',
      '/after -',
    ])
    const forgetful = nodeTransport({ cookies: false })
    for (const path of ['/in', '/in']) await (await forgetful(`${url}${path}`)).arrayBuffer()
    expect(seen.slice(-2)).toEqual(['/in -', '/in -'])
    const jar = new CookieJar()
    jar.keep(new URL('https://a.quay.example/'), [
      'wide=1; Domain=quay.example',
      'own=2',
      'nonsense',
      '=x',
    ])
    expect([
      jar.headerFor(new URL('https://b.quay.example/')),
      jar.headerFor(new URL('https://a.quay.example/')),
      jar.headerFor(new URL('https://quay.example.evil/')),
    ]).toEqual(['wide=1', 'wide=1; own=2', ''])
  })

  test('answers larger than the limit are not read; compression is undone; redirects end', async () => {
    const { gzipSync, brotliCompressSync, deflateSync } = await import('node:zlib')
    const body = 'x'.repeat(100_000)
    const url = await serve((request, response) => {
      if (request.url === '/round') response.writeHead(302, { location: '/round' }).end()
      else if (request.url === '/post') response.writeHead(303, { location: '/gzip' }).end()
      else {
        const compress =
          { '/gzip': gzipSync, '/br': brotliCompressSync, '/deflate': deflateSync }[
            request.url ?? ''
          ] ?? ((each: string) => Buffer.from(each))
        response
          .writeHead(
            200,
            request.url === '/plain' ? {} : { 'content-encoding': (request.url ?? '').slice(1) },
          )
          .end(compress(body))
      }
    })
    const fetched = nodeTransport()
    for (const path of ['/gzip', '/br', '/deflate', '/plain'])
      expect(await (await fetched(`${url}${path}`)).text()).toBe(body)
    await expect(
      nodeTransport({ mostBytes: 99_999 })(`${url}/gzip`).then((answer) => answer.text()),
    ).rejects.toThrow('larger than 99999 bytes')
    expect(await (await nodeTransport({ mostBytes: 100_000 })(`${url}/gzip`)).text()).toBe(body)
    await expect(fetched(`${url}/round`)).rejects.toThrow('more than 20 redirects')
    const moved = await fetched(`${url}/post`, {
      method: 'POST',
      body: 'x',
      headers: { 'content-type': 'text/plain' },
    })
    expect([moved.redirected, moved.url, await moved.text()]).toEqual([true, `${url}/gzip`, body])
    await expect(
      fetched(`${url}/plain`, { signal: AbortSignal.abort(new Error('enough')) }),
    ).rejects.toThrow('enough')
  })

  test.each([
    ['http://quay.example/', { HTTP_PROXY: 'http://p.example:3128' }, 'p.example:3128'],
    ['https://quay.example/', { HTTP_PROXY: 'http://p.example:3128' }, undefined],
    ['https://quay.example/', { https_proxy: 'p.example:1' }, 'p.example:1'],
    ['https://quay.example/', { ALL_PROXY: 'http://p.example' }, 'p.example:80'],
    [
      'https://quay.example/',
      { HTTPS_PROXY: 'http://p.example', NO_PROXY: 'quay.example' },
      undefined,
    ],
    [
      'https://a.quay.example/',
      { HTTPS_PROXY: 'http://p.example', NO_PROXY: '.quay.example' },
      undefined,
    ],
    [
      'https://aquay.example/',
      { HTTPS_PROXY: 'http://p.example', NO_PROXY: 'quay.example' },
      'p.example:80',
    ],
    [
      'https://quay.example:8443/',
      { HTTPS_PROXY: 'http://p.example', NO_PROXY: 'quay.example:443' },
      'p.example:80',
    ],
    ['https://quay.example/', { HTTPS_PROXY: 'http://p.example', NO_PROXY: '*' }, undefined],
  ])('the proxy for %s with %j is %s', (url, environment, proxy) => {
    const found = proxyFor(new URL(url), undefined, environment as Record<string, string>)
    expect(found === undefined ? undefined : `${found.host}:${found.port}`).toBe(proxy)
  })
})

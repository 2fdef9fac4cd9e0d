import { execFile } from 'node:child_process'
import { createHash, randomBytes } from 'node:crypto'
import { readFile, writeFile } from 'node:fs/promises'
import { createServer, request, type IncomingMessage, type Server } from 'node:http'
import { createServer as createSecureServer } from 'node:https'
import { connect, type AddressInfo } from 'node:net'
import { join } from 'node:path'
import { text } from 'node:stream/consumers'
import { promisify } from 'node:util'
import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { listenBetween, type Listener, type PassedExchange } from '../../src/listen/listener.js'
import { makeCertificates } from '../support/nginx.js'
import { freshFolder } from '../support/program.js'

const execute = promisify(execFile)
const large = Buffer.alloc(5_000_000, 'tide ')
/** What the service got, by the path that it was sent to: SHA-256 of the body, and headers. */
const got = new Map<string, { digest: string; headers: IncomingMessage['headers'] }>()
const digest = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex')

const service: Server = createServer((asked, answer) => {
  const chunks: Buffer[] = []
  const path = asked.url ?? ''
  if (path === '/hang-up')
    return void answer
      .writeHead(200, { 'content-length': '100' })
      .write('half', () => asked.socket.destroy())
  if (path === '/endless') {
    answer.write('first')
    return void answer.on('close', () => got.set(path, { digest: 'closed', headers: {} }))
  }
  asked.on('data', (chunk: Buffer) => chunks.push(chunk))
  asked.on('end', () => {
    got.set(path, { digest: digest(Buffer.concat(chunks)), headers: asked.headers })
    const own = `http://127.0.0.1:${String((service.address() as AddressInfo).port)}`
    if (path === '/gzip')
      return answer.writeHead(200, { 'content-encoding': 'gzip' }).end(gzipSync('{"a":1}'))
    if (path === '/bytes') return answer.end(Buffer.from([0, 255, 128, 10, 13]))
    if (path === '/large') return answer.end(large)
    if (path === '/empty') return answer.writeHead(204).end()
    if (path === '/moved')
      return answer
        .writeHead(302, {
          location: `${own}/there?x=1`,
          link: `<${own}/next>; rel="next"`,
          'set-cookie': ['sid=1; Domain=gauge.example; Secure; HttpOnly', 'b=2; Path=/'],
        })
        .end()
    if (path.startsWith('/echo')) return answer.end(Buffer.concat(chunks))
    if (path === '/stream') {
      answer.write('one\n')
      return setTimeout(() => answer.end('two\n'), 150)
    }
    return answer.setHeader('x-reason', 'ok').end(`hello ${asked.httpVersion}`)
  })
})
let listener: Listener
const heard: PassedExchange[] = []
const of = (path: string): PassedExchange | undefined =>
  heard.find(({ request: { url } }) => new URL(url).pathname === path)
const isHeard = async (path: string): Promise<PassedExchange> => {
  for (let tries = 0; tries < 200; tries += 1) {
    const found = of(path)
    if (found !== undefined) return found
    await new Promise((done) => setTimeout(done, 20))
  }
  throw new Error(`nothing was heard of ${path}`)
}
const curl = async (...words: string[]): Promise<Buffer> =>
  (await execute('curl', ['-s', ...words], { encoding: 'buffer', maxBuffer: 1e8 })).stdout

beforeAll(async () => {
  await new Promise<void>((done) => service.listen(0, '127.0.0.1', done))
  listener = await listenBetween({
    service: new URL(`http://127.0.0.1:${String((service.address() as AddressInfo).port)}/`),
    host: '127.0.0.1',
    port: 0,
    onExchange: (exchange) => heard.push(exchange),
  })
})
afterAll(async () => {
  await listener.stop()
  service.closeAllConnections()
  service.close()
})

describe('what both sides get is what the other one sent, byte for byte', () => {
  test.each(['/gzip', '/bytes', '/large', '/stream', '/plain'])('an answer: %s', async (path) => {
    const direct = await fetch(
      new URL(path, `http://127.0.0.1:${String((service.address() as AddressInfo).port)}`),
      { headers: { 'accept-encoding': 'identity' } },
    )
    const passed = await curl(`${listener.origin}${path}`)
    if (path !== '/gzip')
      expect(digest(passed)).toBe(digest(Buffer.from(await direct.arrayBuffer())))
    expect(digest((await isHeard(path)).response.body.bytes)).toBe(digest(passed))
  })

  test('compressed bodies are kept as what was compressed', async () => {
    expect(of('/gzip')?.response.body.decoded('gzip').toString()).toBe('{"a":1}')
  })

  test.each([
    ['with its length', []],
    ['chunked', ['-H', 'Transfer-Encoding: chunked']],
    ['after 100-continue', ['-H', 'Expect: 100-continue', '--expect100-timeout', '5']],
    ['by HTTP/1.0', ['--http1.0']],
  ])('a request %s', async (what, further) => {
    const path = `/echo/${what.replaceAll(/\W/g, '')}`
    const file = join(await freshFolder(), 'body')
    const bytes = randomBytes(3_000_000)
    await writeFile(file, bytes)
    const sent = digest(bytes)
    const words = [...further, '--data-binary', `@${file}`, `${listener.origin}${path}`]
    expect(digest(await curl(...words))).toBe(sent)
    expect(got.get(path)?.digest).toBe(sent)
    expect(digest((await isHeard(path)).request.body.bytes)).toBe(sent)
  })

  test('what comes bit by bit goes on bit by bit', async () => {
    const times: number[] = []
    await new Promise<void>((done) => {
      request(`${listener.origin}/stream`, (answer) => {
        answer.on('data', () => times.push(performance.now()))
        answer.on('end', done)
      }).end()
    })
    expect((times.at(-1) ?? 0) - (times[0] ?? 0)).toBeGreaterThan(100)
  })

  test('headers: the service is called by its name, the program is kept here', async () => {
    await curl(`${listener.origin}/plain`, '-H', `Origin: ${listener.origin}`, '-H', 'X-Desk: 7')
    expect(got.get('/plain')?.headers).toMatchObject({
      host: `127.0.0.1:${String((service.address() as AddressInfo).port)}`,
      origin: `http://127.0.0.1:${String((service.address() as AddressInfo).port)}`,
      'x-desk': '7',
    })
    const moved = (await curl('-i', `${listener.origin}/moved`)).toString()
    expect(moved).toContain(`ocation: ${listener.origin}/there?x=1`)
    expect(moved).toContain(`<${listener.origin}/next>`)
    expect(moved).toMatch(/set-cookie: sid=1; HttpOnly\r?\n/i)
    expect(moved).toMatch(/set-cookie: b=2; Path=\/\r?\n/i)
  })

  test('HEAD, and answers without a body', async () => {
    expect((await curl('-I', `${listener.origin}/large`)).toString()).toMatch(/^HTTP\/1\.1 200/)
    expect((await curl('-w', '%{http_code}', `${listener.origin}/empty`)).toString()).toBe('204')
  })
})

describe('what does not go well', () => {
  test('a service that hangs up leaves the program with what came, and no whole answer', async () => {
    const failed = await execute('curl', ['-s', `${listener.origin}/hang-up`]).catch(
      (error: { code: number; stdout: string }) => error,
    )
    expect([failed.stdout, 'code' in failed]).toEqual(['half', true])
    expect((await isHeard('/hang-up')).trouble).toContain('the service hung up')
  })

  test('a program that hangs up ends the call at the service', async () => {
    await execute('curl', ['-s', '--max-time', '0.5', `${listener.origin}/endless`]).catch(
      () => undefined,
    )
    expect((await isHeard('/endless')).trouble).toContain('the program hung up')
    for (let tries = 0; tries < 100 && !got.has('/endless'); tries += 1)
      await new Promise((done) => setTimeout(done, 20))
    expect(got.get('/endless')?.digest).toBe('closed')
  })

  test('another protocol is refused, and told', async () => {
    const socket = connect(Number(new URL(listener.origin).port), '127.0.0.1')
    socket.write(
      'GET /chat HTTP/1.1\r\nHost: x\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n',
    )
    expect(await text(socket)).toMatch(/^HTTP\/1\.1 501 /)
    expect((await isHeard('/chat')).trouble).toContain('websocket')
  })

  test('no service at all is an answer of its own', async () => {
    const nobody = await listenBetween({
      service: new URL('http://127.0.0.1:1/'),
      host: '127.0.0.1',
      port: 0,
      onExchange: (exchange) => heard.push(exchange),
    })
    const answer = (await curl('-w', '%{http_code}', `${nobody.origin}/away`)).toString()
    expect(answer).toMatch(/No answer came from http:\/\/127\.0\.0\.1:1: .*502$/s)
    await nobody.stop()
  })
})

test('TLS towards the program, and towards a service whose authority is private', async () => {
  const files = await makeCertificates(await freshFolder())
  const [cert, key, ca] = await Promise.all(
    [files.cert, files.key, files.ca].map((path) => readFile(path, 'utf8')),
  )
  const secure = createSecureServer({ cert, key }, (_asked, answer) => answer.end('by TLS'))
  await new Promise<void>((done) => secure.listen(0, '127.0.0.1', done))
  const at = `https://localhost:${String((secure.address() as AddressInfo).port)}/`
  const between = (authority: string | undefined): Promise<Listener> =>
    listenBetween({
      service: new URL(at),
      host: '127.0.0.1',
      port: 0,
      certificate: { cert: cert ?? '', key: key ?? '' },
      ca: authority,
      onExchange: (exchange) => heard.push(exchange),
    })
  const [known, unknown] = [await between(ca), await between(undefined)]
  expect(known.origin).toMatch(/^https:/)
  expect((await curl('--cacert', files.ca, `${known.origin}/secure`)).toString()).toBe('by TLS')
  expect((await curl('--cacert', files.ca, `${unknown.origin}/secure`)).toString()).toMatch(
    /^No answer came from https:.*certificate/,
  )
  await Promise.all([known.stop(), unknown.stop()])
  secure.closeAllConnections()
  secure.close()
})

test('1,000 exchanges, 50 side by side, without loss', async () => {
  const before = heard.length
  let next = 0
  await Promise.all(
    Array.from({ length: 50 }, async () => {
      for (let number = (next += 1); number <= 1000; number = next += 1) {
        const body = `${String(number)}:${'x'.repeat(number)}`
        const answer = await fetch(`${listener.origin}/echo/many/${String(number)}`, {
          method: 'POST',
          body,
        })
        expect(await answer.text()).toBe(body)
      }
    }),
  )
  const numbers = heard.slice(before).map(({ request: sent, response }) => {
    expect(response.body.bytes.equals(sent.body.bytes)).toBe(true)
    return Number(sent.body.bytes.toString().split(':')[0])
  })
  expect(numbers.sort((one, other) => one - other)).toEqual(
    Array.from({ length: 1000 }, (_, at) => at + 1),
  )
})

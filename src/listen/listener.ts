import {
  createServer as createHttpServer,
  request as requestHttp,
  type ClientRequest,
  type IncomingMessage,
  type OutgoingHttpHeaders,
  type Server,
  type ServerResponse,
} from 'node:http'
import { createServer as createHttpsServer, request as requestHttps } from 'node:https'
import type { AddressInfo } from 'node:net'
import { messageOf } from '../contract/system-error.js'
import { KeptBody } from './kept-body.js'
import { backwards, forwards, type Ways } from './passed-headers.js'

/** One exchange that passed through. */
export interface PassedExchange {
  readonly number: number
  readonly started: Date
  readonly milliseconds: number
  readonly request: PassedMessage & { readonly method: string; readonly url: string }
  readonly response: PassedMessage & { readonly status: number; readonly statusText: string }
  /** What went wrong with it; undefined where all went through. */
  readonly trouble: string | undefined
}

/** What went one way. */
export interface PassedMessage {
  readonly httpVersion: string
  readonly headers: readonly (readonly [name: string, value: string])[]
  readonly body: KeptBody
}

export interface ListenerSettings {
  /** Where the service is: scheme, host and port count. */
  readonly service: URL
  readonly host: string
  readonly port: number
  /** Certificate and key as PEM, where the program is to come by TLS. */
  readonly certificate?: { readonly cert: string; readonly key: string } | undefined
  /** A private authority that the service's certificate is of, as PEM. */
  readonly ca?: string | undefined
  /** Hears of every exchange when it is over. */
  readonly onExchange: (exchange: PassedExchange) => void
}

/** A listener that passes everything on. */
export interface Listener {
  /** Its address without a path. */
  readonly origin: string
  /** Ends what is under way, and hears of it first. */
  stop(): Promise<void>
}

/**
 * Stands between a program and a service, and passes on what both say as it comes, byte for byte.
 * Only headers that name the other side are changed, so that the program stays here.
 *
 * @throws Error of the system when it can't listen there
 */
export async function listenBetween(settings: ListenerSettings): Promise<Listener> {
  const { certificate, host, port } = settings
  const server: Server =
    certificate === undefined ? createHttpServer() : createHttpsServer({ ...certificate })
  // Whoever is slow is not our business: the service has limits of its own.
  server.requestTimeout = 0
  server.headersTimeout = 60_000
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject)
    server.listen(port, host, resolve)
  })
  const { port: own } = server.address() as AddressInfo
  const name = host.includes(':') ? `[${host}]` : host
  const origin = `${certificate === undefined ? 'http' : 'https'}://${name}:${String(own)}`
  const passing = new Passing(settings, origin)
  server.on('request', (request, response) => passing.pass(request, response))
  server.on('checkContinue', (request, response) => passing.pass(request, response))
  server.on('upgrade', (request, socket) => {
    passing.refuse(request)
    socket.end(
      'HTTP/1.1 501 Not Implemented\r\nConnection: close\r\nContent-Type: text/plain\r\nContent-Length: 45\r\n\r\nOnly HTTP passes here, no other protocol yet.',
    )
  })
  server.on('connect', (_request, socket) =>
    socket.end('HTTP/1.1 405 Method Not Allowed\r\nConnection: close\r\nContent-Length: 0\r\n\r\n'),
  )
  server.on('clientError', (_error, socket) => {
    if (socket.writable) socket.end('HTTP/1.1 400 Bad Request\r\nConnection: close\r\n\r\n')
  })
  return {
    origin,
    stop: async () => {
      passing.end()
      server.closeAllConnections()
      await new Promise<void>((resolve) => server.close(() => resolve()))
    },
  }
}

/** Passes exchanges on, any number of them side by side. */
class Passing {
  private readonly settings: ListenerSettings
  private readonly ways: Ways
  private readonly underWay = new Set<() => void>()
  private count = 0

  constructor(settings: ListenerSettings, origin: string) {
    this.settings = settings
    this.ways = { here: new URL(origin), there: settings.service }
  }

  pass(request: IncomingMessage, response: ServerResponse): void {
    const { service, ca } = this.settings
    const exchange = this.begin(request)
    const send = service.protocol === 'https:' ? requestHttps : requestHttp
    const upstream = send({
      protocol: service.protocol,
      hostname: service.hostname.replace(/^\[|\]$/g, ''),
      port: service.port,
      method: request.method,
      path: request.url,
      headers: rawHeaders(forwards(pairsOf(request.rawHeaders), this.ways)),
      setHost: false,
      ...(ca === undefined ? {} : { ca }),
    })
    upstream.on('continue', () => response.writeContinue())
    upstream.on('response', (answer) => this.answer(answer, response, exchange))
    upstream.on('error', (error) => this.fail(error, response, exchange))
    this.bringBody(request, upstream, exchange)
    // Whoever hangs up wants no answer any more.
    response.on('close', () => {
      if (response.writableFinished) return
      exchange.over('the program hung up before the answer was whole')
      upstream.destroy()
    })
  }

  /** Notes a request to go over to another protocol, which is refused. */
  refuse(request: IncomingMessage): void {
    const exchange = this.begin(request)
    exchange.status = 501
    exchange.statusText = 'Not Implemented'
    exchange.over(
      `the program wanted to go over to ${String(request.headers.upgrade)}, which is not passed on`,
    )
  }

  /** Ends what is under way. */
  end(): void {
    for (const over of this.underWay) over()
  }

  private begin(request: IncomingMessage): OpenExchange {
    this.count += 1
    const exchange = new OpenExchange(this.count, request, this.settings, (each) => {
      this.underWay.delete(end)
      this.settings.onExchange(each)
    })
    const end = (): void => exchange.over('listening ended before the answer was whole')
    this.underWay.add(end)
    return exchange
  }

  private bringBody(
    request: IncomingMessage,
    upstream: ClientRequest,
    exchange: OpenExchange,
  ): void {
    const bring = (): void => {
      request.on('data', (chunk: Buffer) => exchange.sent.add(chunk))
      request.pipe(upstream)
    }
    // Without a body nothing must be sent that looks like one.
    const hasBody =
      request.headers['content-length'] !== undefined ||
      request.headers['transfer-encoding'] !== undefined
    if (!hasBody) upstream.end()
    else if (/100-continue/i.test(request.headers.expect ?? '')) {
      upstream.flushHeaders()
      upstream.once('continue', bring)
    } else bring()
  }

  private answer(answer: IncomingMessage, response: ServerResponse, exchange: OpenExchange): void {
    exchange.status = answer.statusCode ?? 0
    exchange.statusText = answer.statusMessage ?? ''
    exchange.answeredWith = pairsOf(answer.rawHeaders)
    exchange.answeredVersion = answer.httpVersion
    if (response.destroyed) return
    response.writeHead(
      exchange.status,
      exchange.statusText,
      rawHeaders(backwards(exchange.answeredWith, this.ways)),
    )
    // What comes bit by bit goes on bit by bit.
    response.flushHeaders()
    answer.on('data', (chunk: Buffer) => exchange.received.add(chunk))
    answer.pipe(response)
    answer.on('aborted', () => {
      exchange.over('the service hung up before its answer was whole')
      response.destroy()
    })
    answer.on('end', () => {
      if (answer.complete) exchange.over(undefined)
    })
  }

  private fail(error: Error, response: ServerResponse, exchange: OpenExchange): void {
    if (exchange.isOver) return
    const { service } = this.settings
    if (response.headersSent || response.destroyed) {
      exchange.over(`the connection to the service broke: ${messageOf(error)}`)
      response.destroy()
      return
    }
    const text = `No answer came from ${service.origin}: ${messageOf(error)}\n`
    exchange.over(text.trim())
    response.writeHead(502, { 'content-type': 'text/plain; charset=utf-8' }).end(text)
  }
}

/** An exchange that is not over yet. */
class OpenExchange {
  readonly sent = new KeptBody()
  readonly received = new KeptBody()
  status = 0
  statusText = ''
  answeredVersion = '1.1'
  answeredWith: readonly (readonly [string, string])[] = []
  isOver = false
  private readonly number: number
  private readonly request: IncomingMessage
  private readonly service: URL
  private readonly done: (exchange: PassedExchange) => void
  private readonly started = new Date()
  private readonly since = performance.now()

  constructor(
    number: number,
    request: IncomingMessage,
    { service }: ListenerSettings,
    done: (exchange: PassedExchange) => void,
  ) {
    this.number = number
    this.request = request
    this.service = service
    this.done = done
  }

  over(trouble: string | undefined): void {
    if (this.isOver) return
    this.isOver = true
    const { method = '', url = '/', rawHeaders: headers, httpVersion } = this.request
    this.done({
      number: this.number,
      started: this.started,
      milliseconds: Math.round((performance.now() - this.since) * 10) / 10,
      request: {
        method,
        url: `${this.service.origin}${url.startsWith('/') ? url : new URL(url).pathname}`,
        httpVersion,
        headers: pairsOf(headers),
        body: this.sent,
      },
      response: {
        status: this.status,
        statusText: this.statusText,
        httpVersion: this.answeredVersion,
        headers: this.answeredWith,
        body: this.received,
      },
      trouble,
    })
  }
}

/** Headers as they came, name and value in turn, as pairs. */
function pairsOf(raw: readonly string[]): [string, string][] {
  const pairs: [string, string][] = []
  for (let at = 0; at < raw.length; at += 2) pairs.push([raw[at] ?? '', raw[at + 1] ?? ''])
  return pairs
}

/** Headers of which several may have one name, with their names as they are. */
function rawHeaders(pairs: readonly (readonly [string, string])[]): OutgoingHttpHeaders {
  const headers: Record<string, string | string[]> = {}
  const names = new Map<string, string>()
  for (const [name, value] of pairs) {
    const written = names.get(name.toLowerCase()) ?? name
    names.set(name.toLowerCase(), written)
    const before = headers[written]
    headers[written] = before === undefined ? value : [...[before].flat(), value]
  }
  return headers
}

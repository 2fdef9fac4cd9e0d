import { base64ToBytes, bytesToBase64 } from '../plain.js'
import { present } from '../present.js'
import { milliseconds, type Time } from '../times.js'
import { mostRedirects, redirected, type GuidedInit, type Trip } from '../redirects.js'
import { CookieJar } from './cookies.js'
import type { CompanyLogin } from './ntlm.js'
import {
  nodePlatform,
  type Agent,
  type ClientRequest,
  type Incoming,
  type IncomingMessage,
  type NodePlatform,
  type RequestOptions,
  type Socket,
} from './platform.js'
import { proxyFor, tunnel, type Proxy } from './proxy.js'
import { PlainResponse } from './response.js'

/**
 * How the transport reaches services, beside what the settings of a client say. All of it may be
 * left out.
 */
export interface NodeTransportSettings {
  /** Certificates of authorities to trust beside the usual ones, as PEM texts. */
  readonly ca?: string | readonly string[]
  /** A file with such certificates. */
  readonly caFile?: string
  /** The client's own certificate and its key, as files with PEM texts. */
  readonly certificateFiles?: {
    readonly cert: string
    readonly key: string
    readonly passphrase?: string
  }
  /** The client's own certificate and its key, as PEM texts. */
  readonly certificate?: {
    readonly cert: string
    readonly key: string
    readonly passphrase?: string
  }
  /** A company login (NTLM): who calls is proven once for each connection. */
  readonly companyLogin?: CompanyLogin
  /**
   * The address of a proxy, with its login where it wants one; `false` for none. When left out,
   * HTTPS_PROXY, HTTP_PROXY and NO_PROXY say.
   */
  readonly proxy?: string | false
  /** How long connecting may take: seconds, or like `500ms`. Default `10s`. */
  readonly connectLimit?: Time
  /** No answer is read beyond so many bytes. Default: no limit. */
  readonly mostBytes?: number
  /**
   * Are cookies that a service sets sent back to it? Default true: services keep sessions with
   * them.
   */
  readonly cookies?: boolean
  /**
   * What the program calls itself: name and version. Default `tolmach-client`, with its version.
   */
  readonly userAgent?: string
}

/** What made the client. */
const ownName = 'tolmach-client/0.1.0'

/**
 * A `fetch` for Node.js that also does what the platform's own can't: proxies with a login,
 * certificates of private authorities, client certificates, cookies, a limit for connecting and for
 * the size of answers. Redirects never carry credentials or cookies to another origin.
 *
 * @example
 * const desk = new BerthDesk({ fetch: nodeTransport({ ca: await readFile('harbour-ca.pem', 'utf8')
 * }) })
 * @returns a function to be given to a client as its setting `fetch`. Its answers have what reads
 *   them: status, headers, body, `arrayBuffer`, `text`, `json`
 */
export function nodeTransport(settings: NodeTransportSettings = {}): typeof fetch {
  let line: Promise<Line> | undefined
  return async (input, init = {}) => {
    line ??= nodePlatform().then((platform) => new Line(platform, settings))
    return (await line).fetch(new URL(addressOf(input)), init) as unknown as Promise<Response>
  }
}

/** What encrypted connections are made with; nothing where the usual will do. */
type Security = { readonly secureContext?: object }
type Certificate = NonNullable<NodeTransportSettings['certificate']>

/** Sends a request with a header that proves who calls, or without. */
type Attempt = (
  authorization: string | undefined,
  body: Uint8Array | undefined,
) => Promise<IncomingMessage>

/** A request of this transport's own. */
interface OwnTrip extends Trip {
  readonly body: Uint8Array | undefined
  /** It was led to another origin. */
  readonly unproven: boolean
}

class Line {
  private readonly platform: NodePlatform
  private readonly settings: NodeTransportSettings
  private readonly plainAgent: Agent
  private security: Promise<Security> | undefined
  private unprovenSecurity: Promise<Security> | undefined
  private secureAgent: Promise<Agent> | undefined
  /** For hosts that the service only led to: they are not shown the client's own certificate. */
  private unprovenAgent: Promise<Agent> | undefined
  private readonly jar = new CookieJar()
  /**
   * Connections over which somebody proved already who calls, by origin; each serves one request at
   * a time.
   */
  private readonly proven = new Map<string, Agent[]>()

  constructor(platform: NodePlatform, settings: NodeTransportSettings) {
    this.platform = platform
    this.settings = settings
    this.plainAgent = new platform.http.Agent({ keepAlive: true })
  }

  async fetch(url: URL, init: GuidedInit): Promise<PlainResponse> {
    const signal = init.signal ?? undefined
    signal?.throwIfAborted()
    const body = await bytesOf(init.body)
    const { companyLogin } = this.settings
    let trip: OwnTrip = {
      url: url.href,
      method: (init.method ?? 'GET').toUpperCase(),
      headers: plainHeaders(init.headers),
      body,
      unproven: init.unproven === true,
    }
    for (let redirects = 0; ; redirects += 1) {
      const message =
        companyLogin === undefined || trip.unproven
          ? await this.send(trip, signal)
          : await this.sendProven(trip, signal, companyLogin)
      if (this.settings.cookies !== false) this.jar.keep(new URL(trip.url), setCookies(message))
      const { location } = message.headers
      const next =
        init.redirect === 'manual'
          ? undefined
          : redirected(
              trip,
              message.statusCode ?? 0,
              typeof location === 'string' ? location : undefined,
            )
      if (next === undefined || typeof next === 'string')
        return this.response(message, trip, redirects > 0, signal)
      message.destroy()
      if (init.redirect === 'error')
        throw new TypeError(
          `${trip.url} redirects to ${new URL(next.url).host}, which is not wanted`,
        )
      if (redirects >= mostRedirects)
        throw new TypeError(
          `more than ${mostRedirects} redirects, the last one to ${new URL(next.url).host}`,
        )
      trip = {
        ...next,
        body: next.body === undefined ? undefined : trip.body,
        unproven: trip.unproven || new URL(next.url).origin !== url.origin,
      }
    }
  }

  /**
   * Whom to trust, and what proves who calls, for connections that are encrypted: made once, since
   * reading the authorities takes far longer than a call.
   */
  private secureOptions(unproven = false): Promise<Security> {
    if (unproven) return (this.unprovenSecurity ??= this.newSecurity(undefined))
    return (this.security ??= this.ownCertificate().then((own) => this.newSecurity(own)))
  }

  private async newSecurity(certificate: Certificate | undefined): Promise<Security> {
    const { settings, platform } = this
    const { caFile } = settings
    const own = [
      ...(settings.ca === undefined ? [] : [settings.ca].flat()),
      ...(caFile === undefined ? [] : [await this.read(caFile)]),
    ]
    if (own.length === 0 && certificate === undefined) return {}
    const tls = await platform.tls()
    const extra = platform.environment['NODE_EXTRA_CA_CERTS'] ?? ''
    // Naming authorities replaces the usual ones, so those are named too.
    const ca = [...tls.rootCertificates, ...(extra === '' ? [] : [await this.read(extra)]), ...own]
    return {
      secureContext: tls.createSecureContext({
        ...(own.length === 0 ? {} : { ca }),
        ...certificate,
      }),
    }
  }

  private async ownCertificate(): Promise<Certificate | undefined> {
    const { certificate, certificateFiles: files } = this.settings
    if (files === undefined) return certificate
    return { ...files, cert: await this.read(files.cert), key: await this.read(files.key) }
  }

  private async read(path: string): Promise<string> {
    return (await this.platform.fs()).readFileSync(path, 'utf8')
  }

  private async agentFor({ protocol }: URL, unproven: boolean): Promise<Agent> {
    if (protocol === 'http:') return this.plainAgent
    const agent = (): Promise<Agent> =>
      Promise.all([this.platform.https(), this.secureOptions(unproven)]).then(
        ([https, options]) => new https.Agent({ keepAlive: true, ...options }),
      )
    if (unproven) return (this.unprovenAgent ??= agent())
    return (this.secureAgent ??= agent())
  }

  /**
   * Sends a request over a connection of its own, on which a company login was made, or is made
   * now.
   */
  private async sendProven(
    trip: OwnTrip,
    signal: AbortSignal | undefined,
    login: CompanyLogin,
  ): Promise<IncomingMessage> {
    const { origin, protocol } = new URL(trip.url)
    const free = this.proven.get(origin) ?? []
    this.proven.set(origin, free)
    const used = free.pop()
    const agent = used ?? (await this.ownAgent(protocol))
    const attempt: Attempt = (authorization, body) => {
      const headers = { ...trip.headers, ...present({ authorization }) }
      return this.send({ ...trip, headers, body }, signal, agent)
    }
    let message = used === undefined ? undefined : await attempt(undefined, trip.body)
    if (message === undefined || message.statusCode === 401) {
      if (message !== undefined) await drained(message)
      message = await this.logIn(login, attempt, trip.body)
    }
    const { statusCode } = message
    message.on('close', () => (statusCode === 401 ? agent.destroy() : free.push(agent)))
    return message
  }

  /** An agent of one connection. */
  private async ownAgent(protocol: string): Promise<Agent> {
    const options = { keepAlive: true, maxSockets: 1 }
    if (protocol !== 'https:') return new this.platform.http.Agent(options)
    const https = await this.platform.https()
    return new https.Agent({ ...options, ...(await this.secureOptions()) })
  }

  /** A request with a company login (MS-NLMP, section 1.3.1.1), in as many steps as it takes. */
  private async logIn(
    login: CompanyLogin,
    attempt: Attempt,
    body: Uint8Array | undefined,
  ): Promise<IncomingMessage> {
    const { authenticateMessage, negotiateMessage, readChallenge } = await import('./ntlm.js')
    const negotiate = `NTLM ${bytesToBase64(negotiateMessage())}`
    const message = await attempt(negotiate, body && new Uint8Array())
    const offered = String(message.headers['www-authenticate'] ?? '')
    const challenge = /(?:^|,)\s*NTLM ([A-Za-z0-9+/=]+)/i.exec(offered)?.[1]
    if (message.statusCode === 401 && challenge !== undefined) {
      await drained(message)
      const { createHmac } = await this.platform.crypto()
      // Tenths of a microsecond since 1601.
      const own = {
        nonce: crypto.getRandomValues(new Uint8Array(8)),
        timestamp: (BigInt(Date.now()) + 11_644_473_600_000n) * 10_000n,
      }
      const proof = authenticateMessage(login, readChallenge(base64ToBytes(challenge)), own, {
        hmac: (key, data) => new Uint8Array(createHmac('md5', key).update(data).digest()),
      })
      return attempt(`NTLM ${bytesToBase64(proof)}`, body)
    }
    if (message.statusCode === 401 || body === undefined) return message
    // It does not want a login, and got no body yet.
    await drained(message)
    return attempt(undefined, body)
  }

  private async send(
    trip: OwnTrip,
    signal: AbortSignal | undefined,
    own?: Agent,
  ): Promise<IncomingMessage> {
    const { method, body, unproven } = trip
    const url = new URL(trip.url)
    const { proxy: wanted } = this.settings
    const proxy = wanted === false ? undefined : proxyFor(url, wanted, this.platform.environment)
    const connection =
      proxy === undefined || url.protocol === 'http:'
        ? undefined
        : await tunnel(this.platform, proxy, url, await this.secureOptions(unproven), {
            signal,
            limit: this.connectLimit,
          })
    const isEncrypted = url.protocol === 'https:' && connection === undefined
    const [{ request: begin }, agent] = await Promise.all([
      isEncrypted ? this.platform.https() : this.platform.http,
      own ?? this.agentFor(url, unproven),
    ])
    signal?.throwIfAborted()
    const options = requestOptions(
      url,
      method,
      this.sentHeaders(trip, url),
      agent,
      proxy,
      connection,
    )
    for (let tries = 0; ; tries += 1) {
      const request = begin(options)
      try {
        return await this.answerTo(request, url, body, signal)
      } catch (error) {
        // A connection that was kept may be closed by the service just when it is used again: the
        // request was not read then.
        const isReset = (error as { readonly code?: unknown } | null)?.code === 'ECONNRESET'
        const isLost = request.reusedSocket === true && isReset
        if (!isLost || tries > 0 || own !== undefined || signal?.aborted === true) throw error
      }
    }
  }

  /** The headers of a request: those of the caller, and those that every request has. */
  private sentHeaders(
    { method, headers, body, unproven }: OwnTrip,
    url: URL,
  ): Record<string, string> {
    const kept = this.settings.cookies === false ? '' : this.jar.headerFor(url, unproven)
    const cookies = [headers['cookie'] ?? '', kept].filter((each) => each !== '')
    const saysLength = body !== undefined || ['POST', 'PUT', 'PATCH'].includes(method)
    return {
      accept: '*/*',
      'accept-encoding': 'gzip, deflate, br',
      'user-agent': this.settings.userAgent ?? ownName,
      ...headers,
      ...(kept === '' ? {} : { cookie: cookies.join('; ') }),
      ...(saysLength ? { 'content-length': String(body?.length ?? 0) } : {}),
    }
  }

  private answerTo(
    request: ClientRequest,
    url: URL,
    body: Uint8Array | undefined,
    signal: AbortSignal | undefined,
  ): Promise<IncomingMessage> {
    return new Promise((resolve, reject) => {
      const abort = (): void => void request.destroy(signal?.reason)
      signal?.addEventListener('abort', abort)
      const done = (): void => signal?.removeEventListener('abort', abort)
      request.on('socket', (socket) => this.watchConnecting(request, socket, url))
      request.on('error', (error) => {
        done()
        reject(error)
      })
      request.on('response', (message) => {
        message.on('close', done)
        resolve(message)
      })
      // Nobody asked for another protocol: what comes then is no answer, and the connection is of
      // no use.
      request.on('upgrade', (message, socket) => {
        done()
        socket.destroy()
        resolve(message)
      })
      request.on('close', () => {
        done()
        const failure = new Error('the connection was closed before an answer came')
        reject(Object.assign(failure, { code: 'ECONNRESET' }))
      })
      request.end(body)
    })
  }

  private get connectLimit(): number {
    return milliseconds(this.settings.connectLimit ?? '10s')
  }

  private watchConnecting(
    request: ClientRequest,
    socket: { readonly connecting: boolean; once(event: string, listener: () => void): void },
    url: URL,
  ): void {
    if (!socket.connecting) return
    const timer = setTimeout(
      () =>
        void request.destroy(
          Object.assign(new Error(`no connection to ${url.host} within ${this.connectLimit} ms`), {
            code: 'ETIMEDOUT',
          }),
        ),
      this.connectLimit,
    )
    for (const event of ['connect', 'close']) socket.once(event, () => clearTimeout(timer))
  }

  private async response(
    message: IncomingMessage,
    { method, url }: Trip,
    wasRedirected: boolean,
    signal: AbortSignal | undefined,
  ): Promise<PlainResponse> {
    const status = message.statusCode ?? 0
    const hasBody = method !== 'HEAD' && status !== 204 && status !== 205 && status !== 304
    if (!hasBody) message.resume()
    const { Readable } = this.platform.stream
    signal?.addEventListener('abort', () => message.destroy(signal.reason), { once: true })
    return new PlainResponse(
      { status, url, redirected: wasRedirected, rawHeaders: message.rawHeaders },
      hasBody
        ? limited(await this.decoded(message), this.settings.mostBytes, this.platform)
        : undefined,
      (stream) => Readable.toWeb(stream),
    )
  }

  /** The body without its compression (RFC 9110, section 8.4.1). */
  private async decoded(message: IncomingMessage): Promise<Incoming> {
    const encoding = String(message.headers['content-encoding'] ?? '')
      .trim()
      .toLowerCase()
    if (!['gzip', 'x-gzip', 'deflate', 'br'].includes(encoding)) return message
    const zlib = await this.platform.zlib()
    const make = encoding === 'br' ? zlib.createBrotliDecompress : zlib.createGunzip
    const decoder = encoding === 'deflate' ? zlib.createInflate() : make()
    this.platform.stream.pipeline(message, decoder, () => undefined)
    return decoder
  }
}

/** Reads a message to its end, so that its connection can be used again. */
async function drained(message: IncomingMessage): Promise<void> {
  for await (const _ of message);
}

/**
 * Settings of the transport from variables with a common prefix: `<PREFIX>_CA_FILE`,
 * `_CERTIFICATE_FILE`, `_CERTIFICATE_KEY_FILE` and `_CERTIFICATE_PASSPHRASE`, `_PROXY`,
 * `_NTLM_USER`, `_NTLM_PASSWORD` and `_NTLM_DOMAIN`.
 */
export function nodeTransportFrom(
  variables: Readonly<Record<string, string | undefined>>,
  prefix: string,
): typeof fetch {
  const get = (name: string): string | undefined => {
    const value = variables[`${prefix}_${name}`]
    return value === '' ? undefined : value
  }
  const [caFile, cert, key, passphrase, proxy, user, domain] = [
    get('CA_FILE'),
    get('CERTIFICATE_FILE'),
    get('CERTIFICATE_KEY_FILE'),
    get('CERTIFICATE_PASSPHRASE'),
    get('PROXY'),
    get('NTLM_USER'),
    get('NTLM_DOMAIN'),
  ]
  return nodeTransport({
    ...present({ caFile }),
    ...(cert === undefined || key === undefined
      ? {}
      : { certificateFiles: { cert, key, ...present({ passphrase }) } }),
    ...present({ proxy }),
    ...(user === undefined
      ? {}
      : {
          companyLogin: {
            user,
            password: get('NTLM_PASSWORD') ?? '',
            ...present({ domain }),
          },
        }),
  })
}

/**
 * What Node's request is made of: straight to the host, through a proxy, or over a connection that
 * a proxy made.
 */
function requestOptions(
  url: URL,
  method: string,
  headers: Readonly<Record<string, string>>,
  agent: Agent,
  proxy: Proxy | undefined,
  connection: Socket | undefined,
): RequestOptions {
  const path = `${url.pathname}${url.search}`
  const common = { method, headers: { host: url.host, ...headers } }
  if (connection !== undefined) return { ...common, path, createConnection: () => connection }
  // Without encryption a proxy is asked for the whole address (RFC 9112, section 3.2.2).
  if (proxy !== undefined)
    return {
      method,
      headers: { ...common.headers, ...proxy.headers },
      host: proxy.host,
      port: proxy.port,
      path: url.href,
      agent,
    }
  return {
    ...common,
    host: url.hostname.replace(/^\[|\]$/g, ''),
    ...(url.port === '' ? {} : { port: Number(url.port) }),
    path,
    agent,
  }
}

/** A stream that breaks off when it is longer than it may be. */
function limited(source: Incoming, most: number | undefined, { stream }: NodePlatform): Incoming {
  if (most === undefined) return source
  return stream.Readable.from(
    (async function* () {
      let size = 0
      for await (const piece of source) {
        size += piece.length
        if (size > most)
          throw new Error(`the answer is larger than ${most} bytes, the limit set for it`)
        yield piece
      }
    })(),
    { objectMode: false },
  )
}

function plainHeaders(headers: RequestInit['headers']): Record<string, string> {
  const given = headers ?? []
  const pairs =
    Symbol.iterator in given
      ? (given as Iterable<readonly string[]>)
      : Object.entries(given as Readonly<Record<string, string>>)
  return Object.fromEntries(
    [...pairs].map(([name = '', value = '']): [string, string] => [name.toLowerCase(), value]),
  )
}

function setCookies({ headers }: IncomingMessage): readonly string[] {
  const found = headers['set-cookie']
  if (found === undefined) return []
  if (typeof found === 'string') return [found]
  return found
}

function addressOf(input: string | URL | Request): string {
  if (typeof input === 'string') return input
  return 'href' in input ? input.href : input.url
}

async function bytesOf(body: RequestInit['body']): Promise<Uint8Array | undefined> {
  if (body === undefined || body === null) return undefined
  if (body instanceof Uint8Array) return body
  if (typeof body === 'string') return new TextEncoder().encode(body)
  return new Uint8Array(await new Response(body).arrayBuffer())
}

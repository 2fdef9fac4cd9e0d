import type { IncomingMessage, NodePlatform, Socket, ClientRequest } from './platform.js'

/** A proxy, and what proves who calls to it. */
export interface Proxy {
  readonly host: string
  readonly port: number
  /** It is spoken to by TLS itself. */
  readonly encrypted: boolean
  readonly headers: Readonly<Record<string, string>>
}

/**
 * The proxy for an address, as the settings or the variables HTTPS_PROXY, HTTP_PROXY, ALL_PROXY and
 * NO_PROXY (also in small letters) say.
 *
 * @throws TypeError when its address is none
 */
export function proxyFor(
  url: URL,
  setting: string | undefined,
  environment: Readonly<Record<string, string | undefined>>,
): Proxy | undefined {
  const variable = (name: string): string | undefined =>
    [environment[name.toLowerCase()], environment[name]].find(
      (each) => each !== undefined && each !== '',
    )
  const address =
    setting ??
    (isExempt(url, variable('NO_PROXY') ?? '')
      ? undefined
      : (variable(url.protocol === 'https:' ? 'HTTPS_PROXY' : 'HTTP_PROXY') ??
        variable('ALL_PROXY')))
  if (address === undefined) return undefined
  const written = /^[a-z]+:\/\//i.test(address) ? address : `http://${address}`
  if (!URL.canParse(written) || !/^https?:/i.test(written))
    throw new TypeError(
      'the address of the proxy is not valid; it should be like http://proxy.example:3128',
    )
  const { protocol, hostname, port, username, password } = new URL(written)
  const encrypted = protocol === 'https:'
  const login =
    username === '' ? undefined : `${decodeURIComponent(username)}:${decodeURIComponent(password)}`
  const usual = encrypted ? 443 : 80
  return {
    host: hostname.replace(/^\[|\]$/g, ''),
    port: port === '' ? usual : Number(port),
    encrypted,
    headers:
      login === undefined
        ? {}
        : {
            'proxy-authorization': `Basic ${btoa(String.fromCharCode(...new TextEncoder().encode(login)))}`,
          },
  }
}

/** Does NO_PROXY name a host: by its name, as a domain above it, with a port, or all with `*`? */
function isExempt({ hostname, port, protocol }: URL, list: string): boolean {
  const usual = protocol === 'https:' ? '443' : '80'
  const actual = port === '' ? usual : port
  return list
    .split(/[\s,]+/)
    .filter((each) => each !== '')
    .some((each) => {
      const [, name = '', only] = /^(.*?)(?::(\d+))?$/.exec(each) ?? []
      const domain = name.replace(/^\*?\./, '').toLowerCase()
      return (
        (only === undefined || only === actual) &&
        (name === '*' || hostname === domain || hostname.endsWith(`.${domain}`))
      )
    })
}

/**
 * A connection through a proxy, encrypted to the host behind it (RFC 9110, section 9.3.6).
 *
 * @throws ProxyRefusal when the proxy does not let it through
 */
export async function tunnel(
  platform: NodePlatform,
  proxy: Proxy,
  url: URL,
  tls: Readonly<Record<string, unknown>>,
  { signal, limit }: { signal: AbortSignal | undefined; limit: number },
): Promise<Socket> {
  const target = `${url.hostname}:${url.port === '' ? '443' : url.port}`
  const [{ request: begin }, tlsModule] = await Promise.all([
    proxy.encrypted ? platform.https() : platform.http,
    platform.tls(),
  ])
  const request = begin({
    method: 'CONNECT',
    headers: { host: target, ...proxy.headers },
    host: proxy.host,
    port: proxy.port,
    path: target,
  })
  const socket = await connected(request, proxy, signal, limit)
  return new Promise((resolve, reject) => {
    const secure = tlsModule.connect({
      ...tls,
      socket,
      servername: /^[\d.]+$|:/.test(url.hostname) ? '' : url.hostname,
      host: url.hostname,
    })
    secure.on('secureConnect', () => resolve(secure))
    secure.on('error', reject as (error: never) => void)
  })
}

/** The connection that a proxy opens. */
function connected(
  request: ClientRequest,
  { host }: Proxy,
  signal: AbortSignal | undefined,
  limit: number,
): Promise<Socket> {
  return new Promise((resolve, reject) => {
    const timer = setTimeout(() => {
      const failure = new Error(`the proxy ${host} did not connect within ${limit} ms`)
      void request.destroy(Object.assign(failure, { code: 'ETIMEDOUT' }))
    }, limit)
    const abort = (): void => void request.destroy(signal?.reason)
    signal?.addEventListener('abort', abort)
    const done = (): void => {
      clearTimeout(timer)
      signal?.removeEventListener('abort', abort)
    }
    request.on('error', (error) => {
      done()
      reject(error)
    })
    request.on('response', (message) => {
      done()
      message.destroy()
      reject(new ProxyRefusal(host, message))
    })
    request.on('connect', (message, socket, head) => {
      done()
      if (message.statusCode !== 200) {
        socket.destroy()
        reject(new ProxyRefusal(host, message))
        return
      }
      if (head.length > 0) socket.unshift?.(head)
      resolve(socket)
    })
    request.end()
  })
}

/** A proxy did not let a request through. */
export class ProxyRefusal extends Error {
  readonly code = 'EPROXY'
  readonly status: number
  /** How the proxy wants to be told who calls. */
  readonly offered: string

  constructor(host: string, { statusCode = 0, headers }: IncomingMessage) {
    super(
      statusCode === 407
        ? `the proxy ${host} wants a login (HTTP 407)`
        : `the proxy ${host} refuses to connect (HTTP ${statusCode})`,
    )
    this.name = 'ProxyRefusal'
    this.status = statusCode
    this.offered = String(headers['proxy-authenticate'] ?? '')
  }
}

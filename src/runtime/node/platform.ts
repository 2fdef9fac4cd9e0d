/**
 * What of Node.js the transport uses, as types of our own: a client compiles in projects that have
 * no types of Node, browser projects among them, and a bundler that never meets the transport never
 * meets Node's modules.
 */

/** A stream of bytes that come. */
export interface Incoming extends AsyncIterable<Uint8Array> {
  on(event: string, listener: (value: never) => void): unknown
  destroy(error?: unknown): unknown
  pipe<Target>(target: Target): Target
}

export interface IncomingMessage extends Incoming {
  readonly statusCode?: number
  readonly rawHeaders: readonly string[]
  readonly headers: Readonly<Record<string, string | readonly string[] | undefined>>
  /** Reads what comes, and forgets it. */
  resume(): unknown
}

export interface Socket extends Incoming {
  unshift?(bytes: Uint8Array): unknown
}

export interface ClientRequest {
  on(event: 'response', listener: (response: IncomingMessage) => void): ClientRequest
  on(
    event: 'connect',
    listener: (response: IncomingMessage, socket: Socket, head: Uint8Array) => void,
  ): ClientRequest
  on(
    event: 'socket',
    listener: (
      socket: Socket & {
        readonly connecting: boolean
        once(event: string, listener: () => void): void
      },
    ) => void,
  ): ClientRequest
  on(event: 'upgrade', listener: (response: IncomingMessage, socket: Socket) => void): ClientRequest
  on(event: 'error', listener: (error: Error) => void): ClientRequest
  on(event: 'close', listener: () => void): ClientRequest
  end(body?: Uint8Array): unknown
  destroy(error?: unknown): unknown
  /** It went over a connection that served others before. */
  readonly reusedSocket?: boolean
}

export interface Agent {
  destroy(): void
}

export interface RequestOptions {
  readonly method: string
  readonly headers: Readonly<Record<string, string>>
  readonly agent?: Agent | undefined
  readonly host?: string
  readonly port?: number
  readonly path?: string
  readonly createConnection?: () => Socket
}

interface HttpModule {
  request(options: RequestOptions): ClientRequest
  readonly Agent: new (options: object) => Agent
}

/** Node's modules; those that few answers need are loaded when one does. */
export interface NodePlatform {
  readonly http: HttpModule
  readonly stream: {
    readonly Readable: {
      toWeb(stream: Incoming): ReadableStream<Uint8Array>
      from(items: AsyncIterable<Uint8Array>, options: object): Incoming
    }
    pipeline(from: Incoming, to: Incoming, done: (error?: unknown) => void): unknown
  }
  readonly environment: Readonly<Record<string, string | undefined>>
  https(): Promise<HttpModule>
  tls(): Promise<{
    connect(options: object): Socket
    createSecureContext(options: object): object
    readonly rootCertificates: readonly string[]
  }>
  zlib(): Promise<{
    createGunzip(): Incoming
    createInflate(): Incoming
    createBrotliDecompress(): Incoming
  }>
  crypto(): Promise<{
    createHmac(
      algorithm: 'md5',
      key: Uint8Array,
    ): { update(data: Uint8Array): { digest(): Uint8Array } }
  }>
  fs(): Promise<{ readFileSync(path: string, encoding: 'utf8'): string }>
}

let platform: Promise<NodePlatform> | undefined

/** Node's own modules. @throws Error where this is not Node.js */
export function nodePlatform(): Promise<NodePlatform> {
  platform ??= load()
  return platform
}

async function load(): Promise<NodePlatform> {
  const { process } = globalThis as unknown as {
    readonly process?: {
      readonly env: NodePlatform['environment']
      readonly versions: { readonly node?: string }
    }
  }
  if (process?.versions.node === undefined)
    throw new Error(
      'nodeTransport needs Node.js; in a browser leave it out, its own fetch does what the browser allows',
    )
  const module = <Module>(name: string): Promise<Module> => import(name) as Promise<Module>
  const [http, stream] = await Promise.all([
    module<NodePlatform['http']>('node:http'),
    module<NodePlatform['stream']>('node:stream'),
  ])
  return {
    http,
    stream,
    environment: process.env,
    https: () => module('node:https'),
    tls: () => module('node:tls'),
    zlib: () => module('node:zlib'),
    crypto: () => module('node:crypto'),
    fs: () => module('node:fs'),
  }
}

import { createReadStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { fileURLToPath } from 'node:url'
import { present } from '../contract/present.js'
import { Problem, problem } from '../contract/problem.js'
import { isSecretName } from '../contract/secret-names.js'
import { fileReason, systemCode } from '../contract/system-error.js'
import type { HadBefore, Validators } from './had-before.js'

/** No document is read beyond this many bytes. */
export const largestDocument = 64 * 1024 * 1024

/** The bytes of one document and what is known about them. */
export interface Fetched {
  /** Where it was found in the end, after redirects: an absolute `file:` or `http(s):` address. */
  readonly address: string
  readonly bytes: Uint8Array
  readonly charset: string | undefined
  readonly validators?: Validators
}

/** Is this location an address on the web (and not a path)? */
export function isWebAddress(location: string): boolean {
  return /^https?:\/\//i.test(location)
}

/**
 * Reads one document from a file or over HTTP (redirects followed, compression undone, proxies of
 * the environment honoured).
 *
 * @param address an absolute `file:` or `http(s):` address
 * @throws Problem TM-2001 to TM-2005 or TM-2012, of the kind that fits: metadata, unreachable,
 *   timeout, login
 */
export async function fetchDocument(address: string, fetching: Fetching): Promise<Fetched> {
  if (!isWebAddress(address)) return fetchFromFile(address)
  return fetching.before?.asked(address) ?? fetchFromWeb(address, fetching)
}

/** Asks for everything that was had before, all at once. */
export function fetchAhead(fetching: Fetching): void {
  fetching.before?.start((address) => fetchFromWeb(address, fetching))
}

/** How documents are fetched. */
export interface Fetching {
  /** How long to wait for an answer. */
  readonly seconds: number
  /** The media types that are asked for, the best first; anything else will do, too. */
  readonly mediaTypes: readonly string[]
  /** What fetches from the web, where that needs more than an address. */
  readonly send?: WebFetch | undefined
  /** Documents that were had before. */
  readonly before?: HadBefore | undefined
  /** Hears how many documents are there, whenever there is one more. */
  readonly onDocument?: ((count: number) => void) | undefined
}

async function fetchFromFile(address: string): Promise<Fetched> {
  const path = fileURLToPath(address)
  try {
    const { size } = await stat(path)
    if (size > largestDocument) throw tooLarge()
    // What is no plain file has no size to go by.
    return { address, bytes: await readLimited(createReadStream(path)), charset: undefined }
  } catch (error) {
    if (error instanceof Problem) throw error
    throw problem('TM-2001', { location: path, reason: fileReason(error) }, { cause: error })
  }
}

async function fetchFromWeb(
  address: string,
  { seconds, mediaTypes, send, before }: Fetching,
): Promise<Fetched> {
  const shown = withoutSecrets(address)
  const { username, password } = new URL(address)
  const had = before?.of(address)
  const headers: Record<string, string> = {
    accept: [...mediaTypes, '*/*;q=0.5'].join(', '),
    ...conditions(had ?? {}),
  }
  if (username !== '')
    headers['authorization'] =
      `Basic ${Buffer.from(`${unescaped(username)}:${unescaped(password)}`).toString('base64')}`
  const own = send === undefined ? await plainFetch(seconds) : undefined
  try {
    const response = await (send ?? own?.send ?? fetch)(withoutLogin(address), {
      headers,
      signal: AbortSignal.timeout(seconds * 1000),
    })
    if (response.status === 401 || response.status === 403 || response.status === 407) {
      const isProven = send?.isProven === true || headers['authorization'] !== undefined
      const code = isProven && response.status !== 407 ? 'TM-2018' : 'TM-2004'
      throw problem(code, { location: shown, status: response.status })
    }
    if (response.status === 304 && had !== undefined)
      return { address, bytes: had.bytes, charset: undefined, validators: had }
    if (!response.ok) throw problem('TM-2005', { location: shown, status: response.status })
    const bytes = await readLimited(response.body)
    const charset = /charset\s*=\s*"?([\w.-]+)/i.exec(
      response.headers.get('content-type') ?? '',
    )?.[1]
    return {
      address: response.url === '' ? address : response.url,
      bytes,
      charset,
      validators: validatorsOf(response.headers),
    }
  } catch (error) {
    throw webProblem(error, shown, seconds)
  } finally {
    await own?.close()
  }
}

/** The headers by which a document only comes where it has changed (RFC 9110, section 13.1). */
function conditions({ etag, modified }: Validators): Record<string, string> {
  if (etag !== undefined) return { 'if-none-match': etag }
  return modified === undefined ? {} : { 'if-modified-since': modified }
}

function validatorsOf(headers: Headers): Validators {
  const [etag, modified] = ['etag', 'last-modified'].map((name) => headers.get(name) ?? undefined)
  return present({ etag, modified })
}

/** What fetches from the web. */
export interface WebFetch {
  (
    url: string,
    init: { readonly headers: Readonly<Record<string, string>>; readonly signal: AbortSignal },
  ): Promise<Response>
  /** Was who asks proven with what was sent last? */
  readonly isProven?: boolean
}

/** What does so where nobody says otherwise: with the proxies of the environment. */
async function plainFetch(seconds: number): Promise<{ send: WebFetch; close(): Promise<void> }> {
  // Loaded only here: no other command needs it, and it is large.
  const { fetch: send, EnvHttpProxyAgent } = await import('undici')
  const dispatcher = new EnvHttpProxyAgent({ connect: { timeout: seconds * 1000 } })
  return {
    send: (url, init) => send(url, { ...init, dispatcher }) as unknown as Promise<Response>,
    close: () => dispatcher.destroy(),
  }
}

async function readLimited(
  body: AsyncIterable<Uint8Array> | ReadableStream<Uint8Array> | null,
): Promise<Uint8Array> {
  const chunks: Uint8Array[] = []
  let size = 0
  for await (const chunk of (body ?? []) as AsyncIterable<Uint8Array>) {
    size += chunk.byteLength
    if (size > largestDocument) throw tooLarge()
    chunks.push(chunk)
  }
  return Buffer.concat(chunks)
}

function tooLarge(): Problem {
  return problem('TM-2012', { limit: `${largestDocument / 1024 / 1024} MB a document` })
}

function webProblem(error: unknown, location: string, seconds: number): unknown {
  if (!(error instanceof Error) || error.name === 'Problem') return error
  if (error.name === 'TimeoutError')
    return problem('TM-2003', { location, seconds }, { cause: error })
  const cause: unknown = error.cause ?? error
  return problem('TM-2002', { location, reason: connectionReason(cause) }, { cause: error })
}

/** What a failed connection means, in plain words. */
export function connectionReason(cause: unknown): string {
  const known: Record<string, string> = {
    ECONNREFUSED: 'the connection was refused',
    ECONNRESET: 'the connection was cut',
    ENOTFOUND: 'the name of the host is not known',
    EAI_AGAIN: "the name of the host can't be looked up",
    ETIMEDOUT: 'the connection took too long',
    EHOSTUNREACH: 'there is no way to the host',
    UND_ERR_CONNECT_TIMEOUT: 'the connection took too long',
    UND_ERR_SOCKET: 'the connection was cut',
    DEPTH_ZERO_SELF_SIGNED_CERT: 'its certificate is not trusted (self-signed)',
    SELF_SIGNED_CERT_IN_CHAIN: 'its certificate is not trusted (self-signed)',
    UNABLE_TO_VERIFY_LEAF_SIGNATURE: 'its certificate is not trusted (unknown issuer)',
    CERT_HAS_EXPIRED: 'its certificate has expired',
    UNABLE_TO_GET_ISSUER_CERT: 'its certificate is not trusted (unknown issuer)',
    UNABLE_TO_GET_ISSUER_CERT_LOCALLY: 'its certificate is not trusted (unknown issuer)',
    CERT_NOT_YET_VALID: 'its certificate is not valid yet',
    ERR_TLS_CERT_ALTNAME_INVALID: 'its certificate is for another host',
    EPROTO: 'it does not speak TLS there, or not a version that is safe',
    ERR_SSL_WRONG_VERSION_NUMBER: 'it does not speak TLS there: the port may be for plain http',
    HPE_INVALID_CONSTANT: 'what answers there does not speak HTTP',
  }
  return (
    known[systemCode(cause)] ??
    (cause instanceof Error && cause.message !== '' ? cause.message : 'the connection failed')
  )
}

function withoutLogin(address: string): string {
  const url = new URL(address)
  url.username = ''
  url.password = ''
  return url.href
}

function unescaped(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/**
 * An address without its login and with the values of query parameters that look like secrets
 * replaced: fit to be shown and kept.
 */
export function withoutSecrets(address: string): string {
  if (!isWebAddress(address)) return address
  const bare = withoutLogin(address)
  return bare.replace(/([?&#])([^=&#]+)=([^&#]+)/g, (whole, lead: string, name: string) =>
    isSecretName(unescaped(name), 'address') ? `${lead}${name}=***` : whole,
  )
}

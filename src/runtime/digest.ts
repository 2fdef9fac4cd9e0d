import type { Connection, Login } from './connection.js'
import { md5 } from './md5.js'
import { discard } from './reading.js'
import type { Sender } from './sender.js'

/** What a service wants to have proven: its challenge, by name. */
type Challenge = Readonly<Record<string, string>>

/** Who calls. */
interface UserAndPassword {
  readonly user: string
  readonly password: string
}

/** Those who prove who calls remember the challenge of their service, by connection. */
const provers = /* @__PURE__ */ new WeakMap<Connection, Digest>()

/** A login by digest: the password itself never travels. */
export const digestLogin: Login = {
  kind: 'digest',
  sender(connection, credential, _request, _headers, _thisCall, send) {
    if (credential.kind !== 'digest') return undefined
    const prover = provers.get(connection) ?? new Digest(credential)
    provers.set(connection, prover)
    return (url, init) => prover.send(url, init, send)
  },
}

/**
 * Sends requests that prove who calls by HTTP Digest (RFC 7616, with what RFC 2617 services still
 * ask for): the first one is refused with a challenge and sent again with the proof; later ones
 * bring it along.
 */
export class Digest {
  private readonly login: UserAndPassword
  private challenge: Challenge | undefined
  private count = 0

  constructor(login: UserAndPassword) {
    this.login = login
  }

  async send(url: string, init: RequestInit, send: Sender): Promise<Response> {
    const proven = async (): Promise<RequestInit> => ({
      ...init,
      headers: {
        ...(init.headers as Record<string, string>),
        authorization: await this.proof(url, init.method ?? 'GET'),
      },
    })
    const first = await send(url, this.challenge === undefined ? init : await proven())
    const challenge =
      first.status === 401 ? bestChallenge(first.headers.get('www-authenticate') ?? '') : undefined
    // One that was answered before is refused again only when its nonce is stale, or the password
    // is wrong.
    if (
      challenge === undefined ||
      (this.challenge !== undefined &&
        challenge['stale']?.toLowerCase() !== 'true' &&
        challenge['nonce'] === this.challenge['nonce'])
    )
      return first
    await discard(first)
    this.challenge = challenge
    this.count = 0
    return send(url, await proven())
  }

  private async proof(url: string, method: string): Promise<string> {
    const {
      realm = '',
      nonce = '',
      opaque,
      qop: offered = '',
      algorithm = 'MD5',
    } = this.challenge ?? {}
    const { user, password } = this.login
    const { pathname, search } = new URL(url)
    const uri = `${pathname}${search}`
    this.count += 1
    const count = this.count.toString(16).padStart(8, '0')
    const cnonce = hex(crypto.getRandomValues(new Uint8Array(8)))
    const qop = offered
      .split(',')
      .map((each) => each.trim())
      .includes('auth')
      ? 'auth'
      : ''
    const response = await digestResponse({
      user,
      password,
      realm,
      nonce,
      uri,
      method,
      algorithm,
      qop,
      count,
      cnonce,
    })
    const quoted = (text: string): string => `"${text.replace(/["\\]/g, '\\$&')}"`
    const parts = [
      `username=${quoted(user)}`,
      `realm=${quoted(realm)}`,
      `nonce=${quoted(nonce)}`,
      `uri=${quoted(uri)}`,
      `algorithm=${algorithm}`,
      `response="${response}"`,
      ...(qop === '' ? [] : [`qop=${qop}`, `nc=${count}`, `cnonce="${cnonce}"`]),
      ...(opaque === undefined ? [] : [`opaque=${quoted(opaque)}`]),
    ]
    return `Digest ${parts.join(', ')}`
  }
}

/** What a proof is made of (RFC 7616, section 3.4). */
export interface DigestFacts extends UserAndPassword {
  readonly realm: string
  readonly nonce: string
  readonly uri: string
  readonly method: string
  readonly algorithm: string
  /** `auth`, or nothing for services that know nothing newer than RFC 2069. */
  readonly qop: string
  readonly count: string
  readonly cnonce: string
}

/** The response to a challenge (RFC 7616, section 3.4.1). */
export async function digestResponse({
  user,
  password,
  realm,
  nonce,
  uri,
  method,
  algorithm,
  qop,
  count,
  cnonce,
}: DigestFacts): Promise<string> {
  const hash = (text: string): Promise<string> =>
    /^SHA-256/i.test(algorithm) ? sha256(text) : Promise.resolve(md5(text))
  const base = await hash(`${user}:${realm}:${password}`)
  const secret = /-sess$/i.test(algorithm) ? await hash(`${base}:${nonce}:${cnonce}`) : base
  const asked = await hash(`${method}:${uri}`)
  return hash(
    qop === ''
      ? `${secret}:${nonce}:${asked}`
      : `${secret}:${nonce}:${count}:${cnonce}:${qop}:${asked}`,
  )
}

async function sha256(text: string): Promise<string> {
  return hex(new Uint8Array(await crypto.subtle.digest('SHA-256', new TextEncoder().encode(text))))
}

function hex(bytes: Uint8Array): string {
  return [...bytes].map((byte) => byte.toString(16).padStart(2, '0')).join('')
}

/** Of the challenges in a header the Digest one with the best algorithm that we know. */
export function bestChallenge(header: string): Challenge | undefined {
  const digests = header
    .split(/(?:^|,)\s*Digest\s+/i)
    .slice(1)
    .map((text) =>
      Object.fromEntries(
        [...text.matchAll(/([\w-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"]+))/g)].map(
          ([, name = '', quoted, plain]) => [
            name.toLowerCase(),
            (quoted ?? plain ?? '').replace(/\\(.)/g, '$1'),
          ],
        ),
      ),
    )
  const known = ['SHA-256', 'SHA-256-SESS', 'MD5', 'MD5-SESS']
  return digests
    .filter(({ algorithm = 'MD5' }) => known.includes(algorithm.toUpperCase()))
    .sort(
      (a, b) =>
        known.indexOf((a['algorithm'] ?? 'MD5').toUpperCase()) -
        known.indexOf((b['algorithm'] ?? 'MD5').toUpperCase()),
    )[0]
}

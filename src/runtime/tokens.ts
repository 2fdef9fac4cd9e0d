import { originOf } from './addresses.js'
import { timeOf } from './clock.js'
import type { Connection, Credential, Login, ThisCall } from './connection.js'
import { TransportFailure } from './failures.js'
import { present } from './present.js'
import { discard, readUpTo } from './reading.js'
import { guided } from './sender.js'

/** Where tokens are had, as far as the metadata says. */
export interface TokenPlace {
  readonly name: string
  readonly tokenUrl?: string
  readonly refreshUrl?: string
  readonly discovery?: string
}

/** What gets tokens and forgets them. */
export interface TokenSource {
  get(
    connection: Connection,
    place: TokenPlace,
    credential: OAuth,
    scopes: readonly string[],
    thisCall: ThisCall,
  ): Promise<string>
  /** Was there a token to forget? */
  forget(connection: Connection): boolean
}

interface Token {
  readonly text: string
  /**
   * When it ends, in milliseconds since 1970; a little early, so that it does not end on the way.
   */
  readonly until: number
  readonly refresh?: string
}

type OAuth = Extract<Credential, { kind: 'oauth2' }>

const tokens = /* @__PURE__ */ new WeakMap<Connection, Map<string, Promise<Token>>>()

/**
 * Tokens of OAuth 2.0 (RFC 6749): by the client's credentials (section 4.4), with a user by that
 * user's password (section 4.3), or by a refresh token that somebody logged in for; kept until they
 * end, then refreshed where there is a refresh token (section 6). The address may come from OpenID
 * Connect Discovery (section 4).
 */
export const tokenSource: TokenSource = {
  async get(connection, scheme, credential, scopes, thisCall) {
    const wanted = [...new Set(credential.scopes ?? scopes)].sort()
    const key = `${scheme.name} ${wanted.join(' ')}`
    const kept = tokens.get(connection) ?? new Map<string, Promise<Token>>()
    tokens.set(connection, kept)
    const known = kept.get(key)
    const old = known === undefined ? undefined : await known.catch(() => undefined)
    if (old !== undefined && old.until > Date.now()) return old.text
    // Calls that start together share one token.
    const fresh =
      kept.get(key) === known || known === undefined
        ? obtain(connection, scheme, credential, wanted, old?.refresh, thisCall)
        : kept.get(key)
    kept.set(key, fresh as Promise<Token>)
    try {
      return (await (fresh as Promise<Token>)).text
    } catch (error) {
      kept.delete(key)
      throw error
    }
  },
  forget: (connection) => tokens.delete(connection),
}

/** Sends requests with a token of OAuth 2.0 where the metadata says nothing of tokens. */
export const tokenLogin: Login = {
  kind: 'oauth2',
  sender(connection, credential, request, headers, thisCall, send) {
    const isProven = request.proven === true || headers['authorization'] !== undefined
    if (isProven || credential.kind !== 'oauth2') return undefined
    const place = { name: credential.scheme ?? 'oauth2' }
    const proven = async (init: RequestInit): Promise<RequestInit> => ({
      ...init,
      headers: {
        ...(init.headers as Record<string, string>),
        authorization: `Bearer ${await tokenSource.get(connection, place, credential, [], thisCall)}`,
      },
    })
    return async (url, init) => {
      const answer = await send(url, await proven(init))
      // A token may have been withdrawn before its time; then a new one is worth a try.
      if (answer.status !== 401 || !tokenSource.forget(connection)) return answer
      await discard(answer)
      return send(url, await proven(init))
    }
  },
}

async function obtain(
  connection: Connection,
  scheme: TokenPlace,
  credential: OAuth,
  scopes: readonly string[],
  refresh: string | undefined,
  thisCall: ThisCall,
): Promise<Token> {
  const url =
    credential.tokenUrl ?? scheme.tokenUrl ?? (await discovered(connection, scheme, thisCall))
  const scope: Record<string, string> = scopes.length === 0 ? {} : { scope: scopes.join(' ') }
  const usual = usualGrant(credential, scope)
  if (refresh !== undefined) {
    try {
      return await ask(
        connection,
        renewalAt(scheme, url),
        credential,
        { grant_type: 'refresh_token', refresh_token: refresh },
        thisCall,
        refresh,
      )
    } catch (error) {
      if (!(error instanceof TransportFailure) || error.kind !== 'login') throw error
    }
  }
  return ask(connection, url, credential, usual, thisCall, credential.refreshToken)
}

/**
 * Where tokens are renewed: what the metadata says of that counts only where it is at home with the
 * rest, since the secret goes there too.
 */
function renewalAt({ refreshUrl }: TokenPlace, url: string): string {
  return refreshUrl !== undefined && originOf(refreshUrl) === originOf(url) ? refreshUrl : url
}

async function ask(
  connection: Connection,
  url: string,
  credential: OAuth,
  form: Readonly<Record<string, string>>,
  thisCall: ThisCall,
  refresh?: string,
): Promise<Token> {
  const body = new URLSearchParams(form)
  const headers: Record<string, string> = {
    accept: 'application/json',
    'content-type': 'application/x-www-form-urlencoded',
  }
  // A client that has a secret says so in the header (section 2.3.1), encoded before it is put
  // together.
  const encoded = (text: string): string => new URLSearchParams([['', text]]).toString().slice(1)
  if (credential.clientSecret === undefined) body.set('client_id', credential.clientId)
  else
    headers['authorization'] =
      `Basic ${btoa(`${encoded(credential.clientId)}:${encoded(credential.clientSecret)}`)}`
  const { status, json } = await fetched(
    connection,
    url,
    { method: 'POST', headers, body: body.toString() },
    thisCall,
  )
  if (status >= 400 || typeof json['access_token'] !== 'string') {
    const said = [json['error'], json['error_description']]
      .filter((each) => typeof each === 'string')
      .join(': ')
    throw new TransportFailure(
      'login',
      `no token from ${url}${said === '' ? ` (HTTP ${String(status)})` : `: ${said}`}`,
      { url, status, asked: 'tokens' },
    )
  }
  const seconds = Number(json['expires_in'] ?? 300)
  const next = typeof json['refresh_token'] === 'string' ? json['refresh_token'] : refresh
  return {
    text: json['access_token'],
    until: Date.now() + Math.max(seconds - 30, seconds / 2) * 1000,
    ...present({ refresh: next }),
  }
}

async function discovered(
  connection: Connection,
  scheme: TokenPlace,
  thisCall: ThisCall,
): Promise<string> {
  const url = scheme.discovery
  const { json } =
    url === undefined
      ? { json: {} as Readonly<Record<string, unknown>> }
      : await fetched(connection, url, { headers: { accept: 'application/json' } }, thisCall)
  const found = json['token_endpoint']
  if (typeof found !== 'string')
    throw new TransportFailure(
      'login',
      `nothing says where tokens for "${scheme.name}" are had; give the credential a tokenUrl`,
      { url: url ?? '' },
    )
  return found
}

function parsed(bytes: Uint8Array): unknown {
  try {
    return JSON.parse(new TextDecoder().decode(bytes)) as unknown
  } catch {
    return undefined
  }
}

async function fetched(
  connection: Connection,
  url: string,
  request: RequestInit,
  thisCall: ThisCall,
): Promise<{ status: number; json: Readonly<Record<string, unknown>> }> {
  const { settings } = connection
  try {
    const answer = await guided(settings.fetch ?? fetch, url, {
      ...request,
      signal:
        thisCall.signal ?? AbortSignal.timeout(Math.min(timeOf(settings, thisCall), 2 ** 31 - 1)),
    })
    const json = parsed(await readUpTo(answer, 1024 * 1024))
    return {
      status: answer.status,
      json:
        typeof json === 'object' && json !== null
          ? (json as Readonly<Record<string, unknown>>)
          : {},
    }
  } catch (error) {
    if (thisCall.signal?.aborted === true) throw thisCall.signal.reason
    if (error instanceof TransportFailure) throw error
    const cause: unknown = error instanceof Error && error.cause !== undefined ? error.cause : error
    throw new TransportFailure(
      'unreachable',
      `the service for tokens can't be reached: ${cause instanceof Error ? cause.message : String(cause)}`,
      { url, cause },
    )
  }
}

/** The grant that a credential without an authorization code asks with (RFC 6749, 4.3, 4.4, 6). */
function usualGrant(
  { refreshToken, user, password = '' }: OAuth,
  scope: Readonly<Record<string, string>>,
): Record<string, string> {
  if (refreshToken !== undefined)
    return { grant_type: 'refresh_token', refresh_token: refreshToken }
  if (user === undefined) return { grant_type: 'client_credentials', ...scope }
  return { grant_type: 'password', username: user, password, ...scope }
}

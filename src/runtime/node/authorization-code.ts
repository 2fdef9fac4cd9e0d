import { present } from '../present.js'
import { milliseconds, type Time } from '../times.js'
import type { IncomingMessage } from './platform.js'

/** A service where a person logs in, in a browser. */
export interface AuthorizationRequest {
  /** Where the login page is (RFC 6749, section 3.1). */
  readonly authorizeUrl: string
  readonly tokenUrl: string
  readonly clientId: string
  readonly clientSecret?: string
  readonly scopes?: readonly string[]
  /** Shows the person the address to open in a browser. */
  open(url: string): void
  /** What sends the request for tokens; the platform's own `fetch` when left out. */
  readonly fetch?: typeof fetch
  /** How long logging in may take: seconds, or like `90s`. Default `5m`. */
  readonly timeLimit?: Time
}

/** Tokens that somebody logged in for. */
export interface Tokens {
  readonly token: string
  /** What new tokens are had with, where the service gives such. */
  readonly refreshToken?: string
}

/** What the server of this login needs of Node's own. */
interface HttpServer {
  listen(port: number, host: string, done: () => void): void
  address(): { readonly port: number }
  close(): void
  closeAllConnections?(): void
  on(event: 'error', listener: (error: Error) => void): void
}
interface ServerModule {
  createServer(
    listener: (
      request: IncomingMessage & { readonly url?: string },
      response: { writeHead(status: number, headers: object): { end(text: string): void } },
    ) => void,
  ): HttpServer
}

/**
 * Has a person log in with a browser: authorization code (RFC 6749, section 4.1) with a proof key
 * (RFC 7636), sent back to this machine (RFC 8252, section 7.3). For programs on Node.js.
 *
 * @throws Error when the login was refused, came back for somebody else, or took too long
 */
export async function authorizationCode({
  authorizeUrl,
  tokenUrl,
  clientId,
  clientSecret,
  scopes = [],
  open,
  fetch: send = fetch,
  timeLimit = '5m',
}: AuthorizationRequest): Promise<Tokens> {
  const [state, verifier] = [randomText(), randomText()]
  const hash = await crypto.subtle.digest('SHA-256', new TextEncoder().encode(verifier))
  const waiting = await waitForCode(state, milliseconds(timeLimit))
  try {
    const address = new URL(authorizeUrl)
    const asked = {
      response_type: 'code',
      client_id: clientId,
      redirect_uri: waiting.address,
      state,
      code_challenge: base64url(new Uint8Array(hash)),
      code_challenge_method: 'S256',
      ...(scopes.length === 0 ? {} : { scope: scopes.join(' ') }),
    }
    for (const [name, value] of Object.entries(asked)) address.searchParams.set(name, value)
    open(address.href)
    return await askTokens(send, tokenUrl, {
      grant_type: 'authorization_code',
      code: await waiting.code,
      redirect_uri: waiting.address,
      code_verifier: verifier,
      client_id: clientId,
      ...present({ client_secret: clientSecret }),
    })
  } finally {
    waiting.close()
  }
}

/** A server on this machine that the browser is sent back to. */
interface WaitingForCode {
  readonly address: string
  /** Fails when the login was refused, or took too long. */
  readonly code: Promise<string>
  close(): void
}

async function waitForCode(state: string, timeLimit: number): Promise<WaitingForCode> {
  const load = (name: string): Promise<unknown> => import(name)
  const { createServer } = (await load('node:http')) as ServerModule
  let settle: { resolve(code: string): void; reject(error: Error): void } | undefined
  const code = new Promise<string>((resolve, reject) => {
    settle = { resolve, reject }
  })
  const server = createServer((request, response) => {
    const answer = new URL(request.url ?? '/', 'http://127.0.0.1').searchParams
    const { status, text, outcome } = answerTo(answer, state)
    response
      .writeHead(status, { 'content-type': 'text/html; charset=utf-8', connection: 'close' })
      .end(`<!doctype html><title>Login</title><p>${text}</p>`)
    if (outcome instanceof Error) settle?.reject(outcome)
    else if (outcome !== undefined) settle?.resolve(outcome)
  })
  await new Promise<void>((resolve, reject) => {
    server.on('error', reject)
    server.listen(0, '127.0.0.1', resolve)
  })
  const tooLate = new Error(`nobody logged in within ${String(timeLimit / 1000)} s`)
  const timer = setTimeout(() => settle?.reject(tooLate), timeLimit)
  return {
    address: `http://127.0.0.1:${String(server.address().port)}/`,
    code,
    close() {
      clearTimeout(timer)
      server.close()
      server.closeAllConnections?.()
    },
  }
}

/** What the browser is shown, and the code or the refusal that it brought. */
function answerTo(
  answer: URLSearchParams,
  state: string,
): { status: number; text: string; outcome?: string | Error } {
  if (!answer.has('code') && !answer.has('error')) return { status: 404, text: 'Nothing is here.' }
  // Whoever does not know the state did not come from our own request.
  if (answer.get('state') !== state)
    return { status: 400, text: 'This is not the answer to the login that was begun.' }
  const code = answer.get('code')
  if (code !== null)
    return { status: 200, text: 'You are logged in. You can close this page.', outcome: code }
  const reasons = [answer.get('error'), answer.get('error_description')]
  const said = reasons.filter((each) => each !== null).join(': ')
  return {
    status: 200,
    text: 'The login was refused. You can close this page.',
    outcome: new Error(`the login was refused: ${said}`),
  }
}

/**
 * New tokens for a login that was made before (RFC 6749, section 6).
 *
 * @throws Error when the service gives none
 */
export async function renewed({
  tokenUrl,
  clientId,
  clientSecret,
  refreshToken,
  fetch: send = fetch,
}: Pick<AuthorizationRequest, 'tokenUrl' | 'clientId' | 'clientSecret' | 'fetch'> & {
  readonly refreshToken: string
}): Promise<Tokens> {
  return {
    refreshToken,
    ...(await askTokens(send, tokenUrl, {
      grant_type: 'refresh_token',
      refresh_token: refreshToken,
      client_id: clientId,
      ...present({ client_secret: clientSecret }),
    })),
  }
}

async function askTokens(
  send: typeof fetch,
  tokenUrl: string,
  form: Readonly<Record<string, string>>,
): Promise<Tokens> {
  // What proves who asks goes to that address alone.
  const answer = await send(tokenUrl, {
    method: 'POST',
    redirect: 'manual',
    headers: { accept: 'application/json', 'content-type': 'application/x-www-form-urlencoded' },
    body: new URLSearchParams(form).toString(),
  })
  const json = (await answer.json().catch(() => ({}))) as Readonly<Record<string, unknown>>
  if (typeof json['access_token'] !== 'string')
    throw new Error(
      `no token from ${tokenUrl} (HTTP ${String(answer.status)})${typeof json['error'] === 'string' ? `: ${json['error']}` : ''}`,
    )
  return {
    token: json['access_token'],
    ...(typeof json['refresh_token'] === 'string' ? { refreshToken: json['refresh_token'] } : {}),
  }
}

function randomText(): string {
  return base64url(crypto.getRandomValues(new Uint8Array(32)))
}

function base64url(bytes: Uint8Array): string {
  return btoa(String.fromCharCode(...bytes))
    .replace(/\+/g, '-')
    .replace(/\//g, '_')
    .replace(/=+$/, '')
}

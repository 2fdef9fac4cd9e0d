/// <reference lib="esnext.disposable" />
import {
  CallFailure,
  ContractBreach,
  InputRejected,
  TransportFailure,
  type Deviation,
} from './failures.js'
import { climbs, wireAddress } from './wire-address.js'
import { harmless } from './harmless.js'
import { keepAnswer } from './hearing.js'
import { bytesToBase64, joinBytes } from './plain.js'
import type { GuidedInit } from './redirects.js'

/** How the service is reached, and who wants to hear of what. All of it may be left out. */
export interface Settings {
  /** The address to call instead of the one in the metadata. */
  readonly url?: string
  /** The name of the endpoint to call, where the service offers several. */
  readonly endpoint?: string
  /** Headers that every request carries. */
  readonly headers?: Readonly<Record<string, string>>
  /**
   * What proves who calls; several where the service wants several, or different ones for different
   * operations.
   */
  readonly credential?: Credential | readonly Credential[]
  /** Ways to prove who calls that take more than a header, beside those that the client has itself. */
  readonly logins?: readonly Login[]
  /** Values for the variables in a server's address, where the metadata has such. */
  readonly serverVariables?: Readonly<Record<string, string>>
  /** Milliseconds that a whole call may take, `Infinity` for as long as it likes. Default 60000. */
  readonly timeLimit?: number
  /**
   * How often a call is tried again, where that is safe: after an answer that asks for it (429,
   * 503), without a connection, and reading calls also after 502 and 504. Default 0.
   */
  readonly retries?: number
  /**
   * No answer is read beyond so many bytes, counted as they are unpacked; `Infinity` for no limit.
   * Default 256 MiB. What is read as a stream has none.
   */
  readonly mostBytes?: number
  /** Is every input checked against the contract before it is sent? Default true. */
  readonly checkInputs?: boolean
  /** What sends the requests, instead of the platform's own `fetch`. */
  readonly fetch?: typeof fetch
  /** Hears of every request with its answer, for logging and tracing. */
  readonly onExchange?: (exchange: Exchange) => void
  /** Hears of differences between an answer and the contract that did no harm. */
  readonly onDeviation?: (deviation: Deviation) => void
}

/** What proves who calls. */
export type Credential = {
  readonly [Kind in keyof Credentials]: Credentials[Kind] & {
    readonly kind: Kind
    /** The security scheme of the metadata that it is for, where its kind alone does not tell. */
    readonly scheme?: string
  }
}[keyof Credentials]

/** The kinds of credentials, and what each has. A dialect may have more of its own. */
export interface Credentials {
  readonly basic: { readonly user: string; readonly password: string }
  /** HTTP Digest: the password itself does not travel. */
  readonly digest: { readonly user: string; readonly password: string }
  readonly bearer: { readonly token: string }
  readonly key: { readonly value: string }
  /**
   * Tokens of OAuth 2.0 are had with it: by the client's own credentials, or with `user` by that
   * user's password.
   */
  readonly oauth2: {
    readonly clientId: string
    readonly clientSecret?: string
    readonly user?: string
    readonly password?: string
    readonly scopes?: readonly string[]
    readonly tokenUrl?: string
    /** For one who logged in before: what new tokens are had with. */
    readonly refreshToken?: string
  }
}

/** A way to prove who calls that takes more than a header. */
export interface Login {
  /** The kind of credentials that it is for. */
  readonly kind: Credential['kind']
  /**
   * What sends a request with such a credential; undefined where it proves already who calls.
   *
   * @param send sends it as it is
   */
  sender?(
    connection: Connection,
    credential: Credential,
    request: Request,
    headers: Readonly<Record<string, string>>,
    thisCall: ThisCall,
    send: Sender,
  ): Sender | undefined
}

/** What holds for one call alone. */
export interface ThisCall {
  /** Ends the call when it is aborted. */
  readonly signal?: AbortSignal
  /** Milliseconds that this call may take. */
  readonly timeLimit?: number
  readonly headers?: Readonly<Record<string, string>>
  readonly onExchange?: (exchange: Exchange) => void
  readonly onDeviation?: (deviation: Deviation) => void
  /**
   * With `false` the outcome is the answer as it came: decoded as far as its media type says, not
   * checked, and so not what the types say.
   */
  readonly checkAnswer?: boolean
  /**
   * Milliseconds that what is only accepted (202) is followed for, to its end: where the answer says
   * that it can be asked for. Not at all when left out.
   */
  readonly wait?: number
}

/** One request with its response, as sent on the wire. */
export interface Exchange {
  readonly request: {
    readonly method: string
    readonly url: string
    readonly headers: Readonly<Record<string, string>>
    readonly body: string
  }
  readonly response: {
    readonly status: number
    readonly headers: Readonly<Record<string, string>>
    readonly body: string
  }
  readonly milliseconds: number
}

/** An endpoint of the metadata: its address and whatever the protocol needs to know. */
export interface Endpoint {
  readonly address: string
  readonly protocol: string
  /** Variables in the address, with the values they have when the settings give none. */
  readonly variables?: Readonly<Record<string, string>>
}

/** An open door to a service. Made by `connect` in settings.ts; passed to every operation. */
export interface Connection {
  readonly settings: Settings
  /** The endpoints of the metadata, the preferred one first. */
  readonly endpoints: Readonly<Record<string, Endpoint>>
  /** Aborts when the connection is closed. */
  readonly closed: AbortController
  /** The logins that the metadata or the project wants. */
  readonly logins?: readonly Login[]
}

/** The logins that a connection can make. */
export function loginsOf({ logins = [], settings }: Connection): readonly Login[] {
  return settings.logins === undefined ? logins : [...logins, ...settings.logins]
}

/** Ends all calls that are under way, and refuses later ones. */
export function close(connection: Connection): Promise<void> {
  connection.closed.abort(new Error('the connection was closed'))
  return Promise.resolve()
}

/**
 * The address that calls go to: that of the settings, else of the endpoint chosen, else of the
 * preferred one. Without a slash at its end, and without a login, which goes into a header instead.
 *
 * @param offered the endpoints that the operation is offered at, where that is not all of them
 */
export function addressOf(connection: Connection, offered?: readonly string[]): string {
  return withoutLogin(wholeAddress(connection, offered))
}

/** An address without the login in it, which goes into a header instead. */
export function withoutLogin(address: string): string {
  return address.replace(userPart, '$1')
}

/** Scheme, host and port of an address; undefined for what is none. */
export function originOf(address: string): string | undefined {
  try {
    return new URL(address).origin
  } catch {
    return undefined
  }
}

/** What stands before the host of an address: a user, or a user and a password. */
const userPart = /^(https?:\/\/)([^/?#]*)@/i

function wholeAddress(connection: Connection, offered?: readonly string[]): string {
  const { settings, endpoints } = connection
  const chosen =
    settings.endpoint !== undefined && offered?.includes(settings.endpoint) !== false
      ? settings.endpoint
      : undefined
  const endpoint = endpoints[chosen ?? offered?.[0] ?? Object.keys(endpoints)[0] ?? '']
  let address = settings.url ?? endpoint?.address ?? ''
  for (const [name, preset] of Object.entries(endpoint?.variables ?? {}))
    address = address.replaceAll(`{${name}}`, () => settings.serverVariables?.[name] ?? preset)
  return address.replace(/\/+$/, '')
}

/** The credentials of the settings, as a list. */
export function credentialsOf(settings: Settings): readonly Credential[] {
  const { credential } = settings
  if (credential === undefined) return []
  if ('kind' in credential) return [credential]
  return credential
}

/** The credential of a kind, where the settings have one. */
export function credentialOf<Kind extends Credential['kind']>(
  settings: Settings,
  kind: Kind,
): Extract<Credential, { kind: Kind }> | undefined {
  return credentialsOf(settings).find(
    (each): each is Extract<Credential, { kind: Kind }> => each.kind === kind,
  )
}

/**
 * A credential that there is no place for would be left out without a word.
 *
 * @param further kinds that can be sent here, besides those of headers and of logins
 * @throws InputRejected
 */
export function checkCredential(
  connection: Connection,
  operation: string,
  further: readonly Credential['kind'][] = [],
): void {
  const logins = loginsOf(connection)
  const senders = logins.filter(({ sender }) => sender !== undefined).map(({ kind }) => kind)
  const kinds = ['basic', 'bearer', ...further, ...senders]
  const kind = credentialsOf(connection.settings).find((each) => !kinds.includes(each.kind))?.kind
  if (kind === undefined) return
  const login = `${kind === 'oauth2' ? 'token' : kind}Login`
  throw new InputRejected(operation, [
    {
      path: 'settings.credential',
      message:
        kind === 'key' || logins.some((each) => each.kind === kind)
          ? `nothing says where a credential of the kind "${kind}" goes; send it with settings.headers`
          : `a credential of the kind "${kind}" takes more than a header: give the settings \`logins: [${login}]\`, from logins.ts`,
    },
  ])
}

/** A request on its way out. */
export interface Request {
  readonly method: string
  readonly url: string
  readonly headers: Readonly<Record<string, string>>
  readonly body?: string | Uint8Array
  /** Its headers prove already who calls. */
  readonly proven?: boolean
  /**
   * Does the caller deal itself with an answer of 401, 403 or 407, because it is told in the way of
   * the contract?
   */
  deals?(response: Response): boolean
  /**
   * Does the contract have answers of this status? Those below 200 and redirects that can't be
   * followed are failures where it has not.
   */
  expects?(status: number): boolean
}

/** The answer to a request, its body read to the end. */
export interface Response {
  readonly status: number
  readonly headers: Readonly<Record<string, string>>
  readonly body: Uint8Array
  /**
   * For whoever reads a large answer: throws when the call's time is over, or when it was aborted.
   */
  readonly inTime?: () => void
}

/** A request that is under way. */
export interface Opened {
  readonly answer: globalThis.Response
  /** Says that the answer was received, for whoever observes; only then is its text made. */
  received(body: () => string): void
  /** Ends the clock, where an answer may take as long as it likes. */
  untimed(): void
  /** The failure that an error while reading stands for, in these words where it is none yet. */
  failure(error: unknown, words?: string): unknown
  /** How much of the answer may be read. */
  readonly mostBytes: number
  /** Gives back what the request holds. */
  done(): void
}

/** What happens when signals abort: each has one listener, however many calls wait for it. */
const waiting = /* @__PURE__ */ new WeakMap<AbortSignal, Set<() => void>>()

/** Calls `then` when a signal aborts. @returns what ends that */
export function whenAborted(signal: AbortSignal, then: () => void): () => void {
  let all = waiting.get(signal)
  if (all === undefined) {
    const made = new Set<() => void>()
    signal.addEventListener('abort', () => made.forEach((each) => each()))
    waiting.set(signal, (all = made))
  }
  const calls = all
  calls.add(then)
  return () => void calls.delete(then)
}

/**
 * Sends a request; its answer's body is still to be read.
 *
 * @throws InputRejected when its address would lead to another resource
 * @throws TransportFailure when there is no connection, no answer in time, a redirect that can't
 *   be followed, or a login is wanted (401, 403, 407)
 * @throws ContractBreach when what came is no answer
 */
export async function openExchange(
  connection: Connection,
  asked: Request,
  thisCall: ThisCall,
): Promise<Opened> {
  const { settings } = connection
  // What the settings or the metadata say of the address is theirs; what values add may not climb.
  const addresses = Object.values(connection.endpoints).map(({ address }) => address)
  const bases = [settings.url ?? '', ...addresses].filter((each) => asked.url.startsWith(each))
  if (climbs(asked.url.slice(bases.sort((a, b) => b.length - a.length)[0]?.length)))
    throw new InputRejected('the call', [
      { path: '', message: 'makes an address with a step "." or "..": that leads elsewhere' },
    ])
  const request = { ...asked, url: wireAddress(asked.url) }
  const { body } = request
  const headers = allHeaders(connection, request, thisCall)
  const limit = thisCall.timeLimit ?? settings.timeLimit ?? 60_000
  const end = new AbortController()
  let tooLate = false
  const onTime = (): void => {
    tooLate = true
    end.abort()
  }
  const timeout = limit === Infinity ? undefined : setTimeout(onTime, limit)
  const others = [
    connection.closed.signal,
    ...(thisCall.signal === undefined ? [] : [thisCall.signal]),
  ]
  const abort = (): void => end.abort(others.find((signal) => signal.aborted)?.reason)
  const stops = others.map((signal) => whenAborted(signal, abort))
  if (others.some((signal) => signal.aborted)) abort()
  const started = performance.now()
  const done = (): void => {
    clearTimeout(timeout)
    for (const stop of stops) stop()
  }
  const failure = (error: unknown, words = "the service can't be reached"): unknown => {
    if (error instanceof CallFailure) return error
    if (tooLate)
      return new TransportFailure('timeout', `no answer within ${String(limit)} ms`, {
        url: request.url,
        cause: error,
      })
    // Whoever aborted the call gets their own reason back.
    if (thisCall.signal?.aborted === true) return thisCall.signal.reason
    const cause: unknown = error instanceof Error && error.cause !== undefined ? error.cause : error
    const reason = cause instanceof Error ? cause.message : String(cause)
    return new TransportFailure('unreachable', `${words}: ${reason}`, {
      url: request.url,
      cause,
    })
  }
  try {
    const send = sender(connection, request, headers, thisCall)
    const answer = await send(request.url, {
      method: request.method,
      headers,
      signal: end.signal,
      ...(body === undefined ? {} : { body: typeof body === 'string' ? body : body.slice() }),
    } as RequestInit)
    if (isUnfinished(answer.status) && request.expects?.(answer.status) !== true) {
      void answer.body?.cancel().catch(() => undefined)
      throw (await import('./redirects.js')).unfinished(answer, {
        url: request.url,
        method: request.method,
        headers,
        body,
      })
    }
    const received = (text: () => string): void => {
      if (settings.onExchange === undefined && thisCall.onExchange === undefined) return
      const observed: Exchange = {
        request: {
          method: request.method,
          url: request.url,
          headers,
          body: textOf(body),
        },
        response: { status: answer.status, headers: namesToValues(answer.headers), body: text() },
        milliseconds: Math.round(performance.now() - started),
      }
      settings.onExchange?.(observed)
      thisCall.onExchange?.(observed)
    }
    return {
      answer,
      received,
      failure,
      done,
      untimed: () => clearTimeout(timeout),
      mostBytes: settings.mostBytes ?? usualBytes,
    }
  } catch (error) {
    done()
    throw failure(error)
  }
}

/**
 * Sends a request and waits for the whole answer.
 *
 * @param text turns the answer's bytes into text, for whoever observes the exchange
 * @throws TransportFailure when there is no connection, no answer in time, or a login is wanted
 *   (401, 403, 407)
 */
export async function exchange(
  connection: Connection,
  request: Request,
  thisCall: ThisCall,
  text: (response: Response) => string,
): Promise<Response> {
  const { retries = 0, timeLimit = 60_000 } = connection.settings
  const end = performance.now() + (thisCall.timeLimit ?? timeLimit)
  for (let tries = 0; ; tries += 1) {
    let failure: unknown
    let response: Response | undefined
    try {
      const opened = await openExchange(connection, request, thisCall)
      try {
        const received = await receive(
          opened,
          request.url,
          text,
          (each) => request.deals?.(each) === true,
        )
        response = { ...received, inTime: () => checkTime(end, request.url, thisCall) }
      } catch (error) {
        throw opened.failure(error)
      } finally {
        opened.done()
      }
    } catch (error) {
      failure = error
    }
    const interval =
      tries < retries
        ? (await import('./retries.js')).waitBefore(request.method, response, failure, tries)
        : undefined
    // What can't end in time is not begun.
    if (interval === undefined || performance.now() + interval >= end) {
      if (response === undefined) throw failure
      if (response.status !== 202 || thisCall.wait === undefined) return response
      const { untilDone } = await import('./waiting.js')
      return untilDone(connection, request, response, thisCall, thisCall.wait, text)
    }
    await (
      await import('./retries.js')
    ).pause(interval, [
      connection.closed.signal,
      ...(thisCall.signal === undefined ? [] : [thisCall.signal]),
    ])
  }
}

/**
 * Reading an answer takes time too.
 *
 * @param end when the call's time is over, by the clock of `performance`
 */
function checkTime(end: number, url: string, { signal, timeLimit }: ThisCall): void {
  if (signal?.aborted === true) throw signal.reason
  if (performance.now() > end)
    throw new TransportFailure(
      'timeout',
      `the answer was not read to its end in time${timeLimit === undefined ? '' : ` (${String(timeLimit)} ms)`}`,
      { url },
    )
}

/** What sends a request, as `fetch` does. */
export type Sender = (url: string, init: RequestInit) => Promise<globalThis.Response>

/** What sends a request: never to another origin with what proves who calls. */
function sender(
  connection: Connection,
  request: Request,
  headers: Record<string, string>,
  thisCall: ThisCall,
): Sender {
  const { settings } = connection
  const send = settings.fetch ?? fetch
  const carefully: Sender = (url, init) => guided(send, url, init, request)
  for (const login of loginsOf(connection)) {
    const credential = credentialOf(settings, login.kind)
    const made =
      credential && login.sender?.(connection, credential, request, headers, thisCall, carefully)
    if (made !== undefined) return made
  }
  // What carries nothing of the caller's own may go wherever it is led.
  const isPlain =
    request.body === undefined &&
    request.proven !== true &&
    Object.keys(headers).every((name) => harmless.includes(name))
  return isPlain ? send : carefully
}

/**
 * Sends a request that has something which must not leave its origin; where that redirects, it is
 * followed with care.
 */
export async function guided(
  send: typeof fetch,
  url: string,
  init: GuidedInit,
  request?: Pick<Request, 'expects'>,
): Promise<globalThis.Response> {
  const answer = await send(url, { ...init, redirect: 'manual' })
  return answer.type === 'opaqueredirect' || (answer.status >= 301 && answer.status <= 308)
    ? (await import('./redirects.js')).follow(send, url, init, answer, request?.expects)
    : answer
}

/**
 * Is there nothing to read in an answer of this status, because it ends no exchange or leads
 * elsewhere?
 */
function isUnfinished(status: number): boolean {
  return status < 200 || (status >= 300 && status < 400 && status !== 304)
}

/** So many bytes of an answer are read when nobody says otherwise. */
const usualBytes = 256 * 1024 * 1024

/**
 * Reads an answer's body.
 *
 * @param most so many bytes at most, as they are unpacked
 * @param read gets them as they come, for whoever wants them when the answer breaks off
 * @throws ContractBreach when there are more
 */
export async function readUpTo(
  answer: globalThis.Response,
  most: number,
  read: Uint8Array[] = [],
): Promise<Uint8Array> {
  const tooLarge = (): ContractBreach =>
    new ContractBreach(
      '',
      `an answer of at most ${String(most)} bytes (mostBytes in the settings)`,
      'a larger one',
    )
  // A transport may read faster than its stream does.
  const pieces =
    (answer as { readonly pieces?: AsyncIterable<Uint8Array> }).pieces ?? piecesOf(answer)
  let size = 0
  for await (const piece of pieces) {
    size += piece.length
    if (size > most) throw tooLarge()
    read.push(piece)
  }
  return joinBytes(read)
}

async function* piecesOf({
  body,
}: globalThis.Response): AsyncGenerator<Uint8Array, void, undefined> {
  const reader = body?.getReader()
  if (reader === undefined) return
  try {
    for (let step = await reader.read(); !step.done; step = await reader.read())
      yield step.value as Uint8Array
  } finally {
    // Where there is more than is wanted, the rest is not fetched.
    reader.cancel().catch(() => undefined)
  }
}

/**
 * Leaves an answer that nobody needs: read where it is short, so that its connection serves again,
 * else broken off.
 */
export async function discard(answer: globalThis.Response): Promise<void> {
  await readUpTo(answer, 65_536).catch(() => undefined)
}

/** Reads an answer to its end. */
export async function receive(
  { answer, received, failure, mostBytes }: Opened,
  url: string,
  text: (response: Response) => string,
  deals: (response: Response) => boolean = () => false,
): Promise<Response> {
  const { status } = answer
  const headers = namesToValues(answer.headers)
  const read: Uint8Array[] = []
  let response: Response
  try {
    response = { status, headers, body: await readUpTo(answer, mostBytes, read) }
  } catch (error) {
    const came = { status, headers, body: joinBytes(read) }
    throw keepAnswer(failure(error, 'the answer broke off'), came, [], true)
  }
  received(() => text(response))
  if ([401, 403, 407].includes(status) && !deals(response)) {
    const { loginWanted } = await import('./refusals.js')
    throw keepAnswer(loginWanted(response, url, text(response)), response)
  }
  return response
}

function allHeaders(
  connection: Connection,
  request: Request,
  thisCall: ThisCall,
): Record<string, string> {
  const { settings } = connection
  const merged: Record<string, string> = {}
  const login =
    request.proven === true
      ? undefined
      : credentialsOf(settings)
          .map(authorization)
          .find((each) => each !== undefined)
  for (const headers of [
    request.headers,
    login === undefined ? {} : { authorization: login },
    settings.headers ?? {},
    thisCall.headers ?? {},
  ]) {
    for (const [name, value] of Object.entries(headers)) merged[name.toLowerCase()] = value
  }
  if (login === undefined && merged['authorization'] === undefined) {
    const own = addressLogin(connection, request.url)
    if (own !== undefined) merged['authorization'] = own
  }
  checkHeaders(merged)
  return merged
}

/**
 * The basic login that the address of the calls has in itself, for requests to that very origin.
 */
function addressLogin(connection: Connection, url: string): string | undefined {
  const [, , userAndPassword] = userPart.exec(wholeAddress(connection)) ?? []
  if (
    userAndPassword === undefined ||
    credentialsOf(connection.settings).length > 0 ||
    originOf(url) !== originOf(addressOf(connection))
  )
    return undefined
  const [user = '', password = ''] = userAndPassword.split(/:(.*)/s)
  return authorization({
    kind: 'basic',
    user: decodeURIComponent(user),
    password: decodeURIComponent(password),
  })
}

/**
 * Refuses what HTTP can't carry in a header (RFC 9110, sections 5.1 and 5.5), before it could
 * become a header of its own anywhere.
 */
function checkHeaders(headers: Readonly<Record<string, string>>): void {
  const misfits = Object.entries(headers).flatMap(([name, value]) => {
    if (!/^[!#$%&'*+.^_`|~0-9a-z-]+$/.test(name))
      return [{ path: 'headers', message: `HTTP can't have a header "${name}"` }]
    return /[^\t -~\x80-\xff]/.test(value)
      ? [{ path: `headers.${name}`, message: "HTTP can't carry this text in a header" }]
      : []
  })
  if (misfits.length > 0) throw new InputRejected('the call', misfits)
}

/** The header that a name with a password, or a token, makes. */
export function authorization(credential: Credential): string | undefined {
  if (credential.kind === 'basic')
    return `Basic ${base64(`${credential.user}:${credential.password}`)}`
  if (credential.kind === 'bearer') return `Bearer ${credential.token}`
  return undefined
}

function base64(text: string): string {
  return bytesToBase64(new TextEncoder().encode(text))
}

export function namesToValues(headers: Headers): Record<string, string> {
  const found: Record<string, string> = {}
  headers.forEach((value, name) => {
    found[name] = value
  })
  return found
}

function textOf(body: Request['body']): string {
  if (body === undefined) return ''
  return typeof body === 'string' ? body : new TextDecoder().decode(body)
}

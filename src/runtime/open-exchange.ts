import { startClock, type Clock } from './clock.js'
import type { Connection, Exchange, ThisCall } from './connection.js'
import type { Request, Response } from './exchange.js'
import { CallFailure, InputRejected, TransportFailure } from './failures.js'
import { allHeaders, namesToValues } from './headers.js'
import { keepAnswer } from './hearing.js'
import { joinBytes } from './plain.js'
import { readUpTo } from './reading.js'
import { senderFor } from './sender.js'
import { climbs, wireAddress } from './wire-address.js'

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

/** So many bytes of an answer are read when nobody says otherwise. */
const usualBytes = 256 * 1024 * 1024

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
  checkAddress(connection, asked.url)
  const request = { ...asked, url: wireAddress(asked.url) }
  const headers = allHeaders(connection, request, thisCall)
  const clock = startClock(connection, thisCall)
  try {
    const send = senderFor(connection, request, headers, thisCall)
    const answer = await send(request.url, fetchInit(request, headers, clock.signal))
    if (isUnfinished(answer.status) && request.expects?.(answer.status) !== true)
      throw await unfinishedFailure(answer, request, headers)
    return {
      answer,
      mostBytes: connection.settings.mostBytes ?? usualBytes,
      received: (text) =>
        tellExchange(connection, thisCall, { request, headers, answer, clock, text }),
      failure: (error, words) => failureOf(error, request.url, clock, thisCall, words),
      untimed: clock.stop,
      done: clock.end,
    }
  } catch (error) {
    clock.end()
    throw failureOf(error, request.url, clock, thisCall)
  }
}

/**
 * What the settings or the metadata say of an address is theirs; what values add may not climb.
 *
 * @throws InputRejected
 */
function checkAddress({ settings, endpoints }: Connection, url: string): void {
  const addresses = Object.values(endpoints).map(({ address }) => address)
  const bases = [settings.url ?? '', ...addresses].filter((each) => url.startsWith(each))
  const longest = bases.sort((a, b) => b.length - a.length)[0]?.length ?? 0
  if (climbs(url.slice(longest)))
    throw new InputRejected('the call', [
      { path: '', message: 'makes an address with a step "." or "..": that leads elsewhere' },
    ])
}

/** A request as `fetch` takes it. */
function fetchInit(
  { method, body }: Request,
  headers: Record<string, string>,
  signal: AbortSignal,
): RequestInit {
  if (body === undefined) return { method, headers, signal }
  // A sender may hold on to what it was given.
  const sent = typeof body === 'string' ? body : (body.slice() as NonNullable<RequestInit['body']>)
  return { method, headers, signal, body: sent }
}

/**
 * Is there nothing to read in an answer of this status, because it ends no exchange or leads
 * elsewhere?
 */
function isUnfinished(status: number): boolean {
  return status < 200 || (status >= 300 && status < 400 && status !== 304)
}

async function unfinishedFailure(
  answer: globalThis.Response,
  { url, method, body }: Request,
  headers: Record<string, string>,
): Promise<unknown> {
  void answer.body?.cancel().catch(() => undefined)
  const { unfinished } = await import('./redirects.js')
  return unfinished(answer, { url, method, headers, body })
}

/** The failure that an error while sending or reading stands for. */
function failureOf(
  error: unknown,
  url: string,
  clock: Clock,
  { signal }: ThisCall,
  words = "the service can't be reached",
): unknown {
  if (error instanceof CallFailure) return error
  if (clock.isOver())
    return new TransportFailure('timeout', `no answer within ${String(clock.limit)} ms`, {
      url,
      cause: error,
    })
  // Whoever aborted the call gets their own reason back.
  if (signal?.aborted === true) return signal.reason
  const cause: unknown = error instanceof Error && error.cause !== undefined ? error.cause : error
  const reason = cause instanceof Error ? cause.message : String(cause)
  return new TransportFailure('unreachable', `${words}: ${reason}`, { url, cause })
}

/** Tells who observes of a request with its answer. */
function tellExchange(
  { settings }: Connection,
  thisCall: ThisCall,
  exchanged: {
    readonly request: Request
    readonly headers: Readonly<Record<string, string>>
    readonly answer: globalThis.Response
    readonly clock: Clock
    readonly text: () => string
  },
): void {
  if (settings.onExchange === undefined && thisCall.onExchange === undefined) return
  const { request, headers, answer, clock, text } = exchanged
  const { method, url, body } = request
  const observed: Exchange = {
    request: { method, url, headers, body: textOf(body) },
    response: { status: answer.status, headers: namesToValues(answer.headers), body: text() },
    milliseconds: Math.round(clock.elapsed()),
  }
  settings.onExchange?.(observed)
  thisCall.onExchange?.(observed)
}

function textOf(body: Request['body']): string {
  if (body === undefined) return ''
  return typeof body === 'string' ? body : new TextDecoder().decode(body)
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

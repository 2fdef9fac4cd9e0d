import { timeOf } from './clock.js'
import type { Connection, ThisCall } from './connection.js'
import { TransportFailure } from './failures.js'
import { openExchange, receive } from './open-exchange.js'
import { milliseconds } from './times.js'

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

/**
 * Sends a request and waits for the whole answer, tries again where the settings say so, and
 * follows to its end what is only accepted where the call waits for that.
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
  const { retries = 0 } = connection.settings
  const end = performance.now() + timeOf(connection.settings, thisCall)
  for (let tries = 0; ; tries += 1) {
    const outcome = await exchangeOnce(connection, request, thisCall, text)
    const interval =
      tries < retries
        ? (await import('./retries.js')).waitBefore(request.method, outcome, tries)
        : undefined
    // What can't end in time is not begun.
    if (interval === undefined || performance.now() + interval >= end) {
      if ('failure' in outcome) throw outcome.failure
      const response = { ...outcome, inTime: () => checkTime(end, request.url, thisCall) }
      if (response.status !== 202 || thisCall.wait === undefined) return response
      const { untilDone } = await import('./waiting.js')
      return untilDone(connection, request, response, thisCall, milliseconds(thisCall.wait), text)
    }
    const { pause } = await import('./retries.js')
    await pause(interval, [connection.closed.signal, thisCall.signal])
  }
}

/** One try: the answer, or why there is none. */
async function exchangeOnce(
  connection: Connection,
  request: Request,
  thisCall: ThisCall,
  text: (response: Response) => string,
): Promise<Response | { readonly failure: unknown }> {
  try {
    const opened = await openExchange(connection, request, thisCall)
    try {
      return await receive(opened, request.url, text, (each) => request.deals?.(each) === true)
    } catch (error) {
      return { failure: opened.failure(error) }
    } finally {
      opened.done()
    }
  } catch (failure) {
    return { failure }
  }
}

/**
 * Reading an answer takes time too.
 *
 * @param end when the call's time is over, by the clock of `performance`
 */
function checkTime(end: number, url: string, { signal, timeLimit }: ThisCall): void {
  if (signal?.aborted === true) throw signal.reason
  if (performance.now() <= end) return
  const limit = timeLimit === undefined ? '' : ` (${String(milliseconds(timeLimit))} ms)`
  throw new TransportFailure('timeout', `the answer was not read to its end in time${limit}`, {
    url,
  })
}

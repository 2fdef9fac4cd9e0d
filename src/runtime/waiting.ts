import { originOf } from './addresses.js'
import type { Connection, ThisCall } from './connection.js'
import { exchange, type Request, type Response } from './exchange.js'
import { TransportFailure } from './failures.js'
import { headAndRest } from './mime.js'
import { pause, pauseAskedFor } from './retries.js'

/** How long the pauses are at least, and where nobody says at most, in milliseconds. */
const shortestPause = 100
const longestPause = 10_000

/**
 * Follows what was accepted (202; RFC 9110, section 15.3.3) to its end: where the answer says that
 * it can be asked for, as often as it says.
 *
 * @param most milliseconds to wait at most
 * @returns the first answer that is not 202; the accepted one where it doesn't say where to ask
 * @throws TransportFailure when it isn't done in time, or is to be asked for at another service
 */
export async function untilDone(
  connection: Connection,
  request: Request,
  accepted: Response,
  thisCall: ThisCall,
  most: number,
  text: (response: Response) => string,
): Promise<Response> {
  const end = performance.now() + most
  let answer = accepted
  let url = request.url
  for (let tries = 0; answer.status === 202; tries += 1) {
    const { location } = answer.headers
    if (location === undefined && tries === 0 && request.method !== 'GET') return accepted
    if (location !== undefined) url = new URL(location, url).href
    if (originOf(url) !== originOf(request.url))
      throw new TransportFailure(
        'unreachable',
        `what was accepted is to be asked for at ${new URL(url).host}, which is another service`,
        { url },
      )
    const usual = Math.min(500 * 2 ** tries, longestPause)
    const wait = Math.max(pauseAskedFor(answer) ?? usual, shortestPause)
    if (performance.now() + wait >= end)
      throw new TransportFailure(
        'timeout',
        `what was accepted is not done within ${String(most)} ms; it can be asked for at ${url}`,
        { url, status: 202 },
      )
    await pause(wait, [connection.closed.signal, thisCall.signal])
    const { wait: _, ...once } = thisCall
    answer = await exchange(connection, questionOf(request, url), once, text)
  }
  return answer === accepted ? accepted : unwrapped(answer)
}

/** Asks how far a request has come. */
function questionOf({ body: _, ...request }: Request, url: string): Request {
  const headers = Object.entries(request.headers).filter(([name]) => !/^content-/i.test(name))
  return { ...request, method: 'GET', url, headers: Object.fromEntries(headers) }
}

/** An answer that came inside of another one (OData 4.01 Protocol, section 11.6). */
function unwrapped(answer: Response): Response {
  if (!/^application\/http\b/i.test(answer.headers['content-type'] ?? '')) return answer
  const first = new TextDecoder().decode(answer.body.subarray(0, 100))
  const status = /^\s*HTTP\/[\d.]+ (\d{3})/.exec(first)?.[1]
  const inner = headAndRest(answer.body.subarray(answer.body.indexOf(10) + 1))
  if (status === undefined || inner === undefined) return answer
  return { ...answer, status: Number(status), headers: inner.headers, body: inner.content }
}

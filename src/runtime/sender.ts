import type { Connection, ThisCall } from './connection.js'
import { credentialOf, loginsOf } from './credentials.js'
import type { Request } from './exchange.js'
import { harmless } from './harmless.js'
import type { GuidedInit } from './redirects.js'

/** What sends a request, as `fetch` does. */
export type Sender = (url: string, init: RequestInit) => Promise<globalThis.Response>

/** What sends a request of a call: never to another origin with what proves who calls. */
export function senderFor(
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

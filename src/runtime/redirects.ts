import { ContractBreach, TransportFailure } from './failures.js'
import { harmless } from './harmless.js'
import { discard } from './reading.js'

/** A request that may be led elsewhere. */
export interface Trip {
  readonly url: string
  readonly method: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: string | Uint8Array | undefined
}

/**
 * What a request is sent with; beyond what every `fetch` knows, what transports that prove who
 * calls by themselves have to heed.
 */
export type GuidedInit = RequestInit & {
  /**
   * The request was led to another origin: nothing that proves who calls may go along, neither a
   * login nor a certificate nor cookies of others.
   */
  readonly unproven?: boolean
}

/** So many redirects are followed, as by the platform's own `fetch`. */
export const mostRedirects = 20

/**
 * Where a redirect leads (RFC 9110, section 15.4), with what may go along: to another origin
 * neither credentials nor a body, which may have some in it.
 *
 * @returns undefined when the answer is no redirect; the reason, where it is one that can't be
 *   followed
 */
export function redirected(
  { url, method, headers, body }: Trip,
  status: number,
  location: string | null | undefined,
): Trip | string | undefined {
  if (![301, 302, 303, 307, 308].includes(status)) return undefined
  if (location === null || location === undefined || location === '')
    return 'it does not say where to'
  let target: URL
  try {
    target = new URL(location, url)
  } catch {
    return 'where it leads is no address'
  }
  if (target.protocol !== 'http:' && target.protocol !== 'https:')
    return `it leads to ${target.protocol}, which is not HTTP`
  const becomesGet =
    (status === 303 && method !== 'HEAD') ||
    ((status === 301 || status === 302) && method === 'POST')
  const isElsewhere = target.origin !== new URL(url).origin
  if (isElsewhere && body !== undefined && !becomesGet)
    return `it leads to another origin, ${target.origin}, where what was sent may not go`
  const kept = Object.entries(headers).filter(
    ([name]) =>
      (!isElsewhere || harmless.includes(name)) && !(becomesGet && name.startsWith('content-')),
  )
  // A login in the address itself comes from whoever redirects, and would be no use to anybody
  // else.
  target.username = ''
  target.password = ''
  return {
    url: target.href,
    method: becomesGet ? 'GET' : method,
    headers: Object.fromEntries(kept),
    body: becomesGet ? undefined : body,
  }
}

/**
 * Follows the redirects that a first answer begins.
 *
 * @param expects does the contract have answers of a status? Those are handed back when they
 *   can't be followed
 * @throws TransportFailure with the way it went, when a redirect can't be followed; TypeError
 *   where a browser shows nobody where one leads
 */
export async function follow(
  send: typeof fetch,
  url: string,
  init: GuidedInit,
  first: Response,
  expects: (status: number) => boolean = () => false,
): Promise<Response> {
  const { origin } = new URL(url)
  const way = [url]
  let trip: Trip = {
    url,
    method: init.method ?? 'GET',
    headers: init.headers as Record<string, string>,
    body: (init.body ?? undefined) as Trip['body'],
  }
  let unproven = init.unproven === true
  for (let answer = first; ;) {
    if (answer.type === 'opaqueredirect')
      throw new TypeError(
        'the service redirects, and a browser does not let a call with credentials or a body follow safely; give the address that it leads to',
      )
    const next = redirected(trip, answer.status, answer.headers.get('location'))
    if (next === undefined || (typeof next === 'string' && expects(answer.status))) return answer
    if (typeof next === 'string') throw notFollowed(way, answer.status, next)
    if (way.length > mostRedirects)
      throw notFollowed(way, answer.status, `more than ${String(mostRedirects)} in a row`)
    await discard(answer)
    trip = next
    way.push(trip.url)
    unproven ||= new URL(trip.url).origin !== origin
    answer = await send(trip.url, {
      ...init,
      method: trip.method,
      headers: trip.headers,
      redirect: 'manual',
      body: trip.body ?? null,
      ...(unproven ? { unproven } : {}),
    } as RequestInit)
  }
}

/**
 * The failure that an answer is which ends nothing: a redirect that nobody followed, or a status
 * that is none of an answer.
 */
export function unfinished({ url, status, headers }: Response, trip: Trip): Error {
  if (status < 300)
    return new ContractBreach('', 'an answer', `HTTP ${String(status)}, which ends no exchange`)
  const way = url === '' || url === trip.url ? [trip.url] : [trip.url, url]
  const next = redirected(
    { ...trip, url: url === '' ? trip.url : url },
    status,
    headers.get('location'),
  )
  const there = next === undefined ? 'it names no one place to go on at' : next
  return notFollowed(
    way,
    status,
    typeof there === 'string' ? there : `it leads to ${bare(there.url)}`,
  )
}

function notFollowed(way: readonly string[], status: number, reason: string): TransportFailure {
  const shown = way.length > 6 ? [...way.slice(0, 3), '…', ...way.slice(-2)] : way
  return new TransportFailure(
    'unreachable',
    `a redirect (HTTP ${String(status)}) is not followed: ${reason}; the way it went: ${shown.map(bare).join(' → ')}`,
    { url: way[0] ?? '', status },
  )
}

/** An address without its query, in which keys may stand. */
function bare(url: string): string {
  return url.replace(/[?#].*$/s, '')
}

/** A request that may be led elsewhere. */
export interface Trip {
  readonly url: string
  readonly method: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: string | Uint8Array | undefined
}

/** So many redirects are followed, as by the platform's own `fetch`. */
export const mostRedirects = 20

/** What may go along to another origin: nothing that could prove who calls. */
const harmless: readonly string[] = ['accept', 'accept-language', 'content-type', 'content-length', 'user-agent', 'soapaction', 'odata-version', 'odata-maxversion', 'dataserviceversion', 'maxdataserviceversion', 'prefer']

/**
 * Where a redirect leads (RFC 9110, section 15.4), with what may go along: to another origin neither credentials nor a body, which may have
 * some in it. Undefined when the answer is no redirect, or one that can't be followed so.
 */
export function redirected({ url, method, headers, body }: Trip, status: number, location: string | null | undefined): Trip | undefined {
  if (![301, 302, 303, 307, 308].includes(status) || location === null || location === undefined) return undefined
  let target: URL
  try {
    target = new URL(location, url)
  } catch {
    return undefined
  }
  const becomesGet = (status === 303 && method !== 'HEAD') || ((status === 301 || status === 302) && method === 'POST')
  const isElsewhere = target.origin !== new URL(url).origin
  if ((target.protocol !== 'http:' && target.protocol !== 'https:') || (isElsewhere && body !== undefined && !becomesGet)) return undefined
  const kept = Object.entries(headers).filter(([name]) => (!isElsewhere || harmless.includes(name)) && !(becomesGet && name.startsWith('content-')))
  return { url: target.href, method: becomesGet ? 'GET' : method, headers: Object.fromEntries(kept), body: becomesGet ? undefined : body }
}

/**
 * Follows the redirects that a first answer begins.
 *
 * @throws TypeError where a browser shows nobody where a redirect leads
 */
export async function follow(send: typeof fetch, url: string, init: RequestInit, first: Response): Promise<Response> {
  let trip: Trip = { url, method: init.method ?? 'GET', headers: init.headers as Record<string, string>, body: (init.body ?? undefined) as Trip['body'] }
  let answer = first
  for (let redirects = 0; ; redirects += 1) {
    if (answer.type === 'opaqueredirect') throw new TypeError('the service redirects, and a browser does not let a call with credentials or a body follow safely; give the address that it leads to')
    const next = redirects < mostRedirects ? redirected(trip, answer.status, answer.headers.get('location')) : undefined
    if (next === undefined) return answer
    await answer.arrayBuffer()
    trip = next
    answer = await send(trip.url, { ...init, method: trip.method, headers: trip.headers, redirect: 'manual', body: trip.body ?? null } as RequestInit)
  }
}

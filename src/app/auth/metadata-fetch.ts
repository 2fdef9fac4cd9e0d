import { present } from '../../contract/present.js'
import type { WebFetch } from '../../documents/fetching.js'
import { keepSecret } from '../../exercise/masking.js'
import type { Connection } from '../../runtime/connection.js'
import { nodeTransport, type NodeTransportSettings } from '../../runtime/node/transport.js'
import { openExchange } from '../../runtime/open-exchange.js'
import {
  mostTimesAsked,
  noCredential,
  notTaken,
  type Person,
  type ResolvedCredential,
} from './credentials.js'
import { toolName } from '../package-files.js'

/**
 * What fetches metadata that is behind a login: with the credential that was named, or one that is
 * asked for when the service wants one, again where it was wrong; kept for the run, and never sent
 * anywhere but where the metadata is.
 *
 * @param location where the metadata is
 */
export function metadataFetch(
  location: string,
  named: ResolvedCredential,
  person: Person | undefined,
  ca?: string,
): AskingFetch {
  const { origin, host } = new URL(location)
  const connect = (resolved: ResolvedCredential): Connection => {
    const transport: NodeTransportSettings = {
      userAgent: toolName(),
      ...resolved.transport,
      ...present({ ca }),
    }
    return {
      settings: {
        headers: resolved.headers,
        credential: resolved.credentials,
        fetch: nodeTransport(transport),
        timeLimit: Infinity,
      },
      endpoints: {},
      closed: new AbortController(),
    }
  }
  const stranger = connect(noCredential)
  let known = connect(named)
  let isAsked = named !== noCredential
  let isProven = isAsked
  const send = async (
    connection: Connection,
    url: string,
    headers: Readonly<Record<string, string>>,
    signal: AbortSignal,
  ): Promise<Response> => {
    const opened = await openExchange(connection, { method: 'GET', url, headers }, { signal })
    opened.untimed()
    return opened.answer
  }
  let login: AskedLogin | undefined
  const fetching: WebFetch = async (url, { headers, signal }) => {
    const isHere = new URL(url).origin === origin
    const address = isHere ? withQuery(url, named.query) : url
    let answer = await send(isHere ? known : stranger, address, headers, signal)
    if (!isHere || isAsked || person?.isThere !== true) return answer
    for (let times = 0; answer.status === 401 && times < mostTimesAsked; times += 1) {
      isAsked = true
      if (times > 0) person.tell(notTaken)
      const user = await person.ask(`user at ${host}`, true)
      const password = user === undefined ? undefined : await person.ask('password')
      if (user === undefined || password === undefined) return answer
      keepSecret(password)
      await answer.arrayBuffer()
      isProven = true
      const typed = loginFor(answer.headers.get('www-authenticate') ?? '', user)
      known = connect(proofOf(typed, password))
      answer = await send(known, address, headers, signal)
      login = answer.status === 401 ? undefined : typed
    }
    return answer
  }
  return Object.defineProperties(fetching, {
    isProven: { get: () => isProven },
    login: { get: () => login },
  })
}

/** A login that somebody typed, and the service took. */
export interface AskedLogin {
  readonly kind: 'basic' | 'digest' | 'ntlm'
  readonly user: string
  /** Of a company login. */
  readonly domain?: string
}

/** What fetches metadata, and knows afterwards what it was let in with. */
export type AskingFetch = WebFetch & { readonly login?: AskedLogin | undefined }

/** A user in the kind of login that a service offers and a password is enough for. */
function loginFor(offered: string, user: string): AskedLogin {
  if (/\bdigest\b/i.test(offered)) return { kind: 'digest', user }
  if (!/\bntlm\b/i.test(offered) || /\bbasic\b/i.test(offered)) return { kind: 'basic', user }
  const [, domain, name = user] = /^([^\\]+)\\(.+)$/.exec(user) ?? []
  return { kind: 'ntlm', user: name, ...present({ domain }) }
}

function proofOf({ kind, ...login }: AskedLogin, password: string): ResolvedCredential {
  return kind === 'ntlm'
    ? { ...noCredential, transport: { companyLogin: { ...login, password } } }
    : { ...noCredential, credentials: [{ kind, user: login.user, password }] }
}

function withQuery(url: string, query: Readonly<Record<string, string>>): string {
  const added = new URLSearchParams(query).toString()
  return added === '' ? url : `${url}${url.includes('?') ? '&' : '?'}${added}`
}

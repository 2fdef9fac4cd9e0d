import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import { checkCredential } from '../credentials.js'
import { exchange, type Request, type Response } from '../exchange.js'
import { ContractBreach, isTooDeep, ServiceFault, tooDeep, TransportFailure } from '../failures.js'
import { keepAnswer, readAnswerOf, type Hear } from '../hearing.js'
import { bodyAsItCame } from '../json/as-it-came.js'
import { parseJson } from '../json/parse-json.js'
import { anything, isObject } from '../json/values.js'
import { openExchange, type Opened } from '../open-exchange.js'
import { present } from '../present.js'
import { reasonIn } from '../refusals.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import type { Protocol } from './protocol.js'

/** What is known of any operation: plain data, printed into the client. */
export interface Facts {
  readonly name: string
  readonly protocol: Protocol
  /** Parses JSON without rounding, where the contract needs that. */
  readonly parse?: (text: string) => unknown
}

/** A request before the headers of the protocol are added to it. */
export interface Outgoing {
  readonly method: string
  readonly url: string
  readonly headers?: Readonly<Record<string, string>>
  readonly body?: string | Uint8Array
  /** The entity as it is afterwards is wanted. */
  readonly wantsBack?: boolean
}

/**
 * Sends a request and waits for the whole answer.
 *
 * @throws ServiceFault when the service refuses, TransportFailure
 */
export async function send(
  connection: Connection,
  operation: Facts,
  outgoing: Outgoing,
  thisCall: ThisCall,
): Promise<Response> {
  const response = await guarded(connection, operation, outgoing, thisCall, (request) =>
    exchange(connection, request, thisCall, textOf),
  )
  if (response.status >= 400) throw keepAnswer(faultOf(operation, response), response)
  return response
}

/**
 * Sends a request and reads its answer.
 *
 * @param asItCame makes the outcome where the call wants its answer unchecked
 * @throws ServiceFault when the service refuses, TransportFailure, ContractBreach
 */
export async function answered<Outcome>(
  connection: Connection,
  operation: Facts,
  outgoing: Outgoing,
  thisCall: ThisCall,
  read: (response: Response, hear: Hear) => Outcome,
  asItCame: (response: Response, hear: Hear) => unknown = bodyAsItCame,
): Promise<Outcome> {
  const response = await send(connection, operation, outgoing, thisCall)
  return readAnswerOf(
    connection,
    thisCall,
    response,
    (hear) => read(response, hear),
    (hear) => asItCame(response, hear),
  )
}

/** Sends a request; its answer is still to be read. */
export function open(
  connection: Connection,
  operation: Facts,
  outgoing: Outgoing,
  thisCall: ThisCall,
): Promise<Opened> {
  checkCredential(connection, operation.name)
  return openExchange(connection, requestOf(operation, outgoing, {}), thisCall)
}

/** The JSON of an answer. @throws ContractBreach when it is none */
export function parsed(operation: Facts, response: Response): unknown {
  const text = textOf(response)
  // Where a service promises that long numbers are texts, there is nothing to round (JSON Format,
  // section 3.2).
  const isSafe = /;\s*IEEE754Compatible=true/i.test(response.headers['content-type'] ?? '')
  let json: unknown
  try {
    json = (isSafe ? parseJson : (operation.parse ?? parseJson))(text)
  } catch (error) {
    throw isTooDeep(error)
      ? tooDeep()
      : new ContractBreach('', 'JSON', describeBody(response, text))
  }
  response.inTime?.()
  return json
}

/**
 * Servers and proxies take addresses of about 2,000 characters for granted, and refuse longer ones
 * at their own limits.
 */
const longestAddress = 2000

/**
 * A query that is too long for an address travels in a body (URL Conventions 4.01, "Passing Query
 * Options in the Request Body").
 */
function shortened({ asksInBody }: Protocol, outgoing: Outgoing): Outgoing {
  const { method, url, headers } = outgoing
  const at = url.indexOf('?')
  if (!asksInBody || method !== 'GET' || at === -1 || url.length <= longestAddress) return outgoing
  return {
    method: 'POST',
    url: `${url.slice(0, at)}/$query`,
    headers: { 'content-type': 'text/plain', ...headers },
    body: url.slice(at + 1),
  }
}

function requestOf(
  operation: Facts,
  outgoing: Outgoing,
  guard: Readonly<Record<string, string>>,
): Request {
  const { protocol } = operation
  const { method, url, headers, body, wantsBack } = shortened(protocol, outgoing)
  const own = protocol.headers({ hasBody: body !== undefined, wantsBack: wantsBack === true })
  return {
    method,
    url,
    headers: { ...own, ...guard, ...headers },
    ...present({ body }),
    deals: (response) => wantsToken(response) || isRefusal(operation, response),
  }
}

/** Tokens against forged requests by connection, with the session that they belong to. */
const tokens = new WeakMap<object, Readonly<Record<string, string>>>()

function wantsToken({ status, headers }: Response): boolean {
  return status === 403 && /^required$/i.test(headers['x-csrf-token'] ?? '')
}

/**
 * Gateways want a token with everything that changes something: they refuse once, and the token is
 * fetched. It is kept for the connection.
 */
async function guarded(
  connection: Connection,
  operation: Facts,
  outgoing: Outgoing,
  thisCall: ThisCall,
  exchanged: (request: Request) => Promise<Response>,
): Promise<Response> {
  checkCredential(connection, operation.name)
  const isSafe = outgoing.method === 'GET' || outgoing.method === 'HEAD'
  const key = connection.closed
  const response = await exchanged(
    requestOf(operation, outgoing, isSafe ? {} : (tokens.get(key) ?? {})),
  )
  if (isSafe || !wantsToken(response)) return response
  tokens.set(key, await fetchToken(connection, operation, thisCall))
  const again = await exchanged(requestOf(operation, outgoing, tokens.get(key) ?? {}))
  if (wantsToken(again))
    throw new TransportFailure(
      'login',
      'the service wants a token (X-CSRF-Token) and refuses the one that it gave',
      { url: outgoing.url, status: 403 },
    )
  return again
}

async function fetchToken(
  connection: Connection,
  operation: Facts,
  thisCall: ThisCall,
): Promise<Readonly<Record<string, string>>> {
  const url = `${addressOf(connection)}/`
  const opened = await openExchange(
    connection,
    requestOf(operation, { method: 'GET', url, headers: { 'x-csrf-token': 'Fetch' } }, {}),
    thisCall,
  )
  try {
    const { headers } = opened.answer
    const text = await opened.answer.text()
    opened.received(() => text)
    const token = headers.get('x-csrf-token')
    if (token === null || /^required$/i.test(token))
      throw new TransportFailure(
        'login',
        'the service wants a token (X-CSRF-Token) and gave none when it was asked for one',
        { url, status: opened.answer.status },
      )
    // Browsers keep the session's cookies themselves, and show them to nobody.
    const cookies = (headers as Headers & { getSetCookie?(): string[] }).getSetCookie?.() ?? []
    return {
      'x-csrf-token': token,
      ...(cookies.length === 0
        ? {}
        : { cookie: cookies.map((each) => each.split(';')[0] ?? '').join('; ') }),
    }
  } catch (error) {
    throw opened.failure(error)
  } finally {
    opened.done()
  }
}

/** The service's words for a refusal, in its JSON or in the XML that older services use. */
interface Refusal {
  readonly detail: unknown
  readonly said?: { readonly code: string; readonly message: string }
}

/** Is an answer an error in the way of OData? */
export function isRefusal(operation: Facts, response: Response): boolean {
  return refusalIn(operation, response).said !== undefined
}

function refusalIn({ protocol }: Facts, response: Response): Refusal {
  const text = textOf(response)
  if (!isJson(response.headers['content-type'] ?? '')) {
    const said = xmlRefusal(text)
    return said === undefined ? { detail: text } : { detail: text, said }
  }
  try {
    const json: unknown = anything.read(parseJson(text))
    const said = protocol.failure(json)
    const detail = isObject(json) ? (json['error'] ?? json['odata.error'] ?? json) : json
    return said === undefined ? { detail } : { detail, said }
  } catch {
    // What is no JSON is told as it came.
    return { detail: text }
  }
}

/** Code and message of an error in XML (OData 2 and 3, Atom Format, section 19). */
function xmlRefusal(text: string): Refusal['said'] {
  if (!/^\ufeff?\s*(?:<\?xml[^>]*\?>\s*)?<(?:\w+:)?error[\s>]/.test(text)) return undefined
  const within = (name: string): string => {
    const found = new RegExp(`<(?:\\w+:)?${name}(?:\\s[^>]*)?>([^<]*)<`).exec(text)?.[1] ?? ''
    return found.replace(
      /&(lt|gt|quot|apos|amp);/g,
      (_, entity: string) => characters[entity] ?? '',
    )
  }
  return { code: within('code'), message: within('message').trim() }
}

const characters: Readonly<Record<string, string>> = {
  lt: '<',
  gt: '>',
  quot: '"',
  apos: "'",
  amp: '&',
}

/** What statuses about versions of an entity mean (Protocol, section 11.4.1.1). */
const conflicts: Readonly<Record<number, string>> = {
  412: 'the entity was changed meanwhile, so that the ETag does not fit: ',
  428: 'the service wants to know which version is meant (`ifMatch`): ',
}

/** The service's refusal, with its own words (JSON Format, section 21). */
export function faultOf(operation: Facts, response: Response): ServiceFault<undefined> {
  const { status } = response
  const { said, detail } = refusalIn(operation, response)
  const text = textOf(response)
  const told = text.trim() === '' ? '' : ` with ${describeBody(response, text)}`
  const words = said === undefined || said.message === '' ? reasonIn(detail) : said.message
  return new ServiceFault((conflicts[status] ?? '') + (words ?? `HTTP ${String(status)}${told}`), {
    fault: undefined,
    detail,
    code: said === undefined || said.code === '' ? String(status) : said.code,
    status,
  })
}

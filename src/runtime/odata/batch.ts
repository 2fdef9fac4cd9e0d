import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import { credentialsOf } from '../credentials.js'
import type { Response } from '../exchange.js'
import { ContractBreach, ServiceFault } from '../failures.js'
import { parseJson } from '../json/parse-json.js'
import { asNumber, isObject, jsonText } from '../json/values.js'
import { headAndRest, parameterOf, splitParts, type Part } from '../mime.js'
import { base64ToBytes, bytesToBase64, joinBytes } from '../plain.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import { Reference } from './addresses.js'
import { answered, type Facts, type Outgoing } from './sending.js'

/**
 * Several calls in one request (Protocol, section 11.7; JSON Format, section 19; OData 2, Batch
 * Processing).
 */

/** A call that waits in a batch. */
export interface BatchCall<Outcome> {
  /** Settles when the batch was sent: every call by itself. */
  readonly outcome: Promise<Outcome>
  /**
   * Stands for the entity that the call makes: `{ $bind: call.reference }` binds another new one to
   * it.
   */
  readonly reference: Reference
  /**
   * The same where a key is wanted: later calls of the batch can change, delete or call the entity
   * that this one makes, `{ key: call.key }`. Of no type, so that it fits every key.
   */
  readonly key: never
}

export interface BatchOptions {
  /** All changes happen, or none of them does. */
  readonly together?: boolean
  /** Calls after one that failed are tried all the same. */
  readonly goOn?: boolean
  /**
   * Does the batch travel as JSON (version 4.01, and some services of version 4.0) instead of in
   * parts?
   */
  readonly asJson?: boolean
}

/** Calls that travel together in one request. */
export interface Batch<Client> {
  /** Adds a call. Its input is checked at once; it is sent with all the others. */
  add<Outcome>(call: (client: Client) => Promise<Outcome>): BatchCall<Outcome>
  /**
   * Sends all calls. When this is done, the outcome of every call is settled.
   *
   * @throws ServiceFault, TransportFailure or ContractBreach when the batch as a whole failed;
   *   then all calls fail with that
   */
  send(options?: BatchOptions, thisCall?: ThisCall): Promise<void>
}

/** A request that waits, and whoever waits for its answer. */
interface Waiting {
  readonly id: string
  readonly method: string
  /** Below the service root. */
  readonly target: string
  readonly headers: Readonly<Record<string, string>>
  readonly body: string | Uint8Array | undefined
  settle(response: globalThis.Response): void
  fail(error: unknown): void
}

/** What came back for a request, by its position or its id. */
interface Answer {
  readonly id: string | undefined
  readonly response: globalThis.Response
}

/** @param clientOf what calls are made with, on a connection whose requests wait */
export function openBatch<Client>(
  connection: Connection,
  operation: Facts,
  clientOf: (connection: Connection) => Client,
): Batch<Client> {
  const waiting: Waiting[] = []
  const base = addressOf(connection)
  let sent = false
  let refersInside = false
  const fetchLater: typeof fetch = (address, init) =>
    // What a call asks for after its answer came, a next page say, goes its own way.
    sent
      ? (connection.settings.fetch ?? fetch)(address, init)
      : enqueue(waiting, base, String(address as string), init)
  const client = clientOf(waitingConnection(connection, fetchLater))
  return {
    add(call) {
      if (sent) throw new TypeError('the batch was sent already')
      const before = waiting.length
      const outcome = call(client)
      // Whoever looks at the outcome later must still find the failure there.
      outcome.catch(() => undefined)
      const added = waiting[before]
      const reference = (): Reference => {
        if (added === undefined)
          throw new TypeError('the call sends nothing, so that nothing can refer to it')
        refersInside = true
        return new Reference(added.id)
      }
      return {
        outcome,
        get reference() {
          return reference()
        },
        get key() {
          return reference() as never
        },
      }
    },
    async send(options = {}, thisCall = {}) {
      if (sent) throw new TypeError('the batch was sent already')
      if (refersInside && options.together !== true && options.asJson !== true)
        throw new TypeError(
          'calls that refer to each other are sent together or as JSON: send({ together: true }), send({ asJson: true })',
        )
      sent = true
      if (waiting.length > 0) await sendAll(connection, operation, waiting, options, thisCall)
    },
  }
}

/** A request waits until its batch is sent. */
function enqueue(
  waiting: Waiting[],
  base: string,
  url: string,
  init: RequestInit | undefined,
): Promise<globalThis.Response> {
  return new Promise((settle, fail) => {
    waiting.push({
      id: String(waiting.length + 1),
      method: init?.method ?? 'GET',
      target: url.startsWith(`${base}/`) ? url.slice(base.length + 1) : url,
      headers: (init?.headers ?? {}) as Record<string, string>,
      body: init?.body as string | Uint8Array | undefined,
      settle,
      fail,
    })
  })
}

/**
 * Calls may wait as long as they like; the batch itself has its time limit when it is sent. What
 * answers a challenge, or has to be fetched first, is proven by the batch as a whole; so is trying
 * again.
 */
function waitingConnection(connection: Connection, fetchLater: typeof fetch): Connection {
  const { settings } = connection
  const credential = credentialsOf(settings).filter(
    ({ kind }) => kind !== 'digest' && kind !== 'oauth2',
  )
  return {
    ...connection,
    settings: { ...settings, fetch: fetchLater, timeLimit: Infinity, credential, retries: 0 },
  }
}

async function sendAll(
  connection: Connection,
  operation: Facts,
  waiting: readonly Waiting[],
  options: BatchOptions,
  thisCall: ThisCall,
): Promise<void> {
  try {
    const outgoing = options.asJson === true ? asJson(waiting, options) : asParts(waiting, options)
    const batch = {
      ...outgoing,
      method: 'POST',
      url: `${addressOf(connection)}/$batch`,
      headers: {
        ...outgoing.headers,
        ...(options.goOn === true ? { prefer: 'odata.continue-on-error' } : {}),
      },
    }
    const answers = await answered(connection, operation, batch, thisCall, (response) =>
      answersOf(response, operation),
    )
    settleAll(waiting, answers, options)
  } catch (error) {
    for (const each of waiting) each.fail(error)
    throw error
  }
  // Outcomes are read from the answers: whoever awaits this finds them settled.
  await new Promise((resolve) => setTimeout(resolve))
}

/** The answers in the answer to a batch. @throws ContractBreach when it holds none */
function answersOf(response: Response, operation: Facts): Answers {
  const byId = isJson(response.headers['content-type'] ?? '')
  const whole = { headers: response.headers, content: response.body }
  const units = byId
    ? fromJson(textOf(response), operation)
    : fromParts(whole)?.map((part) => answersIn(part))
  if (units === undefined)
    throw new ContractBreach('', 'the answers of a batch', describeBody(response, textOf(response)))
  return { units, byId }
}

/** The answers to a batch: unit by unit, or each by its id. */
interface Answers {
  readonly units: readonly (readonly Answer[])[]
  readonly byId: boolean
}

/** Hands the answers out: in parts they come unit by unit, in JSON by their ids. */
function settleAll(
  waiting: readonly Waiting[],
  { units: answers, byId }: Answers,
  { together }: BatchOptions,
): void {
  units(waiting, together === true).forEach((unit, at) => {
    const group = byId
      ? answers.flat().filter(({ id }) => unit.some((each) => each.id === id))
      : (answers[at] ?? [])
    // A change set that failed has one answer for all (Protocol, section 11.7.4). Where a service
    // gives several, nothing is done all the same.
    const forAll = group.length === 1 && group[0]?.response.ok === false ? group[0] : undefined
    const isUndone = unit.length > 1 && group.some(({ response }) => !response.ok)
    unit.forEach((each, position) => {
      const answer =
        forAll ?? group.find(({ id }) => id === each.id) ?? (byId ? undefined : group[position])
      if (answer === undefined)
        each.fail(notDone('the service stopped before this call, because one before it failed'))
      else if (isUndone && answer.response.ok)
        each.fail(notDone('another change failed with which this one was to happen together'))
      else each.settle(answer.response.clone())
    })
  })
}

/** The failure of a call that another one took along. */
function notDone(reason: string): ServiceFault {
  const code = 'FailedDependency'
  return new ServiceFault(reason, { fault: undefined, detail: undefined, code, status: 424 })
}

/** Requests as they stand in the batch: changes that happen together are one unit. */
function units(waiting: readonly Waiting[], together: boolean): Waiting[][] {
  if (!together) return waiting.map((each) => [each])
  const changes = waiting.filter(({ method }) => method !== 'GET')
  return waiting.flatMap((each) => {
    if (each.method === 'GET') return [[each]]
    if (each === changes[0]) return [changes]
    return []
  })
}

function asParts(
  waiting: readonly Waiting[],
  { together }: BatchOptions,
): Pick<Outgoing, 'headers' | 'body'> {
  const boundary = `batch-${crypto.randomUUID()}`
  const pieces: (string | Uint8Array)[] = []
  const add = (more: readonly (string | Uint8Array)[]): void =>
    more.forEach((piece) => pieces.push(piece))
  for (const unit of units(waiting, together === true)) {
    const [first] = unit
    pieces.push(`--${boundary}\r\n`)
    if (first?.method === 'GET') add([...httpPart(first), '\r\n'])
    else {
      // Changes stand in a change set, one by itself too: version 2 wants it so, and version 4
      // admits it.
      const inner = `changes-${crypto.randomUUID()}`
      add([`Content-Type: multipart/mixed; boundary=${inner}\r\n\r\n`])
      for (const each of unit) add([`--${inner}\r\n`, ...httpPart(each), '\r\n'])
      add([`--${inner}--\r\n`])
    }
  }
  pieces.push(`--${boundary}--\r\n`)
  const encoder = new TextEncoder()
  return {
    headers: { 'content-type': `multipart/mixed; boundary=${boundary}`, accept: 'multipart/mixed' },
    body: joinBytes(
      pieces.map((piece) => (typeof piece === 'string' ? encoder.encode(piece) : piece)),
    ),
  }
}

function httpPart({ id, method, target, headers, body }: Waiting): (string | Uint8Array)[] {
  const lines = Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}\r\n`)
    .join('')
  return [
    `Content-Type: application/http\r\nContent-Transfer-Encoding: binary\r\nContent-ID: ${id}\r\n\r\n${method} ${target} HTTP/1.1\r\n${lines}\r\n`,
    ...(body === undefined ? [] : [body]),
  ]
}

function fromParts(whole: Part): Part[] | undefined {
  const boundary = parameterOf(whole.headers['content-type'] ?? '', 'boundary')
  return boundary === undefined ? undefined : splitParts(whole.content, boundary)
}

/** The answers in a part: of a change set several. */
function answersIn(part: Part): Answer[] {
  if (/^multipart\/mixed/i.test(part.headers['content-type'] ?? ''))
    return (fromParts(part) ?? []).flatMap(answersIn)
  const status = Number(
    /^\s*HTTP\/[\d.]+ (\d{3})/.exec(new TextDecoder().decode(part.content.subarray(0, 100)))?.[1] ??
      Number.NaN,
  )
  const inner = headAndRest(part.content.subarray(part.content.indexOf(10) + 1)) ?? {
    headers: {},
    content: new Uint8Array(),
  }
  return Number.isNaN(status)
    ? []
    : [
        {
          id: part.headers['content-id'] ?? inner.headers['content-id'],
          response: responseOf(status, inner.headers, inner.content),
        },
      ]
}

function responseOf(
  status: number,
  headers: Readonly<Record<string, string>>,
  body: Uint8Array,
): globalThis.Response {
  const isEmpty = body.length === 0 || status === 204 || status === 304
  return new globalThis.Response(isEmpty ? null : body.slice(), {
    status,
    headers: Object.fromEntries(
      Object.entries(headers).filter(
        ([name]) => !/^(?:content-length|content-id|transfer-encoding)$/i.test(name),
      ),
    ),
  })
}

/** JSON Format 4.01, section 19.1. */
function asJson(
  waiting: readonly Waiting[],
  { together }: BatchOptions,
): Pick<Outgoing, 'headers' | 'body'> {
  const requests = waiting.map(({ id, method, target, headers, body }) => {
    const type = headers['content-type'] ?? ''
    const content = body === undefined ? '' : `,"body":${bodyInJson(body, type)}`
    const group = together === true && method !== 'GET' ? ',"atomicityGroup":"changes"' : ''
    const needs = referredTo(target, body)
    const depends = needs.length === 0 ? '' : `,"dependsOn":${JSON.stringify(needs)}`
    return `{"id":${JSON.stringify(id)},"method":${JSON.stringify(method)},"url":${JSON.stringify(target)},"headers":${JSON.stringify(headers)}${group}${depends}${content}}`
  })
  return {
    headers: { 'content-type': 'application/json' },
    body: `{"requests":[${requests.join(',')}]}`,
  }
}

/** The ids of the requests that one refers to, in its address or as what it binds to. */
function referredTo(target: string, body: Waiting['body']): string[] {
  const inBody = typeof body === 'string' ? body.matchAll(/"\$(\d+)"/g) : []
  const found = [...target.matchAll(/^\$(\d+)/g), ...inBody].map(([, id = '']) => id)
  return [...new Set(found)]
}

function fromJson(text: string, { parse = parseJson }: Facts): Answer[][] | undefined {
  const json: unknown = parse(text)
  const responses = isObject(json) ? json['responses'] : undefined
  if (!Array.isArray(responses)) return undefined
  return responses.filter(isObject).map((each): Answer[] => {
    const headers = Object.fromEntries(
      Object.entries(isObject(each['headers']) ? each['headers'] : {}).map(([name, value]) => [
        name.toLowerCase(),
        String(value),
      ]),
    )
    const { body } = each
    const type =
      headers['content-type'] ?? (typeof body === 'string' ? 'text/plain' : 'application/json')
    const bytes = bodyFromJson(body, type)
    return [
      {
        id: String(each['id']),
        response: responseOf(
          Number(asNumber(each['status'])),
          { 'content-type': type, ...headers },
          bytes,
        ),
      },
    ]
  })
}

function base64url(bytes: Uint8Array): string {
  return bytesToBase64(bytes).replaceAll('+', '-').replaceAll('/', '_')
}

function fromBase64url(text: string): Uint8Array {
  const packed = text.replaceAll('-', '+').replaceAll('_', '/').replace(/=+$/, '')
  return base64ToBytes(packed.padEnd(Math.ceil(packed.length / 4) * 4, '='))
}

/** A body inside of a JSON document: JSON as it is, text as text, bytes in base64url. */
export function bodyInJson(body: string | Uint8Array, type: string): string {
  if (typeof body !== 'string') return JSON.stringify(base64url(body))
  return isJson(type) ? body : JSON.stringify(body)
}

/** The bytes of a body that stood in a JSON document. */
export function bodyFromJson(body: unknown, type: string): Uint8Array {
  if (body === undefined || body === null) return new Uint8Array()
  if (typeof body !== 'string' || isJson(type)) return new TextEncoder().encode(jsonText(body))
  return /^text\//i.test(type) ? new TextEncoder().encode(body) : fromBase64url(body)
}

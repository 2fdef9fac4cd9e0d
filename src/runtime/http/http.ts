import { addressOf, checkCredential, exchange, hearOfDeviations, type Connection, type Response, type ThisCall } from '../connection.js'
import { ContractBreach, InputRejected, ServiceFault, type Deviation, type Misfit } from '../failures.js'
import { jsonText } from '../json/values.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import { checkMembers, fromJson, toJson, type JsonMember, type JsonRef } from './json.js'
import { encode, inHeader, inPath, inQuery, written, type Style } from './parameters.js'

/** A parameter: where it goes and how it is written there. */
export interface Parameter extends JsonMember {
  readonly in: 'path' | 'query' | 'header' | 'cookie'
  /** Its name on the wire, where the input calls it otherwise. */
  readonly name?: string
  readonly style?: Style
  readonly explode?: boolean
  readonly allowReserved?: boolean
  /** It is written as JSON. */
  readonly json?: boolean
}

/** What travels in a body: its media type, and its content where that is known. */
export interface Content {
  readonly type?: string
  readonly is?: JsonRef
}

/** What is known of an operation: plain data, printed into the client. */
export interface HttpOperation {
  readonly name: string
  readonly method: string
  /** The path below the server's address, with `{name}` where a parameter goes. */
  readonly path: string
  readonly parameters?: Readonly<Record<string, Parameter>>
  readonly body?: Content & { readonly optional?: boolean; readonly nullable?: boolean }
  /** Contents by status: `200`, `2XX` or `default`. */
  readonly answers: Readonly<Record<string, Content>>
  /** Answers differ by status: the outcome is `{ status, body }`. */
  readonly byStatus?: boolean
  readonly faults?: Readonly<Record<string, Content>>
  /** Parses JSON without rounding, where the contract needs that. */
  readonly parse?: (text: string) => unknown
  /** Where an API key goes. */
  readonly key?: { readonly in: 'header' | 'query' | 'cookie'; readonly name: string }
}

/**
 * Sends one call and waits for its outcome.
 *
 * @throws InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export async function send<Outcome>(connection: Connection, operation: HttpOperation, input: object, thisCall: ThisCall = {}): Promise<Outcome> {
  const { settings } = connection
  if (settings.checkInputs !== false) {
    const misfits = checkInput(operation, input)
    if (misfits.length > 0) throw new InputRejected(operation.name, misfits)
  }
  checkCredential(connection, operation.name, ['basic', 'bearer', 'key'])
  const values = input as Readonly<Record<string, unknown>>
  const key = settings.credential?.kind === 'key' && operation.key !== undefined ? { ...operation.key, value: settings.credential.value } : undefined
  const { target, headers } = writeParameters(operation, values, key)
  const body = operation.body === undefined || values['body'] === undefined ? undefined : writeBody(operation.body, values['body'])
  const request = {
    method: operation.method,
    url: addressOf(connection) + target,
    headers: { ...headers, accept: acceptOf(operation), ...(body === undefined ? {} : { 'content-type': body.type }) },
    ...(body === undefined ? {} : { body: body.content }),
  }
  const response = await exchange(connection, request, thisCall, textOf)
  return readAnswer(operation, response, hearOfDeviations(connection, thisCall)) as Outcome
}

/** Every place of an input that does not satisfy the operation. */
export function checkInput(operation: HttpOperation, input: unknown): Misfit[] {
  const misfits: Misfit[] = []
  if (typeof input !== 'object' || input === null || Array.isArray(input)) return [{ path: '', message: 'expected an object' }]
  const { body } = operation
  const members: Record<string, JsonMember> = { ...operation.parameters }
  if (body?.is !== undefined) members['body'] = { is: body.is, optional: body.optional === true, nullable: body.nullable === true }
  checkMembers(members, false, input as Readonly<Record<string, unknown>>, '', misfits)
  return misfits
}

/** The path and query of a request, and the headers that parameters make. */
export function writeParameters(operation: HttpOperation, input: Readonly<Record<string, unknown>>, key?: { readonly in: string; readonly name: string; readonly value: string }): { target: string; headers: Record<string, string> } {
  let path = operation.path
  const query: string[] = []
  const cookies: string[] = []
  const headers: Record<string, string> = {}
  for (const [member, parameter] of Object.entries(operation.parameters ?? {})) {
    const value = Object.hasOwn(input, member) ? input[member] : undefined
    if (value === undefined) continue
    const name = parameter.name ?? member
    const json = toJson(parameter.is, value)
    const texts = parameter.json === true ? jsonText(json) : written(json)
    const explode = parameter.explode ?? (parameter.in === 'query' || parameter.in === 'cookie')
    if (parameter.in === 'path') path = path.replaceAll(`{${name}}`, () => inPath(name, texts, parameter.style ?? 'simple', explode))
    else if (parameter.in === 'query') {
      const pairs = inQuery(name, texts, parameter.style ?? 'form', explode, parameter.allowReserved)
      if (pairs !== '') query.push(pairs)
    } else if (parameter.in === 'header') headers[name.toLowerCase()] = inHeader(texts, explode)
    else cookies.push(...inQuery(name, texts, 'form', explode).split('&'))
  }
  if (key?.in === 'query') query.push(`${encode(key.name)}=${encode(key.value)}`)
  if (key?.in === 'header') headers[key.name.toLowerCase()] = key.value
  if (key?.in === 'cookie') cookies.push(`${key.name}=${key.value}`)
  if (cookies.length > 0) headers['cookie'] = cookies.join('; ')
  return { target: path + (query.length === 0 ? '' : `?${query.join('&')}`), headers }
}

/** A body on its way out: JSON, form, multipart, text or bytes, by its media type. */
export function writeBody(content: Content, value: unknown): { type: string; content: string | Uint8Array } {
  const type = content.type ?? 'application/json'
  if (value instanceof Uint8Array) return { type, content: value }
  const json = content.is === undefined ? value : toJson(content.is, value)
  if (isJson(type)) return { type, content: jsonText(json) }
  if (type === 'application/x-www-form-urlencoded') {
    // Spaces are + in forms (WHATWG URL, section 5.2), unlike in addresses.
    const pairs = Object.entries(json as object).filter(([, each]) => each !== undefined).map(([name, each]) => inQuery(name, written(each), 'form', true))
    return { type, content: pairs.filter((pair) => pair !== '').join('&').replaceAll('%20', '+') }
  }
  if (type === 'multipart/form-data') return multipart(value as Readonly<Record<string, unknown>>, json as Readonly<Record<string, unknown>>)
  return { type, content: String(json) }
}

/** A multipart body (RFC 7578): texts as they are, bytes as files, what is nested as JSON. */
function multipart(value: Readonly<Record<string, unknown>>, json: Readonly<Record<string, unknown>>): { type: string; content: Uint8Array } {
  const boundary = `part-${Math.random().toString(16).slice(2)}${Math.random().toString(16).slice(2)}`
  const pieces: Uint8Array[] = []
  const text = (piece: string): void => void pieces.push(new TextEncoder().encode(piece))
  for (const [name, whole] of Object.entries(value)) {
    if (whole === undefined) continue
    const items: readonly unknown[] = Array.isArray(whole) ? whole : [whole]
    const wholeJson = json[name]
    const jsonItems: readonly unknown[] = Array.isArray(wholeJson) ? wholeJson : [wholeJson]
    items.forEach((item, at) => {
      const quotedName = name.replace(/[\r\n"]/g, (c) => (c === '"' ? '%22' : c === '\r' ? '%0D' : '%0A'))
      const isNested = typeof item === 'object' && item !== null && !(item instanceof Uint8Array)
      text(`--${boundary}\r\ncontent-disposition: form-data; name="${quotedName}"`)
      if (item instanceof Uint8Array) text(`; filename="${quotedName}"\r\ncontent-type: application/octet-stream`)
      text(`${isNested ? '\r\ncontent-type: application/json' : ''}\r\n\r\n`)
      if (item instanceof Uint8Array) pieces.push(item)
      else text(isNested ? jsonText(jsonItems[at]) : String(written(jsonItems[at]) as string))
      text('\r\n')
    })
  }
  text(`--${boundary}--\r\n`)
  const content = new Uint8Array(pieces.reduce((size, piece) => size + piece.length, 0))
  let at = 0
  for (const piece of pieces) {
    content.set(piece, at)
    at += piece.length
  }
  return { type: `multipart/form-data; boundary=${boundary}`, content }
}

/** The outcome in an answer, or the failure that it is. */
export function readAnswer(operation: HttpOperation, response: Response, onDeviation: (deviation: Deviation) => void): unknown {
  const { status } = response
  const answer = byStatus(operation.answers, status)
  if (status >= 400) throw faultOf(operation, response, onDeviation)
  let content = answer
  if (content === undefined) {
    // 201 in life where the contract says 200: what the contract has is the best guess.
    const [promised, first] = Object.entries(operation.answers)[0] ?? []
    onDeviation({ path: 'status', message: `is ${String(status)}, where the contract promised ${promised ?? 'nothing'}` })
    content = first
  }
  const body = readContent(operation, content, response, onDeviation)
  return operation.byStatus === true ? { status, body } : body
}

function readContent(operation: HttpOperation, content: Content | undefined, response: Response, onDeviation: (deviation: Deviation) => void): unknown {
  if (content?.type === undefined) return undefined
  if (response.status === 204 || response.status === 205 || (response.body.length === 0 && isJson(content.type))) {
    onDeviation({ path: '', message: 'is empty, where the contract promised a body' })
    return undefined
  }
  if (isJson(content.type)) {
    const text = textOf(response)
    let json: unknown
    try {
      json = (operation.parse ?? JSON.parse)(text)
    } catch {
      throw new ContractBreach('', 'JSON', describeBody(response, text))
    }
    if (json === null && content.is !== undefined) return null
    return content.is === undefined ? json : fromJson(content.is, json, '', onDeviation)
  }
  return content.type.startsWith('text/') ? textOf(response) : response.body
}

function faultOf(operation: HttpOperation, response: Response, onDeviation: (deviation: Deviation) => void): ServiceFault {
  const { status } = response
  const text = textOf(response)
  const declared = Object.keys(operation.faults ?? {}).find((each) => matches(each, status)) ?? (Object.hasOwn(operation.faults ?? {}, 'default') ? 'default' : undefined)
  const content = declared === undefined ? undefined : operation.faults?.[declared]
  let detail: unknown = text
  let json: unknown
  try {
    json = isJson(response.headers['content-type'] ?? '') ? (operation.parse ?? JSON.parse)(text) : undefined
    if (json !== undefined) detail = content?.is === undefined ? JSON.parse(text) : fromJson(content.is, json, '', onDeviation)
  } catch {
    // What isn't as promised is told as it came.
  }
  // The member that usually says most, first (RFC 9457 has detail and title).
  const members = typeof detail === 'object' && detail !== null ? Object.entries(detail) : []
  const said: unknown = ['detail', 'message', 'reason', 'error', 'title'].map((wanted) => members.find(([name, value]) => name.toLowerCase() === wanted && typeof value === 'string')?.[1] as unknown).find((value) => value !== undefined)
  const reason = typeof said === 'string' ? said : text.trim() === '' || json !== undefined ? `HTTP ${String(status)}` : `HTTP ${String(status)} with ${describeBody(response, text)}`
  return new ServiceFault(reason, { fault: typeof detail === 'string' && json === undefined ? undefined : declared, detail, code: String(status), status })
}

function byStatus(answers: Readonly<Record<string, Content>>, status: number): Content | undefined {
  const key = Object.keys(answers).find((each) => matches(each, status)) ?? 'default'
  return Object.hasOwn(answers, key) ? answers[key] : undefined
}

function matches(key: string, status: number): boolean {
  return key === String(status) || (/^[1-5]XX$/i.test(key) && key.startsWith(String(status)[0] ?? ''))
}

function acceptOf(operation: HttpOperation): string {
  const types = [...Object.values(operation.answers), ...Object.values(operation.faults ?? {})].map(({ type }) => type).filter((type) => type !== undefined)
  return [...new Set(types)].join(', ') || '*/*'
}

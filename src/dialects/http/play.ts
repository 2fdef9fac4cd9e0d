import type { Contract, Endpoint, Field, Operation } from '../../contract/contract.js'
import { endpointsOf, membersOf, operationsOf } from '../../contract/queries.js'
import { messageOf } from '../../contract/system-error.js'
import { ContractBreach } from '../../runtime/failures.js'
import { checkInput, type Content, type AnyHttpOperation } from '../../runtime/http/http.js'
import type { AnyJsonRef } from '../../runtime/http/json-codec.js'
import { fromJson, toJson } from '../../runtime/http/json.js'
import { exactJson } from '../../runtime/json/exact-json.js'
import { jsonText } from '../../runtime/json/values.js'
import type { Player, PlayRequest, PlayResponse, UnderstoodCall } from '../dialect.js'
import { isChoice, JsonTrees, liveJson } from './json-trees.js'
import { operationSpecifics } from './specifics.js'
import { kindOf } from './media-types.js'
import { wholeAnswer } from './play-pages.js'
import { servedDocuments } from './served-documents.js'
import { readStyled, typed } from './styled-values.js'

interface Live {
  readonly operation: Operation
  readonly live: AnyHttpOperation
  /** Matches a path; its groups are the path parameters, in order. */
  readonly pattern: RegExp
  /** Pairs of a query that its path asks for; a value in braces is a path parameter. */
  readonly pairs: readonly (readonly [name: string, value: string])[]
  readonly names: readonly string[]
  /** How much each step of its path says by itself. */
  readonly said: readonly number[]
}

/**
 * Plays the service's side of HTTP: reads requests and writes answers with the codecs of the
 * contract.
 */
export function playHttp(contract: Contract): Player {
  const trees = new JsonTrees(contract)
  const codecs = liveJson(contract, trees)
  const operations = operationsOf(contract).map((operation): Live => {
    const { path } = operationSpecifics(operation)
    const live = {
      name: operation.path.join('.'),
      ...(codecs.of(trees.operation(operation)) as object),
    } as unknown as AnyHttpOperation
    // Keys of `paths` may say more than a path: pairs of a query, and a fragment, which is not
    // sent.
    const [, steps = '', pairs = ''] = /^([^?#]*)\??([^#]*)/.exec(path) ?? []
    const names = [...steps.matchAll(/\{([^}]+)\}/g)].map(([, name]) => name ?? '')
    const pattern = new RegExp(
      `^${steps
        .split(/\{[^}]+\}/)
        .map((part) => part.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'))
        .join('([^/]+)')}$`,
    )
    const said = steps.split('/').map(concreteness)
    return { operation, live, pattern, names, said, pairs: [...new URLSearchParams(pairs)] }
  })
  // What says more wins, and a path without parameters over one with (section 4.8.8.2).
  operations.sort(
    (a, b) =>
      b.pairs.length - a.pairs.length ||
      (a.said.map((own, at) => (b.said[at] ?? 0) - own).find((difference) => difference !== 0) ??
        0),
  )
  return {
    understand: (request) => understand(contract, operations, request),
    metadata: servedDocuments,
  }
}

/** A step without parameters says everything, others as much as they have letters beside those. */
function concreteness(step: string): number {
  return step.includes('{') ? step.replace(/\{[^}]+\}/g, '').length : Number.MAX_SAFE_INTEGER
}

function understand(
  contract: Contract,
  operations: readonly Live[],
  request: PlayRequest,
): UnderstoodCall | PlayResponse {
  const [path = ''] = request.target.split('?')
  const search = request.target.slice(path.length + 1)
  // The stand-in plays each contract under its name: the first step of the path.
  const below = path.replace(/^\/[^/]+/, '') || '/'
  const asked = new URLSearchParams(search)
  const here = operations.filter(
    ({ pattern, pairs }) =>
      pattern.test(below) &&
      pairs.every(([name, value]) =>
        value.startsWith('{') ? asked.has(name) : asked.getAll(name).includes(value),
      ),
  )
  const offered = here.filter(
    ({ operation }) => operationSpecifics(operation).method === request.method,
  )
  const [found] = offered
  if (found === undefined) {
    if (here.length === 0) return refused(404, `There is no path ${below}.`)
    return {
      ...refused(405, `${request.method} is not offered at ${below}.`),
      headers: {
        'content-type': 'application/problem+json',
        allow: here.map(({ operation }) => operationSpecifics(operation).method).join(', '),
      },
    }
  }
  // Fragments of paths are not sent: of operations that differ in nothing else the one is meant
  // that the request satisfies and that knows most of it.
  const twins = offered
    .filter(
      ({ pattern, pairs }) =>
        pattern.source === found.pattern.source && pairs.length === found.pairs.length,
    )
    .map((twin) => ({ twin, unknown: unknownOf(twin, asked), required: requiredOf(twin) }))
    .sort((a, b) => a.unknown - b.unknown || b.required - a.required)
    .map(({ twin }) => twin)
  let refusal: PlayResponse | undefined
  for (const twin of twins) {
    const read = understandAs(contract, twin, request, { below, search })
    if ('operation' in read) return read
    refusal ??= read
  }
  return refusal as PlayResponse
}

/** How many names of a query an operation does not know. */
function unknownOf({ operation, live }: Live, asked: URLSearchParams): number {
  const known = new Set(
    operation.inputs
      .filter(({ place }) => place === 'query')
      .map(({ name }) => live.parameters?.[name]?.name ?? name),
  )
  return [...new Set(asked.keys())].filter((name) => !known.has(name.replace(/\[.*$/, ''))).length
}

function requiredOf({ operation }: Live): number {
  return operation.inputs.filter(({ optional }) => !optional).length
}

/** Where a request goes: its path below the contract's, and what stands behind. */
interface Target {
  readonly below: string
  readonly search: string
}

/** Reads a request as a call of an operation, or refuses it. */
function understandAs(
  contract: Contract,
  played: Live,
  request: PlayRequest,
  target: Target,
): UnderstoodCall | PlayResponse {
  const { operation, live } = played
  let input: Record<string, unknown>
  try {
    input = readInput(contract, played, request, target)
  } catch (error) {
    if (error instanceof ContractBreach) return refused(400, error.message)
    if (error instanceof SyntaxError || error instanceof URIError)
      return refused(400, `The request can't be read: ${error.message}`)
    throw error
  }
  const violations = checkInput(live, input)
  if (violations.length > 0)
    return refused(400, violations.map(({ path, message }) => `${path}: ${message}`).join('; '))
  return {
    operation,
    endpoint: endpointsOf(contract)[0] as Endpoint,
    input,
    answer: (value, improvise) => answerOf(contract, played, request, value, improvise),
    fault(fault, detail, reason) {
      const status = /^\d{3}$/.test(fault.name) ? Number(fault.name) : 500
      const content = live.faults?.[fault.name] as Content | undefined
      if (content?.type === undefined || detail === undefined) return refused(status, reason)
      return {
        status,
        headers: { 'content-type': content.type },
        body: written(content, detail, false),
      }
    },
  }
}

/**
 * The input that a request carries.
 *
 * @throws ContractBreach, SyntaxError or URIError where it can't be read
 */
function readInput(
  contract: Contract,
  { operation, live, pattern, names, pairs }: Live,
  request: PlayRequest,
  { below, search }: Target,
): Record<string, unknown> {
  const asked = new URLSearchParams(search)
  const steps = pattern.exec(below)?.slice(1) ?? []
  const path = new Map([
    ...names.map((name, at) => [name, steps[at] ?? ''] as const),
    ...pairs.map(([name, value]) => [value.slice(1, -1), asked.get(name) ?? ''] as const),
  ])
  const parts = { path, search, headers: request.headers }
  const input: Record<string, unknown> = {}
  for (const field of operation.inputs) {
    if (isChoice(field)) continue
    const { in: place = 'query', is } = live.parameters?.[field.name] ?? {}
    const isBody = field.place === 'body'
    const raw = isBody
      ? readBody(contract, field, live, request)
      : readStyled(contract, field, place, parts)
    if (raw === undefined) continue
    const codec = isBody ? contentOf(live, request)?.is : is
    const isReady = raw instanceof Uint8Array || (isBody && isMultipart(request))
    input[field.name] =
      codec === undefined || isReady ? raw : fromJson(codec, raw, field.name, () => undefined)
  }
  return input
}

/** The answer that a value makes: with its own status where answers differ by that. */
function answerOf(
  contract: Contract,
  { operation, live }: Live,
  request: PlayRequest,
  value: unknown,
  improvise: Parameters<UnderstoodCall['answer']>[1],
): PlayResponse {
  const { answers, byStatus } = operationSpecifics(operation)
  const statuses = Object.keys(answers)
  const apart = byStatus === true ? ((value ?? {}) as StatusAndBody) : undefined
  const chosen = String(apart?.status ?? statuses[0] ?? '200')
  const body = apart === undefined ? wholeAnswer(contract, operation, value, improvise) : apart.body
  const accepted = request.headers['accept'] ?? ''
  const contents = [live.answers[chosen] ?? []].flat() as Content[]
  const content =
    contents.find(({ type }) => type !== undefined && accepted.includes(type)) ?? contents[0]
  const status = /^\d+$/.test(chosen) ? Number(chosen) : 200
  // A status that the description names is what it says, with or without a body.
  if (content?.type === undefined || body === undefined)
    return { status: statuses.length === 0 ? 204 : status, headers: {}, body: '' }
  const isSequence = operation.outcome.kind === 'value' && operation.outcome.stream === true
  return {
    status,
    headers: { 'content-type': content.type },
    body: written(content, body, isSequence),
  }
}

/** A value of an operation whose answers differ by status. */
interface StatusAndBody {
  readonly status?: unknown
  readonly body?: unknown
}

/** @param isSequence the value is the items of a sequence, which are sent one by one */
function written(content: Content, value: unknown, isSequence: boolean): string | Uint8Array {
  const { type = '', is } = content
  if (value instanceof Uint8Array) return value
  const json = (each: unknown): unknown => (is === undefined ? each : toJson(is, each))
  if (isSequence && Array.isArray(value))
    return value
      .map((item: unknown) =>
        /event-stream/i.test(type)
          ? eventText(json(item))
          : `${/json-seq/.test(type) ? '\u001e' : ''}${jsonText(json(item))}\n`,
      )
      .join('')
  const formatted = content.format?.write?.(content, value, json(value))
  if (formatted !== undefined) return formatted.content
  if (kindOf(type) === 'json' || content.json === true) return jsonText(json(value))
  // What was made up for another media type is shown as it is.
  return typeof value === 'object' ? jsonText(value) : String(value)
}

/** A server-sent event: its data as they are where they are a text, else as JSON. */
function eventText(event: unknown): string {
  // What is said to be anything may be nothing that has fields.
  const isRecord = typeof event === 'object' && event !== null && !Array.isArray(event)
  const { data, ...fields } = isRecord
    ? (event as Readonly<Record<string, unknown>>)
    : { data: event }
  const others = Object.entries(fields)
    .filter(([, value]) => value !== undefined && value !== null)
    .map(([name, value]) => `${name}: ${plainText(value)}\n`)
  const lines = plainText(data)
    .split('\n')
    .map((line) => `data: ${line}\n`)
  return `${others.join('')}${lines.join('')}\n`
}

/** A text as it is, all else as JSON. */
function plainText(value: unknown): string {
  return typeof value === 'string' ? value : jsonText(value)
}

/** A problem as RFC 9457 has it. */
function refused(status: number, detail: string): PlayResponse {
  return {
    status,
    headers: { 'content-type': 'application/problem+json' },
    body: JSON.stringify({
      status,
      title: status === 400 ? 'The request does not satisfy the contract' : 'Not possible',
      detail,
    }),
  }
}

/** Of the ways to send a body the one that came. */
function contentOf(live: AnyHttpOperation, request: PlayRequest): Content | undefined {
  const came = (request.headers['content-type'] ?? '').split(';')[0]?.trim().toLowerCase()
  const contents = live.body === undefined ? [] : [live.body, ...(live.body.others ?? [])]
  return contents.find((each) => each.type?.split(';')[0]?.toLowerCase() === came) ?? contents[0]
}

function isMultipart(request: PlayRequest): boolean {
  return /^multipart\/form-data/i.test(request.headers['content-type'] ?? '')
}

function readBody(
  contract: Contract,
  field: Field,
  live: AnyHttpOperation,
  request: PlayRequest,
): unknown {
  if (request.body.length === 0) return undefined
  const content = contentOf(live, request)
  if (content?.raw === true) return request.body
  const mediaType = content?.type ?? ''
  const text = new TextDecoder().decode(request.body)
  if (kindOf(mediaType) === 'json' || content?.json === true) return exactJson(text)
  if (/x-www-form-urlencoded/i.test(mediaType) || isMultipart(request)) {
    const members = membersOf(contract, field.type)
    const parts = isMultipart(request) ? readMultipart(request) : formMembers(text)
    const memberOf = (name: string): Field | undefined => members.find((each) => each.name === name)
    const value = (name: string, part: unknown): unknown => {
      if (typeof part === 'string') return typed(contract, part, memberOf(name)?.type)
      if (Array.isArray(part)) return part.map((each: unknown) => value(name, each))
      return part
    }
    const listed = (name: string, part: unknown): unknown =>
      memberOf(name)?.type.kind === 'list' && !Array.isArray(part) ? [part] : part
    const json = Object.fromEntries(
      Object.entries(parts).map(([name, part]) => [name, listed(name, value(name, part))]),
    )
    // Files are as the caller gives them: only what is not bytes goes through the codec.
    return isMultipart(request)
      ? Object.fromEntries(
          Object.entries(json).map(([name, each]) => [
            name,
            decodedPart(contract, memberOf(name), each),
          ]),
        )
      : json
  }
  if (content?.format?.read !== undefined) return readFormat(content, content.format.read, text)
  if (kindOf(mediaType) === 'lines')
    return text
      .split(/json-seq/i.test(mediaType) ? '\u001e' : '\n')
      .filter((line) => line.trim() !== '')
      .map(exactJson)
  return mediaType.startsWith('text/') || /xml\b/i.test(mediaType) ? text : request.body
}

/** @throws ContractBreach when the text is none of its format */
function readFormat(
  content: Content,
  read: NonNullable<NonNullable<Content['format']>['read']>,
  text: string,
): unknown {
  try {
    return read(content, text)
  } catch (error) {
    throw new ContractBreach('', content.type ?? '', messageOf(error))
  }
}

function decodedPart(contract: Contract, field: Field | undefined, part: unknown): unknown {
  if (part instanceof Uint8Array || field === undefined) return part
  if (Array.isArray(part) && part.some((each) => each instanceof Uint8Array)) return part
  const codecs = new JsonTrees(contract)
  return fromJson(
    liveJson(contract, codecs).of(codecs.of(field.type, false)) as AnyJsonRef,
    part,
    field.name,
    () => undefined,
  )
}

function formMembers(text: string): Record<string, unknown> {
  const form = new URLSearchParams(text)
  return Object.fromEntries(
    [...new Set(form.keys())].map((name) => [
      name,
      form.getAll(name).length > 1 ? form.getAll(name) : form.get(name),
    ]),
  )
}

/** The parts of a multipart body; files as bytes. */
function readMultipart(request: PlayRequest): Record<string, unknown> {
  const boundary = /boundary="?([^";]+)/.exec(request.headers['content-type'] ?? '')?.[1] ?? ''
  const binary = Array.from(request.body, (byte) => String.fromCharCode(byte)).join('')
  const parts = new Map<string, unknown>()
  for (const part of binary.split(`--${boundary}`).slice(1, -1)) {
    const [head = '', ...rest] = part.slice(2).split('\r\n\r\n')
    const content = rest.join('\r\n\r\n').replace(/\r\n$/, '')
    const name = /name="([^"]*)"/.exec(head)?.[1] ?? ''
    const value = partValue(head, content)
    parts.set(name, parts.has(name) ? [parts.get(name), value].flat() : value)
  }
  return Object.fromEntries(parts)
}

function decodeBinary(text: string): string {
  return new TextDecoder().decode(Uint8Array.from(text, (c) => c.charCodeAt(0)))
}

/** The content of a part, by what its head says: a file, JSON, or a text. */
function partValue(head: string, content: string): unknown {
  if (/filename=/.test(head)) return Uint8Array.from(content, (c) => c.charCodeAt(0))
  const text = decodeBinary(content)
  return /application\/json/.test(head) ? exactJson(text) : text
}

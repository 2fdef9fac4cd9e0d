import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import { checkCredential } from '../credentials.js'
import { exchange, type Request, type Response } from '../exchange.js'
import {
  ContractBreach,
  InputRejected,
  isTooDeep,
  notTooDeep,
  ServiceFault,
  tooDeep,
  TransportFailure,
  type Deviation,
  type Violation,
} from '../failures.js'
import { namesToValues } from '../headers.js'
import { hearOfDeviations, readAnswerOf } from '../hearing.js'
import { bodyAsItCame, jsonAsItCame } from '../json/as-it-came.js'
import { hasManyDigits, parseJson } from '../json/parse-json.js'
import { jsonText, type Present } from '../json/values.js'
import { openExchange, receive } from '../open-exchange.js'
import { reasonIn } from '../refusals.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import { climbs } from '../wire-address.js'
import { odd, straightOf } from './as-promised.js'
import type { HeaderReader } from './headers.js'
import {
  factsOf,
  type AnyJsonMember,
  type AnyJsonRef,
  type JsonMember,
  type JsonRef,
} from './json-codec.js'
import { checkJson, checkMembers, fromJson, toJson } from './json.js'
import { encode, inCookie, inHeader, inPath, inQuery, written, type Style } from './parameters.js'
import type { Security } from './security.js'

/** A parameter of values of a type: where it goes and how it is written there. */
export interface Parameter<T> extends JsonMember<T>, ParameterFacts {}

/** A parameter whose type is not known to the compiler. */
export interface AnyParameter extends AnyJsonMember, ParameterFacts {}

/**
 * What is one of a few words is typed as a text, because a parameter may be called `constructor`,
 * whose context TypeScript takes from every object.
 */
interface ParameterFacts {
  /** `path`, `query`, `header` or `cookie`. */
  readonly in: string
  /** Its name on the wire, where the input calls it otherwise. */
  readonly name?: string
  /** A {@link Style}. */
  readonly style?: string
  readonly explode?: boolean
  readonly allowReserved?: boolean
  /** It is written as JSON. */
  readonly json?: boolean
  /** It is the whole query: as a form, or as JSON. */
  readonly whole?: string
}

/** How content is written and read, where that is not plain JSON, text or bytes. */
export interface Format {
  /**
   * The body, and its media type where that says more than the contract does. `json` is the value
   * as the codec wrote it.
   */
  write?(
    content: Content,
    value: unknown,
    json: unknown,
  ): { readonly type?: string; readonly content: string | Uint8Array }
  /** The JSON that a text stands for. @throws Error when it is none of that kind */
  read?(content: Content, text: string): unknown
}

/** What travels in a body: its media type, and its content where that is known. */
export interface Content extends ContentFacts {
  readonly is?: AnyJsonRef
}

/** Content of a fault. Its codec is not looked into, as in {@link AnyJsonRef}. */
export interface FaultContent extends ContentFacts {
  readonly is?: object
}

/** Content of a type, or of one of several. */
export interface ContentOf<T> extends ContentFacts {
  readonly is?: SomeRef<T>
}

/** A codec of a type, or of one of several; of what is not known, any. */
type SomeRef<T> = unknown extends T ? object : JsonRef<T> | EachRef<T>

type EachRef<T> = T extends unknown ? JsonRef<T> : never

interface ContentFacts {
  readonly type?: string
  /** It may be `null` as a whole. */
  readonly nullable?: boolean
  readonly format?: Format
  /** It is JSON, though its media type does not say so. */
  readonly json?: boolean
  /** It is bytes, though its media type says that it is JSON or XML. */
  readonly raw?: boolean
  /** How parts of a form are written, by name. */
  readonly encoding?: Readonly<
    Record<
      string,
      {
        readonly contentType?: string
        readonly style?: string
        readonly explode?: boolean
        readonly allowReserved?: boolean
        readonly headers?: Readonly<Record<string, string>>
      }
    >
  >
  /** How it stands in XML. */
  readonly xml?: unknown
}

/**
 * What is known of an operation: plain data, printed into the client. Its parameters and its body
 * are what the input has, its answers what the outcome is.
 *
 * @typeParam Others what of the input is no parameter
 */
export interface HttpOperation<
  Input,
  Outcome,
  Others = 'body' | 'contentType' | 'accept',
> extends AnyHttpOperation {
  readonly parameters?: {
    readonly [Name in Exclude<keyof Input, Others>]-?: Parameter<Input[Name]>
  }
  readonly body?: ContentOf<BodyOf<Input>> & {
    readonly optional?: boolean
    readonly nullable?: boolean
    readonly others?: readonly ContentOf<BodyOf<Input>>[]
  }
  readonly answers: Readonly<Record<string, Answer<Outcome> | readonly Answer<Outcome>[]>>
}

type BodyOf<Input> = Input extends { readonly body?: infer Body } ? Present<Body> : never

/** What an answer carries: the outcome, or the body that it has for a status. */
interface Answer<Outcome> extends ContentFacts {
  readonly is?: SomeRef<Present<Outcome>> | BodyRef<Outcome>
}

type BodyRef<Outcome> = Outcome extends { readonly status: number; readonly body?: infer Body }
  ? SomeRef<Present<Body>>
  : never

/** An operation whose types are not known to the compiler. */
export interface AnyHttpOperation {
  readonly name: string
  readonly method: string
  /** The path below the server's address, with `{name}` where a parameter goes. */
  readonly path: string
  readonly parameters?: Readonly<Record<string, AnyParameter>>
  /** The body, and the other ways to send it. */
  readonly body?: Content & {
    readonly optional?: boolean
    readonly nullable?: boolean
    readonly others?: readonly Content[]
  }
  /** Contents by status: `200`, `2XX` or `default`; several where there are several media types. */
  readonly answers: Readonly<Record<string, Content | readonly Content[]>>
  /** Answers differ by status: the outcome is `{ status, body }`. */
  readonly byStatus?: boolean
  readonly faults?: Readonly<Record<string, FaultContent>>
  /** Parses JSON without rounding, where the contract needs that. */
  readonly parse?: (text: string) => unknown
  /** The headers that answers are promised to have, and what reads them. */
  readonly headers?: HeaderReader
  /** Who may call. */
  readonly security?: Security
  /** The endpoints that offer it, where not all of them do. */
  readonly offered?: readonly string[]
}

/** What may be said of a call besides its input, depending on what the operation answers. */
export interface HttpCall extends ThisCall {
  /** Hears of the headers that the contract promises, decoded. */
  readonly onHeaders?: (headers: never) => void
  /** Bytes are wanted as they come. */
  readonly asStream?: boolean
}

/**
 * Sends one call and waits for its outcome.
 *
 * @throws InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export function send<Input extends object, Outcome, Others>(
  connection: Connection,
  operation: HttpOperation<Input, Outcome, Others>,
  input: Input,
  thisCall: HttpCall = {},
): Promise<Outcome> {
  return sendAnd<Outcome>(connection, operation, input, thisCall)
}

/**
 * Sends one call whose outcome depends on what is asked for.
 *
 * @throws as {@link send}
 */
export function sendFor<Input extends object, Outcomes, Others, Accept extends keyof Outcomes>(
  connection: Connection,
  operation: HttpOperation<Input, Outcomes[keyof Outcomes], Others>,
  input: Input & { readonly accept?: Accept },
  thisCall: HttpCall = {},
): Promise<Outcomes[Accept]> {
  return sendAnd(connection, operation, input, thisCall)
}

/**
 * Sends one call that answers bytes: all of them, or as they come.
 *
 * @throws as {@link send}
 */
export async function sendForBytes<Input extends object, Bytes, Others, Outcome>(
  connection: Connection,
  operation: HttpOperation<Input, Bytes, Others>,
  input: Input,
  thisCall: HttpCall = {},
): Promise<Outcome> {
  if (thisCall.asStream !== true) return sendAnd(connection, operation, input, thisCall)
  const request = await requestFor(connection, operation, input, thisCall)
  const opened = await openExchange(connection, request, thisCall)
  if (opened.answer.ok && opened.answer.body !== null) {
    opened.untimed()
    opened.received(() => '')
    const onDeviation = hearOfDeviations(connection, thisCall)
    hearOfHeaders(operation, namesToValues(opened.answer.headers), thisCall, onDeviation)
    return opened.answer.body as Outcome
  }
  const failed = await receive(opened, request.url, textOf, request.deals).finally(opened.done)
  return outcomeOf(connection, operation, failed, thisCall, (value) => value as Outcome)
}

/**
 * Sends one call, once more where a token was withdrawn, and reads its answer.
 *
 * @param make what the call gives: of the answer's value, how it came, and who was asked
 * @param address where the request goes, if not where the input says
 * @throws as {@link send}
 */
export async function sendAnd<Outcome>(
  connection: Connection,
  operation: AnyHttpOperation,
  input: object,
  thisCall: HttpCall = {},
  make?: (value: unknown, response: Response, url: string) => Outcome,
  address?: string,
): Promise<Outcome> {
  const onDeviation = hearOfDeviations(connection, thisCall)
  for (let attempt = 1; ; attempt += 1) {
    const request = await requestFor(connection, operation, input, thisCall, address)
    try {
      const response = await exchange(connection, request, thisCall, textOf)
      if (response.status < 400) hearOfHeaders(operation, response.headers, thisCall, onDeviation)
      const whole = (value: unknown): Outcome =>
        make === undefined ? (value as Outcome) : make(value, response, request.url)
      return await outcomeOf(connection, operation, response, thisCall, whole)
    } catch (error) {
      // A token may have been withdrawn before its time; then a new one is worth a try.
      if (attempt > 1 || operation.security?.renew(connection, operation.security, error) !== true)
        throw error
    }
  }
}

/** The outcome in an answer, or the failure that it is, which keeps the answer. */
function outcomeOf<Outcome>(
  connection: Connection,
  operation: AnyHttpOperation,
  response: Response,
  thisCall: HttpCall,
  make: (value: unknown) => Outcome,
): Promise<Outcome> {
  return readAnswerOf(
    connection,
    thisCall,
    response,
    (hear) => make(readAnswer(operation, response, hear)),
    (hear) => make(bodyAsItCame(response, hear)),
  )
}

/**
 * The platform's own `fetch` takes no body with GET and HEAD, and no TRACE (WHATWG Fetch, section
 * 5.4).
 */
function checkFetch(
  connection: Connection,
  { name, method, offered }: AnyHttpOperation,
  hasBody: boolean,
): void {
  const isBodyRefused = hasBody && /^(?:GET|HEAD)$/.test(method)
  if (!isBodyRefused && !/^(?:CONNECT|TRACE|TRACK)$/i.test(method)) return
  throw new TransportFailure(
    'unreachable',
    `${name} is more than the platform's own fetch can send (${isBodyRefused ? `a body with ${method}` : method}): on Node.js give the client \`fetch: nodeTransport()\` of runtime/node/transport`,
    { url: addressOf(connection, offered) },
  )
}

/**
 * The request that an input makes.
 *
 * @param address where it goes, if not where the input says: the next page of a list
 * @throws InputRejected, and what getting a token throws
 */
export async function requestFor(
  connection: Connection,
  operation: AnyHttpOperation,
  input: object,
  thisCall: ThisCall = {},
  address?: string,
): Promise<Request> {
  const { settings } = connection
  if (settings.checkInputs !== false) {
    const violations = checkInput(operation, input)
    if (violations.length > 0) throw new InputRejected(operation.name, violations)
  }
  const { security } = operation
  checkCredential(connection, operation.name, security === undefined ? [] : ['key', 'oauth2'])
  const proof =
    security === undefined
      ? { headers: {}, query: [], cookies: [] }
      : await security.prove(connection, operation.name, security, thisCall)
  const values = input as Readonly<Record<string, unknown>>
  const { target, headers } = writeParameters(operation, values, proof)
  const content =
    operation.body === undefined || values['body'] === undefined
      ? undefined
      : ([operation.body, ...(operation.body.others ?? [])].find(
          (each) => each.type === values['contentType'],
        ) ?? operation.body)
  const body = content === undefined ? undefined : writeBody(content, values['body'])
  if (settings.fetch === undefined) checkFetch(connection, operation, body !== undefined)
  return {
    method: operation.method,
    url:
      address === undefined
        ? addressOf(connection, operation.offered) + target
        : withPairs(address, proof.query),
    headers: {
      ...headers,
      ...proof.headers,
      accept: acceptOf(operation, values['accept']),
      ...(body === undefined ? {} : { 'content-type': body.type }),
    },
    ...(body === undefined ? {} : { body: body.content }),
    ...(security === undefined ? {} : { proven: true }),
    deals: (response) => faultOf(operation, response, () => undefined).fault !== undefined,
    expects: (status) =>
      [...Object.keys(operation.answers), ...Object.keys(operation.faults ?? {})].some((key) =>
        matches(key, status),
      ),
  }
}

/** An address that has what proves who calls, where the service did not write it there itself. */
function withPairs(address: string, pairs: readonly string[]): string {
  const url = new URL(address)
  const nameOf = (pair: string): string => decodeURIComponent(pair.split('=')[0] ?? '')
  const missing = pairs.filter((pair) => !url.searchParams.has(nameOf(pair)))
  for (const pair of missing) url.search += `${url.search === '' ? '' : '&'}${pair}`
  return url.href
}

/** Every place of an input that does not satisfy the operation. */
export function checkInput(operation: AnyHttpOperation, input: unknown): Violation[] {
  const violations: Violation[] = []
  if (typeof input !== 'object' || input === null || Array.isArray(input))
    return [{ path: '', message: 'expected an object' }]
  const { body } = operation
  const members: Record<string, AnyJsonMember> = { ...operation.parameters }
  const choice = (contents: readonly Content[]): AnyJsonMember => ({
    is: { literals: contents.map((each) => each.type) },
    optional: true,
  })
  if (body?.others !== undefined) members['contentType'] = choice([body, ...body.others])
  const answers = Object.values(operation.answers).find((each): each is readonly Content[] =>
    Array.isArray(each),
  )
  if (answers !== undefined && operation.byStatus !== true) members['accept'] = choice(answers)
  const chosen =
    body?.others?.find((each) => each.type === (input as { contentType?: unknown }).contentType) ??
    body
  if (chosen?.is !== undefined)
    members['body'] = {
      is: chosen.is,
      optional: body?.optional === true,
      nullable: body?.nullable === true,
    }
  // Without a codec the body is anything, but it may have to be there.
  else if (body !== undefined) members['body'] = { is: { literals: [] }, optional: true }
  const value = input as Readonly<Record<string, unknown>>
  const isFree = body !== undefined && chosen?.is === undefined
  checkMembers(members, false, isFree ? { ...value, body: undefined } : value, '', violations)
  if (isFree && body.optional !== true && value['body'] === undefined)
    violations.push({ path: 'body', message: 'is missing' })
  return violations
}

/**
 * The path and query of a request, and the headers that parameters make.
 *
 * @throws InputRejected when the path would lead to another resource
 */
export function writeParameters(
  operation: AnyHttpOperation,
  input: Readonly<Record<string, unknown>>,
  proof: { readonly query: readonly string[]; readonly cookies: readonly string[] } = {
    query: [],
    cookies: [],
  },
): { target: string; headers: Record<string, string> } {
  // A key of `paths` may end in a fragment, which tells operations apart and is never sent.
  let [path = ''] = operation.path.split('#')
  const steps: (readonly [member: string, text: string])[] = []
  const query: string[] = []
  const cookies: string[] = []
  const headers: Record<string, string> = {}
  for (const [member, parameter] of Object.entries(operation.parameters ?? {})) {
    const value = Object.hasOwn(input, member) ? input[member] : undefined
    if (value === undefined) continue
    const name = parameter.name ?? member
    const json = toJson(parameter.is, value)
    const texts = parameter.json === true ? jsonText(json) : written(json)
    const style = parameter.style as Style | undefined
    const explode = parameter.explode ?? (parameter.in === 'query' || parameter.in === 'cookie')
    if (parameter.in === 'path') {
      const text = inPath(name, texts, style ?? 'simple', explode, parameter.allowReserved)
      steps.push([member, text])
      path = path.replaceAll(`{${name}}`, () => text)
    } else if (parameter.in === 'query') {
      const named = (): string =>
        inQuery(
          name,
          style === 'deepObject' ? json : texts,
          style ?? 'form',
          explode,
          parameter.allowReserved,
        )
      const whole = (): string =>
        parameter.whole === 'json' ? encode(jsonText(json)) : formText({}, json)
      const pairs = parameter.whole === undefined ? named() : whole()
      if (pairs !== '') query.push(pairs)
    } else if (parameter.in === 'header') headers[name.toLowerCase()] = inHeader(texts, explode)
    else for (const pair of inCookie(name, texts, style ?? 'form', explode)) cookies.push(pair)
  }
  if (climbs(path)) {
    const [member = ''] = steps.find(([, text]) => climbs(text)) ?? []
    throw new InputRejected(operation.name, [
      { path: member, message: 'makes a step "." or "..", which leads to another address' },
    ])
  }
  for (const pair of proof.query) query.push(pair)
  for (const pair of proof.cookies) cookies.push(pair)
  if (cookies.length > 0) headers['cookie'] = cookies.join('; ')
  return {
    target:
      path + (query.length === 0 ? '' : `${path.includes('?') ? '&' : '?'}${query.join('&')}`),
    headers,
  }
}

/** A body on its way out: JSON, text or bytes by its media type, or as its format writes it. */
export function writeBody(
  content: Content,
  value: unknown,
): { type: string; content: string | Uint8Array } {
  const type = content.type ?? 'application/json'
  if (value instanceof Uint8Array) return { type, content: value }
  const json = content.is === undefined ? value : toJson(content.is, value)
  const written = content.format?.write?.(content, value, json)
  if (written !== undefined) return { type: written.type ?? type, content: written.content }
  return { type, content: isJson(type) || content.json === true ? jsonText(json) : String(json) }
}

/** A form as text (WHATWG URL, section 5.2): spaces are + there, unlike in addresses. */
export function formText(encoding: NonNullable<Content['encoding']>, json: unknown): string {
  const pairs = Object.entries(json as object)
    .filter(([, each]) => each !== undefined)
    .map(([name, each]: [string, unknown]) => {
      const {
        contentType,
        style = 'form',
        explode = style === 'form',
        allowReserved,
      } = encoding[name] ?? {}
      const texts =
        contentType !== undefined && isJson(contentType) ? jsonText(each) : written(each)
      return inQuery(
        name,
        style === 'deepObject' ? each : texts,
        style as Style,
        explode,
        allowReserved,
      )
    })
  return pairs
    .filter((pair) => pair !== '')
    .join('&')
    .replaceAll('%20', '+')
}

/** The outcome in an answer, or the failure that it is. */
export function readAnswer(
  operation: AnyHttpOperation,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  const { status } = response
  if (status >= 400) throw faultOf(operation, response, onDeviation)
  const body = readContent(
    operation,
    answerContent(operation, response, onDeviation),
    response,
    onDeviation,
  )
  return operation.byStatus === true ? { status, body } : body
}

/** What the contract says of the content of an answer. */
export function answerContent(
  operation: AnyHttpOperation,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): Content | undefined {
  const answer = byStatus(operation.answers, response.status)
  if (answer !== undefined) return contentFor(answer, response)
  if (response.status === 304) {
    onDeviation({ path: 'status', message: 'is 304: what was asked for has not changed' })
    return undefined
  }
  // 201 in life where the contract says 200: what the contract has is the best guess.
  const [promised, first] = Object.entries(operation.answers)[0] ?? []
  // Where no good answer is described, any is as good as another.
  if (promised === undefined) return undefined
  onDeviation({
    path: 'status',
    message: `is ${String(response.status)}, where the contract promised ${promised}`,
  })
  return first === undefined ? undefined : contentFor(first, response)
}

/** Of several media types the one that came. */
function contentFor(answer: Content | readonly Content[], response: Response): Content | undefined {
  if (!Array.isArray(answer)) return answer as Content
  const contents = answer as readonly Content[]
  const came = essence(response.headers['content-type'] ?? '')
  return (
    contents.find((each) => essence(each.type ?? '') === came) ??
    contents.find((each) => isJson(each.type ?? '') && isJson(came)) ??
    contents[0]
  )
}

function essence(type: string): string {
  return type.split(';')[0]?.trim().toLowerCase() ?? ''
}

function readContent(
  operation: AnyHttpOperation,
  content: Content | undefined,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  if (content?.type === undefined) return readUndeclared(operation, response, onDeviation)
  const isText =
    content.raw !== true &&
    (content.json === true || content.format?.read !== undefined || isJson(content.type))
  if (
    response.status === 204 ||
    response.status === 205 ||
    (response.body.length === 0 && isText)
  ) {
    // What is described with a status that has no content never comes (RFC 9110, section 15.3.5).
    if (response.body.length === 0 && isPromisedEmpty(operation, response.status)) return undefined
    if (operation.method === 'HEAD') return undefined
    onDeviation({ path: '', message: 'is empty, where the contract promised a body' })
    return inPlaceOfNothing(content)
  }
  const value = isText
    ? readJson(operation, content, response, onDeviation)
    : readPlain(content, response, onDeviation)
  const came = essence(response.headers['content-type'] ?? '')
  if (came !== '' && !isPromised(content.type, came))
    onDeviation({ path: '', message: `comes as ${came}, where ${content.type} was asked for` })
  return value
}

/** Media types that say the same, as far as reading goes, are no news. */
function isPromised(type: string, came: string): boolean {
  const promised = essence(type)
  const isXml = (each: string): boolean => /[/+]xml$/.test(each)
  return (
    promised === came ||
    promised.endsWith('/octet-stream') ||
    (isJson(promised) && isJson(came)) ||
    (isXml(promised) && isXml(came))
  )
}

function readJson(
  operation: AnyHttpOperation,
  content: Content,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  const text = textOf(response)
  const bare = bareText(content, response, text, onDeviation)
  if (bare !== undefined) return bare
  let json: unknown
  try {
    if (content.format?.read !== undefined) json = content.format.read(content, text)
    else if (operation.parse !== undefined) json = operation.parse(text)
    else {
      json = JSON.parse(text)
      const straight = content.is === undefined ? odd : straightOf(content.is)?.(json)
      if (straight !== odd && straight !== undefined) {
        response.inTime?.()
        return straight
      }
      // What is not as promised may have numbers that nobody expected.
      if (hasManyDigits(text)) json = parseJson(text)
    }
  } catch (error) {
    throw isTooDeep(error)
      ? tooDeep()
      : new ContractBreach(
          '',
          content.format?.read === undefined ? 'JSON' : (content.type ?? ''),
          describeBody(response, text),
        )
  }
  response.inTime?.()
  const { is } = content
  if (json === null && is !== undefined) {
    if (content.nullable === true || takesNull(is)) return null
    onDeviation({ path: '', message: 'is null, where the contract promised a value' })
    return inPlaceOfNothing(content)
  }
  const value =
    is === undefined
      ? jsonAsItCame(json, operation.parse !== undefined || hasManyDigits(text), onDeviation)
      : notTooDeep(() => fromJson(is, json, '', onDeviation))
  response.inTime?.()
  return value
}

/** A text that was promised as JSON and comes as a text without quotes. */
function bareText(
  { is, format }: Content,
  response: Response,
  text: string,
  onDeviation: (deviation: Deviation) => void,
): string | undefined {
  const came = essence(response.headers['content-type'] ?? '')
  if (came !== 'text/plain' || is === undefined || format !== undefined || /^\s*"/.test(text))
    return undefined
  const heard: Deviation[] = []
  try {
    const value = fromJson(is, text, '', (deviation) => heard.push(deviation))
    if (typeof value !== 'string') return undefined
    for (const each of heard) onDeviation(each)
    return value
  } catch {
    return undefined
  }
}

function readPlain(
  content: Content,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  const type = content.type ?? ''
  // A picture in XML is carried as bytes, like any other.
  if (content.raw === true || !/^(?:text\/|application\/(?:[\w.-]+\+)?xml\b)/i.test(type))
    return response.body
  return content.is === undefined
    ? textOf(response)
    : fromJson(content.is, textOf(response), '', onDeviation)
}

/** What there is where nothing came: of a list no items. */
function inPlaceOfNothing({ is }: Content): readonly [] | undefined {
  return is === undefined || factsOf(is).items === undefined ? undefined : []
}

function takesNull(is: AnyJsonRef): boolean {
  const violations: Violation[] = []
  checkJson(is, null, '', violations)
  return violations.length === 0
}

function isPromisedEmpty({ answers }: AnyHttpOperation, status: number): boolean {
  return (status === 204 || status === 205) && Object.hasOwn(answers, String(status))
}

/** A body that the contract says nothing of is handed on, as its media type says. */
function readUndeclared(
  operation: AnyHttpOperation,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  if (response.body.length === 0 || operation.method === 'HEAD') return undefined
  const type = response.headers['content-type'] ?? ''
  onDeviation({
    path: '',
    message: `has a body${type === '' ? '' : ` of ${essence(type)}`}, where the contract declares none`,
  })
  return bodyAsItCame(response, onDeviation)
}

function hearOfHeaders(
  operation: AnyHttpOperation,
  headers: Readonly<Record<string, string>>,
  thisCall: HttpCall,
  onDeviation: (deviation: Deviation) => void,
): void {
  if (operation.headers !== undefined && thisCall.onHeaders !== undefined)
    thisCall.onHeaders(operation.headers.read(operation.headers, headers, onDeviation) as never)
}

export function faultOf(
  operation: AnyHttpOperation,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): ServiceFault {
  const { status } = response
  const text = textOf(response)
  const declared =
    Object.keys(operation.faults ?? {}).find((each) => each === String(status)) ??
    Object.keys(operation.faults ?? {}).find((each) => matches(each, status)) ??
    (Object.hasOwn(operation.faults ?? {}, 'default') ? 'default' : undefined)
  const content = declared === undefined ? undefined : (operation.faults?.[declared] as Content)
  let detail: unknown = text
  let json: unknown
  try {
    json = isJson(response.headers['content-type'] ?? '')
      ? (operation.parse ?? parseJson)(text)
      : undefined
    if (json === undefined && content?.format?.read !== undefined)
      detail = fromJson(
        content.is ?? { values: { literals: [] } },
        content.format.read(content, text),
        '',
        onDeviation,
      )
    if (json !== undefined)
      detail =
        content?.is === undefined || content.format !== undefined
          ? jsonAsItCame(json, operation.parse !== undefined || hasManyDigits(text), onDeviation)
          : fromJson(content.is, json, '', onDeviation)
  } catch {
    // What isn't as promised is told as it came.
  }
  const said = reasonIn(detail)
  const isRead = json !== undefined || typeof detail !== 'string'
  const told = text.trim() === '' || isRead ? '' : ` with ${describeBody(response, text)}`
  const reason = said ?? `HTTP ${String(status)}${told}`
  return new ServiceFault(reason, {
    fault: isRead ? declared : undefined,
    detail,
    code: String(status),
    status,
  })
}

/** Exact statuses win over ranges, and those over the default (section 4.8.16). */
function byStatus<T>(answers: Readonly<Record<string, T>>, status: number): T | undefined {
  const keys = Object.keys(answers)
  const key =
    keys.find((each) => each === String(status)) ??
    keys.find((each) => matches(each, status)) ??
    'default'
  return Object.hasOwn(answers, key) ? answers[key] : undefined
}

function matches(key: string, status: number): boolean {
  return (
    key === String(status) || (/^[1-5]XX$/i.test(key) && key.startsWith(String(status)[0] ?? ''))
  )
}

function acceptOf(operation: AnyHttpOperation, wanted: unknown): string {
  const faults = Object.values(operation.faults ?? {})
  const contents = Object.values(operation.answers).flatMap((each) =>
    Array.isArray(each) ? [...(each as readonly Content[])] : [each as Content],
  )
  // Only one of several media types is asked for, so that it is known what comes.
  const good = Object.values(operation.answers).some(Array.isArray)
    ? [typeof wanted === 'string' ? wanted : contents[0]?.type]
    : contents.map(({ type }) => type)
  const wished = new Set(good.filter((type) => type !== undefined))
  // What is promised is liked better than how errors are told (RFC 9110, section 12.5.1).
  const others = new Set(faults.flatMap(({ type }) => (type === undefined ? [] : [type])))
  const liked = [...others].filter((type) => !wished.has(type))
  const quality = wished.size === 0 ? '' : ';q=0.9'
  return [...wished, ...liked.map((type) => `${type}${quality}`)].join(', ') || '*/*'
}

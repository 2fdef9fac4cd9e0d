import { addressOf, checkCredential, exchange, hearOfDeviations, type Connection, type Response, type ThisCall } from '../connection.js'
import { ContractBreach, InputRejected, ServiceFault, type Misfit } from '../failures.js'
import { asNumber, isObject, join, jsonText, show } from '../json/values.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import type { Protocol } from './protocol.js'
import { checkQuery, queryString, type AnyQuery } from './query.js'
import { checkProperty, checkStructure, isStructure, keysOf, membersOf, readProperty, readStructure, unknownName, writeProperty, writeStructure, type Property, type Purpose, type Reading, type Structure } from './structure.js'

/** What is known of any operation: plain data, printed into the client. */
interface Facts {
  readonly name: string
  readonly protocol: Protocol
  /** Parses JSON without rounding, where the contract needs that. */
  readonly parse?: (text: string) => unknown
}

/** An operation on an entity set or a singleton. */
export interface EntityOperation extends Facts {
  /** The set's or singleton's name in the address. */
  readonly path: string
  readonly of: Structure
  readonly singleton?: boolean
}

/** A function or an action. */
export interface Invocation extends Facts {
  /** Its name in the address. */
  readonly call: string
  readonly method: 'GET' | 'POST'
  /** Parameters stand in brackets behind the name (functions of version 4), in a body (actions), or behind the question mark (version 2). */
  readonly passing: 'inline' | 'body' | 'query'
  /** What it is bound to. With `many` to the whole set; `cast` is the type that it wants. */
  readonly on?: { readonly path: string; readonly of: Structure; readonly singleton?: boolean; readonly many?: boolean; readonly cast?: string }
  readonly parameters?: Readonly<Record<string, Property & { readonly name?: string }>>
  readonly returns?: Property
}

/** One page of a list, as the service cuts it. */
export interface ListingPage<Row> {
  readonly rows: Row[]
  /** How many there are in all, when `count` was asked for and the service said it. */
  readonly total?: number
  /** Where the next page is, when there is one. */
  readonly next?: string
}

/** A list that is fetched as it is looked at: `for await` goes through all rows, page after page. */
export interface Listing<Row> extends AsyncIterable<Row> {
  /** One page: the first, or the one that `next` of another names. */
  page(next?: string): Promise<ListingPage<Row>>
  pages(): AsyncIterable<ListingPage<Row>>
  /** All rows of all pages at once. */
  all(): Promise<Row[]>
}

type Input = Readonly<Record<string, unknown>>

/** The entities of a set. Nothing is sent before somebody looks at it. Failures are thrown then. */
export function list<Row>(connection: Connection, operation: EntityOperation, input: AnyQuery = {}, thisCall: ThisCall = {}): Listing<Row> {
  const fetchPage = async (next?: string): Promise<ListingPage<Row>> => {
    const { protocol, of } = operation
    checked(connection, operation, input, (misfits) => checkQuery(input as Input, of, protocol, protocol.options, [], '', misfits))
    const base = addressOf(connection)
    const url = next === undefined ? `${base}/${operation.path}${queryString(protocol.query(input, of))}` : onOurHost(next, base)
    const json = await ask(connection, operation, { method: 'GET', url }, thisCall)
    return readPage<Row>(operation, { is: of, many: true }, json, url, reading(connection, thisCall, protocol, isPartial(input)))
  }
  return {
    page: fetchPage,
    pages: () => pagesFrom(fetchPage),
    async all() {
      const rows: Row[] = []
      for await (const page of pagesFrom(fetchPage)) rows.push(...page.rows)
      return rows
    },
    async *[Symbol.asyncIterator]() {
      for await (const page of pagesFrom(fetchPage)) yield* page.rows
    },
  }
}

async function* pagesFrom<Row>(fetchPage: (next?: string) => Promise<ListingPage<Row>>): AsyncGenerator<ListingPage<Row>> {
  const seen = new Set<string>()
  for (let next: string | undefined; ; ) {
    const page = await fetchPage(next)
    yield page
    next = page.next
    if (next === undefined) return
    if (seen.has(next)) throw new ContractBreach('', 'another page', `the address ${next} once more`)
    seen.add(next)
  }
}

function readPage<Row>(operation: Facts, property: Property, json: unknown, url: string, how: Reading): ListingPage<Row> {
  const { rows, total, next } = operation.protocol.page(json)
  if (rows === undefined) throw new ContractBreach('', 'a list', show(json))
  const said = asNumber(total)
  const count = typeof said === 'number' || (typeof said === 'string' && said !== '') ? Number(said) : Number.NaN
  return {
    rows: readProperty(property, rows, '', how) as Row[],
    ...(Number.isNaN(count) ? {} : { total: count }),
    ...(typeof next === 'string' ? { next: new URL(next, url).href } : {}),
  }
}

/** One entity. */
export async function get<Entity>(connection: Connection, operation: EntityOperation, input: object = {}, thisCall: ThisCall = {}): Promise<Entity> {
  const { protocol, of } = operation
  checkEntityInput(connection, operation, input, { options: ['select', 'expand'] })
  const response = await send(connection, operation, { method: 'GET', url: entityUrl(connection, operation, input) + queryString(protocol.query(queryOf(input), of)) }, thisCall)
  return readEntity(operation, response, reading(connection, thisCall, protocol, isPartial(input))) as Entity
}

/** How many entities there are, or how many fit. */
export async function count(connection: Connection, operation: EntityOperation, input: AnyQuery = {}, thisCall: ThisCall = {}): Promise<number> {
  const { protocol, of } = operation
  checked(connection, operation, input, (misfits) => checkQuery(input as Input, of, protocol, protocol.options.filter((each) => each === 'filter' || each === 'search'), [], '', misfits))
  const url = `${addressOf(connection)}/${operation.path}/$count${queryString(protocol.query(input, of))}`
  const response = await send(connection, operation, { method: 'GET', url, headers: { accept: 'text/plain' } }, thisCall)
  const text = textOf(response).replace(/^\uFEFF/, '').trim()
  if (!/^\d+$/.test(text)) throw new ContractBreach('', 'a number', describeBody(response, text))
  return Number(text)
}

/**
 * Creates an entity and gives it back as the service made it. Where a service answers without it, it is read from the address that the
 * answer names.
 */
export async function create<Entity>(connection: Connection, operation: EntityOperation, input: object, thisCall: ThisCall = {}): Promise<Entity> {
  const { protocol } = operation
  const { body } = input as { body: Input }
  checkEntityInput(connection, operation, input, { purpose: 'create', isNew: true })
  const url = `${addressOf(connection)}/${operation.path}`
  let response = await send(connection, operation, { method: 'POST', url, body: jsonText(writeStructure(operation.of, body, protocol)) }, thisCall)
  if (response.body.length === 0) {
    const made = response.headers['location'] ?? response.headers['odata-entityid']
    if (made === undefined) throw new ContractBreach('', 'the entity that was created', 'an answer without it, and without its address')
    response = await send(connection, operation, { method: 'GET', url: onOurHost(new URL(made, url).href, addressOf(connection)) }, thisCall)
  }
  return readEntity(operation, response, reading(connection, thisCall, protocol, false)) as Entity
}

/** Changes some properties of an entity; gives it back as it is now when the service sends it. */
export function update<Entity>(connection: Connection, operation: EntityOperation, input: object, thisCall: ThisCall = {}): Promise<Entity | undefined> {
  return write(connection, operation, input, thisCall, operation.protocol.change, 'change')
}

/** Replaces an entity: what is not given gets its default. */
export function replace<Entity>(connection: Connection, operation: EntityOperation, input: object, thisCall: ThisCall = {}): Promise<Entity | undefined> {
  return write(connection, operation, input, thisCall, 'PUT', 'create')
}

async function write<Entity>(connection: Connection, operation: EntityOperation, input: object, thisCall: ThisCall, method: string, purpose: Purpose): Promise<Entity | undefined> {
  const { protocol, of } = operation
  const { body, ifMatch } = input as { body: Input; ifMatch?: string }
  checkEntityInput(connection, operation, input, { options: protocol.change === 'MERGE' ? [] : ['select', 'expand'], purpose })
  const request: Outgoing = {
    method,
    url: entityUrl(connection, operation, input) + queryString(protocol.query(queryOf(input), of)),
    ...(ifMatch === undefined ? {} : { headers: { 'if-match': ifMatch } }),
    body: jsonText(writeStructure(of, body, protocol)),
    wantsBack: true,
  }
  const response = await send(connection, operation, request, thisCall)
  return response.body.length === 0 ? undefined : (readEntity(operation, response, reading(connection, thisCall, protocol, isPartial(input))) as Entity)
}

/** Deletes an entity. */
export async function remove(connection: Connection, operation: EntityOperation, input: object, thisCall: ThisCall = {}): Promise<void> {
  const { ifMatch } = input as { ifMatch?: string }
  checkEntityInput(connection, operation, input, {})
  await send(connection, operation, { method: 'DELETE', url: entityUrl(connection, operation, input), ...(ifMatch === undefined ? {} : { headers: { 'if-match': ifMatch } }) }, thisCall)
}

/** Calls a function or an action. A collection is fetched to its end. */
export async function invoke<Outcome>(connection: Connection, operation: Invocation, input: object = {}, thisCall: ThisCall = {}): Promise<Outcome> {
  const { protocol, returns } = operation
  checkInvocation(connection, operation, input as Input)
  const { target, body } = invocationTarget(operation, input as Input)
  const base = addressOf(connection)
  const url = `${base}/${target}`
  const response = await send(connection, operation, { method: operation.method, url, ...(body === undefined ? {} : { body }) }, thisCall)
  const how = reading(connection, thisCall, protocol, false)
  if (returns === undefined) return undefined as Outcome
  if (response.body.length === 0) {
    if (returns.nullable !== true) how.onDeviation({ path: '', message: 'is empty, where the contract promised a value' })
    return null as Outcome
  }
  const json = parsed(operation, response)
  if (returns.many !== true) return readProperty(returns, protocol.result(json, operation.call, isStructure(returns.is)), '', how) as Outcome
  const first = readPage(operation, returns, json, url, how)
  const rows = [...first.rows]
  for (let next = first.next; next !== undefined; ) {
    const page: ListingPage<unknown> = readPage(operation, returns, await ask(connection, operation, { method: 'GET', url: onOurHost(next, base) }, thisCall), url, how)
    rows.push(...page.rows)
    next = page.next
  }
  return rows as Outcome
}

/** Where an invocation goes, below the service root, and what it carries. */
export function invocationTarget(operation: Invocation, input: Input): { target: string; body?: string } {
  const { on, protocol, parameters = {} } = operation
  const cast = on?.cast === undefined ? '' : `/${on.cast}`
  const bound = on === undefined ? '' : `${on.path}${on.many === true || on.singleton === true ? '' : keyText(on.of, input['key'], protocol)}${cast}/`
  const given = Object.entries(parameters).filter(([name, property]) => input[name] !== undefined || (operation.passing === 'inline' && property.optional !== true))
  const named = given.map(([name, property]) => ({ wire: property.name ?? name, property, value: input[name] ?? null }))
  if (operation.passing === 'body') {
    const body = named.length === 0 ? undefined : jsonText(Object.fromEntries(named.map(({ wire, property, value }) => [wire, writeProperty(property, value, protocol)])))
    return { target: bound + operation.call, ...(body === undefined ? {} : { body }) }
  }
  if (operation.passing === 'query') return { target: bound + operation.call + queryString(named.map(({ wire, property, value }) => [wire, protocol.literal(property, value)] as const)) }
  // What is not simple, or has a slash that servers stumble over, goes behind the question mark (URL Conventions, section 5.3.2).
  const isAliased = ({ property, value }: (typeof named)[number]): boolean => property.many === true || (isStructure(property.is) && value !== null) || (typeof value === 'string' && /[/\\]/.test(value))
  const inline = named.map((each) => `${each.wire}=${isAliased(each) ? `@${each.wire}` : encodeSegment(protocol.literal(each.property, each.value))}`)
  const aliases = named.filter(isAliased).map(({ wire, property, value }) => [`@${wire}`, protocol.literal(property, value)] as const)
  return { target: `${bound}${operation.call}(${inline.join(',')})${queryString(aliases)}` }
}

/** A key as a predicate: `(7)`, `(Vessel=7,Number=2)` (URL Conventions, section 4.3.1). */
export function keyText(structure: Structure, key: unknown, protocol: Protocol): string {
  const names = keysOf(structure)
  const members = membersOf(structure)
  const literal = (name: string, value: unknown): string => {
    const property = members[name]
    return encodeSegment(property === undefined ? String(value) : protocol.literal(property, value))
  }
  const [only] = names
  if (names.length === 1 && only !== undefined) return `(${literal(only, key)})`
  return `(${names.map((name) => `${name}=${literal(name, (key as Input)[name])}`).join(',')})`
}

/** Percent-encodes a piece of a path, keeping what RFC 3986, section 3.3, allows in it. */
function encodeSegment(text: string): string {
  return encodeURIComponent(text).replace(/%(?:2C|3A|3B|3D|40|24)/g, decodeURIComponent)
}

/**
 * A link of the service as an address on the host that calls go to: links often name an internal host, and what proves who calls is
 * nobody else's business.
 */
function onOurHost(link: string, base: string): string {
  const target = new URL(link, `${base}/`)
  const root = new URL(base)
  if (target.origin === root.origin) return target.href
  const folder = root.pathname.replace(/\/+$/, '')
  const last = folder.split('/').pop() ?? ''
  // A gateway may put the service elsewhere: what follows the service's own name is the same.
  const at = last === '' ? -1 : target.pathname.indexOf(`/${last}/`)
  return root.origin + (at === -1 ? target.pathname : folder + target.pathname.slice(at + last.length + 1)) + target.search
}

function entityUrl(connection: Connection, operation: EntityOperation, input: object): string {
  const key = operation.singleton === true ? '' : keyText(operation.of, (input as { key?: unknown }).key, operation.protocol)
  return `${addressOf(connection)}/${operation.path}${key}`
}

function queryOf(input: object): AnyQuery {
  const { select, expand } = input as AnyQuery
  return { ...(select === undefined ? {} : { select }), ...(expand === undefined ? {} : { expand }) }
}

function isPartial(input: object): boolean {
  const { select, expand } = input as AnyQuery
  const inside = typeof expand === 'string' ? /\$select/.test(expand) : (expand ?? []).some((each) => typeof each !== 'string' && Object.values(each).some((query) => query !== undefined && isPartial(query)))
  return select !== undefined || inside
}

function reading(connection: Connection, thisCall: ThisCall, wire: Protocol, partial: boolean): Reading {
  return { wire, partial, onDeviation: hearOfDeviations(connection, thisCall) }
}

function checked(connection: Connection, operation: Facts, input: unknown, check: (misfits: Misfit[]) => void): void {
  if (connection.settings.checkInputs === false) return
  const misfits: Misfit[] = []
  if (isObject(input)) check(misfits)
  else misfits.push({ path: '', message: 'expected an object' })
  if (misfits.length > 0) throw new InputRejected(operation.name, misfits)
}

/** @param wanted the query options that are admitted, what a body is for, and whether there is no entity yet */
function checkEntityInput(connection: Connection, operation: EntityOperation, input: object, wanted: { readonly options?: readonly string[]; readonly purpose?: Purpose; readonly isNew?: boolean }): void {
  checked(connection, operation, input, (misfits) => {
    const { of, protocol, singleton } = operation
    const { options = [], purpose, isNew = false } = wanted
    const values = input as Input
    const hasKey = singleton !== true && !isNew
    if (hasKey) checkKey(of, values['key'], misfits)
    if (purpose !== undefined) {
      if (values['body'] === undefined) misfits.push({ path: 'body', message: 'is missing' })
      else checkStructure(of, values['body'], 'body', purpose, misfits)
    }
    if (values['ifMatch'] !== undefined && typeof values['ifMatch'] !== 'string') misfits.push({ path: 'ifMatch', message: `expected text, got ${show(values['ifMatch'])}` })
    checkQuery(values, of, protocol, options, [...(hasKey ? ['key'] : []), ...(purpose === undefined ? [] : ['body']), ...(isNew ? [] : ['ifMatch'])], '', misfits)
  })
}

function checkKey(structure: Structure, key: unknown, misfits: Misfit[]): void {
  const names = keysOf(structure)
  const members = membersOf(structure)
  const [only] = names
  const check = (name: string, value: unknown, path: string): void => {
    const property = members[name]
    if (value === undefined) misfits.push({ path, message: 'is missing' })
    else if (property !== undefined) checkProperty({ ...property, nullable: false }, value, path, 'value', misfits)
  }
  if (names.length === 1 && only !== undefined) check(only, key, 'key')
  else if (!isObject(key)) misfits.push({ path: 'key', message: key === undefined ? 'is missing' : `expected an object with ${names.join(' and ')}, got ${show(key)}` })
  else {
    for (const name of names) check(name, key[name], join('key', name))
    for (const name of Object.keys(key)) if (!names.includes(name)) misfits.push({ path: join('key', name), message: unknownName(name, names) })
  }
}

function checkInvocation(connection: Connection, operation: Invocation, input: Input): void {
  checked(connection, operation, input, (misfits) => {
    const { on, parameters = {} } = operation
    const hasKey = on !== undefined && on.many !== true && on.singleton !== true
    if (hasKey) checkKey(on.of, input['key'], misfits)
    for (const [name, property] of Object.entries(parameters)) {
      const value = Object.hasOwn(input, name) ? input[name] : undefined
      if (value !== undefined) checkProperty(property, value, name, 'value', misfits)
      else if (property.optional !== true && property.nullable !== true) misfits.push({ path: name, message: 'is missing' })
    }
    const names = [...(hasKey ? ['key'] : []), ...Object.keys(parameters)]
    for (const name of Object.keys(input)) if (!names.includes(name) && input[name] !== undefined) misfits.push({ path: name, message: unknownName(name, names) })
  })
}

interface Outgoing {
  readonly method: string
  readonly url: string
  readonly headers?: Readonly<Record<string, string>>
  readonly body?: string
  readonly wantsBack?: boolean
}

async function send(connection: Connection, operation: Facts, { method, url, headers, body, wantsBack }: Outgoing, thisCall: ThisCall): Promise<Response> {
  checkCredential(connection, operation.name, ['basic', 'bearer'])
  const own = operation.protocol.headers({ hasBody: body !== undefined, wantsBack: wantsBack === true })
  const response = await exchange(connection, { method, url, headers: { ...own, ...headers }, ...(body === undefined ? {} : { body }) }, thisCall, textOf)
  if (response.status >= 400) throw faultOf(operation, response)
  return response
}

async function ask(connection: Connection, operation: Facts, outgoing: Outgoing, thisCall: ThisCall): Promise<unknown> {
  return parsed(operation, await send(connection, operation, outgoing, thisCall))
}

function parsed(operation: Facts, response: Response): unknown {
  const text = textOf(response)
  try {
    return (operation.parse ?? JSON.parse)(text)
  } catch {
    throw new ContractBreach('', 'JSON', describeBody(response, text))
  }
}

function readEntity(operation: EntityOperation, response: Response, how: Reading): Record<string, unknown> {
  const value = readStructure(operation.of, operation.protocol.single(parsed(operation, response)), '', how)
  const etag = response.headers['etag']
  return etag === undefined || value['$etag'] !== undefined ? value : { ...value, $etag: etag }
}

/** The service's refusal, with its own words (JSON Format, section 21). */
function faultOf(operation: Facts, response: Response): ServiceFault<undefined> {
  const { status } = response
  const text = textOf(response)
  let detail: unknown = text
  let said: { code: string; message: string } | undefined
  try {
    if (isJson(response.headers['content-type'] ?? '')) {
      const json: unknown = JSON.parse(text)
      said = operation.protocol.failure(json)
      detail = isObject(json) ? (json['error'] ?? json) : json
    }
  } catch {
    // What is no JSON is told as it came.
  }
  const reason = said !== undefined && said.message !== '' ? said.message : text.trim() === '' ? `HTTP ${String(status)}` : `HTTP ${String(status)} with ${describeBody(response, text)}`
  const conflict = status === 412 ? 'the entity was changed meanwhile, so that the ETag does not fit: ' : ''
  return new ServiceFault(conflict + reason, { fault: undefined, detail, code: said === undefined || said.code === '' ? String(status) : said.code, status })
}

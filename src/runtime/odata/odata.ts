import { special } from '../special-members.js'
import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import type { Response } from '../exchange.js'
import { ContractBreach, notTooDeep } from '../failures.js'
import type { Hear } from '../hearing.js'
import { bodyAsItCame } from '../json/as-it-came.js'
import { isObject, jsonText } from '../json/values.js'
import { listingOf, type Listing } from '../listing.js'
import { present } from '../present.js'
import { describeBody, textOf } from '../response-text.js'
import { absolute, onOurHost } from '../service-links.js'
import { entityPath, resourcePath } from './addresses.js'
import { checkEntityInput, checkListing, ifMatchOf, type EntityOperation } from './input-checks.js'
import { keysOf, membersOf, type Purpose, type Reading, type AnyStructure } from './model.js'
import { fetchPage, isPartial, readPage, reading } from './pages.js'
import { queryString, type AnyQuery } from './query.js'
import { answered, parsed, send, type Outgoing } from './sending.js'
import { readStructure, writeStructure } from './structure.js'

/** What can be done with the entities of a set (Protocol, sections 11.2 and 11.4). */

/** The entities of a set. Nothing is sent before somebody looks at it. Failures are thrown then. */
export function list<Row>(
  connection: Connection,
  operation: EntityOperation,
  input: AnyQuery = {},
  thisCall: ThisCall = {},
): Listing<Row> {
  return listingOf(async (next) => {
    const { protocol, of } = operation
    checkListing(connection, operation, input, protocol.options, ['trackChanges', 'pageSize'])
    const url =
      next === undefined
        ? `${addressOf(connection)}/${resourcePath(operation, input, protocol)}${queryString(protocol.query(input, of))}`
        : onOurHost(connection, next)
    const { trackChanges, pageSize } = input as {
      readonly trackChanges?: boolean
      readonly pageSize?: number
    }
    const preferences = [
      ...(trackChanges === true ? ['odata.track-changes'] : []),
      ...(pageSize === undefined ? [] : [`odata.maxpagesize=${String(pageSize)}`]),
    ]
    const outgoing: Outgoing = {
      method: 'GET',
      url,
      ...(preferences.length === 0 ? {} : { headers: { prefer: preferences.join(',') } }),
    }
    return fetchPage(connection, operation, outgoing, thisCall, (json, hear) => {
      const isPart = isPartial(input)
      const how = reading(protocol, isPart, hear)
      const page = readPage<Row>(operation, { is: of, many: true }, json, url, how)
      if (isPart) hearOfKeys(of, input, page.rows, hear)
      return page
    })
  })
}

/** One entity; nothing where the caller has its version already. */
export async function get<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object = {},
  thisCall: ThisCall = {},
): Promise<Entity> {
  const { protocol, of } = operation
  checkEntityInput(connection, operation, input, {
    options: ['select', 'expand', 'custom'],
    others: ['ifNoneMatch'],
  })
  const { ifNoneMatch } = input as { readonly ifNoneMatch?: string }
  return answered(
    connection,
    operation,
    {
      method: 'GET',
      url:
        entityUrl(connection, operation, input) + queryString(protocol.query(queryOf(input), of)),
      ...(ifNoneMatch === undefined ? {} : { headers: { 'if-none-match': ifNoneMatch } }),
    },
    thisCall,
    (response, hear) => {
      if (response.status === 304) return undefined as Entity
      const isPart = isPartial(input)
      const entity = readEntity(operation, response, reading(protocol, isPart, hear))
      if (isPart) hearOfKeys(of, input, [entity], hear)
      return entity as Entity
    },
  )
}

/** How many entities there are, or how many fit. */
export async function count(
  connection: Connection,
  operation: EntityOperation,
  input: AnyQuery = {},
  thisCall: ThisCall = {},
): Promise<number> {
  const { protocol, of } = operation
  checkListing(
    connection,
    operation,
    input,
    protocol.options.filter((each) => each === 'filter' || each === 'search' || each === 'custom'),
  )
  const url = `${addressOf(connection)}/${resourcePath(operation, input, protocol)}/$count${queryString(protocol.query(input, of))}`
  return answered(
    connection,
    operation,
    // Some servers give the number as JSON, and refuse those that want nothing but text.
    { method: 'GET', url, headers: { accept: 'text/plain, */*;q=0.1' } },
    thisCall,
    readCount,
  )
}

function readCount(response: Response, hear: Hear): number {
  const text = textOf(response)
    .replace(/^\uFEFF/, '')
    .trim()
  const [, wrapped] =
    /^\{\s*"(?:value|@odata\.count|@count|d)"\s*:\s*"?(\d+)"?\s*\}$/.exec(text) ?? []
  if (wrapped !== undefined)
    hear({
      path: '',
      message: 'is an object with a number in it, where the contract promised the number',
    })
  const number = wrapped ?? text
  if (!/^\d+$/.test(number)) throw new ContractBreach('', 'a number', describeBody(response, text))
  return Number(number)
}

/**
 * Creates an entity and gives it back as the service made it. Where a service answers without it,
 * it is read from the address that the answer names.
 */
export async function create<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Entity> {
  const { protocol } = operation
  checkEntityInput(connection, operation, input, { purpose: 'create', isNew: true })
  const { body } = input as { readonly body: Readonly<Record<string, unknown>> }
  return created(
    connection,
    operation,
    {
      method: 'POST',
      url: `${addressOf(connection)}/${resourcePath(operation, input, protocol)}`,
      body: jsonText(writeStructure(operation.of, body, protocol)),
    },
    thisCall,
  )
}

/** Sends what makes an entity, and reads the entity that was made. */
export async function created<Entity>(
  connection: Connection,
  operation: EntityOperation,
  outgoing: Outgoing,
  thisCall: ThisCall,
): Promise<Entity> {
  const read = (response: Response, hear: Hear): Entity =>
    readEntity(operation, response, reading(operation.protocol, false, hear)) as Entity
  // What comes of the first answer: the entity, or the address where it is to be had.
  const made = await answered<{ entity: Entity } | { address: string }>(
    connection,
    operation,
    outgoing,
    thisCall,
    (response, hear) => addressOfMade(response) ?? { entity: read(response, hear) },
    (response, hear) =>
      response.body.length === 0
        ? addressOfMade(response)
        : { entity: bodyAsItCame(response, hear) },
  )
  if ('entity' in made) return made.entity
  const url = onOurHost(connection, absolute(made.address, outgoing.url))
  return answered(connection, operation, { method: 'GET', url }, thisCall, read)
}

/** Where the entity is that an answer without it made. */
function addressOfMade({ headers, body }: Response): { address: string } | undefined {
  if (body.length > 0) return undefined
  const address = headers['location'] ?? headers['odata-entityid']
  if (address === undefined)
    throw new ContractBreach(
      '',
      'the entity that was created',
      'an answer without it, and without its address',
    )
  return { address }
}

/** Changes some properties of an entity; gives it back as it is now when the service sends it. */
export function update<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Entity | undefined> {
  return write(connection, operation, input, thisCall, operation.protocol.change, 'change')
}

/**
 * Changes an entity, or creates it under this key when there is none (Protocol, section 11.4.4).
 */
export function upsert<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Entity | undefined> {
  return write(connection, operation, input, thisCall, operation.protocol.change, 'create')
}

/** Replaces an entity: what is not given gets its default. */
export function replace<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Entity | undefined> {
  return write(connection, operation, input, thisCall, 'PUT', 'create')
}

async function write<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall,
  method: string,
  purpose: Purpose,
): Promise<Entity | undefined> {
  const { protocol, of } = operation
  checkEntityInput(connection, operation, input, {
    options: protocol.change === 'MERGE' ? ['custom'] : ['select', 'expand', 'custom'],
    purpose,
  })
  const { body } = input as { readonly body: Readonly<Record<string, unknown>> }
  const request: Outgoing = {
    method,
    url: entityUrl(connection, operation, input) + queryString(protocol.query(queryOf(input), of)),
    headers: ifMatchOf(input),
    body: jsonText(writeStructure(of, body, protocol)),
    wantsBack: true,
  }
  return answered(connection, operation, request, thisCall, (response, hear) =>
    response.body.length === 0
      ? undefined
      : (readEntity(operation, response, reading(protocol, isPartial(input), hear)) as Entity),
  )
}

/** Deletes an entity. */
export async function remove(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<void> {
  checkEntityInput(connection, operation, input, {})
  await send(
    connection,
    operation,
    { method: 'DELETE', url: entityUrl(connection, operation, input), headers: ifMatchOf(input) },
    thisCall,
  )
}

export function entityUrl(
  connection: Connection,
  operation: EntityOperation,
  input: object,
): string {
  return `${addressOf(connection)}/${entityPath(operation, input, operation.protocol)}`
}

function queryOf(input: object): AnyQuery {
  const { select, expand, custom } = input as AnyQuery
  return {
    ...present({ select, expand, custom }),
  }
}

function readEntity(
  operation: EntityOperation,
  response: Response,
  how: Reading,
): Record<string, unknown> {
  const { of, protocol } = operation
  const json = unwrapped(of, protocol.single(parsed(operation, response)), how.onDeviation)
  const value = notTooDeep(() => readStructure(of, json, '', how))
  const etag = response.headers['etag']
  return etag === undefined || value[special.etag] !== undefined ? value : { ...value, $etag: etag }
}

/** An entity out of a wrapper that some services put around it as if it were a list. */
function unwrapped(structure: AnyStructure, json: unknown, hear: Hear): unknown {
  const isWrapper =
    isObject(json) &&
    Object.keys(json).every((name) => name === 'value' || name.startsWith('@')) &&
    !Object.hasOwn(membersOf(structure), 'value')
  const inner = isWrapper ? json['value'] : undefined
  const entity: unknown = Array.isArray(inner) && inner.length === 1 ? inner[0] : inner
  if (!isObject(entity)) return json
  hear({ path: '', message: 'is wrapped as a list is, where the contract promised one entity' })
  return entity
}

/**
 * Tells of entities that come without their keys, though the query leaves them in: what was asked
 * for of the other properties is the caller's business.
 */
function hearOfKeys(
  structure: AnyStructure,
  query: AnyQuery,
  rows: readonly unknown[],
  hear: Hear,
): void {
  const { select } = query
  const wanted = keysOf(structure).filter(
    (name) =>
      !name.includes('/') &&
      (select === undefined || (Array.isArray(select) && select.includes(name))),
  )
  rows.forEach((row, at) => {
    for (const name of wanted)
      if (isObject(row) && !Object.hasOwn(row, name))
        hear({
          path: `${rows.length === 1 ? '' : `[${String(at)}].`}${name}`,
          message: 'is missing, which is a key',
        })
  })
}

import { addressOf, type Connection, type Response, type ThisCall } from '../connection.js'
import { ContractBreach, notTooDeep } from '../failures.js'
import { jsonText } from '../json/values.js'
import { describeBody, textOf } from '../response-text.js'
import { absolute, entityPath, onOurHost, resourcePath } from './addresses.js'
import { checkEntityInput, checkListing, type EntityOperation } from './input-checks.js'
import type { Purpose, Reading } from './model.js'
import { isPartial, listingOf, readPage, reading, type Listing } from './pages.js'
import { queryString, type AnyQuery } from './query.js'
import { ask, parsed, send, type Outgoing } from './sending.js'
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
    const json = await ask(
      connection,
      operation,
      {
        method: 'GET',
        url,
        ...(preferences.length === 0 ? {} : { headers: { prefer: preferences.join(',') } }),
      },
      thisCall,
    )
    return readPage<Row>(
      operation,
      { is: of, many: true },
      json,
      url,
      reading(connection, thisCall, protocol, isPartial(input)),
    )
  })
}

/** One entity. */
export async function get<Entity>(
  connection: Connection,
  operation: EntityOperation,
  input: object = {},
  thisCall: ThisCall = {},
): Promise<Entity> {
  const { protocol, of } = operation
  checkEntityInput(connection, operation, input, { options: ['select', 'expand', 'custom'] })
  const response = await send(
    connection,
    operation,
    {
      method: 'GET',
      url:
        entityUrl(connection, operation, input) + queryString(protocol.query(queryOf(input), of)),
    },
    thisCall,
  )
  return readEntity(
    operation,
    response,
    reading(connection, thisCall, protocol, isPartial(input)),
  ) as Entity
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
  const response = await send(
    connection,
    operation,
    { method: 'GET', url, headers: { accept: 'text/plain' } },
    thisCall,
  )
  const text = textOf(response)
    .replace(/^\uFEFF/, '')
    .trim()
  if (!/^\d+$/.test(text)) throw new ContractBreach('', 'a number', describeBody(response, text))
  return Number(text)
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
  let response = await send(connection, operation, outgoing, thisCall)
  if (response.body.length === 0) {
    const made = response.headers['location'] ?? response.headers['odata-entityid']
    if (made === undefined)
      throw new ContractBreach(
        '',
        'the entity that was created',
        'an answer without it, and without its address',
      )
    response = await send(
      connection,
      operation,
      { method: 'GET', url: onOurHost(connection, absolute(made, outgoing.url)) },
      thisCall,
    )
  }
  return readEntity(
    operation,
    response,
    reading(connection, thisCall, operation.protocol, false),
  ) as Entity
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
  const response = await send(connection, operation, request, thisCall)
  return response.body.length === 0
    ? undefined
    : (readEntity(
        operation,
        response,
        reading(connection, thisCall, protocol, isPartial(input)),
      ) as Entity)
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

/** The header that says for which version of an entity a change is meant. */
export function ifMatchOf(input: object): Readonly<Record<string, string>> {
  const { ifMatch } = input as { readonly ifMatch?: string }
  return ifMatch === undefined ? {} : { 'if-match': ifMatch }
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
    ...(select === undefined ? {} : { select }),
    ...(expand === undefined ? {} : { expand }),
    ...(custom === undefined ? {} : { custom }),
  }
}

function readEntity(
  operation: EntityOperation,
  response: Response,
  how: Reading,
): Record<string, unknown> {
  const value = notTooDeep(() =>
    readStructure(operation.of, operation.protocol.single(parsed(operation, response)), '', how),
  )
  const etag = response.headers['etag']
  return etag === undefined || value['$etag'] !== undefined ? value : { ...value, $etag: etag }
}

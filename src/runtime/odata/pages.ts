import type { Connection, ThisCall } from '../connection.js'
import type { Response } from '../exchange.js'
import { ContractBreach, notTooDeep } from '../failures.js'
import type { Hear } from '../hearing.js'
import { bodyAsItCame } from '../json/as-it-came.js'
import { asNumber, show } from '../json/values.js'
import type { ListingPage } from '../listing.js'
import { absolute } from '../service-links.js'
import type { AnyProperty, Reading } from './model.js'
import type { Protocol } from './protocol.js'
import type { AnyQuery } from './query.js'
import { answered, parsed, type Facts, type Outgoing } from './sending.js'
import { readProperty } from './structure.js'

/** Pages of lists, with addresses of the next ones (Protocol, section 11.2.6.7). */

export function readPage<Row>(
  operation: Facts,
  property: AnyProperty,
  json: unknown,
  url: string,
  how: Reading,
): ListingPage<Row> {
  return pageOf(operation, json, url, (rows) => readProperty(property, rows, '', how) as Row[])
}

/** A page out of its wrapping. @throws ContractBreach when there is no list */
export function pageOf<Row>(
  operation: Facts,
  json: unknown,
  url: string,
  read: (rows: readonly unknown[]) => Row[],
): ListingPage<Row> {
  const { rows, total, next, changes } = operation.protocol.page(json)
  if (rows === undefined) throw new ContractBreach('', 'a list', show(json))
  const said = asNumber(total)
  const count =
    typeof said === 'number' || (typeof said === 'string' && said !== '')
      ? Number(said)
      : Number.NaN
  return {
    rows: notTooDeep(() => read(rows as readonly unknown[])),
    ...(Number.isNaN(count) ? {} : { total: count }),
    ...(typeof next === 'string' ? { next: absolute(next, url) } : {}),
    ...(typeof changes === 'string' ? { changes: absolute(changes, url) } : {}),
  }
}

/** Fetches a page. @throws what `send` throws; ContractBreach when it can't be read */
export function fetchPage<Row>(
  connection: Connection,
  operation: Facts,
  outgoing: Outgoing,
  thisCall: ThisCall,
  read: (json: unknown, hear: Hear) => ListingPage<Row>,
): Promise<ListingPage<Row>> {
  return answered(
    connection,
    operation,
    outgoing,
    thisCall,
    (response, hear) => read(parsed(operation, response), hear),
    pageAsItCame(operation, outgoing.url),
  )
}

/** The page of an answer that is not checked: its rows as they came, or all that came as one. */
export function pageAsItCame(
  operation: Facts,
  url: string,
): (response: Response, hear: Hear) => ListingPage<unknown> {
  return (response, hear) => {
    const body = bodyAsItCame(response, hear)
    const { rows, next } = operation.protocol.page(body)
    return {
      rows: Array.isArray(rows) ? rows : [body],
      ...(typeof next === 'string' ? { next: absolute(next, url) } : {}),
    }
  }
}

/**
 * How answers are read: whose words they are in, whether they are a part only, and who hears of
 * deviations.
 */
export function reading(wire: Protocol, partial: boolean, onDeviation: Hear): Reading {
  return { wire, partial, onDeviation }
}

/** Does a query ask for a part of the properties, here or inside what it expands? */
export function isPartial(input: object): boolean {
  const { select, expand, compute } = input as AnyQuery
  const inside =
    typeof expand === 'string'
      ? /\$select/.test(expand)
      : (expand ?? []).some(
          (each) =>
            typeof each !== 'string' &&
            Object.values(each).some((query) => query !== undefined && isPartial(query)),
        )
  return select !== undefined || compute !== undefined || inside
}

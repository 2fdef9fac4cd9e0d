import type { Connection, Response, ThisCall } from '../connection.js'
import { ContractBreach, notTooDeep } from '../failures.js'
import type { Hear } from '../hearing.js'
import { bodyAsItCame } from '../json/as-it-came.js'
import { asNumber, show } from '../json/values.js'
import { absolute } from './addresses.js'
import type { Property, Reading } from './model.js'
import type { AnyQuery } from './query.js'
import type { Protocol } from './protocol.js'
import { answered, parsed, type Facts, type Outgoing } from './sending.js'
import { readProperty } from './structure.js'

/**
 * Lists as services cut them: pages with addresses of the next ones (Protocol, section 11.2.6.7).
 */

/** One page of a list. */
export interface ListingPage<Row> {
  readonly rows: Row[]
  /** How many there are in all, when `count` was asked for and the service said it. */
  readonly total?: number
  /** Where the next page is, when there is one. */
  readonly next?: string
  /** On the last page: where later changes can be had, when the service keeps track of them. */
  readonly changes?: string
}

/**
 * A list that is fetched as it is looked at: `for await` goes through all rows, page after page.
 */
export interface Listing<Row> extends AsyncIterable<Row> {
  /** One page: the first, or the one that `next` of another names. */
  page(next?: string): Promise<ListingPage<Row>>
  pages(): AsyncIterable<ListingPage<Row>>
  /** All rows of all pages at once. */
  all(): Promise<Row[]>
}

/** A listing of pages that are fetched one by one. */
export function listingOf<Row>(pageAt: (next?: string) => Promise<ListingPage<Row>>): Listing<Row> {
  return {
    page: pageAt,
    pages: () => pagesFrom(pageAt),
    async all() {
      const rows: Row[] = []
      for await (const page of pagesFrom(pageAt)) for (const row of page.rows) rows.push(row)
      return rows
    },
    [Symbol.asyncIterator]: () => rowsFrom(pageAt),
  }
}

/**
 * All rows, one after the other. A generator would cost more than all the rest for each of them.
 */
function rowsFrom<Row>(pageAt: (next?: string) => Promise<ListingPage<Row>>): AsyncIterator<Row> {
  const pages = pagesFrom(pageAt)
  let rows: readonly Row[] = []
  let at = 0
  const nextPage = async (): Promise<IteratorResult<Row, undefined>> => {
    while (at >= rows.length) {
      const { value, done } = await pages.next()
      if (done === true || value === undefined) return { value: undefined, done: true }
      rows = value.rows
      at = 0
    }
    return { value: rows[at++] as Row, done: false }
  }
  return {
    next: () =>
      at < rows.length ? Promise.resolve({ value: rows[at++] as Row, done: false }) : nextPage(),
    async return() {
      await pages.return()
      return { value: undefined, done: true }
    },
  }
}

async function* pagesFrom<Row>(
  pageAt: (next?: string) => Promise<ListingPage<Row>>,
): AsyncGenerator<ListingPage<Row>, void, undefined> {
  const seen = new Set<string>()
  for (let next: string | undefined; ;) {
    const page = await pageAt(next)
    yield page
    next = page.next
    if (next === undefined) return
    if (seen.has(next))
      throw new ContractBreach('', 'another page', `the address ${next} once more`)
    seen.add(next)
  }
}

export function readPage<Row>(
  operation: Facts,
  property: Property,
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

import { ContractBreach } from './failures.js'

/**
 * Lists as services cut them: pages that say where the next one is.
 */

/** One page of a list. */
export interface ListingPage<Row> {
  readonly rows: Row[]
  /** How many there are in all, when `count` was asked for and the service said it. */
  readonly total?: number
  /** Where the next page is, when there is one: an address, or what the service wants for it. */
  readonly next?: string
  /** On the last page (OData): where later changes can be had, when the service tracks them. */
  readonly changes?: string
}

/**
 * A list that is fetched as it is looked at: `for await` goes through all rows, page after page.
 */
export interface Listing<
  Row,
  Page extends ListingPage<Row> = ListingPage<Row>,
> extends AsyncIterable<Row> {
  /** One page: the first, or the one that `next` of another names. */
  page(next?: string): Promise<Page>
  pages(): AsyncIterable<Page>
  /** All rows of all pages at once. */
  all(): Promise<Row[]>
}

/** A listing of pages that are fetched one by one. */
export function listingOf<Row, Page extends ListingPage<Row> = ListingPage<Row>>(
  pageAt: (next?: string) => Promise<Page>,
): Listing<Row, Page> {
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

async function* pagesFrom<Page extends ListingPage<unknown>>(
  pageAt: (next?: string) => Promise<Page>,
): AsyncGenerator<Page, void, undefined> {
  const seen = new Set<string>()
  for (let next: string | undefined; ;) {
    const page = await pageAt(next)
    yield page
    next = page.next
    if (next === undefined) return
    if (seen.has(next)) throw new ContractBreach('', 'another page', `${next} once more`)
    seen.add(next)
  }
}

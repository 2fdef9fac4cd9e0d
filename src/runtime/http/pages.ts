import type { Connection } from '../connection.js'
import type { Response } from '../exchange.js'
import { isObject } from '../json/values.js'
import { listingOf, type Listing, type ListingPage } from '../listing.js'
import { absolute, onOurHost } from '../service-links.js'
import { sendAnd, type AnyHttpOperation, type HttpCall, type HttpOperation } from './http.js'
import { factsOf, type AnyJsonRef, type JsonFacts } from './json-codec.js'
import { fromJson } from './json.js'

/**
 * Lists that come in pages, each of which says where the next one is: by an address, in a header
 * `Link` (RFC 8288) or in the answer, or by something that an input takes.
 */

/** Where something stands in an answer: in a header, or in members, one inside the other. */
type Place = { readonly header: string } | { readonly members: readonly string[] }

/** How the pages of a list are had. */
export interface Paging {
  /** Where the rows are in an answer; it is the list itself when there are no steps. */
  readonly rows: readonly string[]
  /** Where it says how many rows there are in all. */
  readonly total?: Place
  /** Where it says what comes next; a link `next` of the header `Link` when left out. */
  readonly next?: Place
  /** The input that takes what stands there, step by step. When left out, that is an address. */
  readonly into?: readonly string[]
}

/** An operation that answers a list page by page. */
export interface PagedOperation<
  Input,
  Answer,
  Others = 'body' | 'contentType' | 'accept',
> extends HttpOperation<Input, Answer, Others> {
  readonly pages: Paging
}

/** A page that is only a part of what was answered. */
export interface AnswerPage<Row, Answer> extends ListingPage<Row> {
  /** All of it. */
  readonly answer: Answer
}

/** The rows of a list. Nothing is sent before somebody looks at it. Failures are thrown then. */
export function list<
  Input extends object,
  Answer,
  Others,
  Row,
  Page extends ListingPage<Row> = ListingPage<Row>,
>(
  connection: Connection,
  operation: PagedOperation<Input, Answer, Others>,
  input: Input,
  thisCall: HttpCall = {},
): Listing<Row, Page> {
  const { pages } = operation
  return listingOf<Row, Page>(async (next) => {
    const isAddress = pages.into === undefined
    const address = isAddress && next !== undefined ? onOurHost(connection, next) : undefined
    return sendAnd(
      connection,
      operation,
      isAddress || next === undefined ? input : nextInput(operation, input, next),
      thisCall,
      (answer, response, url) => pageOf(pages, answer, response, url) as unknown as Page,
      address,
    )
  })
}

function pageOf(
  pages: Paging,
  answer: unknown,
  response: Response,
  url: string,
): ListingPage<unknown> {
  const rows = pages.rows.reduce(memberOf, answer) ?? []
  const total = pages.total === undefined ? undefined : valueAt(pages.total, answer, response)
  const next = nextOf(pages, answer, response)
  const count = total === undefined || total === '' ? Number.NaN : Number(total)
  return {
    // An answer that was not checked may be anything.
    rows: Array.isArray(rows) ? rows : [answer],
    ...(pages.rows.length === 0 ? {} : { answer }),
    ...(Number.isNaN(count) ? {} : { total: count }),
    ...(next === undefined ? {} : { next: pages.into === undefined ? absolute(next, url) : next }),
  }
}

/** What the next page is had by; nothing on the last one. */
function nextOf({ next }: Paging, answer: unknown, response: Response): string | undefined {
  const found =
    next === undefined
      ? linkIn(response.headers['link'] ?? '', 'next')
      : valueAt(next, answer, response)
  return found === undefined || found === '' ? undefined : found
}

/** A text, number or the like; nothing where there is none. */
function valueAt(place: Place, answer: unknown, response: Response): string | undefined {
  const found =
    'header' in place
      ? response.headers[place.header.toLowerCase()]
      : place.members.reduce(memberOf, answer)
  return typeof found === 'string' || typeof found === 'number' || typeof found === 'bigint'
    ? String(found)
    : undefined
}

function memberOf(value: unknown, name: string): unknown {
  return isObject(value) && Object.hasOwn(value, name) ? value[name] : undefined
}

/**
 * The target of the first link of a relation in a header `Link` (RFC 8288, section 3). Links that
 * start elsewhere (`anchor`) say nothing of this answer.
 */
export function linkIn(header: string, relation: string): string | undefined {
  const links = /<([^>]*)>((?:\s*;\s*[^\s=;,"<>]+(?:\s*=\s*(?:"(?:[^"\\]|\\.)*"|[^\s;,"]*))?)*)/g
  for (const [, target = '', parameters = ''] of header.matchAll(links)) {
    if (/;\s*anchor\s*=/i.test(parameters)) continue
    const [, quoted, plain] =
      /;\s*rel\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s;,"]*))/i.exec(parameters) ?? []
    const relations = (quoted ?? plain ?? '').toLowerCase().split(/\s+/)
    if (relations.includes(relation)) return target
  }
  return undefined
}

/** The input of the call for the next page. */
function nextInput(
  { pages, parameters, body }: AnyHttpOperation & { readonly pages: Paging },
  input: object,
  next: string,
): object {
  const members = { ...parameters, ...(body?.is === undefined ? {} : { body: { is: body.is } }) }
  return withText({ members }, input, pages.into ?? [], next) as object
}

/** A value with a text where the steps lead, which becomes what the codec there has it for. */
function withText(
  codec: AnyJsonRef | undefined,
  value: unknown,
  [step, ...steps]: readonly string[],
  text: string,
): unknown {
  if (step === undefined)
    return codec === undefined ? text : fromJson(codec, text, '', () => undefined)
  const around = isObject(value) ? value : {}
  return { ...around, [step]: withText(memberCodec(codec, step), around[step], steps, text) }
}

function memberCodec(codec: AnyJsonRef | undefined, name: string): AnyJsonRef | undefined {
  const { members = {}, allOf = [], is }: JsonFacts = codec === undefined ? {} : factsOf(codec)
  if (Object.hasOwn(members, name)) return members[name]?.is
  const parts = is === undefined ? allOf : [is]
  return parts.map((part) => memberCodec(part, name)).find((found) => found !== undefined)
}

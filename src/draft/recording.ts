/** A header, or a part of a query, as it came. */
export type NameAndValue = readonly [name: string, value: string]

/** What stood in a request or an answer. */
export interface RecordedBody {
  /** Its media type without parameters, in small letters; empty where nobody said. */
  readonly type: string
  /** Undefined where it is no text. */
  readonly text: string | undefined
}

/** A request and its answer, as they were recorded. */
export interface Recording {
  readonly method: string
  readonly url: URL
  readonly headers: readonly NameAndValue[]
  readonly body: RecordedBody | undefined
  readonly status: number
  readonly answer: RecordedBody | undefined
  /** Where it was recorded: the file, and the number of the exchange in it. */
  readonly from: string
}

/** The media type of a header `Content-Type`, without parameters. */
export function mediaTypeOf(header: string | undefined): string {
  return (header ?? '').split(';')[0]?.trim().toLowerCase() ?? ''
}

/** Is a media type one of JSON (RFC 6839, section 3.1)? */
export function isJson(type: string): boolean {
  return /^(?:application|text)\/(?:[\w.+-]+\+)?json$/.test(type)
}

/** Is a media type one of XML (RFC 7303)? */
export function isXml(type: string): boolean {
  return /^(?:application|text)\/(?:[\w.+-]+\+)?xml$/.test(type)
}

import type { Exchange } from '../runtime/connection.js'
import { maskedBody, maskedHeader, maskedUrl } from './masking.js'

type Pair = readonly [name: string, value: string]

/** One side of an exchange, as an archive keeps it. */
interface HarMessage {
  readonly httpVersion: string
  readonly headers: readonly Pair[]
  /** Bytes are kept as text where they are one (UTF-8), else in base64. */
  readonly body: string | Uint8Array
  /** How many bytes it had on the way. */
  readonly size: number
}

/** An exchange to be kept. */
export interface HarExchange {
  readonly started: Date
  readonly milliseconds: number
  readonly request: HarMessage & { readonly method: string; readonly url: string }
  readonly response: HarMessage & { readonly status: number; readonly statusText: string }
  readonly comment?: string | undefined
}

/** An exchange as an entry of an HTTP Archive (HAR 1.2), secrets masked. */
export function harEntry({
  started,
  milliseconds,
  request,
  response,
  comment,
}: HarExchange): object {
  const url = maskedUrl(request.url)
  const query = URL.canParse(url)
    ? [...new URL(url).searchParams].map(([name, value]) => ({ name, value }))
    : []
  const answered = contentOf(response.body)
  const sent = contentOf(request.body)
  return {
    startedDateTime: started.toISOString(),
    time: milliseconds,
    request: {
      method: request.method,
      url,
      httpVersion: `HTTP/${request.httpVersion}`,
      cookies: [],
      headers: pairs(request.headers),
      queryString: query,
      headersSize: -1,
      bodySize: request.size,
      ...(request.size === 0
        ? {}
        : {
            postData: {
              mimeType: header(request.headers, 'content-type'),
              text: sent.text,
              // The standard has no word for bytes that are sent.
              ...(sent.encoding === undefined ? {} : { _encoding: sent.encoding }),
            },
          }),
    },
    response: {
      status: response.status,
      statusText: response.statusText,
      httpVersion: `HTTP/${response.httpVersion}`,
      cookies: [],
      headers: pairs(response.headers),
      redirectURL: maskedUrl(header(response.headers, 'location')),
      headersSize: -1,
      bodySize: response.size,
      content: {
        size: response.size,
        mimeType: header(response.headers, 'content-type'),
        ...answered,
      },
    },
    cache: {},
    timings: { send: 0, wait: milliseconds, receive: 0 },
    ...(comment === undefined ? {} : { comment }),
  }
}

/**
 * Exchanges as an HTTP Archive (HAR 1.2), secrets masked.
 *
 * @param ended when the last one ended
 * @param version of the program that writes it
 * @returns the archive as a plain value
 */
export function harOf(exchanges: readonly Exchange[], ended: Date, version: string): object {
  const all = exchanges.reduce((total, { milliseconds }) => total + milliseconds, 0)
  let started = ended.getTime() - all
  const entries = exchanges.map(({ request, response, milliseconds }) => {
    const entry = harEntry({
      started: new Date(started),
      milliseconds,
      request: { ...request, ...message(request) },
      response: { ...response, ...message(response), statusText: '' },
    })
    started += milliseconds
    return entry
  })
  return { log: { version: '1.2', creator: { name: 'Tolmach', version }, entries } }
}

function message({ headers, body }: Pick<Exchange['request'], 'headers' | 'body'>): HarMessage {
  return {
    httpVersion: '1.1',
    headers: Object.entries(headers),
    body,
    size: Buffer.byteLength(body),
  }
}

function contentOf(body: string | Uint8Array): { text: string; encoding?: 'base64' } {
  if (typeof body === 'string') return { text: maskedBody(body) }
  try {
    return {
      text: maskedBody(new TextDecoder('utf-8', { fatal: true, ignoreBOM: true }).decode(body)),
    }
  } catch {
    return { text: Buffer.from(body).toString('base64'), encoding: 'base64' }
  }
}

function pairs(headers: readonly Pair[]): { name: string; value: string }[] {
  return headers.map(([name, value]) => ({ name, value: maskedHeader(name, value) }))
}

function header(headers: readonly Pair[], wanted: string): string {
  return headers.find(([name]) => name.toLowerCase() === wanted)?.[1] ?? ''
}

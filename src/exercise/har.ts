import type { Exchange } from '../runtime/connection.js'
import { maskedBody, maskedHeaders, maskedRequest, maskedUrl } from './masking.js'

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
  const entries = exchanges.map((exchange) => {
    const { response, milliseconds } = exchange
    const request = maskedRequest(exchange.request)
    const startedDateTime = new Date(started).toISOString()
    started += milliseconds
    const query = URL.canParse(request.url)
      ? [...new URL(request.url).searchParams].map(([name, value]) => ({ name, value }))
      : []
    return {
      startedDateTime,
      time: milliseconds,
      request: {
        method: request.method,
        url: request.url,
        httpVersion: 'HTTP/1.1',
        cookies: [],
        headers: pairs(request.headers),
        queryString: query,
        headersSize: -1,
        bodySize: Buffer.byteLength(exchange.request.body),
        ...(request.body === ''
          ? {}
          : {
              postData: { mimeType: header(request.headers, 'content-type'), text: request.body },
            }),
      },
      response: {
        status: response.status,
        statusText: '',
        httpVersion: 'HTTP/1.1',
        cookies: [],
        headers: pairs(maskedHeaders(response.headers)),
        redirectURL: maskedUrl(header(response.headers, 'location')),
        headersSize: -1,
        bodySize: Buffer.byteLength(response.body),
        content: {
          size: Buffer.byteLength(response.body),
          mimeType: header(response.headers, 'content-type'),
          text: maskedBody(response.body),
        },
      },
      cache: {},
      timings: { send: 0, wait: milliseconds, receive: 0 },
    }
  })
  return { log: { version: '1.2', creator: { name: 'Tolmach', version }, entries } }
}

function pairs(headers: Readonly<Record<string, string>>): { name: string; value: string }[] {
  return Object.entries(headers).map(([name, value]) => ({ name, value }))
}

function header(headers: Readonly<Record<string, string>>, wanted: string): string {
  return Object.entries(headers).find(([name]) => name.toLowerCase() === wanted)?.[1] ?? ''
}

import { printable } from '../contract/problem.js'
import type { Exchange } from '../runtime/connection.js'
import { maskedBody, maskedHeaders, maskedRequest } from './masking.js'

/** A body for reading, secrets masked: XML with a line for each element, what is very long cut. */
export function shownBody(body: string): string {
  const masked = maskedBody(body)
  return printable(
    /^\ufeff?\s*</.test(masked) ? indentXml(masked) : masked.replace(/\r\n/g, '\n'),
    20_000,
  )
}

/** A request and its answer as they went over the wire, secrets masked. */
export function wireText({ request, response }: Exchange): string {
  const { method, url, headers } = maskedRequest(request)
  const part = (start: string, fields: Readonly<Record<string, string>>, body: string): string =>
    [
      start,
      ...Object.entries(fields).map(([name, value]) => `${name}: ${printable(value)}`),
      ...(body === '' ? [] : ['', shownBody(body)]),
    ].join('\n')
  return `${part(`${method} ${url}`, headers, request.body)}\n\n${part(`HTTP ${response.status}`, maskedHeaders(response.headers), response.body)}`
}

/** An XML document with a line for each element. */
export function indentXml(xml: string): string {
  let depth = 0
  return xml
    .replace(/>\s*</g, '>\n<')
    .split('\n')
    .map((line) => {
      if (/^<\//.test(line)) depth = Math.max(0, depth - 1)
      const text = '  '.repeat(Math.min(depth, 40)) + line
      if (/^<[^?!/][^>]*[^/]>$|^<[\w.:-]>$/.test(line) && !/<\//.test(line)) depth += 1
      return text
    })
    .join('\n')
}

import { isJsonText } from '../contract/plain.js'
import { printable } from '../contract/problem.js'
import type { Exchange } from '../runtime/connection.js'
import { maskedBody, maskedHeaders, maskedRequest } from './masking.js'

/**
 * A body for reading, secrets masked: XML with a line for each element, JSON with a line for each
 * member, what is very long cut. Nothing but white space changes.
 */
export function shownBody(body: string): string {
  return printable(laidOutBody(maskedBody(body)), 20_000)
}

function laidOutBody(body: string): string {
  if (/^\ufeff?\s*</.test(body)) return indentXml(body)
  return isJsonText(body) ? indentJson(body) : body.replace(/\r\n/g, '\n')
}

/** A JSON document with a line for each member; what has no members stays on one. */
export function indentJson(json: string): string {
  let depth = 0
  const line = (): string => `\n${'  '.repeat(Math.min(depth, 40))}`
  return json
    .trim()
    .replace(
      /("(?:[^"\\]|\\.)*")|([[{])\s*([\]}])?|\s*([\]}])|\s*([,:])\s*|\s+/g,
      (_, text?: string, opens?: string, empty?: string, closes?: string, sign?: string) => {
        if (text !== undefined) return text
        if (opens !== undefined && empty !== undefined) return opens + empty
        if (opens !== undefined) {
          depth += 1
          return opens + line()
        }
        if (closes !== undefined) {
          depth -= 1
          return line() + closes
        }
        if (sign === ',') return `,${line()}`
        return sign === ':' ? ': ' : ''
      },
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

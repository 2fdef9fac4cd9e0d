import { isJsonText } from '../contract/plain.js'
import { printable } from '../contract/problem.js'
import type { Exchange } from '../runtime/connection.js'
import { indentXml, laidOutJson } from './documents-in-text.js'
import { maskedBody, maskedHeaders, maskedRequest } from './masking.js'

/**
 * A body for reading, secrets masked: XML with a line for each element, JSON with a line for each
 * member, what is very long cut. Nothing but white space changes.
 */
export async function shownBody(body: string): Promise<string> {
  return printable(await laidOutBody(maskedBody(body)), 20_000)
}

async function laidOutBody(body: string): Promise<string> {
  if (/^\ufeff?\s*</.test(body)) return indentXml(body)
  return isJsonText(body) ? laidOutJson(body) : body.replace(/\r\n/g, '\n')
}

/** A request and its answer as they went over the wire, secrets masked. */
export async function wireText({ request, response }: Exchange): Promise<string> {
  const { method, url, headers } = maskedRequest(request)
  const part = async (
    start: string,
    fields: Readonly<Record<string, string>>,
    body: string,
  ): Promise<string> =>
    [
      start,
      ...Object.entries(fields).map(([name, value]) => `${name}: ${printable(value)}`),
      ...(body === '' ? [] : ['', await shownBody(body)]),
    ].join('\n')
  const sent = await part(`${method} ${url}`, headers, request.body)
  const answered = await part(
    `HTTP ${response.status}`,
    maskedHeaders(response.headers),
    response.body,
  )
  return `${sent}\n\n${answered}`
}

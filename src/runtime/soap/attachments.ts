import type { Response } from '../exchange.js'
import { parameterOf, splitParts } from '../mime.js'
import { binaryText, joinBytes } from '../plain.js'
import { textOfResponse } from './message-text.js'
import { isOfParts, noParts, type Attachment, type Message, type Outgoing } from './parts.js'

/**
 * Messages of several parts (MIME multipart/related, RFC 2387): an envelope with what is attached
 * to it, as SOAP with Attachments has it, or with bytes taken out of it (XOP, as MTOM has it).
 */

/** A body of several parts, the envelope first, and the Content-Type that says so. */
export function writeParts(
  envelope: string,
  contentType: string,
  { parts, takesBytesOut }: Outgoing,
): { readonly contentType: string; readonly body: Uint8Array } {
  const boundary = `part-${crypto.randomUUID()}`
  const mediaType = contentType.replace(/;.*$/s, '')
  const action = /action="([^"]*)"/.exec(contentType)?.[1]
  const rootType = takesBytesOut
    ? `application/xop+xml; charset=utf-8; type="${mediaType}${action === undefined ? '' : `; action=\\"${action}\\"`}"`
    : contentType
  const encoder = new TextEncoder()
  const head = (type: string, id: string, encoding: string): Uint8Array =>
    encoder.encode(
      `--${boundary}\r\nContent-Type: ${type.replace(/[\r\n]/g, ' ')}\r\nContent-Transfer-Encoding: ${encoding}\r\nContent-ID: <${id}>\r\n\r\n`,
    )
  const end = encoder.encode('\r\n')
  const pieces = [
    head(rootType, 'envelope@message', '8bit'),
    encoder.encode(envelope),
    end,
    ...parts.flatMap((part) => [head(part.type, part.id, 'binary'), part.content, end]),
    encoder.encode(`--${boundary}--\r\n`),
  ]
  const whole = takesBytesOut
    ? `multipart/related; type="application/xop+xml"; start="<envelope@message>"; start-info="${mediaType}"; boundary="${boundary}"${action === undefined ? '' : `; action="${action}"`}`
    : `multipart/related; type="${mediaType}"; start="<envelope@message>"; boundary="${boundary}"`
  return { contentType: whole, body: joinBytes(pieces) }
}

/**
 * The envelope of an answer, and what came beside it. An answer of one part is the envelope itself.
 */
export function readParts(response: Response): Message {
  const contentType = response.headers['content-type'] ?? ''
  const boundary = isOfParts(response) ? parameterOf(contentType, 'boundary') : undefined
  const whole = { envelope: response, text: textOfResponse(response), parts: noParts }
  if (boundary === undefined) return whole
  const found = attachmentsOf(response.body, boundary)
  const start = parameterOf(contentType, 'start')?.replace(/^<|>$/g, '')
  const root = found.find(({ id }) => start !== undefined && id === start) ?? found[0]
  if (root === undefined) return whole
  const others = found.filter((part) => part !== root)
  const envelope = {
    ...response,
    headers: { ...response.headers, 'content-type': root.type },
    body: root.content,
  }
  return {
    envelope,
    text: textOfResponse(envelope),
    parts: {
      at: (address) => partAt(others, address),
      values: (attachments) => valuesOf(others, attachments),
    },
  }
}

/** The values that came beside a message. */
function valuesOf(
  parts: readonly Attachment[],
  attachments: Readonly<Record<string, string>>,
): Record<string, unknown> {
  const named = namedParts(parts, Object.keys(attachments))
  return Object.fromEntries(
    [...named].map(([name, { type, content }]) => [
      name,
      attachments[name] === '' ? { content, type } : content,
    ]),
  )
}

/** The parts of a body as attachments. */
function attachmentsOf(body: Uint8Array, boundary: string): Attachment[] {
  return splitParts(body, boundary).map(({ headers, content }) => ({
    id: (headers['content-id'] ?? '').replace(/^<|>$/g, ''),
    type: headers['content-type'] ?? 'application/octet-stream',
    content: decoded(content, headers['content-transfer-encoding'] ?? ''),
  }))
}

function decoded(content: Uint8Array, encoding: string): Uint8Array {
  if (encoding.toLowerCase() === 'base64')
    return Uint8Array.from(atob(new TextDecoder().decode(content).replace(/\s+/g, '')), (each) =>
      each.charCodeAt(0),
    )
  if (encoding.toLowerCase() !== 'quoted-printable') return content
  const text = binaryText(content)
    .replace(/=\r?\n/g, '')
    .replace(/=([0-9A-Fa-f]{2})/g, (_, digits: string) =>
      String.fromCharCode(Number.parseInt(digits, 16)),
    )
  return Uint8Array.from(text, (each) => each.charCodeAt(0))
}

/** The part that an address in an envelope means. */
function partAt(parts: readonly Attachment[], address: string): Attachment | undefined {
  const wanted = address.trim().replace(/^cid:/i, '')
  return parts.find(({ id }) => id === wanted || id === unescaped(wanted))
}

/**
 * The parts that a contract names: those whose Content-ID says so, and the others in their order.
 */
function namedParts(
  parts: readonly Attachment[],
  names: readonly string[],
): ReadonlyMap<string, Attachment> {
  const left = [...parts]
  const found = new Map<string, Attachment>()
  for (const name of names) {
    const at = left.findIndex(
      ({ id }) => unescaped(id).startsWith(`${name}=`) || unescaped(id) === name,
    )
    if (at !== -1) found.set(name, left.splice(at, 1)[0] as Attachment)
  }
  for (const name of names) {
    const next = found.has(name) ? undefined : left.shift()
    if (next !== undefined) found.set(name, next)
  }
  return found
}

function unescaped(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

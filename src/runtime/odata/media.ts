import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import type { Violation } from '../failures.js'
import { keepAnswer } from '../hearing.js'
import { show } from '../json/values.js'
import { receive } from '../open-exchange.js'
import { textOf } from '../response-text.js'
import { expected } from '../violations.js'
import { resourcePath } from './addresses.js'
import { checkEntityInput, checked, ifMatchOf, type EntityOperation } from './input-checks.js'
import { created, entityUrl } from './odata.js'
import { faultOf, isRefusal, open, send } from './sending.js'

/**
 * Bytes that belong to entities: media entities, and properties that are streams (Protocol,
 * sections 11.2.4 and 11.4.7 to 11.4.8).
 */

export interface MediaOperation<Entity = unknown> extends EntityOperation<Entity> {
  /** The properties that are streams. */
  readonly streams?: readonly string[]
  /** The entity stands for bytes itself. */
  readonly media?: boolean
}

/** What may be said of a download besides its input. */
export interface DownloadCall extends ThisCall {
  /** The bytes are wanted as they come. */
  readonly asStream?: boolean
}

/** The bytes of an entity or of one of its streams; null when there are none. */
export async function download<Bytes>(
  connection: Connection,
  operation: MediaOperation,
  input: object,
  thisCall: DownloadCall = {},
): Promise<Bytes> {
  checkMedia(connection, operation, input, false)
  const url = streamUrl(connection, operation, input)
  const opened = await open(
    connection,
    operation,
    { method: 'GET', url, headers: { accept: '*/*' } },
    thisCall,
  )
  const { answer } = opened
  if (thisCall.asStream === true && answer.status === 200 && answer.body !== null) {
    opened.untimed()
    opened.received(() => '')
    return answer.body as Bytes
  }
  try {
    const response = await receive(opened, url, textOf, (each) => isRefusal(operation, each))
    if (response.status >= 400) throw keepAnswer(faultOf(operation, response), response)
    return (response.status === 204 ? null : response.body) as Bytes
  } catch (error) {
    throw opened.failure(error)
  } finally {
    opened.done()
  }
}

/** Puts bytes in the place of those of an entity or of one of its streams. */
export async function upload(
  connection: Connection,
  operation: MediaOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<void> {
  checkMedia(connection, operation, input, true)
  const { content, contentType = 'application/octet-stream' } = input as {
    readonly content: Uint8Array
    readonly contentType?: string
  }
  await send(
    connection,
    operation,
    {
      method: 'PUT',
      url: streamUrl(connection, operation, input),
      headers: { 'content-type': contentType, ...ifMatchOf(input) },
      body: content,
    },
    thisCall,
  )
}

/** Takes the bytes of one of an entity's streams away (Protocol, section 11.4.8.2). */
export async function clear(
  connection: Connection,
  operation: MediaOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<void> {
  checkMedia(connection, operation, input, false)
  const url = streamUrl(connection, operation, input)
  await send(connection, operation, { method: 'DELETE', url, headers: ifMatchOf(input) }, thisCall)
}

/** Creates an entity that stands for bytes; its properties are changed afterwards. */
export async function createMedia<Entity>(
  connection: Connection,
  operation: MediaOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Entity> {
  checkEntityInput(connection, operation, input, {
    isNew: true,
    others: ['content', 'contentType', 'slug'],
  })
  checked(connection, operation, input, (violations) => checkContent(input, violations))
  const {
    content,
    contentType = 'application/octet-stream',
    slug,
  } = input as {
    readonly content: Uint8Array
    readonly contentType?: string
    readonly slug?: string
  }
  const url = `${addressOf(connection)}/${resourcePath(operation, input, operation.protocol)}`
  // What a header can't carry is percent-encoded (RFC 5023, section 9.7).
  const named: Readonly<Record<string, string>> =
    slug === undefined ? {} : { slug: slug.replace(/[^ -$&-~]+/gu, encodeURIComponent) }
  return created(
    connection,
    operation,
    { method: 'POST', url, headers: { 'content-type': contentType, ...named }, body: content },
    thisCall,
  )
}

function streamUrl(connection: Connection, operation: MediaOperation, input: object): string {
  const { stream } = input as { readonly stream?: string }
  return `${entityUrl(connection, operation, input)}/${stream === undefined && operation.media === true ? '$value' : encodeURIComponent(stream ?? operation.streams?.[0] ?? '')}`
}

function checkMedia(
  connection: Connection,
  operation: MediaOperation,
  input: object,
  isChange: boolean,
): void {
  checkEntityInput(connection, operation, input, {
    others: ['stream', ...(isChange ? ['content', 'contentType'] : [])],
  })
  checked(connection, operation, input, (violations) => {
    const { stream } = input as { readonly stream?: unknown }
    const { streams = [] } = operation
    if (stream !== undefined && !streams.includes(stream as string))
      violations.push({
        path: 'stream',
        message: `expected ${streams.length === 0 ? 'nothing' : `one of ${streams.map(show).join(', ')}`}, got ${show(stream)}`,
      })
    else if (stream === undefined && operation.media !== true && streams.length > 1)
      violations.push({ path: 'stream', message: `is missing; there are ${streams.join(', ')}` })
    if (isChange) checkContent(input, violations)
  })
}

function checkContent(input: object, violations: Violation[]): void {
  const { content, ...texts } = input as {
    readonly content?: unknown
    readonly contentType?: unknown
    readonly slug?: unknown
  }
  if (!(content instanceof Uint8Array))
    violations.push({
      path: 'content',
      message: content === undefined ? 'is missing' : expected('bytes', content),
    })
  for (const name of ['contentType', 'slug'] as const)
    if (texts[name] !== undefined && typeof texts[name] !== 'string')
      violations.push({ path: name, message: expected('text', texts[name]) })
}

import type { Connection } from '../connection.js'
import { type Response } from '../exchange.js'
import { CallFailure, ContractBreach, type Deviation } from '../failures.js'
import { namesToValues } from '../headers.js'
import { hearOfDeviations, keepAnswer } from '../hearing.js'
import { parseJson } from '../json/parse-json.js'
import { readAnything } from '../json/values.js'
import { openExchange, receive } from '../open-exchange.js'
import { describeBody, isJson, textOf } from '../response-text.js'
import {
  answerContent,
  readAnswer,
  requestFor,
  type Content,
  type HttpCall,
  type HttpOperation,
} from './http.js'
import { factsOf, type AnyJsonRef } from './json-codec.js'
import { jsonTextsOf } from './json-texts.js'
import { fromJson } from './json.js'

/**
 * Sends one call whose answer is a sequence: server-sent events (WHATWG HTML, section 9.2), lines
 * of JSON, or JSON texts after record separators (RFC 7464). The request is sent when the first
 * item is asked for; whoever stops early ends it.
 *
 * @throws while it is read: InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export async function* stream<Input extends object, Item, Others>(
  connection: Connection,
  operation: HttpOperation<Input, Item, Others>,
  input: Input,
  thisCall: HttpCall = {},
): AsyncGenerator<Item, void, undefined> {
  const onDeviation = hearOfDeviations(connection, thisCall)
  const request = await requestFor(connection, operation, input, thisCall)
  const opened = await openExchange(connection, request, thisCall)
  const { answer } = opened
  let text = ''
  const came = (): Response => ({
    status: answer.status,
    headers: namesToValues(answer.headers),
    body: new TextEncoder().encode(text),
  })
  try {
    if (!answer.ok || answer.body === null) {
      const response = await receive(opened, request.url, textOf, request.deals)
      keepingAnswer(response, () => readAnswer(operation, response, onDeviation))
      return
    }
    // From here on the service decides when there is something to tell.
    opened.untimed()
    const head = came()
    const { headers } = operation
    if (headers !== undefined)
      thisCall.onHeaders?.(headers.read(headers, head.headers, onDeviation) as never)
    const content = answerContent(operation, head, onDeviation) ?? {}
    if (/html/i.test(head.headers['content-type'] ?? '')) {
      const response = await receive(opened, request.url, textOf)
      const described = describeBody(response, textOf(response))
      const breach = new ContractBreach('', content.type ?? 'a sequence', described)
      throw keepAnswer(breach, response)
    }
    const texts = textsOf(answer.body, (piece) => (text += text.length < 100_000 ? piece : ''))
    const items = /event-stream/i.test(content.type ?? '') ? eventsOf : recordsOf
    let at = 0
    for await (const json of items(texts, content, operation.parse ?? parseJson)) {
      yield readItem(content, json, `[${String(at)}]`, onDeviation) as Item
      at += 1
    }
    opened.received(() => text)
  } catch (error) {
    // Of a sequence that broke off, what came so far is kept.
    throw error instanceof CallFailure
      ? keepAnswer(error, came())
      : keepAnswer(opened.failure(error, 'the answer broke off'), came(), [], true)
  } finally {
    opened.done()
    if (answer.body !== null && !answer.body.locked)
      await answer.body.cancel().catch(() => undefined)
  }
}

/** What goes wrong while an answer is read keeps the answer. */
function keepingAnswer(response: Response, read: () => unknown): void {
  try {
    read()
  } catch (error) {
    throw keepAnswer(error, response)
  }
}

function readItem(
  { is }: Content,
  json: unknown,
  path: string,
  onDeviation: (deviation: Deviation) => void,
): unknown {
  return is === undefined
    ? readAnything(json, (message) => onDeviation({ path, message }))
    : fromJson(is, json, path, onDeviation)
}

async function* textsOf(
  body: ReadableStream<Uint8Array>,
  hear: (piece: string) => void,
): AsyncGenerator<string, void, undefined> {
  const reader = body.getReader()
  const decoder = new TextDecoder()
  try {
    for (;;) {
      const { done, value } = await reader.read()
      const piece = done ? decoder.decode() : decoder.decode(value, { stream: true })
      if (piece !== '') {
        hear(piece)
        yield piece
      }
      if (done) return
    }
  } finally {
    await reader.cancel().catch(() => undefined)
    reader.releaseLock()
  }
}

/**
 * Lines, however their ends are written; a `\r` at the end of a piece may belong to a `\n` that is
 * still on its way.
 */
async function* linesOf(
  pieces: AsyncIterable<string>,
  end: RegExp,
): AsyncGenerator<string, void, undefined> {
  let rest = ''
  for await (const piece of pieces) {
    rest += piece
    const held = rest.endsWith('\r') ? '\r' : ''
    const lines = (held === '' ? rest : rest.slice(0, -1)).split(end)
    rest = (lines.pop() ?? '') + held
    yield* lines
  }
  if (rest !== '') yield rest.replace(/\r$/, '')
}

/**
 * JSON texts: one a line, after record separators, or, where the body is plain JSON, one after the
 * other.
 */
async function* recordsOf(
  pieces: AsyncIterable<string>,
  content: Content,
  parse: (text: string) => unknown,
): AsyncGenerator<unknown, void, undefined> {
  const isPlain = isJson(content.type ?? '')
  for await (const text of isPlain ? jsonTextsOf(pieces) : linesOf(pieces, /\r\n|\n|\u001e/)) {
    if (text.trim() === '') continue
    let json: unknown
    try {
      json = parse(text)
    } catch {
      throw new ContractBreach(
        '',
        isPlain ? 'JSON texts' : 'a JSON text on each line',
        `"${text.slice(0, 120)}"`,
      )
    }
    yield json
  }
}

/** Events: fields up to an empty line; several lines of data are one text (section 9.2.6). */
async function* eventsOf(
  pieces: AsyncIterable<string>,
  content: Content,
  parse: (text: string) => unknown,
): AsyncGenerator<unknown, void, undefined> {
  let fields: Record<string, string> = {}
  let data: string[] | undefined
  let isFirst = true
  for await (const line of linesOf(pieces, /\r\n|\n|\r/)) {
    const text = isFirst ? line.replace(/^\ufeff/, '') : line
    isFirst = false
    if (text === '') {
      if (data !== undefined) yield eventOf(data.join('\n'), fields, content, parse)
      const { id } = fields
      fields = id === undefined ? {} : { id }
      data = undefined
      continue
    }
    const colon = text.indexOf(':')
    if (colon === 0) continue
    const name = colon === -1 ? text : text.slice(0, colon)
    const value = colon === -1 ? '' : text.slice(colon + 1).replace(/^ /, '')
    if (name === 'data') data = [...(data ?? []), value]
    else if (
      name === 'event' ||
      (name === 'id' && !value.includes('\0')) ||
      (name === 'retry' && /^\d+$/.test(value))
    )
      fields[name] = value
  }
}

/** The data are JSON where the contract says that they are anything but text. */
function eventOf(
  data: string,
  fields: Readonly<Record<string, string>>,
  content: Content,
  parse: (text: string) => unknown,
): unknown {
  const { retry, ...texts } = fields
  const event = (value: unknown): object => ({
    ...texts,
    ...(retry === undefined ? {} : { retry: Number(retry) }),
    data: value,
  })
  const fits = (value: unknown): boolean => {
    try {
      fromJson(content.is as AnyJsonRef, value, '', () => undefined)
      return true
    } catch {
      return false
    }
  }
  if (content.is !== undefined && fits(event(data))) {
    try {
      const json = parse(data)
      return typeof json === 'object' && json !== null && fits(event(json)) && !isText(content.is)
        ? event(json)
        : event(data)
    } catch {
      return event(data)
    }
  }
  try {
    return event(parse(data))
  } catch {
    return event(data)
  }
}

/** Does the contract say of the data themselves that they are a text? */
function isText(reference: AnyJsonRef): boolean {
  const data = factsOf(reference).members?.['data']?.is
  return data !== undefined && factsOf(data).simple === 'text'
}

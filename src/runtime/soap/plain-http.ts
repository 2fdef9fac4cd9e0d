import type { StartTag } from './start-tag.js'
import { withoutLogin } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import { checkCredential } from '../credentials.js'
import { exchange, type Response } from '../exchange.js'
import { ContractBreach, InputRejected, ServiceFault } from '../failures.js'
import { readAnswerOf, type Hear } from '../hearing.js'
import { present } from '../present.js'
import { describeBody } from '../response-text.js'
import { plainMessages } from './answer.js'
import { checkMembers } from './check.js'
import { settled, type AnyCodec, type AnyTextCodec, type QName, type Shape } from './codec.js'
import { shapeOfMembers } from './message-shapes.js'
import { textOfResponse } from './message-text.js'
import { referencesIn } from './message.js'
import type { Members, References } from './operation.js'
import { noParts, type Message } from './parts.js'
import { byAndBy, type Pieces } from './pieces.js'
import { chooseEndpoint } from './soap.js'
import { frameFor, NotXml, type Frame, type Reading } from './xml-reader.js'
import { textOf } from './xml-writer.js'

/**
 * Operations that are bound to plain HTTP: parameters in the address or as a form, and an answer
 * without an envelope (WSDL 1.1, section 4).
 */
export interface PlainOperation<Input, Outcome> {
  readonly name: string
  /** The names of the endpoints that offer it. */
  readonly endpoints: readonly string[]
  readonly verb: 'GET' | 'POST'
  /**
   * What follows the endpoint's address; `(name)` stands for an input where they travel in the
   * path.
   */
  readonly location: string
  readonly parameters: 'query' | 'path' | 'form'
  readonly namespace: string
  readonly input: Members<Input>
  /** The element that is answered, with its codec; or a text, or bytes. */
  readonly answer?: { readonly element: QName; readonly codec: unknown } | 'text' | 'bytes'
  /** Never there: tells the compiler what is answered. */
  readonly outcome?: Outcome
}

/**
 * Sends one call by plain HTTP.
 *
 * @throws InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export async function sendPlain<Input extends object, Outcome>(
  connection: Connection,
  operation: PlainOperation<Input, Outcome>,
  input: Input,
  thisCall: ThisCall = {},
): Promise<Outcome> {
  const shape = shapeOfMembers(operation.input, operation.namespace)
  const [, endpoint] = chooseEndpoint(
    connection,
    Object.fromEntries(operation.endpoints.map((name) => [name, ''])),
  )
  if (connection.settings.checkInputs !== false) {
    const violations: InputRejected['misfits'][number][] = []
    checkMembers(shape, input, '', violations)
    if (violations.length > 0) throw new InputRejected(operation.name, violations)
  }
  checkCredential(connection, operation.name)
  const { address, body } = plainRequest(
    operation,
    shape,
    input as Readonly<Record<string, unknown>>,
    withoutLogin(connection.settings.url ?? endpoint.address),
  )
  const headers = {
    accept:
      typeof operation.answer === 'string'
        ? accepted[operation.answer]
        : 'text/xml, application/xml',
    ...(body === undefined ? {} : { 'content-type': 'application/x-www-form-urlencoded' }),
  }
  const response = await exchange(
    connection,
    { method: operation.verb, url: address, headers, ...present({ body }) },
    thisCall,
    textOfResponse,
  )
  return readAnswerOf(
    connection,
    thisCall,
    response,
    async (hear) => {
      const message = { envelope: response, text: textOfResponse(response), parts: noParts }
      const pieces = plainAnswerIn(operation, message, await referencesIn(message), hear)
      return (await byAndBy(pieces, response.inTime)) as Outcome
    },
    () => bodyOf(response),
  )
}

/** Where a request goes, and its form. */
export function plainRequest<Input, Outcome>(
  { location, parameters }: PlainOperation<Input, Outcome>,
  shape: Shape,
  input: Readonly<Record<string, unknown>>,
  base: string,
): { readonly address: string; readonly body?: string } {
  const texts = shape.entries.flatMap(({ key, name, codec }) =>
    textsOf(codec(), input[key]).map((text): [string, string] => [name[1], text]),
  )
  const path = parameters === 'path' ? filled(location, texts) : location
  const address = `${base.replace(/\/+$/, '')}/${path.replace(/^\/+/, '')}`
  if (parameters === 'form') return { address, body: new URLSearchParams(texts).toString() }
  const query = parameters === 'query' ? new URLSearchParams(texts).toString() : ''
  return {
    address: query === '' ? address : `${address}${address.includes('?') ? '&' : '?'}${query}`,
  }
}

/** A location with values in the place of the names in brackets (WSDL 1.1, section 4.5). */
function filled(location: string, texts: readonly (readonly [string, string])[]): string {
  return location.replace(/\(([^()]*)\)/g, (whole, name: string) => {
    const found = texts.find(([each]) => each === name)
    return found === undefined ? whole : encodeURIComponent(found[1])
  })
}

function textsOf(codec: AnyCodec, value: unknown): string[] {
  if (value === undefined || value === null) return []
  if ('items' in codec)
    return (value as readonly unknown[]).flatMap((item) => textsOf(settled(codec.of), item))
  return [textOf(codec as AnyTextCodec, value, { prefix: () => '' })]
}

function* plainAnswerIn<Input, Outcome>(
  { answer }: PlainOperation<Input, Outcome>,
  { envelope: response, text }: Message,
  references: References | undefined,
  hear: Hear,
): Pieces<unknown> {
  if (response.status >= 400)
    throw new ServiceFault(`HTTP ${String(response.status)} with ${describeBody(response, text)}`, {
      fault: undefined,
      detail: text,
      code: '',
      status: response.status,
    })
  if (answer === undefined) return undefined
  if (answer === 'text') return text
  if (answer === 'bytes') return response.body
  let value: unknown
  try {
    const root = (tag: StartTag, reading: Reading): Frame => {
      const [namespace, local] = answer.element
      if (tag.local.toLowerCase() === 'html') throw new NotXml('it is an HTML page')
      if (tag.local !== local || tag.uri !== namespace)
        reading.deviate(
          `the answer's element is "${tag.local}" (${tag.uri}), where the contract promised "${local}" (${namespace})`,
        )
      reading.startPathsHere()
      return frameFor(settled(answer.codec), tag, reading, true, (read) => {
        value = read
      })
    }
    yield* (references ?? plainMessages).parse(text, hear, root, noParts)
  } catch (error) {
    if (!(error instanceof NotXml)) throw error
    throw new ContractBreach('', `an element <${answer.element[1]}>`, describeBody(response, text))
  }
  return value
}

/** What came, as its media type says: text and XML as text, else bytes. */
function bodyOf(response: Response): unknown {
  const isText = /^text\/|[/+](?:xml|json)\b/i.test(response.headers['content-type'] ?? '')
  return isText ? textOfResponse(response) : response.body
}

/** What is asked for where the answer is no XML. */
const accepted = { text: 'text/plain, */*', bytes: '*/*' } as const

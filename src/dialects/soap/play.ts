import type { Contract, Endpoint, Operation } from '../../contract/contract.js'
import { present } from '../../contract/present.js'
import { endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import type { LoadedDocument } from '../../documents/documents.js'
import { type Violation } from '../../runtime/failures.js'
import { readParts } from '../../runtime/soap/attachments.js'
import { checkMembers } from '../../runtime/soap/check.js'
import { soap12 } from '../../runtime/soap/envelope.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import type { PlainOperation } from '../../runtime/soap/plain-http.js'
import type {
  Player,
  PlayRequest,
  PlayResponse,
  ServedDocument,
  UnderstoodCall,
} from '../dialect.js'
import { CodecTrees, liveCodecs } from './codec-tree.js'
import { endpointSpecifics, operationSpecifics } from './specifics.js'
import { refusal, answerOf, faultOf } from './play-answers.js'
import { KnownMessages, liveOperation, type LiveOperation } from './play-messages.js'
import { understandPlain } from './play-plain.js'
import { RequestMessage } from './play-request.js'

/**
 * Plays the service's side of SOAP: reads requests and writes answers with the codecs of the
 * contract.
 */
export function playSoap(contract: Contract): Player {
  const trees = new CodecTrees(contract, (id) => contract.types[id]?.name ?? id)
  const live = liveCodecs(contract, trees)
  const isPlain = (operation: Operation): boolean =>
    operationSpecifics(operation).plain !== undefined
  const operations = operationsOf(contract)
  const plain = operations.filter(isPlain).map((operation) => ({
    operation,
    live: live.of({
      name: pathOf(operation),
      ...trees.plainOperation(operation),
    }) as PlainOperation<Record<string, unknown>, unknown>,
  }))
  const messages = new KnownMessages(
    operations
      .filter((operation) => !isPlain(operation))
      .map((operation) => liveOperation(operation, live.of(trees.operation(operation)))),
  )
  return {
    understand: (request) =>
      understandPlain(contract, plain, request) ?? understand(contract, messages, request),
    metadata: (documents, address) => served(contract, documents, address),
  }
}

/** Reads a request: what is called with what, or the answer to what can't be understood. */
function understand(
  contract: Contract,
  messages: KnownMessages,
  request: PlayRequest,
): UnderstoodCall | PlayResponse {
  if (request.method !== 'POST')
    return {
      status: 405,
      headers: { allow: 'POST', 'content-type': 'text/plain; charset=utf-8' },
      body: `${request.method} is not offered: SOAP messages are posted.\n`,
    }
  const { text, parts } = readParts({ status: 200, headers: request.headers, body: request.body })
  const contentType = request.headers['content-type'] ?? ''
  const message = new RequestMessage(messages, contentType, actionOf(request))
  const unread = message.read(text, parts)
  if (unread !== undefined) return refusal(message.version, unread)
  const { found, input, headers } = message
  if (found === undefined || input === undefined)
    return refusal(message.version, unknownElement(message.elementName))
  const violated = violations(found, input, headers)
  const faulty = violated.length > 0 ? violated : message.deviations
  if (faulty.length > 0) {
    const said = faulty.map((each) => `${each.path} ${each.message}`).join('; ')
    return refusal(message.version, `The request does not satisfy the contract: ${said}`)
  }
  const { operation, attachments } = found
  // Who sends bytes beside the message can read them there.
  const readsParts = /application\/xop\+xml/i.test(contentType)
  return {
    operation,
    endpoint: endpointFor(contract, message.version, operation),
    input: { ...input, ...parts.values(attachments), ...present({ headers }) },
    answer: (value) => answerOf(found, message.version, value, readsParts),
    fault: (fault, detail, reason) =>
      faultOf(found, message.version, { name: fault.name, detail, reason }),
  }
}

/** The action that a request names: SOAP 1.2 has it in its media type. */
function actionOf({ headers }: PlayRequest): string {
  const within = /action="([^"]*)"/.exec(headers['content-type'] ?? '')?.[1]
  return within ?? (headers['soapaction'] ?? '').replace(/^"|"$/g, '')
}

function unknownElement(name: string): string {
  return name === '' ? 'The body is empty.' : `There is no operation for the element ${name}.`
}

function violations(
  { input: members, headers: headerMembers, namespace, attachments }: LiveOperation,
  input: Record<string, unknown>,
  headers: Record<string, unknown> | undefined,
): Violation[] {
  const found: Violation[] = []
  checkMembers(shapeOfMembers(members, namespace), input, '', found, Object.keys(attachments))
  if (headers !== undefined)
    checkMembers(shapeOfMembers(headerMembers, namespace), headers, 'headers', found)
  return found
}

function endpointFor(contract: Contract, version: string, operation: Operation): Endpoint {
  const wanted = version === soap12 ? '1.2' : '1.1'
  const offered = endpointsOf(contract).filter((endpoint) =>
    Object.hasOwn(operation.wire, endpoint.name),
  )
  const endpoint = offered.find((each) => endpointSpecifics(each).version === wanted) ?? offered[0]
  if (endpoint === undefined) throw new Error(`${pathOf(operation)} is on offer nowhere`)
  return endpoint
}

/**
 * The documents as the stand-in serves them: the WSDL under `?wsdl`, the others by query, every
 * address its own.
 */
function served(
  contract: Contract,
  documents: readonly LoadedDocument[],
  address: string,
): ServedDocument[] {
  const path = new URL(address).pathname
  return documents.map((document, at) => {
    let { text } = document
    for (const [reference, label] of document.refers) {
      text = text.replaceAll(
        new RegExp(
          `((?:schemaLocation|location)\\s*=\\s*)(["'])${escapeRegExp(escapeXml(reference))}\\2`,
          'g',
        ),
        (_, before: string, quote: string) => `${before}${quote}${address}?xsd=${label}${quote}`,
      )
    }
    for (const endpoint of endpointsOf(contract)) {
      if (endpoint.address !== '')
        text = text.replaceAll(
          new RegExp(
            `((?:location|address)\\s*=\\s*)(["'])\\s*${escapeRegExp(escapeXml(endpoint.address))}\\s*\\2`,
            'g',
          ),
          (_, before: string, quote: string) => `${before}${quote}${address}${quote}`,
        )
    }
    text = text.replace(/^<\?xml[^>]*\?>/, '<?xml version="1.0" encoding="UTF-8"?>')
    return {
      target: at === 0 ? `${path}?wsdl` : `${path}?xsd=${document.label}`,
      mediaType: 'text/xml; charset=utf-8',
      text,
    }
  })
}

function escapeRegExp(text: string): string {
  return text.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')
}

function escapeXml(text: string): string {
  return text.replaceAll('&', '&amp;').replaceAll('<', '&lt;')
}

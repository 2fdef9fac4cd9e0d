import { present } from '../../contract/present.js'
import { addTo } from '../../contract/lists.js'
import type { Contract, Endpoint, Operation } from '../../contract/contract.js'
import { endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'
import type { LoadedDocument } from '../../documents/documents.js'
import { ContractBreach, type Deviation, type Misfit } from '../../runtime/failures.js'
import { checkMembers } from '../../runtime/soap/check.js'
import type { QName } from '../../runtime/soap/codec.js'
import { readParts, writeParts } from '../../runtime/soap/attachments.js'
import { looksReferring } from '../../runtime/soap/message.js'
import { Outgoing } from '../../runtime/soap/parts.js'
import { encodedMessages, literalMessages } from '../../runtime/soap/references.js'
import type { References } from '../../runtime/soap/operation.js'
import type { PlainOperation } from '../../runtime/soap/plain-http.js'
import { atOnce } from '../../runtime/soap/pieces.js'
import { soap11, soap12, writeEnvelope, writeFault } from '../../runtime/soap/envelope.js'
import { plainMessages } from '../../runtime/soap/answer.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import { IgnoringFrame, MembersFrame, NotXml, type Frame } from '../../runtime/soap/xml-reader.js'
import type {
  Player,
  PlayRequest,
  PlayResponse,
  ServedDocument,
  UnderstoodCall,
} from '../dialect.js'
import { CodecTrees, liveCodecs } from './codec-tree.js'
import { endpointLayout, operationLayout, wireAt } from './layout.js'
import { understandPlain } from './play-plain.js'
import { keyOf } from './reading.js'

interface LiveOperation {
  readonly operation: Operation
  readonly request: QName | undefined
  readonly namespace: string
  readonly encoded: References | undefined
  readonly input: Readonly<Record<string, unknown>>
  readonly headers: Readonly<Record<string, unknown>>
  readonly attachments: Readonly<Record<string, string>>
  readonly answer:
    | {
        readonly element?: QName
        readonly members: Readonly<Record<string, unknown>>
        readonly value?: string
        readonly headers?: Readonly<Record<string, unknown>>
        readonly attachments?: Readonly<Record<string, string>>
      }
    | undefined
  readonly faults: Readonly<Record<string, { readonly element: QName; readonly codec: unknown }>>
}

/**
 * Plays the service's side of SOAP: reads requests and writes answers with the codecs of the
 * contract.
 */
export function playSoap(contract: Contract): Player {
  const trees = new CodecTrees(contract, (id) => contract.types[id]?.name ?? id)
  const live = liveCodecs(contract, trees)
  const plain = operationsOf(contract)
    .filter((operation) => operationLayout(operation).plain !== undefined)
    .map((operation) => ({
      operation,
      live: live.of({
        name: pathOf(operation),
        ...trees.plainOperation(operation),
      }) as PlainOperation<Record<string, unknown>, unknown>,
    }))
  const operations = operationsOf(contract)
    .filter((operation) => operationLayout(operation).plain === undefined)
    .map((operation): LiveOperation => {
      const { request, namespace, encoded, input, headers, attachments, answer, faults } = live.of(
        trees.operation(operation),
      ) as Partial<LiveOperation> & Pick<LiveOperation, 'namespace' | 'input'>
      return {
        operation,
        request,
        namespace,
        encoded,
        input,
        headers: headers ?? {},
        attachments: attachments ?? {},
        answer,
        faults: faults ?? {},
      }
    })
  const byElement = new Map<string, LiveOperation[]>()
  for (const each of operations.flatMap(asAtEndpoints)) {
    const first =
      each.request ??
      Object.entries(each.input).map(([key, member]): QName => [
        each.namespace,
        (member as { name?: string }).name ?? key,
      ])[0]
    if (first !== undefined) addTo(byElement, keyOf(first), each)
  }
  return {
    understand: (request) =>
      understandPlain(contract, plain, request) ?? understand(contract, byElement, request),
    metadata: (documents, address) => served(contract, documents, address),
  }
}

/** An operation, and as it travels at the endpoints where that differs. */
function asAtEndpoints(live: LiveOperation): LiveOperation[] {
  const { operation, answer } = live
  const others = Object.keys(operation.wire).flatMap((name) => {
    const { request, answer: element } = wireAt(operation, name)
    if (request === undefined && element === undefined) return []
    return [
      {
        ...live,
        request: request ?? live.request,
        answer: answer === undefined || element === undefined ? answer : { ...answer, element },
      },
    ]
  })
  return [live, ...others]
}

/** What reads a request; encoded ones say that they are. */
function readerFor(text: string): References {
  if (/encodingStyle\s*=/.test(text)) return encodedMessages
  return looksReferring(text) ? literalMessages : plainMessages
}

function understand(
  contract: Contract,
  byElement: ReadonlyMap<string, readonly LiveOperation[]>,
  request: PlayRequest,
): UnderstoodCall | PlayResponse {
  const contentType = request.headers['content-type'] ?? ''
  let version = /application\/soap\+xml/i.test(contentType) ? soap12 : soap11
  const action =
    /action="([^"]*)"/.exec(contentType)?.[1] ??
    (request.headers['soapaction'] ?? '').replace(/^"|"$/g, '')
  const refuse = (reason: string): PlayResponse =>
    answered(version, 500, writeFault(version, 'Client', reason))
  if (request.method !== 'POST')
    return {
      status: 405,
      headers: { allow: 'POST', 'content-type': 'text/plain; charset=utf-8' },
      body: `${request.method} is not offered: SOAP messages are posted.\n`,
    }
  const { text, parts } = readParts({
    status: 200,
    headers: request.headers,
    body: request.body,
  })
  let found: LiveOperation | undefined
  let input: Record<string, unknown> | undefined
  let headers: Record<string, unknown> | undefined
  let elementName = ''
  const deviations: Deviation[] = []
  try {
    atOnce(
      readerFor(text).parse(
        text,
        (deviation) => deviations.push(deviation),
        (tag, reading) => {
          if (tag.local !== 'Envelope' || (tag.uri !== soap11 && tag.uri !== soap12))
            throw new NotXml(`the root is <${tag.name}> and not a SOAP envelope`)
          version = tag.uri
          const bodyFrame: Frame = {
            child(inner) {
              elementName = `{${inner.uri}}${inner.local}`
              // Overloads have one element, and are told apart by their actions.
              const candidates = byElement.get(elementName) ?? []
              found =
                candidates.find(({ operation }) =>
                  Object.keys(operation.wire).some(
                    (name) => wireAt(operation, name).action === action,
                  ),
                ) ?? candidates[0]
              if (found === undefined) return new IgnoringFrame()
              reading.startPathsHere()
              const whole = found.request === undefined ? { ...inner, attributes: {} } : inner
              const members = new MembersFrame(
                shapeOfMembers(found.input, found.namespace),
                {},
                whole,
                reading,
                (value) => {
                  input = value
                },
              )
              return found.request === undefined ? soleChild(members, inner) : members
            },
            text: () => undefined,
            end: () => undefined,
          }
          // Headers are looked up among those of every operation: the body, which tells which one
          // it is, comes later.
          const headerFrame: Frame = {
            child(inner) {
              const owner = [...byElement.values()]
                .flat()
                .find((each) =>
                  shapeOfMembers(each.headers, each.namespace).entries.some(
                    ({ name }) => name[0] === inner.uri && name[1] === inner.local,
                  ),
                )
              if (owner === undefined) return new IgnoringFrame()
              const members = new MembersFrame(
                shapeOfMembers(owner.headers, owner.namespace),
                {},
                { ...inner, attributes: {} },
                reading,
                (value) => {
                  headers = { ...headers, ...value }
                },
              )
              return soleChild(members, inner)
            },
            text: () => undefined,
            end: () => undefined,
          }
          return {
            child: (inner) => {
              if (inner.uri !== version) return new IgnoringFrame()
              if (inner.local === 'Body') return bodyFrame
              if (inner.local === 'Header') return headerFrame
              return new IgnoringFrame()
            },
            text: () => undefined,
            end: () => undefined,
          }
        },
        parts,
      ),
    )
  } catch (error) {
    if (error instanceof NotXml)
      return refuse(`The request is not a SOAP envelope: ${error.message}`)
    if (error instanceof ContractBreach)
      return refuse(`The request does not satisfy the contract: ${error.message}`)
    throw error
  }
  if (found === undefined || input === undefined)
    return refuse(
      elementName === ''
        ? 'The body is empty.'
        : `There is no operation for the element ${elementName}.`,
    )
  const operation = found
  const misfits: Misfit[] = []
  checkMembers(
    shapeOfMembers(found.input, found.namespace),
    input,
    '',
    misfits,
    Object.keys(found.attachments),
  )
  if (headers !== undefined)
    checkMembers(shapeOfMembers(found.headers, found.namespace), headers, 'headers', misfits)
  if (misfits.length > 0)
    return refuse(
      `The request does not satisfy the contract: ${misfits.map(({ path, message }) => `${path} ${message}`).join('; ')}`,
    )
  if (deviations.length > 0)
    return refuse(
      `The request does not satisfy the contract: ${deviations.map(({ path, message }) => `${path} ${message}`).join('; ')}`,
    )
  return {
    operation: operation.operation,
    endpoint: endpointFor(contract, version, operation.operation),
    input: {
      ...input,
      ...parts.values(operation.attachments),
      ...present({ headers }),
    },
    answer(value) {
      const { answer } = operation
      if (answer === undefined) return { status: 202, headers: {}, body: '' }
      const outputs =
        answer.value === undefined
          ? ((value ?? {}) as Readonly<Record<string, unknown>>)
          : { [answer.value]: value }
      // Who sends bytes beside the message can read them there.
      const outgoing = new Outgoing(/application\/xop\+xml/i.test(contentType))
      const { headers: values, ...members } = outputs as Readonly<Record<string, unknown>> & {
        readonly headers?: Readonly<Record<string, unknown>>
      }
      const withHeaders =
        answer.headers === undefined
          ? { members: outputs }
          : {
              members,
              headers: { shape: shapeOfMembers(answer.headers, operation.namespace), values },
            }
      const xml = writeEnvelope(
        version,
        answer.element,
        shapeOfMembers(answer.members, operation.namespace),
        withHeaders.members,
        { headers: withHeaders.headers, outgoing, encoded: operation.encoded !== undefined },
      )
      outgoing.addAll(answer.attachments, outputs)
      return answered(version, 200, xml, outgoing)
    },
    fault(fault, detail, reason) {
      const known = operation.faults[fault.name]
      if (known === undefined) return answered(version, 500, writeFault(version, 'Server', reason))
      return answered(
        version,
        500,
        writeFault(version, 'Client', reason, { ...known, value: detail }),
      )
    },
  }
}

/** A frame for one child of a record that is no element of its own: the record ends with it. */
function soleChild(members: MembersFrame, tag: Parameters<Frame['child']>[0]): Frame {
  const child = members.child(tag)
  return {
    child: (inner) => child.child(inner),
    text: (piece) => child.text(piece),
    end() {
      child.end()
      members.end()
    },
  }
}

function answered(
  version: string,
  status: number,
  envelope: string,
  outgoing: Outgoing = new Outgoing(),
): PlayResponse {
  const mediaType =
    version === soap12 ? 'application/soap+xml; charset=utf-8' : 'text/xml; charset=utf-8'
  const { contentType, body } =
    outgoing.parts.length === 0
      ? { contentType: mediaType, body: envelope }
      : writeParts(envelope, mediaType, outgoing)
  return { status, headers: { 'content-type': contentType }, body }
}

function endpointFor(contract: Contract, version: string, operation: Operation): Endpoint {
  const wanted = version === soap12 ? '1.2' : '1.1'
  const offered = endpointsOf(contract).filter((endpoint) =>
    Object.hasOwn(operation.wire, endpoint.name),
  )
  const endpoint = offered.find((each) => endpointLayout(each).version === wanted) ?? offered[0]
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

import type { SaxesTagNS } from 'saxes'
import {
  checkCredential,
  credentialsOf,
  exchange,
  hearOfDeviations,
  withoutLogin,
  type Connection,
  type Endpoint,
  type Response,
  type ThisCall,
} from '../connection.js'
import {
  ContractBreach,
  InputRejected,
  ServiceFault,
  type Deviation,
  type Misfit,
} from '../failures.js'
import { writeAddressing, type MessageAddress } from './addressing.js'
import { namedParts, Outgoing, readParts, writeParts, type Attachment } from './attachments.js'
import { checkMembers } from './check.js'
import {
  shapeOf,
  type AnyCodec,
  type AnyMember,
  type Member,
  type MemberChoice,
  type QName,
  settled,
  type Shape,
} from './codec.js'
import { atOnce, byAndBy, type Pieces } from './pieces.js'
import { hasReferences, parseWithReferences } from './references.js'
import { userNameToken, writeSecurity, type UserNameToken } from './security.js'
import {
  FragmentFrame,
  frameFor,
  IgnoringFrame,
  MembersFrame,
  nameOf,
  NotXml,
  parseDocument,
  type Frame,
  type Reading,
} from './xml-reader.js'
import { XmlWriter, writeElement, writeMembers } from './xml-writer.js'

export const soap11 = 'http://schemas.xmlsoap.org/soap/envelope/'
export const soap12 = 'http://www.w3.org/2003/05/soap-envelope'

/** The members of a value of type T, each with its codec. */
export type Members<T> = { readonly [K in keyof T]-?: Member<T[K]> }

/** What is known of an operation: plain data, printed into the client. */
export interface SoapOperation<Input, Outcome> {
  readonly name: string
  /** The SOAP action; by endpoint where it differs. */
  readonly action: string | Readonly<Record<string, string>>
  /** The element around the inputs; none when they are children of the body. */
  readonly request?: QName
  /** Messages are encoded by the rules of SOAP itself (use="encoded"). */
  readonly encoded?: true
  /** The namespace of the inputs and outputs, unless a member says otherwise. */
  readonly namespace: string
  readonly input: Partial<Members<Omit<Input, 'headers'>>>
  /** Groups of inputs that exclude each other. */
  readonly choices?: readonly MemberChoice[]
  readonly headers?: Input extends { readonly headers?: infer H }
    ? Members<Exclude<H, undefined>>
    : never
  /**
   * Inputs that travel beside the message, and their media types; one whose type the caller says is
   * ''.
   */
  readonly attachments?: Readonly<Record<string, string>>
  /** What the message asks for by WS-Addressing, where that is not the SOAP action. */
  readonly addressedAction?: string
  /** What is answered; nothing for a one-way operation. */
  readonly answer?: SoapAnswer<Outcome>
  /** The declared faults: the element in the detail, and its content. */
  readonly faults?: Readonly<Record<string, { readonly element: QName; readonly codec: unknown }>>
}

/** Outputs of an operation: a record of several, or the one named by `value`. */
export interface SoapAnswer<Outcome> {
  /** The element around the outputs; none when they are children of the body. */
  readonly element?: QName
  readonly members: Readonly<Record<string, Member<Outcome>>> | Partial<Members<Outcome>>
  /** The one member that is the outcome; without it the outcome is the record of them all. */
  readonly value?: string
  /** What may stand in the header, which is then the member `headers` of the outcome. */
  readonly headers?: Readonly<Record<string, unknown>>
  /** Outputs that come beside the message, as for inputs. */
  readonly attachments?: Readonly<Record<string, string>>
}

/**
 * Sends one call and waits for its outcome.
 *
 * @throws InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export async function send<Input extends object, Outcome>(
  connection: Connection,
  operation: SoapOperation<Input, Outcome>,
  input: Input,
  thisCall: ThisCall = {},
): Promise<Outcome> {
  const [name, endpoint] = chooseEndpoint(connection, operation.action)
  if (connection.settings.checkInputs !== false) {
    const misfits = checkInput(operation, input)
    if (misfits.length > 0) throw new InputRejected(operation.name, misfits)
  }
  const action =
    typeof operation.action === 'string' ? operation.action : (operation.action[name] ?? '')
  checkCredential(connection, operation.name, ['basic', 'bearer', 'digest', 'oauth2', 'wsse'])
  const isNewer = endpoint.protocol === 'SOAP 1.2'
  const credential = credentialsOf(connection.settings).find((each) => each.kind === 'wsse')
  const contentType = isNewer
    ? `application/soap+xml; charset=utf-8${action === '' ? '' : `; action="${action}"`}`
    : 'text/xml; charset=utf-8'
  const url = withoutLogin(connection.settings.url ?? endpoint.address)
  const outgoing = new Outgoing(connection.settings.mtom ?? endpoint.mtom)
  const isAddressed = connection.settings.addressing ?? endpoint.addressing
  const token = credential?.kind === 'wsse' ? await userNameToken(credential) : undefined
  const envelope = writeRequest(operation, input, isNewer ? soap12 : soap11, {
    token,
    address:
      isAddressed === true ? { to: url, action: operation.addressedAction ?? action } : undefined,
    outgoing,
  })
  const several =
    outgoing.parts.length > 0 ? writeParts(envelope, contentType, outgoing) : undefined
  const request = {
    method: 'POST',
    url,
    headers: {
      'content-type': several?.contentType ?? contentType,
      accept: `${isNewer ? 'application/soap+xml, text/xml' : 'text/xml'}, multipart/related`,
      ...(isNewer ? {} : { soapaction: `"${action}"` }),
    },
    body: several?.body ?? envelope,
  }
  const response = await exchange(connection, request, thisCall, textOfResponse)
  return byAndBy(
    answerIn(operation, response, hearOfDeviations(connection, thisCall)),
    response.inTime,
  )
}

/** Every place of an input that does not satisfy the operation. */
export function checkInput<Input extends object, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  input: Input,
): Misfit[] {
  const misfits: Misfit[] = []
  const { attachments = {} } = operation
  checkMembers(inputShape(operation), input, '', misfits, [
    ...(operation.headers === undefined ? [] : ['headers']),
    ...Object.keys(attachments),
  ])
  for (const [name, type] of Object.entries(attachments))
    checkAttachment((input as Readonly<Record<string, unknown>>)[name], type, name, misfits)
  const headers = (input as { readonly headers?: unknown } | null)?.headers
  if (operation.headers !== undefined && headers !== undefined)
    checkMembers(headerShape(operation), headers, 'headers', misfits)
  return misfits
}

/** What an envelope holds beside the members of its body. */
export interface Extras {
  readonly headers?:
    | { readonly shape: Shape; readonly values: Readonly<Record<string, unknown>> | undefined }
    | undefined
  readonly token?: UserNameToken | undefined
  readonly address?: MessageAddress | undefined
  /** Takes what travels beside the envelope. */
  readonly outgoing?: Outgoing
  readonly encoded?: boolean | undefined
}

function checkAttachment(value: unknown, type: string, path: string, misfits: Misfit[]): void {
  const content = type === '' ? (value as { content?: unknown } | undefined)?.content : value
  if (!(content instanceof Uint8Array))
    misfits.push({
      path: type === '' ? `${path}.content` : path,
      message: value === undefined ? 'is missing' : 'expected bytes',
    })
  else if (
    type === '' &&
    !/^[\w.+-]+\/[\w.+-]+(?:\s*;[^\r\n]*)?$/.test(String((value as { type?: unknown }).type))
  )
    misfits.push({ path: `${path}.type`, message: 'expected a media type like "image/png"' })
}

/**
 * The envelope of a request (SOAP 1.1, section 4; SOAP 1.2 part 1, section 5). The input must
 * satisfy the operation.
 */
export function writeRequest<Input extends object, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  input: Input,
  version: string,
  extras: Extras = {},
): string {
  const { headers, ...members } = input as {
    readonly [name: string]: unknown
    readonly headers?: Readonly<Record<string, unknown>>
  }
  const { outgoing = new Outgoing() } = extras
  const envelope = writeEnvelope(version, operation.request, inputShape(operation), members, {
    ...extras,
    outgoing,
    headers: { shape: headerShape(operation), values: headers },
    encoded: operation.encoded,
  })
  addAttachments(outgoing, operation.attachments, members)
  return envelope
}

/** Adds the values that travel beside a message. */
export function addAttachments(
  outgoing: Outgoing,
  attachments: Readonly<Record<string, string>> | undefined,
  values: Readonly<Record<string, unknown>>,
): void {
  for (const [name, type] of Object.entries(attachments ?? {})) {
    const { content, type: own } =
      type === ''
        ? (values[name] as { content: Uint8Array; type: string })
        : { content: values[name] as Uint8Array, type }
    outgoing.add(content, own, name)
  }
}

/** The values that came beside a message. */
export function takeAttachments(
  parts: readonly Attachment[],
  attachments: Readonly<Record<string, string>> = {},
): Record<string, unknown> {
  return Object.fromEntries(
    [...namedParts(parts, Object.keys(attachments))].map(([name, { type, content }]) => [
      name,
      attachments[name] === '' ? { content, type } : content,
    ]),
  )
}

/** An envelope with these members in its body, inside `wrapper` where there is one. */
export function writeEnvelope(
  version: string,
  wrapper: QName | undefined,
  shape: Shape,
  value: Readonly<Record<string, unknown>>,
  extras: Extras = {},
): string {
  const { headers, token, address, encoded } = extras
  const rules =
    version === soap12
      ? 'http://www.w3.org/2003/05/soap-encoding'
      : 'http://schemas.xmlsoap.org/soap/encoding/'
  const style = encoded === true ? rules : undefined
  const writer = new XmlWriter({ soap: version }, style, extras.outgoing)
  writer.start([version, 'Envelope'])
  const values = headers?.values ?? {}
  if (
    token !== undefined ||
    address !== undefined ||
    Object.values(values).some((each) => each !== undefined)
  ) {
    writer.start([version, 'Header'])
    if (address !== undefined) writeAddressing(writer, address)
    if (token !== undefined) writeSecurity(writer, version, token)
    if (headers !== undefined) writeMembers(writer, headers.shape, values)
    writer.end([version, 'Header'])
  }
  writer.start([version, 'Body'])
  if (wrapper !== undefined) writer.start(wrapper)
  if (wrapper !== undefined && style !== undefined)
    writer.attribute([version, 'encodingStyle'], style)
  writeMembers(writer, shape, value)
  if (wrapper !== undefined) writer.end(wrapper)
  writer.end([version, 'Body'])
  writer.end([version, 'Envelope'])
  return `<?xml version="1.0" encoding="utf-8"?>\n${writer.finish()}`
}

/** The envelope of a fault (SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4). */
export function writeFault(
  version: string,
  code: 'Client' | 'Server',
  reason: string,
  detail?: { readonly element: QName; readonly codec: unknown; readonly value: unknown },
): string {
  const isNewer = version === soap12
  const writer = new XmlWriter({ soap: version })
  const element = (name: QName, inside: () => void): void => {
    writer.start(name)
    inside()
    writer.end(name)
  }
  const at = (local: string): QName => [isNewer ? version : '', local]
  element([version, 'Envelope'], () => {
    element([version, 'Body'], () => {
      element([version, 'Fault'], () => {
        if (isNewer) {
          element(at('Code'), () =>
            element(at('Value'), () =>
              writer.text(code === 'Client' ? 'soap:Sender' : 'soap:Receiver'),
            ),
          )
          element(at('Reason'), () => {
            writer.start(at('Text'))
            writer.attribute(['http://www.w3.org/XML/1998/namespace', 'lang'], 'en')
            writer.text(reason)
            writer.end(at('Text'))
          })
        } else {
          element(at('faultcode'), () => writer.text(`soap:${code}`))
          element(at('faultstring'), () => writer.text(reason))
        }
        if (detail !== undefined)
          element(at(isNewer ? 'Detail' : 'detail'), () =>
            writeElement(writer, detail.element, settled(detail.codec), detail.value),
          )
      })
    })
  })
  return `<?xml version="1.0" encoding="utf-8"?>\n${writer.finish()}`
}

/** The outcome in an answer, or the failure that it is. */
export function readAnswer<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): Outcome {
  return atOnce(answerIn(operation, response, onDeviation))
}

function* answerIn<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  response: Response,
  onDeviation: (deviation: Deviation) => void,
): Pieces<Outcome> {
  const { answer } = operation
  const { envelope, parts } = readParts(response)
  const body = textOfResponse(envelope)
  if (answer === undefined && response.status < 400 && !/<(?:[\w.-]+:)?Fault[\s>]/.test(body))
    return undefined as Outcome
  const looksLikeXml = /^\ufeff?\s*<(?![!]doctype html|html)/i.test(body)
  if (!looksLikeXml) {
    if (response.status >= 400)
      throw new ServiceFault(
        `HTTP ${String(response.status)} with ${describeBody(response, body)}`,
        { fault: undefined, detail: body, code: '', status: response.status },
      )
    throw new ContractBreach('', 'a SOAP envelope', describeBody(response, body))
  }
  let outcome: { readonly value: Record<string, unknown> } | undefined
  let headers: Record<string, unknown> | undefined
  let fault: FaultFacts | undefined
  // Faults about headers have their detail in the header, before the fault itself (SOAP 1.1,
  // section 4.2.1).
  const aboutHeaders: Pick<FaultFacts, 'declared' | 'detail'> = {
    declared: undefined,
    detail: undefined,
  }
  try {
    yield* parseMessage(
      body,
      operation.encoded === true,
      onDeviation,
      (tag, reading) => {
        if (tag.local !== 'Envelope' || (tag.uri !== soap11 && tag.uri !== soap12))
          throw new ContractBreach('', 'a SOAP envelope', `an element <${tag.name}>`)
        const version = tag.uri
        let bare: MembersFrame | undefined
        const bodyFrame: Frame = {
          child(inner) {
            if (inner.local === 'Fault' && inner.uri === version) {
              reading.startPathsHere()
              fault = { codes: [], reason: '', declared: undefined, detail: undefined, version }
              return faultFrame(fault, operation, reading)
            }
            if (answer === undefined) return new IgnoringFrame()
            if (answer.element === undefined) {
              // The outputs themselves stand in the body: one frame hears of them all.
              bare ??= new MembersFrame(answerShape(operation), {}, undefined, reading, (value) => {
                outcome = { value }
              })
              return bare.child(inner)
            }
            if (outcome !== undefined) return new IgnoringFrame()
            const [namespace, local] = answer.element
            if (inner.local !== local || inner.uri !== namespace)
              reading.deviate(
                `the answer's element is "${inner.local}" (${inner.uri}), where the contract promised "${local}" (${namespace})`,
              )
            reading.startPathsHere()
            return new MembersFrame(answerShape(operation), {}, inner, reading, (value) => {
              outcome = { value }
            })
          },
          text: () => undefined,
          end: () => bare?.end(),
        }
        const headerFrame = (): Frame => {
          const shape = shapeOfMembers(answer?.headers, operation.namespace)
          const members = new MembersFrame(shape, {}, undefined, reading, (value) => {
            if (Object.keys(value).length > 0) headers = value
          })
          return {
            child(inner) {
              const declared = declaredFault(operation, nameOf(inner))
              if (
                shape.entries.some(({ name }) => name[0] === inner.uri && name[1] === inner.local)
              )
                return members.child(inner)
              if (declared !== undefined) return detailFrame(aboutHeaders, declared, inner, reading)
              const must = Object.values(inner.attributes).some(
                ({ local, uri, value }) =>
                  local === 'mustUnderstand' &&
                  uri === version &&
                  ['1', 'true'].includes(value.trim()),
              )
              if (must && inner.local !== 'Security')
                reading.deviate(
                  'is a header that must be understood, and that the contract does not know',
                  inner.local,
                )
              return new IgnoringFrame()
            },
            text: () => undefined,
            end: () => members.end(),
          }
        }
        return {
          child: (inner) => {
            if (inner.uri !== version) return new IgnoringFrame()
            if (inner.local === 'Body') return bodyFrame
            if (inner.local === 'Header') return headerFrame()
            return new IgnoringFrame()
          },
          text: () => undefined,
          end: () => undefined,
        }
      },
      parts,
    )
  } catch (error) {
    if (!(error instanceof NotXml)) throw error
    if (response.status >= 400)
      throw new ServiceFault(
        `HTTP ${String(response.status)} with ${describeBody(response, body)}`,
        { fault: undefined, detail: body, code: '', status: response.status },
      )
    throw new ContractBreach('', 'well-formed XML', `broken XML: ${error.message}`)
  }
  if (fault !== undefined) {
    const { codes, reason, declared, detail } =
      fault.declared === undefined && aboutHeaders.declared !== undefined
        ? { ...fault, ...aboutHeaders }
        : fault
    throw new ServiceFault(reason === '' ? 'the service gave no reason' : reason, {
      fault: declared,
      detail,
      code: codes.at(-1) ?? '',
      status: response.status,
    })
  }
  if (response.status >= 400)
    throw new ServiceFault(`HTTP ${String(response.status)} without a fault`, {
      fault: undefined,
      detail: body,
      code: '',
      status: response.status,
    })
  if (answer === undefined) return undefined as Outcome
  const beside = takeAttachments(parts, answer.attachments)
  const found: Record<string, unknown> | undefined =
    outcome?.value === undefined && Object.keys(beside).length === 0 && headers === undefined
      ? undefined
      : { ...outcome?.value, ...beside, ...(headers === undefined ? {} : { headers }) }
  if (found === undefined) {
    if (Object.keys(answer.members).length === 0) return undefined as Outcome
    throw new ContractBreach(
      '',
      answer.element === undefined ? 'an answer' : `an element <${answer.element[1]}>`,
      'an empty body',
    )
  }
  if (answer.value === undefined)
    return (
      Object.keys(found).length === 0 && Object.keys(answer.members).length === 0
        ? undefined
        : found
    ) as Outcome
  const member = (answer.members as Readonly<Record<string, AnyMember>>)[answer.value]
  const value = found[answer.value]
  if (value === undefined && member?.repeated === true) return [] as Outcome
  if (value === undefined && member?.optional !== true)
    throw new ContractBreach(answer.value, 'a value', 'none')
  return value as Outcome
}

/**
 * Parses a message; where its elements refer to each other, what they refer to is put in their
 * place.
 */
export function* parseMessage(
  xml: string,
  encoded: boolean,
  onDeviation: (deviation: Deviation) => void,
  root: Parameters<typeof parseDocument>[2],
  parts: readonly Attachment[] = [],
): Pieces<void> {
  if (encoded || hasReferences(xml))
    yield* parseWithReferences(xml, onDeviation, root, encoded, parts)
  else yield* parseDocument(xml, onDeviation, root, parts)
}

type DeclaredFault = readonly [
  name: string,
  fault: { readonly element: QName; readonly codec: unknown },
]

/** The declared fault whose detail is an element of this name. */
function declaredFault<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  [namespace, local]: QName,
): DeclaredFault | undefined {
  return Object.entries(operation.faults ?? {}).find(
    ([, { element }]) => element[1] === local && element[0] === namespace,
  )
}

function detailFrame(
  facts: Pick<FaultFacts, 'declared' | 'detail'>,
  [name, { codec }]: DeclaredFault,
  tag: SaxesTagNS,
  reading: Reading,
): Frame {
  facts.declared = name
  const settledCodec: AnyCodec = settled(codec)
  return frameFor(settledCodec, tag, reading, true, (value) => {
    facts.detail = value
  })
}

interface FaultFacts {
  codes: string[]
  reason: string
  declared: string | undefined
  detail: unknown
  version: string
}

function faultFrame<Input, Outcome>(
  facts: FaultFacts,
  operation: SoapOperation<Input, Outcome>,
  reading: Reading,
): Frame {
  const textInto = (take: (text: string) => void): Frame => {
    let collected = ''
    return {
      child: (tag) => (tag.local === 'Subcode' ? container() : textInto(take)),
      text: (piece) => {
        collected += piece
      },
      end: () => {
        if (collected.trim() !== '') take(collected.trim())
      },
    }
  }
  const code = (text: string): number => facts.codes.push(text.replace(/^.*:/, ''))
  const container = (): Frame => ({
    child: (tag) => (tag.local === 'Value' ? textInto(code) : container()),
    text: () => undefined,
    end: () => undefined,
  })
  const detail: Frame = {
    child(tag) {
      const declared = declaredFault(operation, nameOf(tag))
      if (declared === undefined || facts.declared !== undefined) {
        return new FragmentFrame(tag, (element) => {
          facts.detail ??= element
        })
      }
      return detailFrame(facts, declared, tag, reading)
    },
    text: (piece) => {
      if (piece.trim() !== '') facts.detail ??= piece.trim()
    },
    end: () => undefined,
  }
  return {
    child(tag) {
      switch (tag.local) {
        case 'faultcode':
          return textInto(code)
        case 'Code':
          return container()
        case 'faultstring':
        case 'Reason':
          return textInto((text) => {
            facts.reason ||= text
          })
        case 'detail':
        case 'Detail':
          return detail
        default:
          return new IgnoringFrame()
      }
    },
    text: () => undefined,
    end: () => undefined,
  }
}

/** The endpoint to call: the chosen one, or the first that offers the operation. */
export function chooseEndpoint(
  connection: Connection,
  action: string | Readonly<Record<string, string>>,
): [string, Endpoint] {
  const offered = Object.keys(connection.endpoints).filter(
    (name) => typeof action === 'string' || Object.hasOwn(action, name),
  )
  const name = connection.settings.endpoint ?? offered[0]
  const endpoint =
    name === undefined || !offered.includes(name) ? undefined : connection.endpoints[name]
  if (name === undefined || endpoint === undefined)
    throw new InputRejected('the call', [
      {
        path: 'settings.endpoint',
        message: `"${name ?? ''}" does not offer this operation; it is on offer at ${offered.join(', ')}`,
      },
    ])
  return [name, endpoint]
}

/** An answer's bytes as text, by the charset of its Content-Type or of its XML declaration. */
export function textOfResponse(response: Response): string {
  const { body, headers } = response
  const marked = utf16Mark(body)
  const served = /charset\s*=\s*"?([\w.-]+)/i.exec(headers['content-type'] ?? '')?.[1]
  const declared = /^[^<]*<\?xml[^>]*?encoding\s*=\s*["']([\w.-]+)["']/.exec(
    String.fromCharCode(...body.subarray(0, 200)),
  )?.[1]
  try {
    return new TextDecoder(marked ?? served ?? declared ?? 'utf-8').decode(body)
  } catch {
    return new TextDecoder().decode(body)
  }
}

/** A body that is not what was promised, in a few words. */
export function describeBody(response: Response, body: string): string {
  if (body.trim() === '') return 'an empty body'
  const title = /<title[^>]*>([^<]{1,120})/i.exec(body)?.[1]?.trim()
  const isHtml = /^\s*<(?:!doctype html|html)/i.test(body)
  if (isHtml) return title === undefined ? 'an HTML page' : `an HTML page titled "${title}"`
  return `a body of type ${response.headers['content-type'] ?? 'unknown'}: ${body.trim().slice(0, 120)}`
}

const shapesByMembers = new WeakMap<object, Shape>()
const noMembers = {}

/** The shape of a table of members that is no type of its own. */
export function shapeOfMembers(
  given: Readonly<Record<string, unknown>> | undefined,
  namespace: string,
  choices: readonly MemberChoice[] = [],
): Shape {
  const members = given ?? noMembers
  let shape = shapesByMembers.get(members)
  if (shape === undefined) {
    shape = shapeOf({ namespace, members: members as Readonly<Record<string, AnyMember>>, choices })
    shapesByMembers.set(members, shape)
  }
  return shape
}

function inputShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(operation.input, operation.namespace, operation.choices)
}

function headerShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(
    operation.headers as Readonly<Record<string, unknown>> | undefined,
    operation.namespace,
  )
}

function answerShape<Input, Outcome>(operation: SoapOperation<Input, Outcome>): Shape {
  return shapeOfMembers(operation.answer?.members, operation.namespace)
}

/** The encoding that the first two bytes tell. */
function utf16Mark([first, second]: Uint8Array): string | undefined {
  if (first === 0xff && second === 0xfe) return 'utf-16le'
  return first === 0xfe && second === 0xff ? 'utf-16be' : undefined
}

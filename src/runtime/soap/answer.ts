import type { StartTag } from './start-tag.js'
import type { Response } from '../exchange.js'
import { ContractBreach, ServiceFault, type CallFailure } from '../failures.js'
import type { Hear } from '../hearing.js'
import { present } from '../present.js'
import { describeBody } from '../response-text.js'
import type { AnyMember, Shape } from './codec.js'
import { declaredFault, FaultReader } from './faults.js'
import { answerShape, shapeOfMembers } from './message-shapes.js'
import { soap11, soap12 } from './namespaces.js'
import type { References, SoapOperation } from './operation.js'
import type { Message, Parts } from './parts.js'
import type { Pieces } from './pieces.js'
import {
  FragmentFrame,
  IgnoringFrame,
  MembersFrame,
  nameOf,
  NotXml,
  parseDocument,
  type Frame,
  type Reading,
} from './xml-reader.js'

/**
 * The outcome in an answer, piece by piece.
 *
 * @param references reads an answer whose elements refer to each other
 * @throws ServiceFault, ContractBreach
 */
export function* answerIn<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  { envelope: response, text: body, parts }: Message,
  references: References | undefined,
  hear: Hear,
): Pieces<Outcome> {
  if (operation.answer === undefined && response.status < 400 && !hasFault(body))
    return undefined as Outcome
  if (!/^\ufeff?\s*<(?![!]doctype html|html)/i.test(body))
    throw noEnvelope(response, body, (came) => new ContractBreach('', 'a SOAP envelope', came))
  const found = new EnvelopeReader(operation)
  try {
    yield* (references ?? plainMessages).parse(
      body,
      hear,
      (tag, reading) => found.root(tag, reading),
      parts,
    )
  } catch (error) {
    if (!(error instanceof NotXml)) throw error
    const { message } = error
    throw noEnvelope(
      response,
      body,
      () => new ContractBreach('', 'well-formed XML', `broken XML: ${message}`),
    )
  }
  if (found.fault !== undefined) throw found.fault.failure(response.status, found.aboutHeaders)
  if (response.status >= 400) throw refusal(response, body, 'without a fault')
  return outcomeOf(operation, found, parts)
}

/** Does a message, by the look of it, tell of a fault? */
export function hasFault(body: string): boolean {
  return /<(?:[\w.-]+:)?Fault[\s>]/.test(body)
}

/** What an answer without an envelope is: a refusal, or a breach of the contract. */
function noEnvelope(
  response: Response,
  body: string,
  breach: (came: string) => ContractBreach,
): CallFailure {
  const described = describeBody(response, body)
  return response.status >= 400 ? refusal(response, body, `with ${described}`) : breach(described)
}

function refusal({ status }: Response, detail: string, how: string): ServiceFault {
  return new ServiceFault(`HTTP ${String(status)} ${how}`, {
    fault: undefined,
    detail,
    code: '',
    status,
  })
}

/** Reads an envelope: its headers, and the outputs or the fault in its body. */
class EnvelopeReader<Input, Outcome> {
  outcome: Record<string, unknown> | undefined
  headers: Record<string, unknown> | undefined
  fault: FaultReader | undefined
  /**
   * Faults about headers have their detail in the header, before the fault itself (SOAP 1.1,
   * section 4.2.1).
   */
  readonly aboutHeaders: FaultReader
  private readonly operation: SoapOperation<Input, Outcome>

  constructor(operation: SoapOperation<Input, Outcome>) {
    this.operation = operation
    this.aboutHeaders = new FaultReader(operation.faults)
  }

  root(tag: StartTag, reading: Reading): Frame {
    const { local, uri: version } = tag
    if (local !== 'Envelope' || (version !== soap11 && version !== soap12))
      throw new ContractBreach('', 'a SOAP envelope', `an element <${tag.name}>`)
    const body = this.bodyFrame(version, reading)
    return {
      child: (inner) => {
        if (inner.uri !== version) return new IgnoringFrame()
        if (inner.local === 'Body') return body
        return inner.local === 'Header' ? this.headerFrame(version, reading) : new IgnoringFrame()
      },
      text: () => undefined,
      end: () => undefined,
    }
  }

  private bodyFrame(version: string, reading: Reading): Frame {
    const { answer, faults } = this.operation
    let bare: Frame | undefined
    return {
      child: (inner) => {
        if (inner.local === 'Fault' && inner.uri === version) {
          reading.startPathsHere()
          this.fault = new FaultReader(faults)
          return this.fault.frame(reading)
        }
        if (answer === undefined) return new IgnoringFrame()
        if (answer.element === undefined) {
          // The outputs themselves stand in the body: one frame hears of them all.
          bare ??= this.membersFrame(undefined, reading)
          return bare.child(inner)
        }
        if (this.outcome !== undefined) return new IgnoringFrame()
        const [namespace, local] = answer.element
        if (inner.local !== local || inner.uri !== namespace)
          reading.deviate(
            `the answer's element is "${inner.local}" (${inner.uri}), where the contract promised "${local}" (${namespace})`,
          )
        reading.startPathsHere()
        return this.membersFrame(inner, reading)
      },
      text: () => undefined,
      end: () => bare?.end(),
    }
  }

  private membersFrame(tag: StartTag | undefined, reading: Reading): Frame {
    const shape = answerShape(this.operation)
    const frame = new MembersFrame(shape, {}, tag, reading, (value) => {
      this.outcome = value
    })
    return this.operation.encoded !== undefined ? byPlace(frame, shape) : frame
  }

  private headerFrame(version: string, reading: Reading): Frame {
    const { answer, faults, namespace } = this.operation
    const shape = shapeOfMembers(answer?.headers, namespace)
    const members = new MembersFrame(shape, {}, undefined, reading, (value) => {
      if (Object.keys(value).length > 0) this.headers = value
    })
    return {
      child: (inner) => {
        if (shape.entries.some(({ name }) => name[0] === inner.uri && name[1] === inner.local))
          return members.child(inner)
        if (declaredFault(faults, nameOf(inner)) !== undefined)
          return this.aboutHeaders.detailFrame(inner, reading)
        if (mustBeUnderstood(inner, version) && inner.local !== 'Security')
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
}

/**
 * Reads encoded outputs, of which the first is the returned value whatever it is called, and the
 * others come in the order of the operation (SOAP 1.1, section 7.1).
 */
function byPlace(frame: MembersFrame, { entries }: Shape): Frame {
  let at = -1
  return {
    child(tag) {
      at += 1
      const isNamed = entries.some(({ name }) => name[1] === tag.local)
      const here = entries[at]
      if (isNamed || here?.place !== 'element') return frame.child(tag)
      const [uri, local] = here.name
      return frame.child({ ...tag, uri, local })
    },
    text: (piece) => frame.text(piece),
    end: () => frame.end(),
  }
}

function mustBeUnderstood(tag: StartTag, version: string): boolean {
  return Object.values(tag.attributes).some(
    ({ local, uri, value }) =>
      local === 'mustUnderstand' && uri === version && ['1', 'true'].includes(value.trim()),
  )
}

/** The outcome in what was found in an envelope and beside it. */
function outcomeOf<Input, Outcome>(
  { answer }: SoapOperation<Input, Outcome>,
  { outcome, headers }: EnvelopeReader<Input, Outcome>,
  parts: Parts,
): Outcome {
  if (answer === undefined) return undefined as Outcome
  const members = answer.members as Readonly<Record<string, AnyMember>>
  const promisesNothing = Object.keys(members).length === 0
  const found: Record<string, unknown> = {
    ...outcome,
    ...parts.values(answer.attachments ?? {}),
    ...present({ headers }),
  }
  if (outcome === undefined && Object.keys(found).length === 0) {
    if (promisesNothing) return undefined as Outcome
    const promised =
      answer.element === undefined ? 'an answer' : `an element <${answer.element[1]}>`
    throw new ContractBreach('', promised, 'an empty body')
  }
  if (answer.value === undefined)
    return (promisesNothing && Object.keys(found).length === 0 ? undefined : found) as Outcome
  const member = members[answer.value]
  const value = found[answer.value]
  if (value === undefined && member?.repeated === true) return [] as Outcome
  if (value === undefined && member?.optional !== true)
    throw new ContractBreach(answer.value, 'a value', 'none')
  return value as Outcome
}

/** What stands in the body of an answer, element by element: one alone, or all of them. */
export function* bodyAsItCame(
  { text, parts }: Message,
  references: References | undefined,
  hear: Hear,
): Pieces<unknown> {
  const elements: unknown[] = []
  const within = (isBody: boolean): Frame => ({
    child: (inner) => {
      if (isBody) return new FragmentFrame(inner, (element) => elements.push(element))
      return inner.local === 'Body' ? within(true) : new IgnoringFrame()
    },
    text: () => undefined,
    end: () => undefined,
  })
  try {
    yield* (references ?? plainMessages).parse(text, hear, () => within(false), parts)
  } catch (error) {
    if (!(error instanceof NotXml)) throw error
    return text
  }
  return elements.length > 1 ? elements : elements[0]
}

/** Messages whose elements stand where they belong. */
export const plainMessages: References = { parse: parseDocument }

import type { StartTag } from './start-tag.js'
import type { Hear } from '../hearing.js'
import type { Member, MemberChoice, QName } from './codec.js'
import type { Parts } from './parts.js'
import type { Pieces } from './pieces.js'
import type { Frame, Reading } from './xml-reader.js'

/** The members of a value of type T, each with its codec. */
export type Members<T> = { readonly [K in keyof T]-?: Member<T[K]> }

/** What is known of an operation: plain data, printed into the client. */
export interface SoapOperation<Input, Outcome> {
  readonly name: string
  /** The SOAP action; by endpoint where it differs. */
  readonly action: string | Readonly<Record<string, string>>
  /** The element around the inputs; none when they are children of the body. */
  readonly request?: QName
  /** What differs at some endpoints, by their names. */
  readonly at?: Readonly<Record<string, AtEndpoint>>
  /** Messages are encoded by the rules of SOAP itself (use="encoded"). */
  readonly encoded?: References
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

/** Reads messages whose elements refer to each other: puts in their place what they refer to. */
export interface References {
  parse(
    xml: string,
    hear: Hear,
    root: (tag: StartTag, reading: Reading) => Frame,
    parts: Parts | undefined,
  ): Pieces<void>
}

/** How an operation travels at one endpoint, where that is not as at the others. */
export interface AtEndpoint {
  readonly request?: QName
  /** The element around the outputs. */
  readonly answer?: QName
  readonly addressedAction?: string
  /** Headers that other endpoints take, and this one does not. */
  readonly without?: readonly string[]
}

/** An operation as it travels at an endpoint. */
export function operationAt<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  endpoint: string,
): SoapOperation<Input, Outcome> {
  const { answer, without = [], ...others } = operation.at?.[endpoint] ?? {}
  const headers = Object.entries(operation.headers ?? {}).filter(
    ([name]) => !without.includes(name),
  )
  const here = {
    ...operation,
    ...others,
    ...(without.length === 0 ? {} : { headers: Object.fromEntries(headers) as never }),
  }
  if (answer === undefined || operation.answer === undefined) return here
  return { ...here, answer: { ...operation.answer, element: answer } }
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

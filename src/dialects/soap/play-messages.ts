import type { Operation } from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import type { QName } from '../../runtime/soap/codec.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import type { References } from '../../runtime/soap/operation.js'
import { wireAt } from './specifics.js'
import { keyOf } from './reading.js'

/** Members of a message, with their codecs, by the names that callers give them. */
type Members = Readonly<Record<string, unknown>>

/** An operation with the codecs of its messages, alive. */
export interface LiveOperation {
  readonly operation: Operation
  readonly request: QName | undefined
  readonly namespace: string
  readonly encoded: References | undefined
  readonly input: Members
  readonly headers: Members
  readonly attachments: Readonly<Record<string, string>>
  readonly answer:
    | {
        readonly element?: QName
        readonly members: Members
        readonly value?: string
        readonly headers?: Members
        readonly attachments?: Readonly<Record<string, string>>
      }
    | undefined
  readonly faults: Readonly<Record<string, { readonly element: QName; readonly codec: unknown }>>
}

/** @param codecs what the operation's tree became when it was brought to life */
export function liveOperation(operation: Operation, codecs: unknown): LiveOperation {
  const { request, namespace, encoded, input, headers, attachments, answer, faults } =
    codecs as Partial<LiveOperation> & Pick<LiveOperation, 'namespace' | 'input'>
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

/** The messages that a service understands, by the elements that they begin with. */
export class KnownMessages {
  private readonly byElement = new Map<string, LiveOperation[]>()
  private readonly byHeader = new Map<string, LiveOperation>()

  constructor(operations: readonly LiveOperation[]) {
    for (const each of operations.flatMap(asAtEndpoints)) {
      const first = each.request ?? firstMember(each)
      if (first !== undefined) addTo(this.byElement, keyOf(first), each)
      for (const { name } of shapeOfMembers(each.headers, each.namespace).entries)
        if (!this.byHeader.has(keyOf(name))) this.byHeader.set(keyOf(name), each)
    }
  }

  /** Overloads have one element, and are told apart by their actions. */
  operationOf(element: QName, action: string): LiveOperation | undefined {
    const candidates = this.byElement.get(keyOf(element)) ?? []
    const hasAction = ({ operation }: LiveOperation): boolean =>
      Object.keys(operation.wire).some((name) => wireAt(operation, name).action === action)
    return candidates.find(hasAction) ?? candidates[0]
  }

  /** The operation, of whatever message, that has a header of this name. */
  ownerOfHeader(element: QName): LiveOperation | undefined {
    return this.byHeader.get(keyOf(element))
  }
}

/** What a message without an element of its own begins with. */
function firstMember({ input, namespace }: LiveOperation): QName | undefined {
  const [first] = Object.entries(input)
  if (first === undefined) return undefined
  const [key, member] = first
  return [namespace, (member as { name?: string }).name ?? key]
}

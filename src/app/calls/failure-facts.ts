import { maskedBody, maskedHeaders } from '../../exercise/masking.js'
import {
  ContractBreach,
  ServiceFault,
  TransportFailure,
  type CallFailure,
} from '../../runtime/failures.js'
import { toPlain } from '../../runtime/plain.js'

/** What a program wants to know of a failure beside the words for it, secrets masked. */
export function failureFacts(failure: unknown): Record<string, unknown> {
  if (failure instanceof ServiceFault) {
    const { fault, code, detail, soap } = failure
    return { fault, faultCode: code, detail: toPlain(detail), ...(soap && { soap: toPlain(soap) }) }
  }
  if (failure instanceof ContractBreach)
    return { misfits: failure.misfits, answer: shownAnswer(failure) }
  return failure instanceof TransportFailure ? { answer: shownAnswer(failure) } : {}
}

/** The answer that a failure keeps, as it may be shown. */
function shownAnswer({ answer }: CallFailure): unknown {
  if (answer === undefined) return undefined
  const { status, headers, text, isWhole } = answer
  return { status, headers: maskedHeaders(headers), text: maskedBody(text), isWhole }
}

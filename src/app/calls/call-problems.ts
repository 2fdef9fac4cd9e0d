import type { Operation } from '../../contract/contract.js'
import { problem, type Problem } from '../../contract/problem.js'
import { pathOf } from '../../contract/queries.js'
import { messageOf, systemCode } from '../../contract/system-error.js'
import { connectionReason } from '../../documents/fetching.js'
import { explain } from '../../exercise/explain.js'
import type { CallContext } from '../../exercise/explanation.js'
import { maskedBody } from '../../exercise/masking.js'
import type { CallResult } from '../../exercise/run-client.js'
import {
  ContractBreach,
  InputRejected,
  ServiceFault,
  TransportFailure,
} from '../../runtime/failures.js'
import { certificateFacts } from '../auth/certificate-facts.js'

/**
 * A failed call as a problem to be told: what happened, whose side it is on, what to try.
 *
 * @param timeLimit milliseconds that the call might take
 */
export async function callProblem(
  result: CallResult,
  operation: Operation,
  timeLimit: number,
  context: CallContext,
): Promise<Problem> {
  const { failure, exchanges } = result
  if (failure instanceof InputRejected) return inputProblem(failure, operation, context)
  const isKnown =
    failure instanceof ServiceFault ||
    failure instanceof ContractBreach ||
    failure instanceof TransportFailure
  if (!isKnown) return problem('TM-9001', { reason: messageOf(failure) }, { cause: failure })
  const told = { ...explain(failure, exchanges, context), cause: failure }
  if (failure instanceof ServiceFault) return problem('TM-4001', { reason: failure.message }, told)
  if (failure instanceof ContractBreach) {
    const details = breachDetails(failure)
    return problem('TM-4005', { reason: failure.message }, { ...told, details })
  }
  const { address } = context
  switch (failure.kind) {
    case 'timeout':
      if (failure.status === 202) return problem('TM-4007', { address: failure.url }, told)
      return problem('TM-4003', { address, time: `${timeLimit / 1000} s` }, told)
    case 'login':
      return problem('TM-4004', { address, ...loginFacts(failure, exchanges) }, told)
    default: {
      const facts = isAboutCertificate(failure) ? await certificateFacts(failure.url) : undefined
      const details = facts === undefined ? [] : [facts]
      return problem('TM-4002', { address, reason: reasonOf(failure) }, { ...told, details })
    }
  }
}

function inputProblem(
  failure: InputRejected,
  operation: Operation,
  { contract }: CallContext,
): Problem {
  const { misfits: violations } = failure
  const count = violations.length === 1 ? 'one place' : `${violations.length} places`
  return problem(
    'TM-1013',
    { count, contract, operation: pathOf(operation) },
    {
      details: violations.map(({ path, message }) => `${path || 'the input'}: ${message}`),
      cause: failure,
      side: { of: 'caller', because: 'On your side: the service was not asked.' },
    },
  )
}

/** What is said of a login that is wanted. */
function loginFacts(
  { reason, status }: TransportFailure,
  exchanges: CallResult['exchanges'],
): Record<'reason' | 'wish' | 'status' | 'schemes', string | number> {
  const schemes = exchanges.at(-1)?.response.headers['www-authenticate']
  return {
    reason: reason === undefined ? '' : `"${reason}". `,
    wish: status === 403 ? 'does not allow this' : 'wants a login',
    status: status ?? '',
    schemes: schemes === undefined ? '' : `, offering ${schemes}`,
  }
}

function isAboutCertificate({ cause, url }: TransportFailure): boolean {
  return /CERT|SIGNATURE|ISSUER/.test(systemCode(cause)) && /^https:/i.test(url)
}

/** Why no answer, or no whole one, came. */
function reasonOf({ cause, answer, message }: TransportFailure): string {
  if (cause === undefined) return message
  const reason = connectionReason(cause)
  return answer === undefined
    ? reason
    : `it began (HTTP ${answer.status}), and broke off after ${answer.bytes.length} bytes: ${reason}`
}

/** So many places of an answer, and so many characters of it, are told of a breach. */
const mostTold = { places: 10, characters: 400 }

/** What else is not as promised, and how the answer begins. */
function breachDetails({ misfits: violations, answer }: ContractBreach): string[] {
  const others = violations
    .slice(0, -1)
    .slice(0, mostTold.places)
    .map(({ path, message }) => `${path === '' ? 'the answer' : path} ${message}`)
  const text = maskedBody(answer?.text.trim() ?? '')
  // Bytes that are no text say nothing to anybody.
  if (text === '' || text.includes('\ufffd')) return others
  const begin = text.slice(0, mostTold.characters).replace(/\s+/g, ' ')
  return [...others, `It came: ${begin}${text.length > mostTold.characters ? ' …' : ''}`]
}

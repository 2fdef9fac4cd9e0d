import type { Exchange } from '../runtime/connection.js'
import { ContractBreach, ServiceFault, type TransportFailure } from '../runtime/failures.js'
import { explainFault } from './explain-fault.js'
import { explainLogin } from './explain-login.js'
import { explainUnreachable } from './explain-unreachable.js'
import { explained, type CallContext, type Explanation, type LastAnswer } from './explanation.js'

/**
 * Explains a failure of a call.
 *
 * @param exchanges what went over the wire before it
 */
export function explain(
  failure: ServiceFault | TransportFailure | ContractBreach,
  exchanges: readonly Exchange[],
  context: CallContext,
): Explanation {
  const response = exchanges.at(-1)?.response
  if (failure instanceof ServiceFault)
    return [401, 403, 407].includes(failure.status)
      ? explainLogin(failure, response, context)
      : explainFault(failure, response, context)
  if (failure instanceof ContractBreach) return explainBreach(failure, response)
  switch (failure.kind) {
    case 'timeout':
      return explainTimeout(failure)
    case 'login':
      return explainLogin(failure, response, context)
    default:
      return explainUnreachable(failure, context)
  }
}

function explainTimeout({ status }: TransportFailure): Explanation {
  if (status === 202)
    return explained(
      'service',
      'It took the call over and works on it still.',
      'Wait longer with --wait, or ask at that address later: another call would begin anew.',
    )
  return explained(
    'between',
    'The request went out, and no whole answer came back in time: the service is slow, or something between you and it swallows answers.',
    'The service may still be working on it; before you repeat a call that changes something, look whether it did. Allow more time with --timeout.',
  )
}

function explainBreach({ answer }: ContractBreach, response: LastAnswer): Explanation {
  const headers = answer?.headers ?? response?.headers
  const isPage =
    /html/i.test(headers?.['content-type'] ?? '') ||
    /^\s*<(?:!doctype html|html)\b/i.test(answer?.text ?? response?.body ?? '')
  if (isPage)
    return explained(
      'service',
      'A web page came instead of data: often a login page, an error page of a gateway, or the address of something else.',
      'Open the address in a browser. If it is a login page, the service wants a login; else give the right address with --url.',
    )
  return explained(
    'service',
    'It does not keep to the contract, or the contract is out of date.',
    'Import the metadata again if it is newer than yours; --unchecked-answer shows what came all the same. Its owner will want to know.',
  )
}

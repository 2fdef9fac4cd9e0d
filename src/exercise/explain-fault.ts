import type { ServiceFault } from '../runtime/failures.js'
import { explained, type CallContext, type Explanation, type LastAnswer } from './explanation.js'

/** What a status means that no contract has to declare, and what helps (RFC 9110, section 15). */
const statuses: ReadonlyMap<number, (status: number) => Explanation> = new Map([
  [404, notFound],
  [405, unsupported],
  [409, changedMeanwhile],
  [412, changedMeanwhile],
  [428, versionWanted],
  [501, unsupported],
])

/** The service answered with a fault. */
export function explainFault(
  { status, code, fault }: ServiceFault,
  response: LastAnswer,
  { adviceOn }: CallContext,
): Explanation {
  const known = adviceOn(status)
  if (known !== undefined) return explained('caller', known.words, known.advice)
  if (status === 400 && /plain HTTP request was sent to HTTPS port/i.test(response?.body ?? ''))
    return explained(
      'caller',
      'The port speaks TLS, and was spoken to without.',
      'Try the address with https:// in front.',
    )
  if (status === 503 || status === 429) return tooBusy(status, response?.headers['retry-after'])
  // In HTTP descriptions faults are statuses, and those from 500 on are the service's own; of SOAP
  // all are answered with 500.
  const isDeclared = fault !== undefined && !(status >= 500 && /^(?:\d|default$)/.test(fault))
  if (isDeclared && status !== 412)
    return explained(
      'caller',
      'The service understood the call and refuses it for a reason that its contract declares.',
      'Its detail below says more; change the input accordingly.',
    )
  return statuses.get(status)?.(status) ?? explainUndeclared(status, code)
}

/** SOAP 1.1 section 4.4.1, SOAP 1.2 part 1 section 5.4.6: who has to change something. */
function explainUndeclared(status: number, code: string): Explanation {
  const isCallers = /(?:^|[:.])(?:Client|Sender)\b/.test(code) || (status >= 400 && status < 500)
  if (isCallers)
    return explained(
      'caller',
      `The service says that the request is at fault${code === '' ? ` (HTTP ${status})` : ''}: a value that it does not take, or a query that it does not support.`,
      'Its own words are above; --traffic shows what was sent.',
    )
  return explained(
    'service',
    `Something went wrong inside it (HTTP ${status}).`,
    'Try once more; then give its owner the time, the operation and what --traffic shows.',
  )
}

function tooBusy(status: number, wait: string | undefined): Explanation {
  const what = status === 429 ? 'asked more often than it allows' : 'not available at the moment'
  const because = `It is ${what} (HTTP ${status}).`
  if (wait === undefined) return explained('service', because, 'Try again later.')
  const when = /^\d+$/.test(wait) ? `${wait} s` : wait
  return explained('service', because, `It asks to try again after ${when}.`)
}

function notFound(): Explanation {
  return explained(
    'caller',
    'There is nothing at this address or with this key (HTTP 404).',
    'Check the key, and whether the address is that of the service: --preview shows where the request goes.',
  )
}

function versionWanted(): Explanation {
  return explained(
    'caller',
    'It wants to know for which version of the entity this is meant, so that no change is lost (HTTP 428).',
    'Give the ETag that it had: --with ifMatch=<ETag>, or --with ifMatch=* for whatever is there; in code, ifMatch.',
  )
}

function changedMeanwhile(status: number): Explanation {
  return explained(
    'caller',
    `What is there is not as this call expects it (HTTP ${status}): somebody changed it meanwhile, or it is there already.`,
    'Fetch it again, look, and decide anew.',
  )
}

function unsupported(status: number): Explanation {
  return explained(
    'service',
    `It does not support this operation or query (HTTP ${status}), whatever its metadata says.`,
    'Ask in a simpler way, or ask its owner what it does support.',
  )
}

import { withoutLogin } from '../addresses.js'
import type { Connection, Endpoint, ThisCall } from '../connection.js'
import { checkCredential, credentialOf, loginsOf } from '../credentials.js'
import { exchange, type Request } from '../exchange.js'
import { InputRejected, type Violation } from '../failures.js'
import { readAnswerOf } from '../hearing.js'
import { answerIn, bodyAsItCame, hasFault } from './answer.js'
import { checkMembers } from './check.js'
import { soap11, soap12, writeRequest, type WriteProof } from './envelope.js'
import { headerShape, inputShape } from './message-shapes.js'
import { textOfResponse } from './message-text.js'
import { messageIn, referencesIn } from './message.js'
import { operationAt, type SoapOperation } from './operation.js'
import { Outgoing } from './parts.js'
import { byAndBy } from './pieces.js'

export type { Members, SoapAnswer, SoapOperation } from './operation.js'

/**
 * Sends one call and waits for its outcome.
 *
 * @throws InputRejected, TransportFailure, ServiceFault, ContractBreach
 */
export async function send<Input extends object, Outcome>(
  connection: Connection,
  declared: SoapOperation<Input, Outcome>,
  input: Input,
  thisCall: ThisCall = {},
): Promise<Outcome> {
  const [name, endpoint] = chooseEndpoint(connection, declared.action)
  const operation = operationAt(declared, name)
  if (connection.settings.checkInputs !== false) {
    const violations = checkInput(operation, input)
    if (violations.length > 0) throw new InputRejected(operation.name, violations)
  }
  const inMessages = loginsOf(connection).filter(({ proofOf }) => proofOf !== undefined)
  checkCredential(
    connection,
    operation.name,
    inMessages.map(({ kind }) => kind),
  )
  const request = await requestFor(connection, operation, input, name, endpoint)
  const response = await exchange(connection, request, thisCall, textOfResponse)
  return readAnswerOf(
    connection,
    thisCall,
    response,
    async (hear) => {
      const message = await messageIn(response)
      const references = operation.encoded ?? (await referencesIn(message))
      return byAndBy(answerIn(operation, message, references, hear), response.inTime)
    },
    async (hear) => {
      const message = await messageIn(response)
      return byAndBy(bodyAsItCame(message, await referencesIn(message), hear), response.inTime)
    },
  )
}

/** The request of a call: its envelope, and what travels beside it. */
async function requestFor<Input extends object, Outcome>(
  connection: Connection,
  operation: SoapOperation<Input, Outcome>,
  input: Input,
  name: string,
  endpoint: Endpoint,
): Promise<Request> {
  const { settings } = connection
  const { action: actions } = operation
  const action = typeof actions === 'string' ? actions : (actions[name] ?? '')
  const isNewer = endpoint.protocol === 'SOAP 1.2'
  const url = withoutLogin(settings.url ?? endpoint.address)
  const outgoing = new Outgoing(settings.mtom ?? endpoint.mtom)
  const isAddressed = (settings.addressing ?? endpoint.addressing) === true
  const envelope = writeRequest(operation, input, isNewer ? soap12 : soap11, {
    writeProof: await proofOf(connection),
    address: isAddressed ? { to: url, action: operation.addressedAction ?? action } : undefined,
    outgoing,
  })
  const mediaType = mediaTypeOf(isNewer, action)
  const isAlone = outgoing.parts.length === 0 && !outgoing.takesBytesOut
  const { contentType, body } = isAlone
    ? { contentType: mediaType, body: envelope }
    : (await import('./attachments.js')).writeParts(envelope, mediaType, outgoing)
  return {
    method: 'POST',
    url,
    headers: {
      'content-type': contentType,
      accept: `${isNewer ? 'application/soap+xml, text/xml' : 'text/xml'}, multipart/related`,
      ...(isNewer ? {} : { soapaction: `"${action}"` }),
    },
    body,
    deals: (each) => hasFault(textOfResponse(each)),
  }
}

/** SOAP 1.2 says the action in its media type. */
function mediaTypeOf(isNewer: boolean, action: string): string {
  if (!isNewer) return 'text/xml; charset=utf-8'
  return `application/soap+xml; charset=utf-8${action === '' ? '' : `; action="${action}"`}`
}

/** What writes the header that proves who calls, where the settings have such a credential. */
async function proofOf(connection: Connection): Promise<WriteProof | undefined> {
  for (const login of loginsOf(connection)) {
    const credential = credentialOf(connection.settings, login.kind)
    const proof = credential && (await login.proofOf?.(credential))
    if (proof !== undefined) return proof
  }
  return undefined
}

/** Every place of an input that does not satisfy the operation. */
export function checkInput<Input extends object, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  input: Input,
): Violation[] {
  const violations: Violation[] = []
  const { attachments = {} } = operation
  checkMembers(inputShape(operation), input, '', violations, [
    ...(operation.headers === undefined ? [] : ['headers']),
    ...Object.keys(attachments),
  ])
  for (const [name, type] of Object.entries(attachments))
    checkAttachment((input as Readonly<Record<string, unknown>>)[name], type, name, violations)
  const headers = (input as { readonly headers?: unknown } | null)?.headers
  if (operation.headers !== undefined && headers !== undefined)
    checkMembers(headerShape(operation), headers, 'headers', violations)
  return violations
}

function checkAttachment(
  value: unknown,
  type: string,
  path: string,
  violations: Violation[],
): void {
  const content = type === '' ? (value as { content?: unknown } | undefined)?.content : value
  if (!(content instanceof Uint8Array))
    violations.push({
      path: type === '' ? `${path}.content` : path,
      message: value === undefined ? 'is missing' : 'expected bytes',
    })
  else if (
    type === '' &&
    !/^[\w.+-]+\/[\w.+-]+(?:\s*;[^\r\n]*)?$/.test(String((value as { type?: unknown }).type))
  )
    violations.push({ path: `${path}.type`, message: 'expected a media type like "image/png"' })
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

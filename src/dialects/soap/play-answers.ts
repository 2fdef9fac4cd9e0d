import { writeParts } from '../../runtime/soap/attachments.js'
import { soap12, writeEnvelope, writeFault } from '../../runtime/soap/envelope.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import { Outgoing } from '../../runtime/soap/parts.js'
import type { PlayResponse } from '../dialect.js'
import type { LiveOperation } from './play-messages.js'

/**
 * The answer of an operation.
 *
 * @param version the namespace of the envelope
 * @param readsParts who asked can read bytes beside the message
 */
export function answerOf(
  { answer, namespace, encoded }: LiveOperation,
  version: string,
  value: unknown,
  readsParts: boolean,
): PlayResponse {
  if (answer === undefined) return { status: 202, headers: {}, body: '' }
  const outputs = (
    answer.value === undefined ? (value ?? {}) : { [answer.value]: value }
  ) as Readonly<Record<string, unknown>>
  const { headers, ...body } = outputs
  const hasHeaders = answer.headers !== undefined
  const outgoing = new Outgoing(readsParts)
  const xml = writeEnvelope(
    version,
    answer.element,
    shapeOfMembers(answer.members, namespace),
    hasHeaders ? body : outputs,
    {
      headers: hasHeaders
        ? {
            shape: shapeOfMembers(answer.headers, namespace),
            values: headers as Readonly<Record<string, unknown>> | undefined,
          }
        : undefined,
      outgoing,
      encoded: encoded !== undefined,
    },
  )
  outgoing.addAll(answer.attachments, outputs)
  return answered(version, 200, xml, outgoing)
}

/** A fault: with its detail where the operation knows it, else as the service's own. */
export function faultOf(
  { faults }: LiveOperation,
  version: string,
  {
    name,
    detail,
    reason,
  }: { readonly name: string; readonly detail: unknown; readonly reason: string },
): PlayResponse {
  const known = faults[name]
  return known === undefined
    ? answered(version, 500, writeFault(version, 'Server', reason))
    : answered(version, 500, writeFault(version, 'Client', reason, { ...known, value: detail }))
}

/** The answer to what can't be understood. */
export function refusal(version: string, reason: string): PlayResponse {
  return answered(version, 500, writeFault(version, 'Client', reason))
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

import type { Response } from '../../src/runtime/exchange.js'
import type { Hear } from '../../src/runtime/hearing.js'
import { answerIn } from '../../src/runtime/soap/answer.js'
import { readParts } from '../../src/runtime/soap/attachments.js'
import { looksReferring } from '../../src/runtime/soap/message.js'
import type { SoapOperation } from '../../src/runtime/soap/operation.js'
import { atOnce } from '../../src/runtime/soap/pieces.js'
import { literalMessages } from '../../src/runtime/soap/references.js'

/** The outcome in an answer, or the failure that it is, as a call has it. */
export function readAnswer<Input, Outcome>(
  operation: SoapOperation<Input, Outcome>,
  response: Response,
  hear: Hear,
): Outcome {
  const message = readParts(response)
  const literal = looksReferring(message.text) ? literalMessages : undefined
  return atOnce(answerIn(operation, message, operation.encoded ?? literal, hear))
}

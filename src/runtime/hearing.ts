import type { Connection, ThisCall } from './connection.js'
import type { Response } from './exchange.js'
import { CallFailure, ContractBreach, type Deviation, type Violation } from './failures.js'
import { textOf } from './response-text.js'

/** Hears of a difference between an answer and the contract. */
export type Hear = (deviation: Deviation) => void

/** So many bytes of an answer are kept with the failure that came of it. */
const mostKept = 65_536
/** So many misfits of an answer are kept. */
const mostMisfits = 100

/** Tells everybody of a deviation who wants to hear of it. */
export function hearOfDeviations(connection: Connection, thisCall: ThisCall): Hear {
  return (deviation) => {
    connection.settings.onDeviation?.(deviation)
    thisCall.onDeviation?.(deviation)
  }
}

/**
 * Reads an answer. What the reading fails of keeps the answer, and a breach also everything that
 * was found before it.
 *
 * @param read makes the outcome; `asItCame` does so where the call wants its answer unchecked
 * @throws what `read` throws
 */
export async function readAnswerOf<Outcome>(
  connection: Connection,
  thisCall: ThisCall,
  response: Response,
  read: (hear: Hear) => Outcome | Promise<Outcome>,
  asItCame: (hear: Hear) => unknown,
): Promise<Outcome> {
  const tell = hearOfDeviations(connection, thisCall)
  const found: Violation[] = []
  const hear: Hear = (deviation) => {
    if (found.length < mostMisfits) found.push(deviation)
    tell(deviation)
  }
  try {
    if (thisCall.checkAnswer !== false || response.status >= 400) return await read(hear)
    tell({ path: '', message: 'was not checked against the contract, as the call asked for' })
    return (await asItCame(hear)) as Outcome
  } catch (error) {
    throw keepAnswer(error, response, found)
  }
}

/**
 * A failure with the answer that it came of.
 *
 * @param found what was found in the answer before
 * @param brokeOff the answer did not come to its end
 */
export function keepAnswer(
  error: unknown,
  response: Response,
  found: readonly Violation[] = [],
  brokeOff = false,
): unknown {
  if (!(error instanceof CallFailure) || error.answer !== undefined) return error
  const { status, headers, body } = response
  const bytes = body.slice(0, mostKept)
  error.answer = {
    status,
    headers,
    bytes,
    text: textOf({ ...response, body: bytes }),
    isWhole: bytes.length === body.length && !brokeOff,
  }
  if (error instanceof ContractBreach) error.misfits = [...found, ...error.misfits]
  return error
}

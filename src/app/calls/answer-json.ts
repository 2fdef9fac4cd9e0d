import { present, marked } from '../../contract/present.js'
import type { Difference } from '../../exercise/differences.js'
import { maskedHeaders } from '../../exercise/masking.js'
import { toPlain } from '../../runtime/plain.js'
import type { Called } from '../call-operation.js'

/** What came of an answer when it was finished: picked, sorted, saved, compared. */
export interface FinishedAnswer {
  readonly value: unknown
  /** The file that it was saved to. */
  readonly saved?: string | undefined
  /** From an earlier answer. */
  readonly differences?: readonly Difference[] | undefined
}

/** An answer as programs get it: what `call --json` prints. */
export function answerJson(
  { result, isAccepted }: Called,
  { value, saved, differences }: FinishedAnswer,
  uncheckedInput = false,
): Record<string, unknown> {
  const response = result.exchanges.at(-1)?.response
  const { more, total, deviations, milliseconds } = result
  return {
    ok: true,
    status: response?.status,
    headers: response === undefined ? undefined : maskedHeaders(response.headers),
    value: toPlain(value),
    ...marked({ more: more === true }),
    ...present({ total }),
    ...marked({ accepted: isAccepted }),
    ...present({ saved, differences }),
    ...marked({ uncheckedInput }),
    deviations,
    milliseconds,
  }
}

import { filled, present } from '../contract/present.js'
import type { Problem } from '../contract/problem.js'

/**
 * A problem as programs get it: what commands print with `--json`.
 *
 * @param further what else is known of this one
 */
export function problemJson(
  { code, kind, message, place, details, side, advice }: Problem,
  further: Readonly<Record<string, unknown>> = {},
): object {
  return {
    ok: false,
    failure: {
      kind,
      code,
      message,
      ...present({ place }),
      ...filled({ details }),
      ...present({ side: side?.of }),
      advice,
      ...further,
    },
  }
}

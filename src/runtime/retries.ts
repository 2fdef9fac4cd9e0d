import { whenAborted } from './aborting.js'
import type { Response } from './exchange.js'
import { TransportFailure } from './failures.js'

/**
 * How long to wait before a call is tried again, in milliseconds; undefined where that is not safe,
 * or no use.
 */
export function waitBefore(
  method: string,
  outcome: Response | { readonly failure: unknown },
  tries: number,
): number | undefined {
  const usual = Math.min(500 * 2 ** tries, 10_000) * (0.75 + Math.random() / 2)
  const reads = ['GET', 'HEAD', 'OPTIONS', 'PUT', 'DELETE'].includes(method)
  if ('failure' in outcome) {
    const { failure } = outcome
    const code =
      failure instanceof TransportFailure && failure.kind === 'unreachable'
        ? String((failure.cause as { readonly code?: unknown } | undefined)?.code)
        : ''
    // What never reached the service did nothing there; what may have, is repeated only where that
    // does no harm.
    return ['ECONNREFUSED', 'EAI_AGAIN', 'UND_ERR_CONNECT_TIMEOUT'].includes(code) ||
      (reads && ['ECONNRESET', 'EPIPE', 'UND_ERR_SOCKET'].includes(code))
      ? usual
      : undefined
  }
  const { status, headers } = outcome
  if (status === 429 || status === 503) {
    if (headers['retry-after'] === undefined) return reads ? usual : undefined
    return pauseAskedFor(outcome) ?? usual
  }
  return reads && (status === 502 || status === 504) ? usual : undefined
}

/**
 * The milliseconds that an answer asks to wait for (RFC 9110, section 10.2.3); undefined where it
 * does not say.
 */
export function pauseAskedFor({ headers }: Response): number | undefined {
  const after = headers['retry-after'] ?? ''
  const seconds = /^\d+$/.test(after) ? Number(after) : (Date.parse(after) - Date.now()) / 1000
  return Number.isFinite(seconds) ? Math.max(0, seconds * 1000) : undefined
}

/** Waits, unless the call is given up meanwhile. */
export function pause(
  milliseconds: number,
  ends: readonly (AbortSignal | undefined)[],
): Promise<void> {
  const signals = ends.flatMap((signal) => signal ?? [])
  return new Promise((resolve, reject) => {
    const end = (): void => {
      clearTimeout(timer)
      for (const stop of stops) stop()
      const aborted = signals.find((signal) => signal.aborted)
      if (aborted === undefined) resolve()
      else reject(aborted.reason as Error)
    }
    const timer = setTimeout(end, milliseconds)
    const stops = signals.map((signal) => whenAborted(signal, end))
  })
}

import { whenAborted } from './aborting.js'
import type { Connection, Settings, ThisCall } from './connection.js'
import { milliseconds } from './times.js'

/** What ends a call: its time, whoever aborts it, and the end of its connection. */
export interface Clock {
  /** Aborts when the call is to end. */
  readonly signal: AbortSignal
  /** The milliseconds that the call may take. */
  readonly limit: number
  /** Did the call take longer? */
  isOver(): boolean
  /** The milliseconds since it began. */
  elapsed(): number
  /** From now on the call may take as long as it likes. */
  stop(): void
  /** Gives back what the clock holds. */
  end(): void
}

/** The milliseconds that a call may take. */
export function timeOf(settings: Settings, thisCall: ThisCall): number {
  return milliseconds(thisCall.timeLimit ?? settings.timeLimit ?? '1m')
}

/** Begins the time of a call. */
export function startClock({ settings, closed }: Connection, thisCall: ThisCall): Clock {
  const limit = timeOf(settings, thisCall)
  const started = performance.now()
  const ending = new AbortController()
  let isOver = false
  const timeout = limit === Infinity ? undefined : setTimeout(onTime, limit)
  const others = [closed.signal, thisCall.signal].flatMap((signal) => signal ?? [])
  const stops = others.map((signal) => whenAborted(signal, abort))
  if (others.some((signal) => signal.aborted)) abort()

  function onTime(): void {
    isOver = true
    ending.abort()
  }
  function abort(): void {
    ending.abort(others.find((signal) => signal.aborted)?.reason)
  }
  const stop = (): void => clearTimeout(timeout)
  return {
    signal: ending.signal,
    limit,
    isOver: () => isOver,
    elapsed: () => performance.now() - started,
    stop,
    end() {
      stop()
      for (const each of stops) each()
    },
  }
}

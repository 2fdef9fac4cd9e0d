import type { ServerResponse } from 'node:http'
import type { PlayResponse } from '../dialects/dialect.js'

/**
 * Ways in which a stand-in can fail on purpose, as services do: `busy` asks to be left alone for a
 * while (503 with Retry-After), `faulty` answers with an error of the dialect, `hang-up` breaks off
 * in the middle of an answer, `garbled` sends half of it as if that were all, `mistyped` sends a
 * text where a number or a truth value belongs, `trickle` sends it byte by byte, `silent` never
 * answers.
 */
export const misbehaviours = [
  'busy',
  'faulty',
  'hang-up',
  'garbled',
  'mistyped',
  'trickle',
  'silent',
] as const

export type Misbehaviour = (typeof misbehaviours)[number]

/** How a stand-in fails, and how often. */
export interface Temper {
  /** Taken in turn. */
  readonly kinds: readonly Misbehaviour[]
  /** Of the requests, from 0 to 1: with 0.1 each tenth one. */
  readonly rate: number
}

/**
 * Says of request after request whether it is to fail, and how: evenly, so that it can be counted
 * on.
 */
export function turnsOf({ kinds, rate }: Temper): () => Misbehaviour | undefined {
  let asked = 0
  let failed = 0
  return () => {
    asked += 1
    // So many would have failed by now; a small amount makes up for fractions that binary numbers
    // can't hold.
    if (Math.floor(asked * rate + 1e-9) <= failed) return undefined
    failed += 1
    return kinds[(failed - 1) % kinds.length]
  }
}

/**
 * The answer that a misbehaviour makes of a good one, where it is one that is sent like any other;
 * undefined where it is not.
 */
export function spoiled(kind: Misbehaviour, answer: PlayResponse): PlayResponse | undefined {
  switch (kind) {
    case 'busy':
      return {
        status: 503,
        headers: { 'content-type': 'text/plain; charset=utf-8', 'retry-after': '1' },
        body: 'Too much to do; try again later.\n',
      }
    case 'garbled':
      return {
        ...answer,
        status: answer.status === 204 ? 200 : answer.status,
        body: halfOf(answer.body),
      }
    case 'mistyped':
      return typeof answer.body === 'string' ? { ...answer, body: mistyped(answer.body) } : answer
    default:
      return undefined
  }
}

function halfOf(body: string | Uint8Array): string | Uint8Array {
  return body.length === 0 ? '{"' : body.slice(0, Math.ceil(body.length / 2))
}

/** A body with a text in the place of every number and truth value. */
function mistyped(body: string): string {
  const odd = 'not what was promised'
  const isXml = /^\s*</.test(body)
  const changed = isXml
    ? body.replace(/>(?:-?\d+(?:\.\d+)?|true|false)</g, `>${odd}<`)
    : body.replace(
        /(^|[:,[]\s*)(?:-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false)(?=\s*(?:[,}\]]|$))/g,
        `$1"${odd}"`,
      )
  return changed !== body || isXml ? changed : `"${odd}"`
}

/** Milliseconds between the bytes of `trickle`. */
const betweenBytes = 200

/**
 * Sends an answer in a way that no good server would.
 *
 * @returns whether the misbehaviour is one of those
 */
export function sendBadly(
  kind: Misbehaviour,
  { status, headers, body }: PlayResponse,
  response: ServerResponse,
): boolean {
  const bytes = Buffer.from(body as string)
  switch (kind) {
    case 'silent':
      return true
    case 'hang-up':
      if (bytes.length < 2) response.destroy()
      else {
        response.writeHead(status, { ...headers, 'content-length': bytes.length })
        response.write(bytes.subarray(0, bytes.length >> 1), () => response.destroy())
      }
      return true
    case 'trickle': {
      response.writeHead(
        status,
        bytes.length === 0 ? headers : { ...headers, 'content-length': bytes.length },
      )
      response.flushHeaders()
      let at = 0
      const next = (): void => {
        if (response.destroyed) return
        if (at >= bytes.length) response.end()
        else {
          response.write(bytes.subarray(at, at + 1))
          at += 1
          setTimeout(next, betweenBytes).unref()
        }
      }
      next()
      return true
    }
    default:
      return false
  }
}

import type { Response } from './exchange.js'
import { TransportFailure } from './failures.js'
import { present } from './present.js'
import { isJson } from './response-text.js'

/** The members of an answer in which services usually say why they refuse, the best one first. */
const telling = ['detail', 'message', 'reason', 'error', 'title', 'error_description']

/**
 * The reason that a refusal gives: the text of the member that usually says most (RFC 9457 has
 * detail and title), also inside of an object `error`.
 */
export function reasonIn(detail: unknown): string | undefined {
  if (typeof detail !== 'object' || detail === null) return undefined
  const members = Object.entries(detail)
  const named = (wanted: string): unknown =>
    members.find(([name]) => name.toLowerCase() === wanted)?.[1]
  // OData 2 has the message with its language in an object.
  const textOf = (each: unknown): unknown =>
    typeof each === 'object' && each !== null && 'lang' in each && 'value' in each
      ? each.value
      : each
  const said = telling
    .map((name) => textOf(named(name)))
    .find((value) => typeof value === 'string' && value !== '')
  return typeof said === 'string' ? said : reasonIn(named('error'))
}

/**
 * The failure that an answer is which wants a login (401, 403, 407), with the service's own reason
 * where it gives one.
 */
export function loginWanted(response: Response, url: string, text: string): TransportFailure {
  const { status } = response
  const reason = reasonOf(response, text)
  const message =
    reason === undefined
      ? `the service wants a login (HTTP ${String(status)})`
      : `the service refuses (HTTP ${String(status)}): ${reason}`
  return new TransportFailure('login', message, {
    url,
    status,
    ...present({ reason }),
  })
}

function reasonOf({ headers }: Response, text: string): string | undefined {
  const type = headers['content-type'] ?? ''
  if (isJson(type))
    try {
      return reasonIn(JSON.parse(text))
    } catch {
      return undefined
    }
  const line = text.trim()
  return /^text\/plain\b/i.test(type) && line !== '' && line.length <= 300 ? line : undefined
}

import { messageOf } from '../contract/system-error.js'
import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import type { PlayRequest, PlayResponse } from '../dialects/dialect.js'

/** An answer that was recorded, and the request that it belongs to. */
interface Entry {
  readonly method: string
  readonly path: string
  readonly query: string
  readonly body: string
  readonly answer: PlayResponse
}

/** Recorded answers of a service. */
export interface Recorded {
  readonly entries: readonly Entry[]
}

/**
 * Reads recorded exchanges from an HTTP archive (HAR 1.2), whoever wrote it.
 *
 * @param file its name, for messages
 * @throws Problem TM-1020 when it is none
 */
export function readRecorded(text: string, file: string): Recorded {
  let archive: unknown
  try {
    archive = JSON.parse(text)
  } catch (error) {
    throw problem('TM-1020', { file, reason: messageOf(error) }, { cause: error })
  }
  const log = isPlainObject(archive) ? archive['log'] : undefined
  const entries = isPlainObject(log) ? log['entries'] : undefined
  if (!Array.isArray(entries))
    throw problem('TM-1020', { file, reason: 'it has no "log" with "entries"' })
  return { entries: entries.map((entry, at) => readEntry(entry, at, file)) }
}

function readEntry(entry: unknown, at: number, file: string): Entry {
  const { request, response } = entry as {
    request?: { method?: unknown; url?: unknown; postData?: { text?: unknown } }
    response?: {
      status?: unknown
      headers?: { name?: unknown; value?: unknown }[]
      content?: { text?: unknown; encoding?: unknown; mimeType?: unknown }
    }
  }
  if (
    typeof request?.method !== 'string' ||
    typeof request.url !== 'string' ||
    !URL.canParse(request.url) ||
    typeof response?.status !== 'number'
  )
    throw problem('TM-1020', {
      file,
      reason: `entry ${at + 1} lacks a request with method and url, or a response with a status`,
    })
  const { pathname, search } = new URL(request.url)
  const { content } = response
  const text = typeof content?.text === 'string' ? content.text : ''
  const headers = Object.fromEntries(
    (Array.isArray(response.headers) ? response.headers : []).flatMap(({ name, value }) =>
      typeof name === 'string' && typeof value === 'string' && isKept(name)
        ? [[name.toLowerCase(), value]]
        : [],
    ),
  )
  if (
    headers['content-type'] === undefined &&
    typeof content?.mimeType === 'string' &&
    content.mimeType !== ''
  )
    headers['content-type'] = content.mimeType
  return {
    method: request.method.toUpperCase(),
    path: pathname,
    query: normalQuery(search),
    body: normalBody(typeof request.postData?.text === 'string' ? request.postData.text : ''),
    answer: {
      status: response.status,
      headers,
      body: content?.encoding === 'base64' ? new Uint8Array(Buffer.from(text, 'base64')) : text,
    },
  }
}

/** Headers that belong to the connection, or to the length of what was sent then, are made anew. */
function isKept(name: string): boolean {
  return !/^(?::.*|connection|keep-alive|transfer-encoding|content-length|content-encoding|date|set-cookie)$/i.test(
    name,
  )
}

/**
 * Plays recorded answers: to the same request the same answer; to one that was recorded several
 * times, one after the other, and the last from then on.
 */
export class RecordedState {
  private readonly recorded: Recorded
  private readonly played = new Map<string, number>()

  constructor(recorded: Recorded) {
    this.recorded = recorded
  }

  /**
   * The answer to a request, or undefined when there is none.
   *
   * @param prefix the part of its path that is the stand-in's own
   */
  play(request: PlayRequest, prefix: string): PlayResponse | undefined {
    const [path = '', search = ''] = request.target.split('?')
    const below = path.slice(prefix.length)
    const [query, body] = [normalQuery(search), normalBody(new TextDecoder().decode(request.body))]
    const fitting = this.recorded.entries.filter(
      (entry) =>
        entry.method === request.method &&
        sameBut(entry.query, query) &&
        sameBut(entry.body, body) &&
        entry.path.endsWith(below),
    )
    if (fitting.length === 0) return undefined
    const key = JSON.stringify([request.method, below, query, body])
    const turn = this.played.get(key) ?? 0
    this.played.set(key, turn + 1)
    return fitting[Math.min(turn, fitting.length - 1)]?.answer
  }
}

/** What stands in archives where a secret was. */
const mask = '***'

/** Are two texts the same, but for what was masked in the recorded one? */
function sameBut(recorded: string, asked: string): boolean {
  if (!recorded.includes(mask)) return recorded === asked
  const pattern = recorded
    .split(mask)
    .map((part) => part.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'))
    .join('[\\s\\S]*?')
  return new RegExp(`^${pattern}$`).test(asked)
}

function normalQuery(search: string): string {
  return [...new URLSearchParams(search)]
    .map((pair) => pair.join('='))
    .sort()
    .join('&')
}

/** A body without what differs from request to request: the boundary of its parts. */
function normalBody(body: string): string {
  const boundary = /^--(\S{8,70})\r?$/m.exec(body)?.[1]
  return (boundary === undefined ? body : body.replaceAll(boundary, 'boundary'))
    .replaceAll('\r\n', '\n')
    .trim()
}

import { bodyFromJson, bodyInJson } from '../../../runtime/odata/batch.js'
import { joinBytes } from '../../../runtime/plain.js'
import { exactJson } from '../../../runtime/json/exact-json.js'
import { isObject } from '../../../runtime/json/values.js'
import { headAndRest, parameterOf, splitParts, type Part } from '../../../runtime/mime.js'
import { isJson } from '../../../runtime/response-text.js'
import type { PlayRequest, PlayResponse, SeveralCalls } from '../../dialect.js'

/**
 * Batches as a service reads and answers them (Protocol, section 11.7; JSON Format, section 19).
 */

/** Something in a batch that makes no sense. */
export class NotABatch extends Error {}

interface Inner {
  readonly id: string
  readonly request: PlayRequest
}

/** The calls in a batch. @throws NotABatch */
export function readBatch(request: PlayRequest): SeveralCalls {
  const root = request.target.replace(/\/\$batch(?:\?.*)?$/, '')
  const type = request.headers['content-type'] ?? ''
  const goesOn = /continue-on-error(?!=false)/.test(request.headers['prefer'] ?? '')
  if (isJson(type)) {
    const units = jsonUnits(new TextDecoder().decode(request.body), root)
    return { units, goesOn, resolved, answer: (answers) => jsonAnswers(units, answers) }
  }
  const parts = partsOf({ headers: request.headers, content: request.body })
  if (parts === undefined)
    throw new NotABatch(`a batch is multipart/mixed with a boundary, or JSON, not "${type}"`)
  const units = parts.map((part): Inner[] => {
    const inside = partsOf(part)
    if (inside === undefined) {
      const only = innerRequest(part, root)
      if (only.request.method !== 'GET' && only.request.method !== 'HEAD')
        throw new NotABatch(
          `${only.request.method} ${only.request.target} changes something and must stand in a change set`,
        )
      return [only]
    }
    const all = inside.map((each) => innerRequest(each, root))
    const query = all.find((each) => each.request.method === 'GET')
    if (query !== undefined)
      throw new NotABatch(
        `GET ${query.request.target} changes nothing and can't stand in a change set`,
      )
    return all
  })
  const sets = parts.map((part) => partsOf(part) !== undefined)
  return { units, goesOn, resolved, answer: (answers) => partAnswers(units, sets, answers) }
}

function partsOf(part: Part): Part[] | undefined {
  const type = part.headers['content-type'] ?? ''
  const boundary = parameterOf(type, 'boundary')
  return /^multipart\/mixed/i.test(type) && boundary !== undefined
    ? splitParts(part.content, boundary)
    : undefined
}

function innerRequest(part: Part, root: string): Inner {
  if (!/^application\/http/i.test(part.headers['content-type'] ?? ''))
    throw new NotABatch('a part of a batch is application/http, or a change set')
  const lineEnd = part.content.indexOf(10)
  const line = new TextDecoder().decode(part.content.subarray(0, lineEnd)).trim()
  const [, method, address] = /^(\w+) (\S+) HTTP\/1\.1$/.exec(line) ?? []
  if (method === undefined || address === undefined)
    throw new NotABatch(`"${line}" is no request line`)
  const inner = headAndRest(part.content.subarray(lineEnd + 1))
  if (inner === undefined)
    throw new NotABatch(`the headers of "${line}" do not end with an empty line`)
  return {
    id: part.headers['content-id'] ?? inner.headers['content-id'] ?? '',
    request: {
      method,
      target: targetOf(address, root),
      headers: inner.headers,
      body: inner.content,
    },
  }
}

/** An address of a batch: absolute, from the host, or below the service root. */
function targetOf(address: string, root: string): string {
  if (/^https?:/i.test(address)) {
    const url = new URL(address)
    return url.pathname + url.search
  }
  return address.startsWith('/') ? address : `${root}/${address}`
}

function jsonUnits(text: string, root: string): Inner[][] {
  const json: unknown = exactJson(text)
  const requests = isObject(json) ? json['requests'] : undefined
  if (!Array.isArray(requests) || !requests.every(isObject))
    throw new NotABatch('a batch in JSON has a list "requests"')
  const units: { group: unknown; calls: Inner[] }[] = []
  for (const each of requests) {
    const [id, method, url] = ['id', 'method', 'url'].map((name) => each[name])
    if (typeof id !== 'string' || typeof method !== 'string' || typeof url !== 'string')
      throw new NotABatch('a request of a batch has "id", "method" and "url"')
    const headers = Object.fromEntries(
      Object.entries(isObject(each['headers']) ? each['headers'] : {}).map(([name, value]) => [
        name.toLowerCase(),
        String(value),
      ]),
    )
    const call = {
      id,
      request: {
        method: method.toUpperCase(),
        target: targetOf(url, root),
        headers,
        body: bodyFromJson(each['body'], headers['content-type'] ?? 'application/json'),
      },
    }
    const group = each['atomicityGroup']
    const open = group === undefined ? undefined : units.find((unit) => unit.group === group)
    if (open === undefined) units.push({ group, calls: [call] })
    else open.calls.push(call)
  }
  return units.map(({ calls }) => calls)
}

/**
 * Puts the addresses of what was made in the place of `$<id>`: at the start of an address, and
 * where something is bound.
 */
function resolved(request: PlayRequest, made: ReadonlyMap<string, string>): PlayRequest {
  const text = new TextDecoder().decode(request.body)
  let [{ target }, body] = [request, text]
  for (const [id, address] of made) {
    const { pathname } = new URL(address)
    target = target.replace(new RegExp(`^(.*?)/\\$${id}(?=[/?]|$)`), () => pathname)
    body = body.replaceAll(`"$${id}"`, () => JSON.stringify(address))
  }
  return { ...request, target, body: body === text ? request.body : new TextEncoder().encode(body) }
}

function partAnswers(
  units: readonly (readonly Inner[])[],
  sets: readonly boolean[],
  answers: readonly (readonly PlayResponse[])[],
): PlayResponse {
  const boundary = `answers-${crypto.randomUUID()}`
  const pieces: (string | Uint8Array)[] = []
  answers.forEach((group, at) => {
    const calls = units[at] ?? []
    const isSet = sets[at] === true && group.every(({ status }) => status < 400)
    const inner = `changes-${crypto.randomUUID()}`
    pieces.push(`--${boundary}\r\n`)
    if (isSet) pieces.push(`Content-Type: multipart/mixed; boundary=${inner}\r\n\r\n`)
    group.forEach((answer, position) => {
      if (isSet) pieces.push(`--${inner}\r\n`)
      const headers = Object.entries(answer.headers)
        .map(([name, value]) => `${name}: ${value}\r\n`)
        .join('')
      const id = group.length === calls.length ? (calls[position]?.id ?? '') : ''
      pieces.push(
        `Content-Type: application/http\r\nContent-Transfer-Encoding: binary\r\n${id === '' ? '' : `Content-ID: ${id}\r\n`}\r\nHTTP/1.1 ${answer.status} Status\r\n${headers}\r\n`,
        answer.body,
        '\r\n',
      )
    })
    if (isSet) pieces.push(`--${inner}--\r\n`)
  })
  pieces.push(`--${boundary}--\r\n`)
  const encoder = new TextEncoder()
  return {
    status: 200,
    headers: { 'content-type': `multipart/mixed; boundary=${boundary}` },
    body: joinBytes(
      pieces.map((piece) => (typeof piece === 'string' ? encoder.encode(piece) : piece)),
    ),
  }
}

function jsonAnswers(
  units: readonly (readonly Inner[])[],
  answers: readonly (readonly PlayResponse[])[],
): PlayResponse {
  const responses = answers.flatMap((group, at) =>
    (units[at] ?? []).flatMap(({ id }, position) => {
      // What failed together has the failure of the one that failed.
      const answer = group.length === 1 ? group[0] : group[position]
      if (answer === undefined) return []
      const type = answer.headers['content-type'] ?? ''
      const { body } = answer
      const content = body.length === 0 ? '' : `,"body":${bodyInJson(body, type)}`
      return [
        `{"id":${JSON.stringify(id)},"status":${answer.status},"headers":${JSON.stringify(answer.headers)}${content}}`,
      ]
    }),
  )
  return {
    status: 200,
    headers: { 'content-type': 'application/json' },
    body: `{"responses":[${responses.join(',')}]}`,
  }
}

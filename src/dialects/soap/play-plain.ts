import type { Contract, Operation } from '../../contract/contract.js'
import { endpointsOffering } from '../../contract/queries.js'
import { ContractBreach } from '../../runtime/failures.js'
import { settled, type AnyTextCodec, type Entry } from '../../runtime/soap/codec.js'
import type { PlainOperation } from '../../runtime/soap/plain-http.js'
import { shapeOfMembers } from '../../runtime/soap/message-shapes.js'
import { readText, Reading } from '../../runtime/soap/xml-reader.js'
import { writeElement, XmlWriter } from '../../runtime/soap/xml-writer.js'
import type { PlayRequest, PlayResponse, UnderstoodCall } from '../dialect.js'

type Plain = {
  readonly operation: Operation
  readonly live: PlainOperation<Record<string, unknown>, unknown>
}

/**
 * Plays the service's side of operations by plain HTTP: undefined when the request is for none of
 * them.
 */
export function understandPlain(
  contract: Contract,
  operations: readonly Plain[],
  request: PlayRequest,
): UnderstoodCall | PlayResponse | undefined {
  const [path = '', query = ''] = request.target.split('?')
  for (const { operation, live } of operations) {
    const pattern = `/${live.location.replace(/^\/+/, '')}`
      .split(/\([^)]*\)/)
      .map((piece) => piece.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&'))
    const found =
      live.verb === request.method ? new RegExp(`${pattern.join('([^/]*)')}$`).exec(path) : null
    if (found === null) continue
    const [endpoint] = endpointsOffering(contract, operation)
    if (endpoint === undefined) continue
    try {
      const given = givenIn(live, found.slice(1), query, request)
      const input = Object.fromEntries(
        shapeOfMembers(live.input, '').entries.flatMap((entry) => valueOf(entry, given)),
      )
      return {
        operation,
        endpoint,
        input,
        answer: (value) => answered(live, value),
        fault: (_fault, _detail, reason) => ({
          status: 500,
          headers: { 'content-type': 'text/plain; charset=utf-8' },
          body: reason,
        }),
      }
    } catch (error) {
      if (!(error instanceof ContractBreach || error instanceof URIError)) throw error
      return {
        status: 400,
        headers: { 'content-type': 'text/plain; charset=utf-8' },
        body: `The request does not satisfy the contract: ${error.message}\n`,
      }
    }
  }
  return undefined
}

/** The parameters of a request, by name. @throws URIError for escapes in its path that are none */
function givenIn(
  live: Plain['live'],
  inPath: readonly string[],
  query: string,
  { body }: PlayRequest,
): URLSearchParams {
  if (live.parameters === 'form') return new URLSearchParams(new TextDecoder().decode(body))
  if (live.parameters !== 'path') return new URLSearchParams(query)
  const names = [...live.location.matchAll(/\(([^)]*)\)/g)].map(([, name = '']) => name)
  return new URLSearchParams(
    names.map((name, at): [string, string] => [name, decodeURIComponent(inPath[at] ?? '')]),
  )
}

function valueOf({ key, name, codec, member }: Entry, given: URLSearchParams): [string, unknown][] {
  const texts = given.getAll(name[1])
  const reading = new Reading({ resolve: () => undefined }, ({ message }) => {
    throw new ContractBreach(key, 'a value of the contract', message)
  })
  const expected = codec()
  if ('items' in expected)
    return [
      [
        key,
        texts.map((text) => readText(settled(expected.of) as AnyTextCodec, text, reading, key)),
      ],
    ]
  const [only] = texts
  if (only === undefined && member.optional !== true)
    throw new ContractBreach(key, 'a value', 'none')
  return only === undefined ? [] : [[key, readText(expected as AnyTextCodec, only, reading, key)]]
}

function answered({ answer }: Plain['live'], value: unknown): PlayResponse {
  if (answer === undefined) return { status: 200, headers: {}, body: '' }
  if (answer === 'text')
    return {
      status: 200,
      headers: { 'content-type': 'text/plain; charset=utf-8' },
      body: String(value),
    }
  if (answer === 'bytes')
    return {
      status: 200,
      headers: { 'content-type': 'application/octet-stream' },
      body: value as Uint8Array,
    }
  const writer = new XmlWriter({})
  writeElement(writer, answer.element, settled(answer.codec), value)
  return {
    status: 200,
    headers: { 'content-type': 'text/xml; charset=utf-8' },
    body: `<?xml version="1.0" encoding="utf-8"?>\n${writer.finish()}`,
  }
}

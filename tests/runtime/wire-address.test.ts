import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals'
import fc from 'fast-check'
import type { Exchange } from '../../src/runtime/connection.js'
import { exchange } from '../../src/runtime/exchange.js'
import { InputRejected } from '../../src/runtime/failures.js'
import { writeParameters, type AnyHttpOperation } from '../../src/runtime/http/http.js'
import { anything } from '../../src/runtime/json/values.js'
import { keyText } from '../../src/runtime/odata/addresses.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import { v4 } from '../../src/runtime/odata/v4.js'
import { shapeOfMembers } from '../../src/runtime/soap/message-shapes.js'
import { plainRequest } from '../../src/runtime/soap/plain-http.js'
import * as xml from '../../src/runtime/soap/simple.js'
import { climbs } from '../../src/runtime/wire-address.js'

/** What a server saw of the address of the request that came last. */
let seen = ''
const server = createServer((request, response) => {
  seen = request.url ?? ''
  response.end()
})
let base: string
beforeAll(async () => {
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  base = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
})
afterAll(() => {
  server.close()
  server.closeAllConnections()
})

/** Sends a request there; gives the address that was observed, which `--traffic` prints. */
async function observed(target: string): Promise<string> {
  const addresses: string[] = []
  const onExchange = ({ request }: Exchange): void => void addresses.push(request.url)
  const connection = {
    endpoints: {},
    closed: new AbortController(),
    settings: { url: base, onExchange },
  }
  const request = { method: 'GET', url: base + target, headers: {} }
  await exchange(connection, request, {}, () => '')
  return addresses[0] ?? ''
}

const hostile = fc.oneof(
  fc.constantFrom(
    '.',
    '..',
    '%2e',
    '%2E.',
    '...',
    'a/../b',
    '..\\',
    '/',
    '?',
    '#x',
    '\t',
    ' ',
    ';',
  ),
  fc.string({ unit: 'binary', maxLength: 8 }),
  fc.stringMatching(/^[.%2e/\\?#;:@&=+ '"<>|^`{}[\]~!$*()\n]{1,6}$/),
)

const parameter = (place: 'path' | 'query', style: string, explode: boolean): AnyHttpOperation =>
  ({
    name: 'moor',
    method: 'GET',
    path: place === 'path' ? '/berths/{x}/ships' : '/berths',
    parameters: { x: { in: place, style, explode, is: anything } },
    answers: {},
  }) as unknown as AnyHttpOperation

describe('the address that is shown is the one that a server gets, and no value leads elsewhere:', () => {
  const styles = [
    ...['simple', 'label', 'matrix'].map((style) => ['path', style] as const),
    ...['form', 'spaceDelimited', 'pipeDelimited'].map((style) => ['query', style] as const),
  ]
  it.each(styles)('in the %s, %s', async (place, style) => {
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(hostile, fc.array(hostile, { minLength: 1, maxLength: 3 })),
        fc.boolean(),
        async (x, explode) => {
          const made = (): string => writeParameters(parameter(place, style, explode), { x }).target
          let target: string
          try {
            target = made()
          } catch (error) {
            expect(error).toBeInstanceOf(InputRejected)
            return
          }
          expect(await observed(target)).toBe(base + seen)
          const [before, , after] = seen.split('?')[0]?.split('/').slice(1) ?? []
          expect([before, after]).toEqual(['berths', place === 'path' ? 'ships' : undefined])
        },
      ),
      { numRuns: 150 },
    )
  })

  it('in keys of OData', async () => {
    const structure = { type: 'Ns.Ship', keys: ['Code'], members: { Code: { is: edm4.string } } }
    await fc.assert(
      fc.asyncProperty(hostile, async (code) => {
        const target = `/Ships${keyText(structure, code, v4)}/Owner`
        expect(await observed(target)).toBe(base + seen)
        expect(seen.split('/')).toHaveLength(3)
      }),
      { numRuns: 150 },
    )
  })

  it('in addresses of SOAP services over plain HTTP', async () => {
    const shape = shapeOfMembers({ x: { element: xml.text } }, '')
    await fc.assert(
      fc.asyncProperty(hostile, async (code) => {
        const operation = { location: '/berths/(x)/ships', parameters: { x: 'path' } } as never
        const { address } = plainRequest(operation, shape, { x: code }, base)
        const sent = observed(address.slice(base.length))
        if (climbs(address.slice(base.length))) await expect(sent).rejects.toThrow(InputRejected)
        else expect(await sent).toBe(base + seen)
      }),
      { numRuns: 150 },
    )
  })
})

it('a base with such steps is the business of who gave it', async () => {
  const connection = {
    endpoints: { quay: { address: `${base}/a/../b`, protocol: 'HTTP' } },
    closed: new AbortController(),
    settings: {},
  }
  const request = (below: string): Parameters<typeof exchange>[1] => ({
    method: 'GET',
    url: `${base}/a/../b${below}`,
    headers: {},
  })
  await exchange(connection, request('/x'), {}, () => '')
  expect(seen).toBe('/b/x')
  await expect(exchange(connection, request('/../x'), {}, () => '')).rejects.toThrow(InputRejected)
})

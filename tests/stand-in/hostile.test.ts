import { writeFile } from 'node:fs/promises'
import { request } from 'node:http'
import { connect } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals'
import { serveContracts } from '../../src/app/serve-contracts.js'
import { freshFolder } from '../support/program.js'

/**
 * A description whose media type is no text for a header, beside an operation that is as it should
 * be.
 */
const description = {
  openapi: '3.1.0',
  info: { title: 'Odd', version: '1' },
  paths: {
    '/odd': {
      get: {
        operationId: 'odd',
        responses: {
          200: {
            description: 'odd',
            content: {
              'text/plain; x=é\r\nX-Injected: 1': { schema: { type: 'string' } },
              'text/☃': { schema: { type: 'string' } },
            },
          },
        },
      },
    },
    '/renamed': {
      post: {
        operationId: 'renamed',
        requestBody: {
          content: { 'application/json': { schema: { $ref: '#/components/schemas/Tug' } } },
        },
        responses: { 204: { description: 'taken' } },
      },
    },
    '/fine': {
      get: {
        operationId: 'fine',
        responses: {
          200: {
            description: 'fine',
            content: { 'application/json': { schema: { type: 'integer' } } },
          },
        },
      },
    },
  },
  components: {
    schemas: {
      Tug: {
        allOf: [{ $ref: '#/components/schemas/Ship' }],
        type: 'object',
        properties: { pull: { type: 'number' } },
      },
      Ship: { allOf: [{ $ref: '#/components/schemas/Vessel' }] },
      Vessel: { type: 'object', properties: { name: { type: 'string' } } },
    },
  },
}

describe('a stand-in of a hostile description, asked by hostile callers', () => {
  let standIn: Awaited<ReturnType<typeof serveContracts>>
  let port: number
  let path: string
  /** Headers are lists, so that there may be any. */
  const get = (target: string, host: string): Promise<{ status: number; body: string }> =>
    new Promise((resolve, reject) => {
      request(
        {
          host: '127.0.0.1',
          port,
          path: `${path}${target}`,
          setHost: false,
          headers: ['Host', host, 'Connection', 'close'],
        },
        (response) => {
          const pieces: Buffer[] = []
          response
            .on('data', (piece: Buffer) => pieces.push(piece))
            .on('end', () =>
              resolve({ status: response.statusCode ?? 0, body: Buffer.concat(pieces).toString() }),
            )
        },
      )
        .on('error', reject)
        .end()
    })

  beforeAll(async () => {
    const file = join(await freshFolder(), 'odd.json')
    await writeFile(file, JSON.stringify(description))
    standIn = await serveContracts([file])
    const service = new URL(standIn.addresses[0]?.service ?? '')
    port = Number(service.port)
    path = service.pathname
  })
  afterAll(() => standIn.stop())

  it("answers what it can, and says why it can't answer the rest", async () => {
    expect(await get('/odd', `127.0.0.1:${String(port)}`)).toEqual({
      status: 500,
      body: expect.stringContaining('Invalid character in header content ["content-type"]'),
    })
    expect(await get('/fine', `127.0.0.1:${String(port)}`)).toMatchObject({
      status: 200,
      body: expect.stringMatching(/^-?\d+$/),
    })
  })

  it('understands a part that is another type by a further name', async () => {
    const sent = await fetch(`http://127.0.0.1:${String(port)}${path}/renamed`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: '{"name":"Svale","pull":40}',
    })
    expect([sent.status, await sent.text()]).toEqual([204, ''])
  })

  it.each(['127.0.0.1:1', 'localhost', 'LOCALHOST:8080', '127.0.0.1', '[::1]:80'])(
    'is at home as %s',
    async (host) => {
      expect((await get('/fine', host)).status).toBe(200)
    },
  )

  it.each([
    'harbour.example',
    'harbour.example:80',
    'localhost.harbour.example',
    '127.0.0.1.harbour.example',
  ])(
    'is not at home under the name "%s", which a page of the web could have given it',
    async (host) => {
      expect((await get('/fine', host)).status).toBe(421)
    },
  )

  it('lives on when a caller leaves in the middle, or speaks no HTTP', async () => {
    for (const words of [
      'GET /',
      'POST / HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\nhalf',
      '\u0000\u0001\u0002\r\n\r\n',
      `GET / HTTP/1.1\r\nHost: localhost\r\nContent-Length: -1\r\n\r\n`,
    ])
      await new Promise<void>((resolve) => {
        const socket = connect(port, '127.0.0.1', () =>
          socket.write(words, () => setTimeout(() => socket.destroy(), 20)),
        )
        socket.on('error', () => undefined).on('close', () => resolve())
      })
    expect((await get('/fine', 'localhost')).status).toBe(200)
  })
})

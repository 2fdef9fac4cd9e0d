import { writeFile } from 'node:fs/promises'
import type { IncomingMessage, ServerResponse } from 'node:http'
import { join } from 'node:path'
import { afterAll, beforeAll, beforeEach, describe, expect, test } from '@jest/globals'
import { freshFolder, startServer, tolmach, tolmachJson, type Ran } from '../support/program.js'

const description = {
  openapi: '3.1.0',
  info: { title: 'Dredging', version: '1' },
  paths: {
    '/dredgings': {
      post: {
        operationId: 'dredge',
        responses: {
          200: {
            description: 'What was moved.',
            content: {
              'application/json': {
                schema: { type: 'object', properties: { tons: { type: 'integer' } } },
              },
            },
          },
          202: { description: 'Begun.' },
        },
      },
    },
  },
}
const metadata = `<edmx:Edmx Version="4.0" xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx"><edmx:DataServices>
  <Schema Namespace="Dredging" xmlns="http://docs.oasis-open.org/odata/ns/edm">
    <Action Name="dredge"><ReturnType Type="Edm.Int32" Nullable="false"/></Action>
    <EntityContainer Name="All"><ActionImport Name="dredgings" Action="Dredging.dredge"/></EntityContainer>
  </Schema></edmx:DataServices></edmx:Edmx>`

describe('what is accepted is followed to its end, when that is wished', () => {
  let folder: string
  let server: Awaited<ReturnType<typeof startServer>>
  let asked: string[]
  let finish: (response: ServerResponse, request: IncomingMessage) => void
  const done = (response: ServerResponse): void => {
    response.setHeader('content-type', 'application/json')
    response.end('{"tons":40}')
  }
  const accepted = (response: ServerResponse, location = '/dredgings/7/state'): void => {
    response.writeHead(202, { location, 'retry-after': '0' }).end()
  }
  const call = (...words: string[]): Promise<Ran> =>
    tolmach(folder, ['call', 'dredging.json', 'dredge', '--url', server.url, ...words])

  beforeAll(async () => {
    folder = await freshFolder()
    await writeFile(join(folder, 'dredging.json'), JSON.stringify(description))
    await writeFile(join(folder, 'dredging.xml'), metadata)
    server = await startServer((request, response) => {
      asked.push(`${request.method ?? ''} ${request.url ?? ''} ${request.headers['x-who'] ?? ''}`)
      if (request.method === 'POST') accepted(response)
      else if (request.url === '/dredgings/7') done(response)
      else finish(response, request)
    })
  })
  beforeEach(() => {
    asked = []
    finish = done
  })
  afterAll(() => server.stop())

  test('without that, it is told how to', async () => {
    const { code, stderr } = await call()
    expect({ code, asked }).toEqual({ code: 0, asked: ['POST /dredgings '] })
    expect(stderr).toContain('The service accepted the call and works on it: --wait 5m')
  })

  test('the address is asked until it is done, with the headers of the call', async () => {
    finish = (response) => (asked.length < 4 ? accepted(response) : done(response))
    const { stdout } = await call('--wait', '30s', '--header', 'x-who=tug', '--format', 'json')
    expect(JSON.parse(stdout)).toEqual({ status: 200, body: { tons: 40 } })
    expect(asked).toEqual([
      'POST /dredgings tug',
      ...Array.from({ length: 3 }, () => 'GET /dredgings/7/state tug'),
    ])
  })

  test('where the result lies at another address of the service, it is fetched there', async () => {
    finish = (response) => response.writeHead(303, { location: '/dredgings/7' }).end()
    expect(JSON.parse((await call('--wait', '30s', '--format', 'json')).stdout)).toMatchObject({
      body: { tons: 40 },
    })
  })

  test('an OData service may put the whole answer inside of another (4.0 Protocol, section 13.2)', async () => {
    finish = (response) =>
      response
        .writeHead(200, { 'content-type': 'application/http' })
        .end('HTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n{"value":40}')
    expect(
      await tolmachJson(folder, [
        'call',
        'dredging.xml',
        'dredgings',
        '--url',
        server.url,
        '--wait',
        '30s',
      ]),
    ).toMatchObject({ value: 40 })
  })

  test('not in time is a failure that says where to ask later; another service is not asked', async () => {
    finish = (response) => accepted(response)
    const late = await call('--wait', '300ms')
    expect(late).toMatchObject({ code: 4, stdout: '' })
    expect(late.stderr).toMatch(/TM-4007[\s\S]*dredgings\/7\/state[\s\S]*--wait/)
    finish = (response) => accepted(response, 'http://127.0.0.1:9/elsewhere')
    const { code, stderr } = await call('--wait', '30s')
    expect({ code, stderr }).toEqual({
      code: 4,
      stderr: expect.stringContaining('another service') as unknown,
    })
  })
})

import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import { freshFolder, startServer, tolmach } from '../support/program.js'

const operation = (operationId: string, security?: object[]): object => ({
  get: {
    operationId,
    ...(security === undefined ? {} : { security }),
    responses: {
      200: { description: 'd', content: { 'application/json': { schema: { type: 'string' } } } },
    },
  },
})
const description = (url: string): string =>
  JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Gate', version: '1' },
    servers: [{ url }],
    security: [{ clerk: [], gate: [] }],
    paths: {
      '/both': operation('readBoth'),
      '/either': operation('readEither', [{ gate: [] }, { clerk: [] }]),
      '/other': operation('readOther', [{ crumb: [] }]),
      '/open': operation('readOpen', []),
    },
    components: {
      securitySchemes: {
        clerk: { type: 'http', scheme: 'bearer' },
        gate: { type: 'apiKey', in: 'query', name: 'gate' },
        crumb: { type: 'apiKey', in: 'cookie', name: 'crumb' },
      },
    },
  })

test('several schemes at once, alternatives and none, for each operation as the contract says', async () => {
  const folder = await freshFolder()
  const seen: string[] = []
  const server = await startServer((request, response) => {
    seen.push(
      [request.url, request.headers.authorization ?? '-', request.headers.cookie ?? '-'].join(' '),
    )
    response.setHeader('content-type', 'application/json').end('"done"')
  })
  await writeFile(join(folder, 'gate.json'), description(server.url))
  expect((await tolmach(folder, ['import', 'gate.json', '--as', 'gate', '--quiet'])).code).toBe(0)
  const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
  const credentials =
    'credentials:\n  clerkToken: { kind: bearer, token: $CLERK }\n  gateKey: { kind: key, value: $GATE }\n  crumbKey: { kind: key, value: $CRUMB }\n'
  await writeFile(join(folder, '.env'), 'CLERK=clerk-word\nGATE=gate-word\nCRUMB=crumb-word\n')
  const withCredential = (map: string): Promise<void> =>
    writeFile(
      join(folder, 'tolmach.yaml'),
      project.replace('class: Gate\n', `class: Gate\n    credential: ${map}\n`) + credentials,
    )
  const call = async (name: string): Promise<unknown> => {
    const { code, stderr } = await tolmach(folder, ['call', 'gate', name])
    return [code, code === 0 ? seen.splice(0) : stderr]
  }

  await withCredential('{ clerk: clerkToken, gate: gateKey, crumb: crumbKey }')
  expect(await call('readBoth')).toEqual([0, ['/both?gate=gate-word Bearer clerk-word -']])
  expect(await call('readEither')).toEqual([0, ['/either?gate=gate-word - -']])
  expect(await call('readOther')).toEqual([0, ['/other - crumb=crumb-word']])
  expect(await call('readOpen')).toEqual([0, ['/open - -']])

  // Of alternatives the one there is everything for; with less than is wanted the service is asked,
  // and tells.
  await withCredential('{ clerk: clerkToken }')
  expect(await call('readEither')).toEqual([0, ['/either Bearer clerk-word -']])
  expect(await call('readBoth')).toEqual([0, ['/both Bearer clerk-word -']])
  await withCredential('gateKey')
  expect(await call('readOpen')).toEqual([0, ['/open - -']])
  await withCredential('{ clark: clerkToken }')
  expect(await call('readBoth')).toEqual([
    2,
    expect.stringMatching(/TM-1026.*"clark", which gate does not know[^]*Nearest: "clerk"/),
  ])
  expect(seen).toEqual([])
  await server.stop()
})

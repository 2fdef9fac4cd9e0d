import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import { freshFolder, startServer, tolmach } from '../support/program.js'

const text = { type: 'string' }
const answer = (schema: object): object => ({
  200: { description: 'd', content: { 'application/json': { schema } } },
})
const query = (...names: string[]): object[] =>
  names.map((name) => ({ name, in: 'query', required: true, schema: text }))
const description = (url: string): string =>
  JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'Gate', version: '1' },
    servers: [{ url }],
    paths: {
      '/in': {
        post: {
          operationId: 'logIn',
          parameters: query('user', 'password'),
          responses: answer({ type: 'object', properties: { sessionId: text } }),
        },
      },
      '/out': {
        post: { operationId: 'logOut', parameters: query('session'), responses: answer(text) },
      },
      '/berths': {
        get: {
          operationId: 'listBerths',
          parameters: [...query('session'), { name: 'basin', in: 'query', schema: text }],
          responses: answer({ type: 'array', items: text }),
        },
      },
    },
  })

test('a session is opened before the first call, used by every one, and closed after the last; what it goes by is not told', async () => {
  const folder = await freshFolder()
  const seen: string[] = []
  let refuse = false
  const answers = new Map<string, unknown>([
    ['/in', { sessionId: 'session-4711' }],
    ['/out', 'bye'],
  ])
  const server = await startServer((request, response) => {
    const { pathname, searchParams } = new URL(request.url ?? '', 'http://x')
    seen.push(
      `${pathname} ${[...searchParams.values()].join(' ')} ${String(request.headers['x-session'] ?? '-')}`,
    )
    response.setHeader('content-type', 'application/json')
    if (pathname === '/in' && refuse)
      response.writeHead(422).end('{"detail":"The office is closed."}')
    else response.end(JSON.stringify(answers.get(pathname) ?? ['N-1', 'N-2']))
  })
  await writeFile(join(folder, 'gate.json'), description(server.url))
  expect((await tolmach(folder, ['import', 'gate.json', '--as', 'gate', '--quiet'])).code).toBe(0)
  await writeFile(
    join(folder, 'tolmach.yaml'),
    (await readFile(join(folder, 'tolmach.yaml'), 'utf8')).replace(
      'class: Gate\n',
      'class: Gate\n    session:\n      open: { call: logIn, with: { user: $GATE_USER, password: $GATE_PASSWORD }, keep: { id: $.sessionId } }\n      use: { with: { session: $id }, headers: { X-Session: $id } }\n      close: { call: logOut, with: { session: $id } }\n',
    ),
  )
  await writeFile(join(folder, '.env'), 'GATE_USER=clerk\nGATE_PASSWORD=moorings\n')
  const [opened, closed] = ['/in clerk moorings -', '/out session-4711 -']
  const called = '/berths session-4711 session-4711'
  const told = await tolmach(folder, ['call', 'gate', 'listBerths', '--traffic'])
  expect(told).toMatchObject({ code: 0, stdout: expect.stringContaining('N-1') as unknown })
  expect(told.stdout + told.stderr).not.toMatch(/4711|moorings/)
  expect(seen.splice(0)).toEqual([opened, called, closed])

  await writeFile(join(folder, 'rows.csv'), 'basin\nNorth\nSouth\n')
  expect((await tolmach(folder, ['call', 'gate', 'listBerths', '--each', 'rows.csv'])).code).toBe(0)
  await writeFile(
    join(folder, 'r.yaml'),
    'rehearsal: 1\ncontract: gate\nsteps: [{ call: listBerths }, { call: listBerths }]\n',
  )
  expect((await tolmach(folder, ['rehearse', 'r.yaml'])).code).toBe(0)
  expect(seen.splice(0)).toEqual([
    opened,
    '/berths session-4711 North session-4711',
    '/berths session-4711 South session-4711',
    closed,
    opened,
    called,
    called,
    closed,
  ])

  // Nothing is opened where nothing is sent, or by what opens it.
  expect(
    (await tolmach(folder, ['call', 'gate', 'listBerths', '--with', 'session=x', '--preview']))
      .code,
  ).toBe(0)
  expect(
    (await tolmach(folder, ['call', 'gate', 'logIn', '--with', 'user=a', '--with', 'password=b']))
      .code,
  ).toBe(0)
  expect(seen.splice(0)).toEqual(['/in a b -'])
  refuse = true
  expect(await tolmach(folder, ['call', 'gate', 'listBerths'])).toMatchObject({
    code: 1,
    stderr: expect.stringContaining('The office is closed.') as unknown,
  })
  expect(seen.splice(0)).toEqual([opened])
  await writeFile(join(folder, '.env'), 'GATE_USER=clerk\n')
  expect(await tolmach(folder, ['call', 'gate', 'listBerths'])).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('GATE_PASSWORD, which is not set') as unknown,
  })
  await server.stop()
})

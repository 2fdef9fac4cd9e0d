import { getEventListeners } from 'node:events'
import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals'
import {
  close,
  type Connection,
  type Exchange,
  type Settings,
  type ThisCall,
} from '../../src/runtime/connection.js'
import { exchange } from '../../src/runtime/exchange.js'
import { TransportFailure } from '../../src/runtime/failures.js'
import { settingsFrom, settingsOf } from '../../src/runtime/settings.js'
import { startServer } from '../support/program.js'

let server: Awaited<ReturnType<typeof startServer>>
beforeAll(async () => {
  server = await startServer((request, response, body) => {
    if (request.url === '/slow') setTimeout(() => response.end('late'), 3000).unref()
    else if (request.url === '/cut') request.socket.destroy()
    else if (request.url === '/forbidden') response.writeHead(403).end()
    else
      response
        .writeHead(207, { 'x-seen': 'yes' })
        .end(JSON.stringify({ headers: request.headers, method: request.method, body }))
  })
})
afterAll(() => server.stop())

const open = (settings: Settings = {}): Connection => ({
  settings,
  endpoints: {},
  closed: new AbortController(),
})
const send = async (
  connection: Connection,
  path = '/',
  thisCall: ThisCall = {},
): Promise<{ status: number; headers: Record<string, string>; body: string; method: string }> => {
  const response = await exchange(
    connection,
    {
      method: 'POST',
      url: server.url + path,
      headers: { 'content-type': 'text/plain' },
      body: 'é',
    },
    thisCall,
    ({ body }) => new TextDecoder().decode(body),
  )
  return {
    status: response.status,
    ...(JSON.parse(new TextDecoder().decode(response.body)) as {
      headers: Record<string, string>
      body: string
      method: string
    }),
  }
}

describe('an exchange with a service', () => {
  test('headers of the call win over those of the settings, whatever their case; logins are written', async () => {
    expect(
      await send(
        open({
          headers: { 'X-Desk': '1', 'CONTENT-TYPE': 'text/a' },
          credential: { kind: 'basic', user: 'änn', password: 'p:w' },
        }),
        '/',
        { headers: { 'x-desk': '2' } },
      ),
    ).toMatchObject({
      status: 207,
      method: 'POST',
      body: 'é',
      headers: {
        'x-desk': '2',
        'content-type': 'text/a',
        authorization: `Basic ${Buffer.from('änn:p:w').toString('base64')}`,
      },
    })
    expect(
      (await send(open({ credential: { kind: 'bearer', token: 't' } }))).headers['authorization'],
    ).toBe('Bearer t')
  })

  test('observers of the settings and of the call see both sides', async () => {
    const seen: Exchange[] = []
    await send(open({ onExchange: (each) => seen.push(each) }), '/', {
      onExchange: (each) => seen.push(each),
    })
    expect(seen).toHaveLength(2)
    expect(seen[0]).toMatchObject({
      request: { method: 'POST', body: 'é', headers: { 'content-type': 'text/plain' } },
      response: { status: 207, headers: { 'x-seen': 'yes' } },
    })
  })

  test.each<[string, string, Settings, ThisCall, object]>([
    ['no answer in time', '/slow', { timeLimit: '50ms' }, {}, { kind: 'timeout' }],
    [
      "no answer in this call's time",
      '/slow',
      { timeLimit: 60 },
      { timeLimit: '50ms' },
      { kind: 'timeout' },
    ],
    ['a connection that is cut', '/cut', {}, {}, { kind: 'unreachable' }],
    ['a login that is wanted', '/forbidden', {}, {}, { kind: 'login', status: 403 }],
  ])('%s', async (_what, path, settings, thisCall, failure) => {
    await expect(send(open(settings), path, thisCall)).rejects.toMatchObject({
      ...failure,
      url: server.url + path,
    })
    await expect(send(open(settings), path, thisCall)).rejects.toBeInstanceOf(TransportFailure)
  })

  test('whoever aborts gets their own reason back; a closed connection ends its calls and refuses later ones', async () => {
    const abort = new AbortController()
    const reason = new Error('changed my mind')
    setTimeout(() => abort.abort(reason), 30)
    await expect(send(open(), '/slow', { signal: abort.signal })).rejects.toBe(reason)
    await expect(send(open(), '/', { signal: AbortSignal.abort(reason) })).rejects.toBe(reason)
    const connection = open()
    const pending = send(connection, '/slow')
    setTimeout(() => void close(connection), 30)
    await expect(pending).rejects.toMatchObject({
      kind: 'unreachable',
      message: expect.stringContaining('was closed'),
    })
    await expect(send(connection)).rejects.toMatchObject({ kind: 'unreachable' })
  })

  test('settings from variables', () => {
    expect(
      settingsFrom(
        { QUAY_URL: 'http://h', QUAY_USER: 'u', QUAY_TIME_LIMIT: '0.5', QUAY_ENDPOINT: '' },
        'QUAY',
      ),
    ).toEqual({
      url: 'http://h',
      credential: { kind: 'basic', user: 'u', password: '' },
      timeLimit: 0.5,
    })
    expect(settingsFrom({ QUAY_TOKEN: 't', QUAY_USER: 'u' }, 'QUAY')).toEqual({
      credential: { kind: 'bearer', token: 't' },
    })
    expect(settingsFrom({ QUAY_KEY: 'k' }, 'QUAY')).toEqual({
      credential: { kind: 'key', value: 'k' },
    })
    expect(settingsFrom({}, 'QUAY')).toEqual({})
  })

  test('variables that are misspelt, or fit nothing, are told once, and break nothing', () => {
    const warn = jest.spyOn(console, 'warn').mockImplementation(() => undefined)
    const variables = {
      DOCK_TIME_LIMIT: 'soon',
      DOCK_HEADERS: '{"X-Desk":"7"}',
      DOCK_RETRIES: '-1',
      DOCK_TIMELIMIT: '5s',
      DOCK_TOEKN: 't',
      DOCK_KEY: 'k',
      DOCK_CREW: '4',
      DOCKS_URL: 'x',
    }
    for (const _ of [1, 2])
      expect(
        settingsFrom(variables, 'DOCK', ['URL', 'TIME_LIMIT', 'TOKEN', 'RETRIES', 'HEADERS']),
      ).toEqual({
        headers: { 'X-Desk': '7' },
        credential: { kind: 'key', value: 'k' },
      })
    expect(warn.mock.calls.map(([words]) => String(words).split(':')[0])).toEqual([
      'DOCK_TIMELIMIT is no setting',
      'DOCK_TOEKN is no setting',
      'DOCK_KEY is a login that the metadata does not speak of.',
      'DOCK_TIME_LIMIT is left out',
      'DOCK_RETRIES is left out',
    ])
    warn.mockRestore()
  })

  test('settings of a site get the values of the variables that stand in them', () => {
    const site = {
      timeLimit: '10s',
      credential: { kind: 'basic', user: 'clerk', password: '$DOCK_SECRET' },
    } as const
    expect(settingsOf(site, { DOCK_SECRET: '$x' })).toEqual({
      timeLimit: '10s',
      credential: { kind: 'basic', user: 'clerk', password: '$x' },
    })
    expect(() => settingsOf(site, {})).toThrow('the variable DOCK_SECRET is not set')
  })
})

test('two hundred calls side by side, with one signal for all: one listener, which Node warns of from eleven on, and an end for each', async () => {
  const shared = new AbortController()
  const connection: Connection = {
    settings: {
      url: 'http://quay.example',
      fetch: (_, init) =>
        new Promise((resolve, reject) => {
          init?.signal?.addEventListener('abort', () => reject(init.signal?.reason as Error))
          setTimeout(() => resolve(new Response('done')), 20)
        }),
    },
    endpoints: {},
    closed: new AbortController(),
  }
  const request = { method: 'GET', url: 'http://quay.example/', headers: {} }
  const call = (): Promise<unknown> =>
    exchange(connection, request, { signal: shared.signal }, () => '')
  const all = Array.from({ length: 200 }, call)
  for (const signal of [shared.signal, connection.closed.signal])
    expect(getEventListeners(signal, 'abort')).toHaveLength(1)
  await Promise.all(all)
  const late = call()
  shared.abort(new Error('enough'))
  await expect(late).rejects.toThrow('enough')
})

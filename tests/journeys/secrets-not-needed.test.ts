import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, startServer, tolmach } from '../support/program.js'

const login = `Basic ${Buffer.from('ann:right').toString('base64')}`

describe('credentials whose secrets nobody has', () => {
  let folder: string
  let server: Awaited<ReturnType<typeof startServer>>
  const run = (words: readonly string[], env: Record<string, string> = {}) =>
    tolmach(folder, words, { env })
  beforeAll(async () => {
    folder = await freshFolder()
    const wsdl = await readFile(join(repository, 'tests/fixtures/two-services.wsdl'))
    server = await startServer((request, response) => {
      const isKnown = request.headers.authorization === login
      response.writeHead(isKnown ? 200 : 401, { 'www-authenticate': 'Basic realm="desk"' })
      response.end(isKnown ? wsdl : '')
    })
    for (const [name, document] of [
      ['ferries', 'ferries/openapi.yaml'],
      ['berths', 'berths/desk.wsdl'],
    ] as const)
      await run(['import', join(repository, 'demo', document), '--as', name])
    const file = join(folder, 'tolmach.yaml')
    const credentials = `credentials:
  key: { kind: key, value: $NOBODY }
  tokens: { kind: oauth2, clientId: us, clientSecret: $NOBODY }
  signed: { kind: wsse, user: ann, password: $NOBODY }
  login: { kind: basic, user: ann, password: $DESK_PASSWORD }
`
    await writeFile(file, `${await readFile(file, 'utf8')}${credentials}`)
  })
  afterAll(() => server.stop())

  test.each([
    ['ferries', 'bookings.list', 'key', 'x-counter-key: ***'],
    ['ferries', 'bookings.list', 'tokens', 'authorization: Bearer ***'],
    ['berths', 'listBerths', 'signed', '>***</'],
    ['berths', 'listBerths', 'login', 'authorization: Basic ***'],
  ])('%s, %s with %s: shown without them', async (contract, operation, credential, shown) => {
    const words = ['call', contract, operation, '--credential', credential, '--url', server.url]
    const previewed = await run([...words, '--preview'])
    expect(previewed).toMatchObject({ code: 0, stdout: expect.stringContaining(shown) as unknown })
    expect((await run([...words, '--curl'])).code).toBe(0)
    expect(await run(words)).toMatchObject({ code: 2, stderr: expect.stringContaining('TM-1023') })
  })

  test('no password, a wrong one, and a credential that lacks a member are three messages, for metadata and for calls', async () => {
    const wsdl = ['import', `${server.url}/desk?wsdl`, '--as', 'desk', '--credential', 'login']
    const call = ['call', 'berths', 'listBerths', '--credential', 'login', '--url', server.url]
    const wrong = { DESK_PASSWORD: 'mistaken-77' }
    expect((await run(wsdl)).stderr).toContain('TM-1023')
    expect((await run(call)).stderr).toContain('TM-1023')
    expect((await run(wsdl, wrong)).stderr).toContain('TM-2018')
    expect((await run(call, wrong)).stderr).toMatch(/TM-4004[\s\S]*the secret is wrong/)
    expect((await run(wsdl, { DESK_PASSWORD: 'right' })).code).toBe(0)
    const file = join(folder, 'tolmach.yaml')
    const text = await readFile(file, 'utf8')
    // What the metadata was had with is the contract's credential from now on.
    expect(text).toMatch(/desk:\n(?: {4}.*\n)* {4}credential: login\n/)
    await writeFile(file, text.replace('user: ann, password: $DESK_PASSWORD', 'user: ann'))
    for (const words of [wsdl, call])
      expect((await run(words)).stderr).toMatch(/TM-1003[\s\S]*password/)
    await writeFile(file, text)
  })

  test('advice follows what the contract declares', async () => {
    const silent = await startServer((_, response) => void response.writeHead(401).end())
    const { stderr } = await run(['call', 'ferries', 'bookings.list', '--url', silent.url])
    expect(stderr.replace(/\s+/g, ' ')).toContain('{ kind: key, value: $FERRIES_KEY }')
    await silent.stop()
  })
})

import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  type Ran,
} from '../support/program.js'

const owner = { Name: 'Reservist', Address: { Street: 'Quay 1', Town: 'Brackmouth' } }
const made = [
  { call: 'Owners.create', as: 'owner', with: { body: owner } },
  { call: 'Owners.update', with: { key: '$owner', body: { Name: 'Reservists' } } },
]

describe('a file of calls that travel in one request', () => {
  let folder: string
  let standIn: Awaited<ReturnType<typeof startStandIn>>
  const metadata = join(repository, 'demo/registry/registry.xml')
  const call = async (calls: unknown, ...words: string[]): Promise<Ran> => {
    await writeFile(join(folder, 'calls.json'), JSON.stringify(calls))
    const given = ['call', metadata, '--calls', 'calls.json', '--url', standIn.service]
    return tolmach(folder, [...given, ...words])
  }
  const names = async (): Promise<unknown> => {
    const list = { call: 'Owners.list', with: { select: ['Name'] } }
    const [listed] = JSON.parse((await call([list], '--json')).stdout) as { value: object[] }[]
    return listed?.value.map((each) => (each as { Name: string }).Name)
  }
  beforeAll(async () => {
    folder = await freshFolder()
    standIn = await startStandIn('registry/registry.xml')
  })
  afterAll(() => standIn.stop())

  test('each is told by itself; later ones name what earlier ones make', async () => {
    const { code, stdout } = await call(made, '--together', '--json')
    expect(code).toBe(0)
    expect(JSON.parse(stdout)).toMatchObject([
      { call: 'Owners.create', ok: true, value: owner },
      { call: 'Owners.update', ok: true, value: { ...owner, Name: 'Reservists' } },
    ])
    expect(await names()).toContain('Reservists')
    const shown = await call([{ call: 'Owners.count' }])
    expect(shown.stdout).toMatch(/^#\s+call\s+outcome\n.*\n1\s+Owners\.count\s+\d+\n$/)
  })

  test('together, one that fails takes the others with it', async () => {
    const before = await names()
    const failing = [made[0], { call: 'Owners.delete', with: { key: 5 } }]
    const { code, stdout } = await call(failing, '--together', '--json')
    expect(code).toBe(1)
    expect(JSON.parse(stdout)).toMatchObject([{ ok: false }, { ok: false }])
    expect(await names()).toEqual(before)
  })

  test('one input that does not fit, a reference without --together, a preview: nothing is sent', async () => {
    const before = await names()
    const unfit = [made[0], { call: 'Owners.create', with: { body: { Name: 5 } } }]
    expect(await call(unfit)).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/TM-1013[\s\S]*body\.Name/) as unknown,
    })
    expect(await call(made)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('Add --together.') as unknown,
    })
    expect((await call(made, '--together', '--preview')).stdout).toMatch(
      /^POST \S+\/\$batch\n[\s\S]*PATCH \$1 HTTP\/1\.1/,
    )
    expect(await names()).toEqual(before)
  })

  test.each([
    ['--traffic', 'it is for a single call'],
    ['--format=csv', 'it is for a single call'],
    ['--with=top=1', 'the file of --calls says what is called'],
  ])('%s is not passed over beside it', async (option, reason) => {
    const { code, stderr } = await call([{ call: 'Owners.list' }], option)
    expect(code).toBe(2)
    expect(stderr.replace(/\s+/g, ' ')).toContain(reason)
    const words = ['call', metadata, 'Owners.list', '--calls', 'calls.json']
    expect((await tolmach(folder, words)).stderr).toContain('so does "Owners.list"')
  })

  test('what an answer of one of them has beyond the contract is told of that one', async () => {
    const part = (body: string): string =>
      `--b\r\nContent-Type: application/http\r\n\r\nHTTP/1.1 200 OK\r\nContent-Type: application/json\r\n\r\n${body}\r\n`
    const server = await startServer((_, response) => {
      response.setHeader('content-type', 'multipart/mixed; boundary=b')
      response.end(`${part('7')}${part('{"value":[],"Odd":1}')}--b--`)
    })
    const calls = [{ call: 'Owners.count' }, { call: 'Owners.create', with: { body: owner } }]
    const { stdout } = await call(calls, '--url', server.url, '--json')
    await server.stop()
    expect(JSON.parse(stdout)).toMatchObject([
      { ok: true, value: 7, deviations: [] },
      {
        call: 'Owners.create',
        ok: true,
        deviations: expect.arrayContaining([
          { path: 'Odd', message: 'is not in the contract' },
        ]) as unknown,
      },
    ])
  })

  test.each([
    [{}, 'TM-1034', 'must be an array'],
    [[{ cal: 'Owners.list' }], 'TM-1034', '"[0].call" is required'],
    [[{ call: 'Owners.lisd' }], 'TM-1005', 'Owners.list'],
  ])('%j is refused with its place', async (calls, code, words) => {
    const { stderr } = await call(calls)
    expect(stderr).toContain(code)
    expect(stderr).toContain(words)
  })

  test('other services have no such requests', async () => {
    await writeFile(join(folder, 'list.yaml'), '- call: listBerths\n')
    const { code, stderr } = await tolmach(folder, [
      ...['call', join(repository, 'demo/berths/desk.wsdl'), '--calls', 'list.yaml'],
    ])
    expect({ code, stderr }).toEqual({
      code: 2,
      stderr: expect.stringContaining('TM-1033') as unknown,
    })
  })
})

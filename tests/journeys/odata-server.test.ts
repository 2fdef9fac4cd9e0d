import { spawn, type ChildProcess } from 'node:child_process'
import { once } from 'node:events'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { bundleClient } from '../../src/exercise/run-client.js'
import { complaints } from '../support/compilers.js'
import { freshFolder, repository, tolmach, tolmachJson } from '../support/program.js'

type Row = Readonly<Record<string, { eq(value: unknown): unknown }>>

interface Buoys {
  list(input: object): { all(): Promise<unknown[]> }
  create(input: object): Promise<unknown>
  update(input: object): Promise<unknown>
  delete(input: object): Promise<unknown>
}

describe('an independent OData server, over the metadata that it writes itself', () => {
  let server: ChildProcess
  let folder: string
  let Buoys: Buoys
  const call = async (operation: string, ...words: string[]): Promise<Record<string, unknown>> =>
    tolmachJson(folder, ['call', 'harbour', operation, ...words])
  const withInputs = (...inputs: string[]): string[] => inputs.flatMap((each) => ['--with', each])

  beforeAll(async () => {
    server = spawn(process.execPath, [join(repository, 'tests/fixtures/odata-server/server.cjs')], {
      stdio: ['ignore', 'pipe', 'ignore'],
      env: { ...process.env, NODE_OPTIONS: '' },
    })
    const [port] = (await once(server.stdout ?? server, 'data')) as [Buffer]
    folder = await freshFolder()
    const metadata = `http://localhost:${port.toString().trim()}/harbour/$metadata`
    expect(await tolmachJson(folder, ['import', metadata])).toMatchObject({
      types: 2,
      notes: [],
    })
    expect((await tolmach(folder, ['generate'])).code).toBe(0)
    const client = await bundleClient(join(folder, 'src/clients/harbour'))
    await writeFile(join(folder, 'client.mjs'), client)
    const { Brackmouth } = (await import(pathToFileURL(join(folder, 'client.mjs')).href)) as {
      Brackmouth: new () => { Buoys: Buoys }
    }
    ;({ Buoys } = new Brackmouth())
  })
  afterAll(() => void server.kill())

  test('the client compiles', async () =>
    expect(await complaints(folder, { skipLibCheck: true })).toBe(''))

  test.each([
    ['everything', [], [1, 2, 3, 4]],
    ['numbers', ['filter=Depth gt 4 and Number le 3'], [2, 3]],
    ['truths', ['filter=not Lit'], [2, 4]],
    ['moments', ['filter=Laid lt 2026-04-03T06:30:00Z'], [1, 2]],
    ['functions', ["filter=endswith(Name,'3') or indexof(Name,'4') eq 5"], [3, 4]],
    ['order, and a part', ['orderBy=Depth desc', 'skip=1', 'top=2'], [3, 2]],
  ] as const)('lists with %s', async (_, inputs, numbers) => {
    const { value, deviations } = await call('Buoys.list', ...withInputs(...inputs))
    expect((value as { Number: number }[]).map((row) => row.Number)).toEqual(numbers)
    expect(deviations).toEqual([])
  })

  test('what else it knows of lists and keys', async () => {
    expect(
      await call(
        'Buoys.list',
        ...withInputs('count=true', 'top=1', 'select=Name,KeeperId', 'expand=Keeper'),
      ),
    ).toMatchObject({
      value: [{ Name: 'Buoy 1', KeeperId: 'T/1', Keeper: { Name: 'Tern' } }],
      total: 4,
    })
    expect(await call('Buoys.count', ...withInputs('filter=Lit'))).toMatchObject({ value: 2 })
    expect(await call('Keepers.get', ...withInputs("key=O'D"))).toMatchObject({
      value: { Name: "O'Dell & Søn" },
      deviations: [],
    })
  })

  test('functions and actions', async () => {
    const made = { Number: 60, Name: 'To be moved', Depth: 3, Lit: true, Laid: '2026-05-01T00:00Z' }
    await writeFile(join(folder, 'made.json'), JSON.stringify({ body: made }))
    await call('Buoys.create', '--input', 'made.json')
    const key = 'key=60'
    expect(await call('Buoys.Move', ...withInputs(key, 'depth=9.144'))).toMatchObject({ ok: true })
    expect(
      await call('Buoys.Move', ...withInputs(key, 'depth=18.288', 'note=Moved')),
    ).toMatchObject({ ok: true })
    expect(await call('Buoys.get', ...withInputs(key))).toMatchObject({
      value: { Name: 'Moved', Depth: 18.288 },
    })
    expect(await call('Buoys.DepthIn', ...withInputs(key, 'unit=fathom'))).toMatchObject({
      value: 10,
    })
    expect(await call('Deepest')).toMatchObject({ value: 18.288 })
    expect(await call('NamesLike', ...withInputs('part=oved'))).toMatchObject({ value: ['Moved'] })
    expect(await call('Buoys.delete', ...withInputs(key))).toMatchObject({ ok: true })
    const gone = await tolmach(folder, ['call', 'harbour', 'Buoys.get', ...withInputs(key)])
    expect([gone.code, gone.stderr]).toEqual([1, expect.stringContaining('There is no such buoy.')])
  })

  test('any text that is created is found by a filter, changed, and taken away again', async () => {
    // The server decodes an address before it reads it, so that signs end texts there.
    const texts = fc
      .string({ unit: 'grapheme', minLength: 1, maxLength: 12 })
      .filter((text) => !/[!-/:-@[-`{-~]/.test(text))
    let number = 100
    await fc.assert(
      fc.asyncProperty(texts, texts, async (Name, Colour) => {
        const key = (number += 1)
        const made = { Number: key, Name, Colour, Depth: 0.5, Lit: true, Laid: '2026-05-01T00:00Z' }
        await Buoys.create({ body: made })
        const named = (): Promise<unknown[]> =>
          Buoys.list({ filter: (it: Row) => [it['Name']?.eq(Name), it['Number']?.eq(key)] }).all()
        expect(await named()).toMatchObject([{ Name, Colour }])
        await Buoys.update({ key, body: { Colour: Name } })
        expect(await named()).toMatchObject([{ Name, Colour: Name }])
        await Buoys.delete({ key })
        expect(await named()).toEqual([])
      }),
      { numRuns: 60 },
    )
  })
})

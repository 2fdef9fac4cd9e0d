import { copyFile, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints } from '../support/compilers.js'
import { startListening } from '../support/listening.js'
import {
  demoWsdl,
  freshFolder,
  repository,
  startServing,
  startStandIn,
  tolmach,
} from '../support/program.js'

let folder: string
let service: Awaited<ReturnType<typeof startStandIn>>

/** The documents of the ferries, with mistakes that people make: in both of them. */
async function mistaken(): Promise<void> {
  const read = (name: string): Promise<string> =>
    readFile(join(repository, 'demo/ferries', name), 'utf8')
  const schemas = (await read('schemas.yaml'))
    .replace('notice: { type: [string, "null"] }', 'notice: { type: string }')
    .replace('freeCars: { type: integer, format: int32, minimum: 0 }', 'freeCars: { type: string }')
    .replace('[code, line, leaves, freeCars]', '[code, line, leaves, operator]')
    .replace(/ +duration: .*\n/, '')
    .replace('enum: [held, paid, no show]', 'enum: [lost]')
  const root = (await read('openapi.yaml'))
    .replace(/ +- \{ name: line, in: query.*\n/, '')
    .replace(/( {2}\/bookings:\n {4}get:[\s\S]*?)(?= {4}post:)/, '  /bookings:\n')
  await writeFile(join(folder, 'schemas.yaml'), schemas)
  await writeFile(join(folder, 'openapi.yaml'), root)
}

/** Reads what the ferries answer, passed through a listener. @returns what it printed of each */
async function visited(...words: string[]): Promise<Record<string, unknown>[]> {
  const listening = await startListening(folder, ...words)
  for (const path of ['sailings', 'sailings?line=north', 'sailings/BRK-0716', 'bookings'])
    await fetch(`${listening.address}/${path}`, { headers: { 'X-Api-Key': 'k' } })
  return listening.end()
}

const breachesIn = (heard: readonly Record<string, unknown>[]): unknown[] =>
  heard.flatMap(({ breaches }) => breaches)
const inFolder = (name: string): Promise<string> => readFile(join(folder, name), 'utf8')

beforeAll(async () => {
  folder = await freshFolder()
  await mistaken()
  service = await startStandIn('ferries/openapi.yaml')
  expect((await tolmach(folder, ['import', 'openapi.yaml', '--as', 'ferries'])).code).toBe(0)
})
afterAll(() => service.stop())

describe('a description that is wrong: draft --onto, import --overlay', () => {
  test('what a service answers becomes overlays, one for each document, with reasons', async () => {
    await visited(service.service, '--har', 'heard.har')
    expect(breachesIn(await visited('ferries', '--url', service.service))).not.toEqual([])
    const drafted = ['draft', 'heard.har', '--onto', 'ferries']
    const shown = await tolmach(folder, drafted)
    expect(shown.stdout).toMatch(/^# Drafted by Tolmach[\s\S]*\n---\n/)
    const { stdout, stderr } = await tolmach(folder, [...drafted, '--as', 'fix'])
    expect(stdout).toContain('freeCars  a number came')
    expect(stderr).toContain(
      'tolmach import openapi.yaml --as ferries --overwrite --overlay fix.yaml --overlay fix.schemas.yaml',
    )
    expect(await inFolder('fix.schemas.yaml')).toMatch(/^extends: schemas\.yaml$/m)
  }, 60_000)

  test('the description with them allows what was answered, and its client compiles', async () => {
    const overlays = ['--overlay', 'fix.yaml', '--overlay', 'fix.schemas.yaml']
    const words = ['import', 'openapi.yaml', '--as', 'ferries', '--overwrite', ...overlays]
    expect((await tolmach(folder, words)).code).toBe(0)
    const heard = await visited('ferries', '--url', service.service)
    expect(breachesIn(heard)).toEqual([])
    expect(heard.map(({ operation }) => operation)).toContain('listBookings')
    expect((await tolmach(folder, ['generate', 'ferries'])).code).toBe(0)
    expect(await complaints(folder)).toBe('')
    const again = await tolmach(folder, ['draft', 'heard.har', '--onto', 'ferries', '--as', 'fix'])
    expect(again.stdout).toContain('allows all that was answered in 4 exchanges')
  }, 60_000)

  test('drafted again, an overlay grows by what is new: what was written in it stays', async () => {
    await copyFile(join(folder, 'fix.yaml'), join(folder, 'more.yaml'))
    const mine = (await inFolder('more.yaml')).replace('overlay: 1.0.0', 'overlay: 1.0.0 # ours')
    await writeFile(join(folder, 'more.yaml'), mine)
    await writeFile(join(folder, 'tug.json'), '[{"tug":"Anna","pull":12.5}]')
    const request = ['--request', `GET ${service.service}/tugs`]
    const words = ['draft', 'tug.json', ...request, '--onto', 'openapi.yaml', '--save', 'more.yaml']
    const only = ['--only', service.service]
    expect((await tolmach(folder, [...words, ...only])).code).toBe(0)
    const text = await inFolder('more.yaml')
    expect(text.startsWith(mine.trimEnd())).toBe(true)
    expect(text.slice(mine.length)).toContain('operationId: listTugs')
  })

  test('refresh applies them again, as they are now; one that is gone, as it was kept', async () => {
    const text = await inFolder('openapi.yaml')
    await writeFile(join(folder, 'openapi.yaml'), text.replace('Skerry Ferries', 'Ferries anew'))
    await writeFile(
      join(folder, 'fix.yaml'),
      `${await inFolder('fix.yaml')}  - { target: $.info, update: { description: Mended. } }\n`,
    )
    await rm(join(folder, 'fix.schemas.yaml'))
    expect((await tolmach(folder, ['refresh', 'ferries', '--yes'])).code).toBe(0)
    const standIn = await startServing(folder, ['ferries', '--port', '0'])
    const { metadata } = standIn
    const served = (await fetch(metadata).then((answer) => answer.json())) as object
    const beside = await fetch(new URL('schemas.yaml', metadata)).then((answer) => answer.json())
    standIn.stop()
    expect(served).toMatchObject({ info: { title: 'Ferries anew', description: 'Mended.' } })
    expect(beside).toHaveProperty('schemas.Sailing.properties.freeCars.type', 'integer')
  }, 60_000)
})

test('what is no overlay, or is for no OpenAPI, is refused; nothing is written', async () => {
  const refused = async (...words: string[]): Promise<string> => {
    const { code, stderr } = await tolmach(folder, words)
    expect([[2, 3].includes(code), stderr]).toEqual([true, expect.not.stringContaining('    at ')])
    return stderr.slice(0, 13)
  }
  const before = await inFolder('tolmach.yaml')
  await writeFile(join(folder, 'notes.yaml'), 'notes: mine\n')
  const anew = ['import', 'openapi.yaml', '--as', 'other', '--overlay']
  expect(await refused(...anew, 'notes.yaml')).toBe('error TM-2022')
  expect(await refused(...anew, 'none.yaml')).toBe('error TM-1007')
  expect(await refused('import', 'fix.yaml')).toBe('error TM-2026')
  expect(await refused('import', demoWsdl, '--overlay', 'fix.yaml')).toBe('error TM-2025')
  const drafted = ['draft', 'heard.har', '--onto']
  expect(await refused(...drafted, demoWsdl)).toBe('error TM-2025')
  expect(await refused(...drafted, 'ferries', '--ask')).toBe('error TM-1011')
  expect(await refused(...drafted, 'openapi.yaml', '--save', 'notes.yaml')).toBe('error TM-2022')
  expect([await inFolder('tolmach.yaml'), await inFolder('notes.yaml')]).toEqual([
    before,
    'notes: mine\n',
  ])
})

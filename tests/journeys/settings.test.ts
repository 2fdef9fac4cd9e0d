import { copyFile, mkdir, readFile, writeFile } from 'node:fs/promises'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints, runBundled } from '../support/compilers.js'
import { freshFolder, repository, tolmach, type Ran } from '../support/program.js'

/** What a service was asked with, which is slow where its address says so. */
const asked: string[] = []
const server = createServer((request, response) => {
  const { authorization, 'x-desk': desk } = request.headers
  asked.push(`${request.url ?? ''} ${authorization ?? 'nobody'} ${desk ?? ''}`)
  setTimeout(
    () => response.setHeader('content-type', 'application/json').end('{"note":""}'),
    request.url?.startsWith('/slow') === true ? 1000 : 0,
  )
})
const description = `openapi: 3.1.0
info: { title: Notes, version: "1" }
servers: [{ url: "http://127.0.0.1:1" }]
paths:
  /note:
    get:
      operationId: note
      responses: { 200: { description: d, content: { application/json: { schema: { type: object, properties: { note: { type: string } } } } } } }
`
let folder: string
let address: string

beforeAll(async () => {
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  address = `http://127.0.0.1:${String((server.address() as AddressInfo).port)}`
  folder = await freshFolder()
  await writeFile(join(folder, 'notes.yaml'), description)
  await mkdir(join(folder, 'ca'))
  await copyFile(join(repository, 'package.json'), join(folder, 'ca/x.pem'))
  expect((await run({}, 'import', 'notes.yaml', '--as', 'notes')).code).toBe(0)
  const file = join(folder, 'tolmach.yaml')
  await writeFile(
    file,
    `${await readFile(file, 'utf8')}    headers: { X-Desk: "7" }
    timeLimit: 30
site: test
credential: harbour
sites:
  test: { notes: { url: "${address}" } }
  slow: { notes: { url: "${address}/slow", timeLimit: 0.2 } }
  live: { notes: { url: "${address}/live", timeLimit: 5s, credential: { }, headers: { Authorization: $NOTES_TOKEN } } }
  other: {}
credentials:
  harbour: { kind: basic, user: clerk, password: $HARBOUR_PASSWORD }
`.replace(', credential: { }', ''),
  )
  expect((await run({}, 'generate')).code).toBe(0)
})
afterAll(() => {
  server.close()
})

const secrets = { HARBOUR_PASSWORD: 'quay', NOTES_TOKEN: 'Bearer t' }
const run = (env: Readonly<Record<string, string>>, ...words: string[]): Promise<Ran> =>
  tolmach(folder, words, { env })
const note = async (env: Readonly<Record<string, string>>, ...words: string[]): Promise<string> => {
  const { stdout, stderr } = await run(
    { ...secrets, ...env },
    'call',
    'notes',
    'note',
    '--format',
    'json',
    ...words,
  )
  return stdout === '' ? stderr.replace(/\s+/g, ' ') : (asked.at(-1) ?? '')
}

describe('what tolmach.yaml says of a site is what the prompt uses, and what a program can', () => {
  test('its usual site, one named by a variable, and one named for the call', async () => {
    expect(await note({})).toBe('/note Basic Y2xlcms6cXVheQ== 7')
    expect(await note({ TOLMACH_SITE: 'live' })).toMatch(/^\/live\/note .* $/)
    expect(await note({ TOLMACH_SITE: 'live' }, '--at', 'test', '--header', 'X-Desk=8')).toMatch(
      /^\/note .* 8$/,
    )
    expect(await note({ TOLMACH_SITE: 'gone' })).toContain(
      'TM-1041 The variable TOLMACH_SITE names the site "gone"',
    )
    expect(await note({ TOLMACH_SITE: 'other' })).toMatch(/TM-4002.*127\.0\.0\.1:1/)
    expect(await note({}, '--at', 'other')).toContain('says nothing of notes')
    expect(await note({ NOTES_TOKEN: '' }, '--at', 'live')).not.toContain('Basic')
  })

  test('times are seconds, or have their unit', async () => {
    expect(await note({}, '--at', 'slow')).toContain('within 0.2 s')
    expect(await note({}, '--at', 'slow', '--timeout', '20')).toContain('/slow/note')
  })

  test('what is wrong in the file is told with its line', async () => {
    const file = join(folder, 'tolmach.yaml')
    const good = await readFile(file, 'utf8')
    for (const [from, to, words] of [
      ['site: test', 'site: tset', /:9.*"site" names "tset"/],
      ['timeLimit: 30', 'timeLimit: soon', /:8.*timeLimit/],
      ['$NOTES_TOKEN', 'abc', /:14.*has a secret in the clear/],
    ] as const) {
      await writeFile(file, good.replace(from, to))
      expect((await run({}, 'list')).stderr.replace(/\s+/g, ' ')).toMatch(words)
    }
    await writeFile(file, good)
  })

  test('as variables and as an object for a program, whose calls are those of the prompt', async () => {
    expect((await run({}, 'settings', 'notes')).stdout.split('\n').slice(2)).toEqual([
      `NOTES_URL=${address}`,
      `NOTES_HEADERS='{"X-Desk":"7"}'`,
      'NOTES_TIME_LIMIT=30',
      'NOTES_USER=clerk',
      'NOTES_PASSWORD=$HARBOUR_PASSWORD',
      '',
    ])
    const { settings } = JSON.parse((await run({}, 'settings', 'notes', '--json')).stdout) as {
      settings: object
    }
    await writeFile(
      join(folder, 'program.ts'),
      `import { Notes, settingsOf } from './src/clients/notes/index.js'
       const settings = settingsOf(${JSON.stringify(settings)} as const, ${JSON.stringify(secrets)})
       const variables = { NOTES_URL: '${address}', NOTES_HEADERS: '{"X-Desk":"7"}', NOTES_TIME_LIMIT: '30', NOTES_USER: 'clerk', NOTES_PASSWORD: 'quay' }
       for (const notes of [new Notes(settings), Notes.fromVariables(variables)]) await notes.note()`,
    )
    const shown = await note({})
    await runBundled(folder, 'program.ts')
    expect(asked.slice(-2)).toEqual([shown, shown])
  })

  test('a key that is an ordinary input, and the endpoint that calls go to', async () => {
    const two = description
      .replace(
        'operationId: note',
        '$&\n      parameters: [{ name: appId, in: query, required: true, schema: { type: string } }]',
      )
      .replace(
        '  /note:',
        '  /open:\n    get: { operationId: open, responses: { 200: { description: d, content: { application/json: { schema: {} } } } } }\n$&',
      )
      .replace(
        'servers: [',
        `$&{ url: "http://127.0.0.1:1/a", description: a }, { url: "${address}/b", description: b }, `,
      )
    await writeFile(join(folder, 'keyed.yaml'), two)
    expect((await run({}, 'import', 'keyed.yaml', '--as', 'keyed')).code).toBe(0)
    const file = join(folder, 'tolmach.yaml')
    const text = await readFile(file, 'utf8')
    await writeFile(
      file,
      text
        .replace(/ {4}from: keyed.yaml/, '$&\n    endpoint: b\n    credential: app')
        .replace('credentials:', '$&\n  app: { kind: key, value: $APP_KEY, input: appId }'),
    )
    const env = { APP_KEY: 'k7' }
    expect((await run(env, 'generate', 'keyed')).code).toBe(0)
    for (const operation of ['note', 'open'])
      expect((await run(env, 'call', 'keyed', operation)).stderr).toBe('')
    const prompt = asked.slice(-2)
    expect(prompt).toEqual(['/b/note?appId=k7 nobody ', '/b/open nobody '])
    expect((await run(env, 'settings', 'keyed')).stdout).toContain('KEYED_KEY=$APP_KEY')
    await writeFile(
      join(folder, 'src/keyed.ts'),
      `import { KeyedNotes } from './clients/keyed/index.js'
       const notes = KeyedNotes.fromVariables({ KEYED_KEY: 'k7' })
       await notes.note()
       await notes.open()
       await notes.note({ appId: 'mine' })`,
    )
    expect(await complaints(folder)).toBe('')
    await runBundled(folder, 'src/keyed.ts')
    expect(asked.slice(-3)).toEqual([...prompt, '/b/note?appId=mine nobody '])
  })
})

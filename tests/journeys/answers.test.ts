import { execFileSync } from 'node:child_process'
import { readFile, readdir, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { harErrors } from '../support/har.js'
import { parse } from 'yaml'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  tolmachJson,
  type Ran,
} from '../support/program.js'

const worlds = [
  {
    name: 'berths',
    document: 'berths/desk.wsdl',
    list: 'listBerths',
    by: 'Dues',
    key: 'Code',
    first: 'S-20',
    change: ['reserveBerth', '--input', join(repository, 'demo/berths/samples/reserveBerth.json')],
    changed: 'Code S-3',
  },
  {
    name: 'ferries',
    document: 'ferries/openapi.yaml',
    list: 'bookings.list',
    by: 'price',
    key: 'number',
    first: '9007199254740997',
    change: [
      'bookings.change',
      '--with',
      'number=9007199254740995',
      '--with',
      'body.remark=Two bicycles',
    ],
    changed: 'number 9007199254740995',
  },
  {
    name: 'registry',
    document: 'registry/registry.xml',
    list: 'Owners.list',
    by: 'Number',
    key: 'Number',
    first: undefined,
    change: ['Owners.update', '--with', 'key=9007199254741005', '--with', 'body.Remark=Pays late'],
    changed: 'Number 9007199254741005',
  },
]

describe.each(worlds)(
  'answers of $name',
  ({ name, document, list, by, key, first, change, changed }) => {
    let folder: string
    let standIn: Awaited<ReturnType<typeof startStandIn>>
    const call = (operation: string, ...words: string[]): Promise<Ran> =>
      tolmach(folder, ['call', name, operation, '--url', standIn.service, ...words])
    const value = async (...words: string[]): Promise<unknown> =>
      (await tolmachJson(folder, ['call', name, list, '--url', standIn.service, ...words]))['value']
    beforeAll(async () => {
      folder = await freshFolder()
      standIn = await startStandIn(document)
      expect(
        (
          await tolmach(folder, [
            'import',
            join(repository, 'demo', document),
            '--as',
            name,
            '--quiet',
          ])
        ).code,
      ).toBe(0)
      expect((await tolmach(folder, ['generate', name, '--quiet'])).code).toBe(0)
    })
    afterAll(() => standIn.stop())

    test('rows are sorted by size, not by spelling, either way', async () => {
      const rows = (await value('--sort', `${by.toLowerCase()} desc`)) as Record<string, string>[]
      const amounts = rows
        .map((row) => row[by])
        .filter((each) => each !== undefined && each !== null)
      expect(amounts.map(Number)).toEqual([...amounts].map(Number).sort((a, b) => b - a))
      if (first !== undefined) expect(rows[0]?.[key]).toBe(first)
      const upwards = (await value('--sort', by)) as Record<string, string>[]
      expect(
        upwards.map((row) => row[by]).filter((each) => each !== undefined && each !== null),
      ).toEqual([...amounts].reverse().sort((a, b) => Number(a) - Number(b)))
      expect(await call(list, '--sort', 'Zeppelin')).toMatchObject({
        code: 2,
        stderr: expect.stringContaining('no field "Zeppelin"') as unknown,
      })
    })

    test("--pick takes a part of the answer, by the standard's paths; a mistake in it is told before anything is sent", async () => {
      const rows = (await value()) as Record<string, unknown>[]
      expect(await value('--pick', `$[*].${key}`)).toEqual(rows.map((row) => row[key]))
      expect(await value('--pick', `$[1]['${key}']`)).toBe(rows[1]?.[key])
      expect(
        (
          await call(
            list,
            '--pick',
            `$[?@.${key} == ${JSON.stringify(rows[2]?.[key])}].${key}`,
            '--format',
            'csv',
          )
        ).stdout,
      ).toBe(`value\n${String(rows[2]?.[key])}\n`)
      expect(await call(list, '--pick', '$[999].x')).toMatchObject({
        code: 2,
        stderr: expect.stringContaining('there is nothing at $[999].x') as unknown,
      })
      expect(
        await tolmach(folder, ['call', name, list, '--url', 'http://127.0.0.1:1', '--pick', '$[?']),
      ).toMatchObject({ code: 2, stderr: expect.stringContaining('is no JSONPath') as unknown })
    })

    test('--save writes what --json shows; --against tells what changed since, by key, and ends with 6', async () => {
      const rows = await value()
      for (const file of ['rows.json', 'rows.yaml', 'rows.csv', 'rows.html'])
        expect(await call(list, '--save', file)).toMatchObject({
          code: 0,
          stdout: `Saved: ${file}  ${(rows as unknown[]).length} rows\n`,
        })
      expect(JSON.parse(await readFile(join(folder, 'rows.json'), 'utf8'))).toEqual(rows)
      expect(parse(await readFile(join(folder, 'rows.yaml'), 'utf8'))).toEqual(rows)
      expect(
        (await readFile(join(folder, 'rows.csv'), 'utf8')).split('\n')[0]?.split(','),
      ).toContain(key)
      expect(await call(list, '--save', 'rows.xyz')).toMatchObject({
        code: 2,
        stderr: expect.stringContaining('.json, .yaml, .csv or .html') as unknown,
      })
      expect(await readdir(folder)).not.toContain('rows.xyz')
      for (const file of ['rows.json', 'rows.yaml'])
        expect(await call(list, '--against', file)).toMatchObject({
          code: 0,
          stdout: `Nothing is different from ${file}.\n`,
        })

      expect((await call(change[0] ?? '', ...change.slice(1), '--quiet')).code).toBe(0)
      const told = await tolmach(folder, [
        'call',
        name,
        list,
        '--url',
        standIn.service,
        '--against',
        'rows.json',
        '--json',
      ])
      expect(told.code).toBe(6)
      const { differences } = JSON.parse(told.stdout) as {
        differences: { row: string; kind: string }[]
      }
      // An entity that changed has another ETag, too.
      expect(new Set(differences.map(({ row }) => row))).toEqual(new Set([changed]))
      expect((await call(list, '--against', 'rows.json')).stdout).toContain(changed)
      expect(await call(list, '--against', 'nowhere.json')).toMatchObject({
        code: 2,
        stderr: expect.stringContaining('nowhere.json') as unknown,
      })
    })

    test('--har writes an archive that is valid by its schema, without secrets', async () => {
      expect(
        (
          await call(
            list,
            '--har',
            'calls.har',
            '--header',
            'Authorization=Basic c2VjcmV0',
            '--quiet',
          )
        ).code,
      ).toBe(0)
      const text = await readFile(join(folder, 'calls.har'), 'utf8')
      expect(text).not.toContain('c2VjcmV0')
      expect(harErrors(JSON.parse(text))).toBeNull()
      const { log } = JSON.parse(text) as {
        log: {
          entries: {
            request: { url: string }
            response: { status: number; content: { text: string } }
          }[]
        }
      }
      expect(log.entries[0]?.request.url).toContain(standIn.service)
      expect(log.entries[0]?.response).toMatchObject({
        status: 200,
        content: {
          text: expect.stringContaining(
            String(((await value()) as Record<string, unknown>[])[0]?.[key]),
          ) as unknown,
        },
      })
    })

    test('--curl prints a line that a shell runs to the same end; nothing is sent, secrets are variables', async () => {
      const printed = await call(
        list,
        '--curl',
        '--header',
        "Authorization=Bearer it's secret",
        '--header',
        'X-Note=it\'s "plain" $HOME',
      )
      expect(printed.code).toBe(0)
      const variable = `${name.toUpperCase()}_AUTHORIZATION`
      expect(printed.stdout).toContain(`"authorization: $${variable}"`)
      expect(printed.stdout + printed.stderr).not.toContain('secret')
      expect(printed.stderr).toContain(`Set before: ${variable}`)
      const answer = execFileSync(
        'sh',
        ['-c', printed.stdout.replace('curl ', 'curl --silent --fail ')],
        { encoding: 'utf8', env: { ...process.env, [variable]: 'Bearer x' } },
      )
      expect(answer).toContain(String(((await value()) as Record<string, unknown>[])[1]?.[key]))
      expect(
        await tolmach(folder, ['call', name, list, '--url', 'http://127.0.0.1:1', '--curl']),
      ).toMatchObject({ code: 0 })
    })
  },
)

test('a text that is JSON or XML is shown with its lines; bytes are saved as they are; secrets in addresses and bodies are masked', async () => {
  const folder = await freshFolder()
  const description = {
    openapi: '3.1.0',
    info: { title: 'Texts', version: '1' },
    servers: [{ url: 'http://quay.example' }],
    paths: {
      '/text': {
        get: {
          operationId: 'text',
          parameters: [{ name: 'access_token', in: 'query', schema: { type: 'string' } }],
          responses: {
            200: {
              description: 'd',
              content: { 'application/json': { schema: { type: 'string' } } },
            },
          },
        },
      },
      '/file': {
        post: {
          operationId: 'file',
          requestBody: {
            content: {
              'application/json': {
                schema: { type: 'object', properties: { password: { type: 'string' } } },
              },
            },
          },
          responses: { 200: { description: 'd', content: { 'application/octet-stream': {} } } },
        },
      },
    },
  }
  await writeFile(join(folder, 'texts.json'), JSON.stringify(description))
  const server = await startServer((request, response) => {
    if (request.url?.startsWith('/text') === true)
      response
        .setHeader('content-type', 'application/json')
        .end(JSON.stringify('{"berths":[{"code":"N-1"}]}'))
    else
      response.setHeader('content-type', 'application/octet-stream').end(Buffer.from([0, 255, 10]))
  })
  const call = (...words: string[]): Promise<Ran> =>
    tolmach(folder, ['call', 'texts.json', ...words, '--url', server.url])
  expect((await call('text')).stdout).toBe(
    '{\n  "berths": [\n    {\n      "code": "N-1"\n    }\n  ]\n}\n',
  )
  expect(await call('file', '--save', 'ticket.bin')).toMatchObject({
    code: 0,
    stdout: 'Saved: ticket.bin\n',
  })
  expect([...(await readFile(join(folder, 'ticket.bin')))]).toEqual([0, 255, 10])
  for (const option of ['--traffic', '--preview', '--curl']) {
    const told = await Promise.all([
      call('text', '--with', 'access_token=hush', option),
      call('file', '--with', 'body.password=hush', option, '--save', 'x.bin'),
    ])
    for (const { code, stdout, stderr } of told)
      expect({ code, told: stdout + stderr }).toEqual({
        code: 0,
        told: expect.not.stringContaining('hush') as unknown,
      })
  }
  await server.stop()
})

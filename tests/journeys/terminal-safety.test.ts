import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { parse } from 'yaml'
import { freshFolder, startServer, tolmach, type Ran } from '../support/program.js'
import { atTerminal, hasTerminal } from '../support/terminal.js'

/**
 * What would clear a screen, set a title, ring, write a clipboard, go back in a line, colour, hide,
 * or turn text around.
 */
const commands =
  '\u001b[2J\u001b]0;gone\u0007\u001b[31m\u001b]52;c;ZXZpbA==\u001b\\\b\b\r\u009b31m\u0090q\u009c\u202egnp.exe\u2066\u200f\u2028\u007f'
const hostile = `Nord${commands}kai`
/** What no terminal may get from others. Colours of our own are taken out before. */
const raw = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069]/

const description = {
  openapi: '3.1.0',
  info: { title: hostile, description: hostile, version: '1' },
  servers: [{ url: 'http://quay.example', description: hostile }],
  paths: {
    '/berths': {
      get: {
        operationId: 'listBerths',
        summary: hostile,
        parameters: [
          {
            name: 'kind',
            in: 'query',
            description: hostile,
            schema: { type: 'string', enum: [hostile, 'b'], default: hostile },
          },
        ],
        responses: {
          200: {
            description: hostile,
            content: {
              'application/json': {
                schema: { type: 'array', items: { $ref: '#/components/schemas/Berth' } },
              },
            },
          },
          404: {
            description: hostile,
            content: {
              'application/json': {
                schema: { type: 'object', properties: { reason: { type: 'string' } } },
              },
            },
          },
        },
      },
    },
    '/tagged': {
      get: { operationId: 'tagged', tags: [hostile], responses: { 200: { description: 'd' } } },
    },
    '/text': {
      get: {
        operationId: 'text',
        responses: { 200: { description: 'd', content: { 'text/plain': {} } } },
      },
    },
    '/berths/{code}': {
      put: {
        operationId: 'change',
        parameters: [
          {
            name: 'code',
            in: 'path',
            required: true,
            schema: { type: 'string', pattern: `^${hostile}$` },
          },
        ],
        requestBody: {
          content: { 'application/json': { schema: { $ref: '#/components/schemas/Berth' } } },
        },
        responses: { 204: { description: 'd' } },
      },
    },
  },
  components: {
    schemas: {
      Berth: {
        type: 'object',
        title: hostile,
        description: hostile,
        [`x-${hostile}`]: 1,
        properties: {
          code: { type: 'string', description: hostile, example: hostile },
          [hostile]: { type: 'string', description: hostile },
        },
        not: { const: hostile },
      },
    },
  },
  [hostile]: {},
}

describe('nothing that comes from a document or a service commands the terminal', () => {
  let folder: string
  let service: Awaited<ReturnType<typeof startServer>>
  beforeAll(async () => {
    folder = await freshFolder()
    service = await startServer((request, response) => {
      response.setHeader('x-note', 'Nord\u009b31mkai')
      if (request.url === '/text')
        return void response.setHeader('content-type', 'text/plain').end(`${hostile}\n<${hostile}>`)
      if (request.method === 'PUT')
        return void response
          .writeHead(409, { 'content-type': 'application/problem+json' })
          .end(JSON.stringify({ title: hostile, detail: hostile, [hostile]: [hostile] }))
      if (request.url?.includes('kind=html') === true)
        return void response
          .writeHead(500, { 'content-type': 'text/html' })
          .end(`<html><title>${hostile}</title></html>`)
      response
        .setHeader('content-type', 'application/json')
        .end(
          JSON.stringify([
            { code: hostile, [hostile]: hostile, more: { [hostile]: hostile } },
            { code: 'b' },
          ]),
        )
    })
    await writeFile(join(folder, 'quay.json'), JSON.stringify(description))
    await writeFile(
      join(folder, 'quay.wsdl'),
      `<?xml version="1.0"?><definitions xmlns="http://schemas.xmlsoap.org/wsdl/" name="A\u009b31mB"><documentation>\u009b2J\u202egnp</documentation><import namespace="u:\u009b31m" location="no\u009b31m\u202e.wsdl"/></definitions>`,
    )
    await writeFile(join(folder, 'rows.csv'), `kind\n"${hostile}"\n"b"\n`)
    await writeFile(
      join(folder, 'plan.yaml'),
      JSON.stringify({
        rehearsal: 1,
        title: hostile,
        contract: 'quay',
        steps: [
          {
            say: hostile,
            call: 'listBerths',
            show: true,
            expect: [
              { at: '$[0].code', equals: hostile },
              { at: '$[1].code', equals: hostile },
            ],
          },
        ],
      }),
    )
    expect((await tolmach(folder, ['import', 'quay.json', '--as', 'quay'])).code).toBe(0)
  })
  afterAll(() => service.stop())

  const base = ['--url', '%service']
  const lines: readonly (readonly [words: string, ...further: string[]])[] = [
    ['import quay.json --as quay --overwrite'],
    ['import quay.wsdl --as broken'],
    ['list'],
    ['generate quay'],
    ['show quay'],
    ['show quay --find Nord'],
    ['show quay listBerths'],
    ['show quay change'],
    ['show quay Berth'],
    ['show quay Nord'],
    ['locate quay Berth'],
    ['locate quay listBerths'],
    ['sample quay change --full'],
    ['sample quay change --full --format yaml'],
    ['diagram quay x.txt'],
    ['diagram quay --format mermaid'],
    ['call quay listBerths', ...base],
    ['call quay listBerths --format csv', ...base],
    ['call quay listBerths --format yaml', ...base],
    ['call quay listBerths --format json', ...base],
    ['call quay listBerths --format text', ...base],
    ['call quay listBerths --traffic', ...base],
    ['call quay listBerths --json', ...base],
    ['call quay listBerths --columns', `code=${hostile}`, ...base],
    ['call quay listBerths --with', `kind=${hostile}`, '--preview', ...base],
    ['call quay listBerths --with', `kind=${hostile}`, '--curl', ...base],
    ['call quay listBerths --with', 'kind=html', '--traffic', ...base],
    ['call quay text', ...base],
    ['call quay text --format text', ...base],
    ['call quay change --with', `code=${hostile}`, ...base],
    [
      'call quay change --with code=x --with',
      `body.code=${hostile}`,
      '--log-file',
      'log.txt',
      ...base,
    ],
    ['call quay change --with', 'code=Nord', '--log-file', 'log.txt', ...base],
    ['call quay', hostile],
    [hostile],
    ['show', hostile],
    ['import', hostile],
    ['call quay listBerths --pick', `$.${hostile}`, ...base],
    ['call quay listBerths --header', `${hostile}=x`, ...base],
    ['call quay listBerths --each rows.csv --overwrite', ...base],
    ['call quay listBerths --each rows.csv --overwrite --format csv', ...base],
    ['call quay listBerths --each rows.csv --overwrite --json', ...base],
    ['rehearse plan.yaml', ...base],
    ['show quay --json'],
  ]

  const coloured = new Set([
    'show quay',
    'show quay listBerths',
    'list',
    'call quay listBerths',
    'call quay listBerths --traffic',
    'call quay change --with',
  ])

  test('in any output for people, with colours and without', async () => {
    for (const [words, ...further] of lines) {
      for (const env of [
        { NO_COLOR: '1', FORCE_COLOR: '' },
        { NO_COLOR: '', FORCE_COLOR: '1' },
      ] as const) {
        if (env.FORCE_COLOR === '1' && !coloured.has(words)) continue
        const ran: Ran = await tolmach(
          folder,
          [
            ...(words === hostile ? [words] : words.split(' ')),
            ...further.map((each) => each.replace('%service', service.url)),
          ],
          { env },
        )
        const isData = / --format (?:csv|text)/.test(words)
        for (const told of [isData ? '' : ran.stdout, ran.stderr]) {
          const plain =
            env.FORCE_COLOR === '1'
              ? told.replace(/\u001b\[(?:1|2|4|22|24|31|32|33|36|39)m/g, '')
              : told
          expect({ words, told: raw.exec(plain)?.[0].charCodeAt(0).toString(16) }).toEqual({
            words,
            told: undefined,
          })
        }
        expect(ran.stderr).not.toMatch(/TM-9001|\n {4}at /)
      }
    }
    expect(await readFile(join(folder, 'log.txt'), 'utf8')).not.toMatch(raw)
  })

  test('what is shown can be recognised; JSON and YAML mean what came', async () => {
    const call = (...words: string[]): Promise<Ran> =>
      tolmach(folder, ['call', 'quay', 'listBerths', '--url', service.url, ...words])
    expect((await call('--columns', 'code')).stdout).toContain(
      'Nord\\u001b[2J\\u001b]0;gone\\u0007\\u001b[31m',
    )
    expect(
      (JSON.parse((await call('--format', 'json')).stdout) as { code: string }[])[0]?.code,
    ).toBe(hostile)
    expect((parse((await call('--format', 'yaml')).stdout) as { code: string }[])[0]?.code).toBe(
      hostile,
    )
    expect(
      (JSON.parse((await call('--json')).stdout) as { value: { code: string }[] }).value[0]?.code,
    ).toBe(hostile)
    // Into a file or a pipe CSV and texts go as they are.
    expect((await call('--format', 'csv', '--columns', 'code')).stdout).toContain(hostile)
    const played = await tolmach(folder, ['rehearse', 'plan.yaml', '--url', service.url])
    expect([played.code, played.stdout + played.stderr]).toEqual([
      6,
      expect.stringContaining('Nord\\u001b[2J'),
    ])
  })

  ;(hasTerminal ? test : test.skip)(
    'CSV and texts are made safe where somebody sits at a terminal',
    async () => {
      for (const [operation, format] of [
        ['listBerths', 'csv'],
        ['text', 'text'],
      ] as const) {
        const { screen } = await atTerminal(
          folder,
          ['call', 'quay', operation, '--format', format, '--url', service.url, '--no-color'],
          [],
        )
        expect(screen).toContain('Nord\\u001b[2J')
        expect(screen.replaceAll('\r\n', '\n')).not.toMatch(raw)
      }
    },
  )
})

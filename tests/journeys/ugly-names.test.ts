import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import fc from 'fast-check'
import type { Contract } from '../../src/contract/contract.js'
import { noNames } from '../../src/contract/kept-names.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { httpEmitter } from '../../src/dialects/http/emit.js'
import { assignNames, type Names } from '../../src/naming/names.js'
import { globals, keywords } from '../../src/naming/reserved.js'
import { complaints, runBundled } from '../support/compilers.js'
import { readText } from '../support/descriptions.js'
import { freshFolder, tolmach } from '../support/program.js'

const ugly = [
  ...[
    'class',
    'delete',
    'await',
    'enum',
    'function',
    'constructor',
    '__proto__',
    'prototype',
    'toString',
    'hasOwnProperty',
    'then',
    'Promise',
    'Date',
    'Map',
    'Object',
    'Error',
    'Array',
    'Record',
    'string',
    'any',
    'undefined',
    'null',
    'NaN',
    'globalThis',
    'process',
    'eval',
    'arguments',
  ],
  ...[
    'connection',
    'close',
    'connect',
    'settings',
    'endpoints',
    'codecs',
    'send',
    'stream',
    'input',
    'operation',
    'thisCall',
    'ServiceFault',
    'isDeclaredFault',
    'Connection',
    'Settings',
    'JsonCodec',
    'text',
    'int64',
    'base64',
    'prove',
    'types',
    'index',
    'client',
    'runtime',
  ],
  ...[
    'a',
    'A',
    'a-b',
    'a_b',
    'a b',
    'aB',
    'AB',
    'a.b',
    'a/b',
    'a:b',
    'ab',
    '1',
    '1a',
    '-',
    '...',
    '`${x}`',
    '\'"',
    '*/',
    '\\',
    '<script>',
    'a\u0000b',
    'a\u202eb',
    '\u2028',
    'é',
    'e\u0301',
    'ñandú',
    '日本語',
    'прив',
    '😀',
    'ﬁ',
    'ı',
    'K',
    'x'.repeat(500),
    'X'.repeat(500),
    `${'y'.repeat(499)}1`,
    `${'y'.repeat(499)}2`,
    'CON',
    'con',
    'nul',
    'AUX',
    '.',
    '..',
    ' leading',
    'trailing ',
  ],
]

/**
 * A description in which every ugly name is an operation, a tag, a schema, a property, a parameter
 * and an enumeration's value.
 */
function torture(names: readonly string[]): string {
  const key = (name: string): string => name.replaceAll('~', '~0').replaceAll('/', '~1')
  const schemas: Record<string, unknown> = {}
  const paths: Record<string, unknown> = {}
  const set = (target: Record<string, unknown>, name: string, value: unknown): void =>
    void Object.defineProperty(target, name, {
      value,
      enumerable: true,
      configurable: true,
      writable: true,
    })
  const properties: Record<string, unknown> = {}
  for (const name of names) set(properties, name, { type: 'string' })
  names.forEach((name, at) => {
    set(schemas, name, {
      type: 'object',
      description: name,
      required: [name],
      properties: Object.fromEntries([
        [
          'next',
          {
            $ref: `#/components/schemas/${encodeURIComponent(key(names[(at + 1) % names.length] ?? ''))}`,
          },
        ],
      ]),
    })
    set((schemas[name] as { properties: Record<string, unknown> }).properties, name, {
      type: 'integer',
      format: 'int64',
    })
    paths[`/p/${encodeURIComponent(name)}`] = {
      post: {
        operationId: name,
        tags: name.length % 2 === 0 ? [name] : [],
        parameters: [{ name, in: 'query', description: name, schema: { type: 'string' } }],
        requestBody: {
          required: true,
          content: {
            'application/json': {
              schema: { $ref: `#/components/schemas/${encodeURIComponent(key(name))}` },
            },
          },
        },
        responses: {
          200: {
            description: name,
            content: {
              'application/json': {
                schema: { $ref: `#/components/schemas/${encodeURIComponent(key(name))}` },
              },
            },
          },
        },
      },
    }
  })
  set(schemas, 'Everything', { type: 'object', required: [...names], properties })
  set(schemas, 'Choices', { type: 'string', enum: [...names] })
  paths['/everything'] = {
    post: {
      operationId: 'everything',
      requestBody: {
        required: true,
        content: { 'application/json': { schema: { $ref: '#/components/schemas/Everything' } } },
      },
      responses: {
        200: {
          description: 'd',
          content: { 'application/json': { schema: { $ref: '#/components/schemas/Choices' } } },
        },
      },
    },
  }
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'class', description: '*/ `', version: '1' },
    servers: [{ url: 'http://quay.example' }],
    paths,
    components: { schemas },
  })
}

describe('names that clash with everything', () => {
  let folder: string
  beforeAll(async () => {
    folder = await freshFolder()
    await mkdir(join(folder, 'src'))
    await writeFile(join(folder, 'ugly.json'), torture(ugly))
    expect(await tolmach(folder, ['import', 'ugly.json', '--as', 'ugly', '--quiet'])).toMatchObject(
      { code: 0 },
    )
    expect(await tolmach(folder, ['generate', '--quiet'])).toMatchObject({ code: 0 })
  })

  test('compile, and file names survive file systems that ignore case', async () => {
    const { files } = JSON.parse(
      await readFile(join(folder, 'src/clients/ugly/manifest.json'), 'utf8'),
    ) as { files: Record<string, string> }
    const paths = Object.keys(files)
    expect(new Set(paths.map((path) => path.toLowerCase().normalize('NFC'))).size).toBe(
      paths.length,
    )
    expect(
      paths.filter((path) =>
        path.split('/').some((step) => step.length > 120 || /^(?:con|nul|aux|prn)\./i.test(step)),
      ),
    ).toEqual([])
    expect(await complaints(folder)).toBe('')
  })

  test('and make the round trip', async () => {
    const everything: Record<string, string> = {}
    for (const name of ugly)
      Object.defineProperty(everything, name, { value: `<${name}>`, enumerable: true })
    await writeFile(
      join(folder, 'src/trip.ts'),
      `import { connect } from './clients/ugly/settings.js'
import { everything } from './clients/ugly/operations/everything.js'
let sent = ''
const answer = async (_: unknown, init?: RequestInit): Promise<Response> => {
  sent = String(init?.body)
  return new Response(JSON.stringify('__proto__'), { headers: { 'content-type': 'application/json' } })
}
const body = JSON.parse(process.argv[2] ?? '')
const got = await everything(connect({ fetch: answer as typeof fetch }), { body })
console.log(JSON.stringify([got, sent]))
`.replace(
        'process.argv',
        '(globalThis as unknown as { process: { argv: string[] } }).process.argv',
      ),
    )
    const [got, sent] = JSON.parse(
      await runBundled(
        folder,
        'src/trip.ts',
        JSON.stringify(everything).replaceAll('\\u0000', '\\u0000'),
      ),
    ) as [string, string]
    expect(got).toBe('__proto__')
    expect(JSON.parse(sent)).toEqual(JSON.parse(JSON.stringify(everything)))
  })
})

describe('names that were given', () => {
  const assign = (contract: Contract, kept = noNames): Names =>
    assignNames(contract, kept, httpEmitter.reservedNames(contract))
  const given = async (names: readonly string[], kept = noNames): Promise<Contract> =>
    (await readText('api.json', torture(names), {}, kept)).contract

  test('stay, whatever is added, wherever it is put', async () => {
    const pool = [
      ...ugly.filter((name) => name.length < 100),
      ...[...keywords].slice(0, 12),
      ...[...globals].slice(0, 12),
    ]
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.constantFrom(...pool), { minLength: 2, maxLength: 8 }),
        fc.uniqueArray(fc.constantFrom(...pool), { minLength: 1, maxLength: 5 }),
        fc.nat(8),
        async (before, added, at) => {
          const more = added.filter((name) => !before.includes(name))
          const first = await given(before)
          const names = assign(first)
          const { class: _, ...kept } = names
          const second = await given([...before.slice(0, at), ...more, ...before.slice(at)], names)
          const later = assign(second, { class: names.class, ...kept })
          // Each operation is found again by what it takes.
          const pathsOf = (contract: Contract): Map<string, string> =>
            new Map(
              operationsOf(contract).map((operation) => [
                JSON.stringify(
                  operation.inputs.map((input) => [
                    input.name,
                    input.type.kind === 'reference' ? input.type.to : input.type.kind,
                  ]),
                ),
                pathOf(operation),
              ]),
            )
          const after = pathsOf(second)
          for (const [what, path] of pathsOf(first))
            expect([what, after.get(what), later.operations[path]]).toEqual([
              what,
              path,
              names.operations[path],
            ])
          expect(later.types).toMatchObject(names.types)
          expect(later.codecs).toMatchObject(names.codecs)
          expect(later.class).toBe(names.class)
        },
      ),
      { numRuns: 60 },
    )
  })
})

test('whatever a service and its things are called, in any language: what import writes, every command takes', async () => {
  const odd =
    '港務局 المرفأ नौका 123 - . constructor null ~ # a:b " \' Default Console Input each ß ﬁ ǆ İstanbul 𝒳 𐐨 💧 ../x class \u2028'
  const text = fc.oneof(
    fc.string({ unit: 'grapheme', maxLength: 12 }),
    fc.string({ unit: 'binary', maxLength: 12 }),
    fc.constantFrom(...odd.split(' '), '\n', 'a'.repeat(300)),
  )
  await fc.assert(
    fc.asyncProperty(text, text, text, async (title, name, tag) => {
      const folder = await freshFolder()
      const schema = { title: name, type: 'object', properties: { [name]: { type: 'string' } } }
      const content = { 'application/json': { schema: { $ref: '#/components/schemas/T' } } }
      const responses = { 200: { description: 'd', content } }
      const description = {
        openapi: '3.1.0',
        info: { title, version: '1' },
        paths: { '/a': { get: { tags: [tag], operationId: name, responses } } },
        components: { schemas: { T: schema } },
      }
      await writeFile(join(folder, 'a.json'), JSON.stringify(description))
      for (const words of [
        'import a.json --as api',
        'list',
        'show api',
        'generate',
        'diagram api m.svg',
      ]) {
        const { code, stderr } = await tolmach(folder, words.split(' '))
        expect({ words, code, stderr: code === 0 ? '' : stderr }).toEqual({
          words,
          code: 0,
          stderr: '',
        })
      }
    }),
    { numRuns: 12, examples: [['港務局', 'नौका', '💧']] },
  )
})

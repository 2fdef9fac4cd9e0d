import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import { thingNamed } from '../../src/app/describe/things.js'
import { operationsMeant } from '../../src/contract/choice.js'
import type { Contract, Operation, RecordType } from '../../src/contract/contract.js'
import { noNames } from '../../src/contract/kept-names.js'
import { operationsOf, pathOf } from '../../src/contract/queries.js'
import { httpEmitter } from '../../src/dialects/http/emit.js'
import { SourceText } from '../../src/documents/source-text.js'
import type { DataNode } from '../../src/documents/data-node.js'
import { nodeAt, parseData } from '../../src/documents/data-tree.js'
import { assignNames } from '../../src/naming/names.js'
import { freshFolder, repository } from '../support/program.js'

/** Reads a description made of these paths and schemas. */
async function read(
  text: string,
  others: Readonly<Record<string, string>> = {},
): Promise<Contract> {
  const folder = await freshFolder()
  for (const [name, content] of Object.entries({ 'api.yaml': text, ...others }))
    await writeFile(join(folder, name), content)
  return (await readSource(join(folder, 'api.yaml'), 'api')).contract
}

const withSchemas = (schemas: string, version = '3.1.0'): Promise<Contract> =>
  read(
    `openapi: ${version}\ninfo: { title: T, version: "1" }\npaths:\n  /x:\n    post:\n      requestBody: { required: true, content: { application/json: { schema: { $ref: "#/components/schemas/A" } } } }\n      responses: { "200": { description: d, content: { application/json: { schema: { $ref: "#/components/schemas/A" } } } } }\ncomponents:\n  schemas:\n${schemas.replace(/^/gm, '    ')}`,
  )
const typeOf = (contract: Contract, name: string): RecordType =>
  Object.values(contract.types).find((type) => type.name === name) as RecordType
const operation = (contract: Contract, path: string): Operation =>
  operationsOf(contract).find((each) => pathOf(each) === path) as Operation

const fixtures = join(repository, 'tests/fixtures/openapi')
const namesOf = (contract: Contract): string[] =>
  Object.values(contract.types)
    .map(({ name }) => name)
    .sort()

/** The same data with the members of every object the other way round. */
function reversed(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(reversed)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(
    Object.entries(value)
      .reverse()
      .map(([name, each]) => [name, reversed(each)]),
  )
}

const parsed = (text: string, label: string): DataNode => parseData(text, label, () => undefined)

describe('documents of JSON and YAML', () => {
  test('know where everything stood; dates and words stay texts; pointers are followed', () => {
    const root = parsed(
      'a: 2026-11-23\non: no\nb:\n  - {x/y: 1.10, "~z": [on]}\n404: &t [1]\nagain: *t\n',
      'd',
    )
    expect([
      root.text('a'),
      root.text('on'),
      root.get('404')?.items[0]?.written,
      root.get('again')?.items[0]?.written,
    ]).toEqual(['2026-11-23', 'no', '1', '1'])
    expect(nodeAt(root, '/b/0/x~1y')).toMatchObject({
      written: '1.10',
      pointer: '/b/0/x~1y',
      place: { document: 'd', line: 4, column: 11 },
    })
    expect(nodeAt(root, '/b/0/~0z/0')?.value).toBe('on')
    expect(nodeAt(root, '/b/1')).toBeUndefined()
    const caught = ((): unknown => {
      try {
        return parsed('{"openapi": "3.1.0",\n "paths": }', 'd.json')
      } catch (error) {
        return error
      }
    })()
    expect(caught).toMatchObject({
      code: 'TM-2016',
      place: { document: 'd.json', line: 2, column: 11 },
    })
    expect(parsed('{"a": [1, {"b": null}]}', 'd').plain()).toEqual({ a: [1, { b: null }] })
  })

  test.each([
    ['openapi: 3.1.0\ninfo: {\n', 'TM-2016', /broken/],
    ['openapi: 3.1.0\ninfo: a\ninfo: b\n', 'TM-2016', /unique/],
    ['swagger: "1.2"\npaths: {}\n', 'TM-2301', /1\.2/],
    ['openapi: 4.0.0\npaths: {}\n', 'TM-2301', /4\.0/],
    ['openapi: 3.0.3\npaths: {}\n', 'TM-2304', /no operation/],
    ['openapi: 3.0.3\npaths: { /a: { $ref: "gone.yaml#/a" } }\n', 'TM-2010', /gone\.yaml/],
  ])('%j is refused with its place', async (text, code, words) => {
    await expect(read(text)).rejects.toMatchObject({
      code,
      kind: 'metadata',
      message: expect.stringMatching(words),
      place: { document: 'api.yaml' },
    })
  })

  test.each([
    ['{ $ref: "#/components/responses/Gone" }', '', /^TM-2302:2 .*Gone leads nowhere\./],
    [
      '{ $ref: "#/components/responses/A" }',
      'A: { $ref: "#/components/responses/B" }, B: { $ref: "#/components/responses/C" }',
      /^TM-2302:3 .*C leads nowhere \(reached through #\/components\/responses\/A -> #\/components\/responses\/B\)\. Nearest/,
    ],
    [
      '{ $ref: "#/components/responses/A" }',
      'A: { $ref: "#/components/responses/B" }, B: { $ref: "#/components/responses/A" }',
      /^TM-2303:3 .*#\/components\/responses\/A -> #\/components\/responses\/B -> #\/components\/responses\/A go in a circle/,
    ],
    [
      '{ description: d, content: { application/json: { schema: { $ref: "#/components/schemas/Gone" } } } }',
      '',
      /^TM-2302:2 .*Gone leads nowhere/,
    ],
  ])('the reference %s is told, and the rest is read', async (response, responses, words) => {
    const contract = await read(
      `openapi: 3.0.3\npaths: { /a: { get: { responses: { "200": ${response} } } } }\ncomponents: { responses: { ${responses} } }\n`,
    )
    expect(
      contract.notes.map(({ code, origin, message }) => `${code}:${origin.line} ${message}`),
    ).toEqual([expect.stringMatching(words)])
    expect(operationsOf(contract)).toHaveLength(1)
  })
  test.each<[text: string, label: string, meant: unknown, told: string[]]>([
    ['a: {b: 1}\nc: 2\na: {b: 1}\n', 'd.yaml', { a: { b: 1 }, c: 2 }, ['3:1 The key "a" is there']],
    ['{"a": [1], "a": [1],\n "a": [1]}', 'd.json', { a: [1] }, ['1:12 The key', '2:2 The key']],
    ['a:\n  b: 1\n\t\n  c: 2\n', 'd.yaml', { a: { b: 1, c: 2 } }, []],
    ['a:\n  b: one\n  \t\n   two\n', 'd.yaml', { a: { b: 'one\ntwo' } }, ['There are tabs']],
    ['a:\n  b: "one\n two"\nc: 1\n', 'd.yaml', { a: { b: 'one two' }, c: 1 }, ['2:10 Lines of']],
    [
      "- a: \"one\n\n two \\\" x\"\n- b: 'it''s\n c'\n",
      'd.yaml',
      [{ a: 'one\ntwo " x' }, { b: "it's c" }],
      ['2:1 Lines of'],
    ],
    ['x: &x {a: 1}\ny: {<<: *x, a: 2}', 'd.yaml', { x: { a: 1 }, y: { a: 2 } }, []],
  ])('%j can be meant in one way only, and is', (text, label, meant, told) => {
    const heard: string[] = []
    const source = new SourceText(label, text)
    const root = parseData(text, label, (what, origin) => {
      const { line, column } = source.placeAt(origin)
      heard.push(`${line}:${column} ${what}`)
    })
    expect(root.plain()).toEqual(meant)
    expect(heard).toEqual(told.map((each) => expect.stringContaining(each) as unknown))
  })

  test.each([
    ['a: 1\nb: 2\na: 3\n', 'd.yaml'],
    ['{"a": 1, "a": 2, "a": 1}', 'd.json'],
    ['a:\n\tb: 1\n', 'd.yaml'],
    ['a:\n  b: "one\n two\n', 'd.yaml'],
  ])('%j is refused', (text, label) => {
    expect(() => parsed(text, label)).toThrow(/unique|tabs|closing/i)
  })

  test('a line of very many tabs is no reason to search for long', () => {
    expect(() => parsed(`a:\n${'\t'.repeat(200_000)}x: 1\n`, 'd.yaml')).toThrow(/tabs/i)
  })

  test('nesting without end, aliases that multiply, merge keys, JSON by another name', () => {
    const caught = (text: string, name: string): unknown => {
      try {
        return parsed(text, name)
      } catch (error) {
        return error
      }
    }
    expect(caught('['.repeat(100_000), 'd.json')).toMatchObject({
      code: 'TM-2012',
      place: { line: 1, column: 1001 },
    })
    expect(caught(`${'[ '.repeat(1500)}${']'.repeat(1500)}`, 'd.yaml')).toMatchObject({
      code: 'TM-2012',
    })
    expect(
      caught(
        `a0: &a0 [x]\n${Array.from({ length: 9 }, (_, at) => `a${at + 1}: &a${at + 1} [${Array.from({ length: 9 }, () => `*a${at}`).join(',')}]`).join('\n')}`,
        'd.yaml',
      ),
    ).toMatchObject({ code: 'TM-2012' })
    expect(caught('{"a": 1, "b": {"a": 1, "a": 2}}', 'd.json')).toMatchObject({
      code: 'TM-2016',
      message: expect.stringContaining('"a" is there twice'),
    })
    expect(
      (caught('x: &x {a: 1, b: 2}\ny: {<<: *x, b: 3}', 'd.yaml') as { plain(): unknown }).plain(),
    ).toEqual({ x: { a: 1, b: 2 }, y: { a: 1, b: 3 } })
    expect(parsed('{"n": 1.10, "big": 12345678901234567890}', 'd').get('big')?.written).toBe(
      '12345678901234567890',
    )
    expect(
      (caught('{a: 1, # YAML in braces\n b: [2]}', 'd') as { plain(): unknown }).plain(),
    ).toEqual({ a: 1, b: [2] })
  })
})

test.each(['/api/quay.json', 'http://quay.example/v1', 'quay.yaml', ' '])(
  'the title "%s" says where the description was, and does not name the client',
  async (title) => {
    const contract = await read(
      `openapi: 3.0.3\ninfo: { title: "${title}", version: "1" }\npaths: { /a: { get: { responses: { 204: { description: d } } } } }\n`,
    )
    expect(contract.title).toBe(contract.name)
  },
)

describe('operations', () => {
  test('are named by their ids, tags, or method and path; twins get another name and a note', async () => {
    const contract = await read(`openapi: 3.0.3
paths:
  /a/{id}:
    get: { responses: { 204: { description: d } } }
    put: { operationId: get_a, tags: [Some things], responses: { 204: { description: d } } }
  /b:
    get: { operationId: get_a, tags: [Some things], responses: { 204: { description: d } } }
    post: { operationId: "b.of.create", callbacks: { x: {} }, requestBody: { content: { multipart/form-data: { schema: { type: object }, encoding: { a: {} } } } }, responses: { 204: { description: d, headers: { X: {} }, links: { l: {} } } } }
`)
    expect(operationsOf(contract).map(pathOf)).toEqual([
      'getAById',
      'someThings.getA',
      'someThings.getAGet',
      'bOf.create',
    ])
    expect(
      contract.notes.map(({ code, origin, message }) => `${code}:${origin.line} ${message}`),
    ).toEqual([
      expect.stringMatching(/^TM-2309:4 .*"id"/),
      expect.stringMatching(/^TM-2307:7 .*someThings\.getAGet/),
    ])
    expect(operation(contract, 'getAById').inputs).toMatchObject([
      { name: 'id', place: 'path', optional: false },
    ])
  })

  test('do not say their group twice, nor what all paths begin with; functions say it where they must', async () => {
    const contract = await read(`openapi: 3.0.3
paths:
  /v2/{desk}/boats:
    get: { operationId: Boats_List, tags: [Boats], responses: { 204: { description: d } } }
    post: { operationId: BoatsByTide, tags: [boats], responses: { 204: { description: d } } }
    put: { operationId: Boats, tags: [Boats], responses: { 204: { description: d } } }
  /v2/{desk}/quays/{name}:
    get: { responses: { 204: { description: d } } }
    put: { operationId: Quays_List, tags: [Quays], responses: { 204: { description: d } } }
    post: { operationId: list, tags: [Quays], responses: { 204: { description: d } } }
`)
    const paths = operationsOf(contract).map(pathOf)
    expect(paths).toEqual([
      ...['boats.list', 'boats.boats', 'boats.byTide'],
      ...['getQuaysByName', 'quays.list', 'quays.listPost'],
    ])
    const { operations } = assignNames(contract, noNames, [])
    expect(paths.map((path) => operations[path])).toEqual([
      ...['listBoats', 'boats', 'byTide'],
      ...['getQuaysByName', 'listQuays', 'listPost'],
    ])
    expect(thingNamed(contract, 'Boats_List', 'q').name).toBe('boats.list')
    expect(operationsMeant(contract, 'Boats_L*').operations.map(pathOf)).toEqual(['boats.list'])
    const bare = await read(
      'openapi: 3.0.3\npaths: { "boats/all": { get: { responses: { 204: { description: d } } } } }\n',
    )
    expect(operationsOf(bare).map(pathOf)).toEqual(['getBoatsAll'])
  })

  test('parameters of the path are inherited and replaced; names that clash yield; styles are kept', async () => {
    const contract = await read(`openapi: 3.1.0
paths:
  /a/{id}:
    parameters:
      - { name: id, in: path, required: true, schema: { type: integer, format: int64 } }
      - { name: q, in: query, schema: { type: string } }
    get:
      operationId: a
      parameters:
        - { name: q, in: query, required: true, schema: { type: array, items: { type: string } }, style: pipeDelimited }
        - { name: id, in: query, schema: { type: string } }
        - { name: body, in: query, schema: { type: string } }
        - { name: j, in: query, content: { application/json: { schema: { type: object } } } }
      responses: { "204": { description: d } }
`)
    expect(
      operation(contract, 'a').inputs.map(({ name, place, optional, specifics }) => ({
        name,
        place,
        optional,
        specifics,
      })),
    ).toEqual([
      { name: 'id', place: 'path', optional: false, specifics: { name: 'id' } },
      {
        name: 'q',
        place: 'query',
        optional: false,
        specifics: { name: 'q', style: 'pipeDelimited', explode: false },
      },
      { name: 'id_', place: 'query', optional: true, specifics: { name: 'id' } },
      { name: 'body_', place: 'query', optional: true, specifics: { name: 'body' } },
      { name: 'j', place: 'query', optional: true, specifics: { name: 'j', json: true } },
    ])
  })

  test('servers: relative ones against the document, variables by their defaults', async () => {
    const contract = await read(
      'openapi: 3.1.0\nservers: [{ url: "https://{region}.h/{v}", variables: { region: { default: north }, v: { default: v2 } } }, { url: /api, description: "The quay: local" }]\npaths: { /a: { get: { operationId: a, responses: { default: { description: d } } } } }\n',
    )
    expect(
      contract.services[0]?.endpoints.map(({ name, address }) => `${name} ${address}`),
    ).toEqual(['server https://north.h/v2', 'theQuay /api'])
  })
})

describe('schemas', () => {
  test('3.0 and 3.1 say null in their own ways; a null belongs to the place', async () => {
    for (const [version, schema] of [
      ['3.0.3', '{ type: string, nullable: true }'],
      ['3.1.0', '{ type: [string, "null"] }'],
      ['3.1.0', '{ oneOf: [{ type: string }, { type: "null" }] }'],
      ['3.0.3', '{ nullable: true, allOf: [{ $ref: "#/components/schemas/B" }] }'],
    ] as const) {
      const contract = await withSchemas(
        `A: { type: object, properties: { x: ${schema} } }\nB: { type: string, pattern: x }`,
        version,
      )
      expect(typeOf(contract, 'A').fields[0]).toMatchObject({
        name: 'x',
        nullable: true,
        optional: true,
      })
    }
  })

  test('requests and answers differ where read-only and write-only make them, also far below', async () => {
    const contract = await withSchemas(
      'A: { type: object, properties: { b: { type: array, items: { $ref: "#/components/schemas/B" } }, c: { $ref: "#/components/schemas/C" } } }\nB: { type: object, required: [id], properties: { id: { type: integer, readOnly: true }, pin: { type: string, writeOnly: true } } }\nC: { type: object, properties: { x: { type: string } } }',
    )
    expect(
      Object.values(contract.types)
        .map((type) => type.name)
        .sort(),
    ).toEqual(['A', 'AInput', 'B', 'BInput', 'C'])
    expect(
      [typeOf(contract, 'B'), typeOf(contract, 'BInput')].map((type) =>
        type.fields.map((field) => field.name),
      ),
    ).toEqual([['id'], ['pin']])
  })

  test('numbers: 64 bits and decimals exact, in number and in text; bounds in both dialects', async () => {
    const contract = await withSchemas(
      'A:\n  type: object\n  properties:\n    a: { type: integer, format: int64 }\n    b: { type: string, format: int64 }\n    c: { type: number, format: decimal }\n    d: { type: integer }\n    e: { type: number, minimum: 1, exclusiveMinimum: true }\n    f: { type: number, exclusiveMaximum: 9 }',
    )
    expect(
      typeOf(contract, 'A').fields.map(({ type }) =>
        type.kind === 'scalar' ? [type.base, type.format, type.constraints] : type.kind,
      ),
    ).toEqual([
      ['int64', 'int64', undefined],
      ['int64', 'string:int64', undefined],
      ['decimal', 'decimal', undefined],
      ['double', 'integer', undefined],
      ['double', 'number', { exclusiveMinimum: '1' }],
      ['double', 'number', { exclusiveMaximum: '9' }],
    ])
  })

  test('unions with a discriminator, compositions, maps, open records, recursion, mixed enumerations', async () => {
    const contract = await withSchemas(`A:
  type: object
  required: [u, undescribed]
  properties:
    u: { oneOf: [{ $ref: "#/components/schemas/Car" }, { $ref: "#/components/schemas/Boat" }], discriminator: { propertyName: kind, mapping: { auto: Car } } }
    m: { type: object, additionalProperties: { type: integer } }
    o: { type: object, properties: { x: { type: string } }, additionalProperties: true }
    e: { enum: [1, two, null, true] }
    l: { $ref: "#/components/schemas/Nest" }
    any: {}
    no: false
Car: { type: object, properties: { kind: { type: string }, self: { $ref: "#/components/schemas/Car" } } }
Boat: { allOf: [{ $ref: "#/components/schemas/Car" }, { type: object, properties: { sail: { type: boolean } } }], not: { type: string } }
Nest: { type: array, items: { $ref: "#/components/schemas/Nest" } }`)
    const fields = Object.fromEntries(
      typeOf(contract, 'A').fields.map((field) => [field.name, field]),
    )
    expect(fields['u']?.type).toMatchObject({
      kind: 'union',
      discriminator: {
        field: 'kind',
        mapping: { auto: '#/components/schemas/Car', Boat: '#/components/schemas/Boat' },
      },
    })
    expect(fields['m']?.type).toMatchObject({
      kind: 'map',
      value: { kind: 'scalar', format: 'integer' },
    })
    expect(typeOf(contract, 'AO')).toMatchObject({ kind: 'record', open: true })
    expect(fields['e']).toMatchObject({
      nullable: true,
      type: { kind: 'union', alternatives: [{ value: 1 }, { value: 'two' }, { value: true }] },
    })
    expect(fields['undescribed']).toMatchObject({ optional: false, type: { kind: 'anything' } })
    expect(typeOf(contract, 'Boat')).toMatchObject({
      kind: 'intersection',
      parts: [{ to: '#/components/schemas/Car' }, { kind: 'record' }],
    })
    expect(typeOf(contract, 'Nest')).toMatchObject({
      kind: 'union',
      alternatives: [{ kind: 'list' }],
    })
    expect(contract.notes).toEqual([])
  })

  test('chains of types longer than a stack is deep', async () => {
    const chain = Array.from(
      { length: 5000 },
      (_, at) =>
        `S${at}: { type: object, properties: { next: { $ref: "#/components/schemas/S${at + 1}" } } }`,
    )
    const contract = await withSchemas(
      `A: { $ref: "#/components/schemas/S0" }\n${chain.join('\n')}\nS5000: { type: object, properties: { id: { type: string, readOnly: true } } }`,
    )
    // Read-only at the far end makes a second type of each.
    expect(Object.keys(contract.types)).toHaveLength(10002)
  })

  test('over several documents; what the demo says is all understood', async () => {
    const contract = await read(
      'openapi: 3.1.0\npaths: { /a: { $ref: "parts/paths.yaml#/~1a" } }\n',
      { 'parts.json': '{}' },
    ).catch((error: unknown) => error)
    expect(contract).toMatchObject({ code: 'TM-2010' })
    const { contract: ferries } = await readSource(
      join(repository, 'demo/ferries/openapi.yaml'),
      'ferries',
    )
    expect(ferries.notes).toEqual([])
    expect(operation(ferries, 'bookings.lash').outcome).toMatchObject({
      kind: 'value',
      field: {
        type: {
          kind: 'union',
          alternatives: [
            { fields: [{ type: { value: 200 } }, {}] },
            { fields: [{ type: { value: 202 } }, {}] },
          ],
        },
      },
    })
  })

  test.each([
    ['sent only', '{}', '{ type: integer, format: int64 }', false],
    ['answered, three types deep', '{ $ref: "#/components/schemas/A" }', '{ type: string }', true],
    ['answered as a text', '{ type: string, format: decimal }', '{ type: string }', false],
  ])(
    'digits that count, %s: their parser is wanted where they are answered',
    async (_, answer, input, isWanted) => {
      const contract = await read(`openapi: 3.1.0
paths:
  /a:
    get:
      parameters: [{ name: n, in: query, schema: ${input} }]
      responses: { 200: { description: x, content: { application/json: { schema: ${answer} } } } }
components:
  schemas:
    A: { type: object, properties: { b: { $ref: "#/components/schemas/B" } } }
    B: { type: array, items: { $ref: "#/components/schemas/C" } }
    C: { type: object, properties: { n: { type: integer, format: int64 }, a: { $ref: "#/components/schemas/A" } } }
`)
      expect(httpEmitter.runtimeFiles(contract).includes('json/exact-json.ts')).toBe(isWanted)
      expect(httpEmitter.dependencies(contract)).toEqual({})
    },
  )
})

test('what has no name is one type where it is the same in the same role, named by what its places share', async () => {
  const { contract } = await readSource(join(fixtures, 'one-type-for-one-thing.yaml'), 'api')
  expect(namesOf(contract)).toEqual([
    'Boat',
    'BoatAnswer',
    'BoatDriveEngine',
    'BoatDriveSail',
    'BoatInput',
    'BoatReachWithChannel',
    'BoatReachWithPhone',
    'BoatState',
    'CreateBoatBody',
    'GetCrewAnswer',
    'GetCrewAnswerDebt',
    'GetCrewAnswerPay',
    'ListBoatsAnswer',
    'Order',
    'Owner',
    'OwnerInput',
    'Papers',
    'ReasonFault',
    'Refused',
  ])
  expect(typeOf(contract, 'Boat').fields.map(({ name }) => name)).toContain('id')
  expect(typeOf(contract, 'BoatInput').fields.map(({ name }) => name)).not.toContain('id')
  const text = await readFile(join(fixtures, 'one-type-for-one-thing.yaml'), 'utf8')
  const turned = await read(JSON.stringify(reversed(parsed(text, 'd').plain())))
  expect(namesOf(turned)).toEqual(namesOf(contract))
})

test('no discriminator has a value that its schemas refuse, or that nobody said', async () => {
  const { contract } = await readSource(
    join(fixtures, 'discriminators-that-tell-little.yaml'),
    'api',
  )
  const told = operationsOf(contract).map(({ path, inputs }): [string, unknown] => {
    const [body] = inputs
    const type = body?.type.kind === 'reference' ? contract.types[body.type.to] : body?.type
    return [path.join('.'), type?.kind === 'union' ? type.discriminator?.mapping : type?.kind]
  })
  const schema = (name: string): string => `#/components/schemas/${name}`
  expect(Object.fromEntries(told)).toEqual({
    nameless: undefined,
    nowhere: {
      tug: schema('Tug'),
      pulls: schema('Tug'),
      flat: schema('Barge'),
      deep: schema('Barge'),
    },
    several: { flat: schema('Barge'), deep: schema('Barge'), light: schema('Lighter') },
    numbers: undefined,
    letters: { cutter: schema('Cutter'), yacht: schema('Yacht') },
  })
})

test('in documents of one line, notes and errors have a JSON Pointer', async () => {
  const oneLine = (answer: object): string =>
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'T', version: '1', description: 'so long '.repeat(40) },
      paths: { '/a': { get: { operationId: 'a', responses: { 200: answer } } } },
    })
  const { notes } = await read(oneLine({ $ref: '#/components/responses/Gone' }))
  expect(notes.map(({ code, pointer }) => [code, pointer])).toEqual([
    ['TM-2302', '#/paths/~1a/get/responses/200/$ref'],
  ])
  const deep = Array.from({ length: 600 }).reduce<object>((inner) => ({ items: inner }), {})
  const content = { 'application/json': { schema: deep } }
  await expect(read(oneLine({ description: 'd', content }))).rejects.toMatchObject({
    place: { pointer: expect.stringContaining('#/paths/~1a/get/responses/200/content') },
  })
})

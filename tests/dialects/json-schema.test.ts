import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import type { Contract, Operation } from '../../src/contract/contract.js'
import { fromPlain } from '../../src/contract/plain.js'
import { operationsOf } from '../../src/contract/queries.js'
import { JsonTrees, liveJson } from '../../src/dialects/http/json-trees.js'
import { liveRule } from '../../src/dialects/http/live-rules.js'
import { References } from '../../src/dialects/http/references.js'
import { RuleReader } from '../../src/dialects/http/rules.js'
import { Notes } from '../../src/dialects/notes.js'
import { nodeAt } from '../../src/documents/data-tree.js'
import { checkInput, type AnyHttpOperation } from '../../src/runtime/http/http.js'
import { brokenRule } from '../../src/runtime/json/rules.js'
import { readText } from '../support/descriptions.js'

/** The standard's own test data, in Debian's package json-schema-test-suite: drafts 4 and 7. */
const suite = '/usr/share/json-schema-test-suite/tests'
const isHere = existsSync(suite)
if (!isHere && process.env['TOLMACH_WANTS_SCHEMA_SUITE'] !== undefined)
  throw new Error('the package json-schema-test-suite is missing')

interface Case {
  readonly name: string
  readonly schema: unknown
  readonly value: unknown
  /** By the suite, where it says so. */
  readonly valid?: boolean
}

/**
 * Files about what OpenAPI has not: addresses of schemas elsewhere, and formats (which 2020-12 does
 * not assert).
 */
const others = [
  'refRemote.json',
  'id.json',
  'definitions.json',
  'default.json',
  'format.json',
  'unknownKeyword.json',
  'infinite-loop-detection.json',
  'vocabulary.json',
  'anchor.json',
]

function suiteCases(draft: string): Case[] {
  const files = readdirSync(join(suite, draft)).filter(
    (name) => name.endsWith('.json') && !others.includes(name),
  )
  return files.flatMap((file) => {
    const groups = JSON.parse(readFileSync(join(suite, draft, file), 'utf8')) as {
      description: string
      schema: unknown
      tests: { description: string; data: unknown; valid: boolean }[]
    }[]
    return groups
      .filter(({ schema }) => !/"\$?id":\s*"|"\$ref":\s*"(?!#)/.test(JSON.stringify(schema)))
      .flatMap((group) =>
        group.tests.map((each) => ({
          name: `${draft} ${file}: ${group.description}: ${each.description}`,
          schema: modern(group.schema),
          value: each.data,
          valid: each.valid,
        })),
      )
  })
}

/** A schema of draft 4 or 7 with the keywords of 2020-12. */
function modern(schema: unknown, isMap = false): unknown {
  if (Array.isArray(schema)) return schema.map((each) => modern(each))
  if (typeof schema !== 'object' || schema === null) return schema
  const made: Record<string, unknown> = {}
  for (const [key, value] of Object.entries(schema)) {
    const set = (name: string, whole: unknown): void =>
      void Object.defineProperty(made, name, {
        value: whole,
        enumerable: true,
        writable: true,
        configurable: true,
      })
    const holds = { ...(schema as Record<string, unknown>) }
    if (isMap) set(key, modern(value))
    else if (key === 'enum' || key === 'const' || key === 'required') set(key, value)
    else if (key === 'exclusiveMinimum' && value === true) set(key, holds['minimum'])
    else if (key === 'exclusiveMaximum' && value === true) set(key, holds['maximum'])
    else if (
      (key === 'minimum' && holds['exclusiveMinimum'] === true) ||
      (key === 'maximum' && holds['exclusiveMaximum'] === true) ||
      key === '$schema' ||
      value === (key.startsWith('exclusive') ? false : undefined)
    )
      continue
    else if (key === 'items' && Array.isArray(value)) set('prefixItems', modern(value))
    else if (key === 'additionalItems') {
      if (Array.isArray(holds['items'])) set('items', modern(value))
    } else if (key === 'dependencies') {
      const [lists, schemas] = [
        Object.entries(value as object).filter(([, each]) => Array.isArray(each)),
        Object.entries(value as object).filter(([, each]) => !Array.isArray(each)),
      ]
      if (lists.length > 0) set('dependentRequired', Object.fromEntries(lists))
      if (schemas.length > 0)
        set(
          'dependentSchemas',
          Object.fromEntries(schemas.map(([name, each]) => [name, modern(each)])),
        )
    } else if (key === '$ref' && typeof value === 'string')
      set(key, value.replace('/items/0', '/prefixItems/0').replace('/items/1', '/prefixItems/1'))
    else
      set(
        key,
        modern(value, ['properties', 'patternProperties', 'definitions', '$defs'].includes(key)),
      )
  }
  // Beside $ref nothing counted before 2019-09.
  return !isMap && typeof made['$ref'] === 'string' && Object.keys(made).length > 1
    ? Object.fromEntries(
        Object.entries(made).filter(([key]) => ['$ref', 'definitions', '$defs'].includes(key)),
      )
    : made
}

const pairs = (name: string, schema: unknown, ...values: unknown[]): Case[] =>
  values.map((value) => ({ name: `own ${name}: ${JSON.stringify(value)}`, schema, value }))

/** Keywords that came after draft 7, and ways of putting schemas together that the suite lacks. */
const own: Case[] = [
  ...pairs(
    'prefixItems',
    { type: 'array', prefixItems: [{ type: 'string' }, { type: 'integer' }], items: false },
    [],
    ['a'],
    ['a', 1],
    [1],
    ['a', 1, 2],
    'a',
    ['a', 'b'],
  ),
  ...pairs(
    'prefixItems and items',
    { type: 'array', prefixItems: [{ type: 'string' }], items: { type: 'integer' } },
    ['a', 1, 2],
    ['a', 'b'],
    [1],
  ),
  ...pairs(
    'minContains',
    { type: 'array', contains: { type: 'integer' }, minContains: 2, maxContains: 3 },
    [1],
    [1, 'a', 2],
    [1, 2, 3],
    [1, 2, 3, 4],
    ['a'],
  ),
  ...pairs(
    'minContains 0',
    { type: 'array', contains: { type: 'integer' }, minContains: 0 },
    [],
    ['a'],
  ),
  ...pairs(
    'dependentRequired',
    {
      type: 'object',
      additionalProperties: true,
      properties: { a: {} },
      dependentRequired: { a: ['b', 'c'] },
    },
    {},
    { a: 1 },
    { a: 1, b: 2 },
    { a: 1, b: 2, c: 3 },
    { b: 1 },
  ),
  ...pairs(
    'dependentSchemas',
    {
      type: 'object',
      additionalProperties: true,
      properties: { a: {} },
      dependentSchemas: { a: { required: ['b'], maxProperties: 2 } },
    },
    { a: 1 },
    { a: 1, b: 2 },
    { a: 1, b: 2, c: 3 },
    { c: 1 },
  ),
  ...pairs(
    'unevaluatedProperties',
    {
      type: 'object',
      properties: { a: { type: 'string' } },
      allOf: [{ type: 'object', properties: { b: { type: 'integer' } } }],
      unevaluatedProperties: false,
    },
    { a: 'x', b: 1 },
    { a: 'x', c: 1 },
    { b: 'x' },
    {},
  ),
  ...pairs(
    'unevaluatedProperties after if',
    {
      type: 'object',
      additionalProperties: undefined,
      properties: { kind: { type: 'string' } },
      if: { properties: { kind: { const: 'a' } } },
      then: { properties: { x: {} } },
      else: { properties: { y: {} } },
      unevaluatedProperties: { type: 'integer' },
    },
    { kind: 'a', x: 'any' },
    { kind: 'a', y: 'any' },
    { kind: 'b', y: 'any' },
    { kind: 'b', x: 'any' },
    { kind: 'b', z: 1 },
  ),
  ...pairs(
    'unevaluatedItems',
    {
      type: 'array',
      prefixItems: [{ type: 'string' }],
      anyOf: [
        { prefixItems: [true, { type: 'integer' }] },
        { prefixItems: [true, { type: 'boolean' }, { type: 'boolean' }] },
      ],
      unevaluatedItems: false,
    },
    ['a', 1],
    ['a', true, true],
    ['a', 1, true],
    ['a'],
    ['a', 'b'],
  ),
  ...pairs(
    'unevaluatedItems and contains',
    { type: 'array', contains: { type: 'string' }, unevaluatedItems: { type: 'integer' } },
    ['a', 1],
    ['a', true],
    [1],
  ),
  ...pairs(
    '$ref with siblings',
    { $ref: '#/$defs/short', maxLength: 3, $defs: { short: { type: 'string', minLength: 2 } } },
    'a',
    'ab',
    'abcd',
    1,
  ),
  ...pairs(
    'type list',
    { type: ['string', 'integer'], minLength: 2, minimum: 3 },
    'a',
    'ab',
    2,
    3,
    true,
    null,
  ),
  ...pairs(
    'nullable type list',
    { type: ['object', 'null'], properties: { a: { type: 'string' } } },
    null,
    { a: 'x' },
    { a: 1 },
    'x',
  ),
  ...pairs(
    'exact multiples',
    { type: 'number', multipleOf: 0.01 },
    19.99,
    0.07,
    1.005,
    1e20,
    -0.03,
  ),
  ...pairs(
    "bounds that a double can't tell",
    { type: 'integer', exclusiveMinimum: 9007199254740991 },
    9007199254740991,
    9007199254740994,
  ),
  ...pairs(
    'oneOf of objects',
    {
      oneOf: [
        { type: 'object', properties: { a: { type: 'integer' } }, required: ['a'] },
        { type: 'object', properties: { b: { type: 'integer' } }, required: ['b'] },
      ],
    },
    { a: 1 },
    { b: 1 },
    {},
    { a: 'x' },
  ),
  ...pairs(
    'oneOf of conditions',
    {
      type: 'object',
      properties: { a: {}, b: {}, c: {} },
      oneOf: [{ required: ['a'] }, { required: ['b'] }],
    },
    { a: 1 },
    { b: 1 },
    { a: 1, b: 1 },
    { c: 1 },
  ),
  ...pairs(
    'anyOf with a common type',
    { type: 'string', anyOf: [{ minLength: 5 }, { enum: ['a', 'b'] }] },
    'a',
    'c',
    'long enough',
    1,
  ),
  ...pairs(
    'allOf of scalars',
    { allOf: [{ type: 'string' }, { maxLength: 2 }, { pattern: '^[a-z]+$' }] },
    'ab',
    'abc',
    'A',
    1,
  ),
  ...pairs(
    'allOf of objects',
    {
      allOf: [
        { type: 'object', properties: { a: { type: 'string' } }, required: ['a'] },
        { type: 'object', properties: { b: { type: 'integer' } } },
      ],
    },
    { a: 'x' },
    { a: 'x', b: 1 },
    { b: 1 },
    { a: 'x', b: 'y' },
  ),
  ...pairs(
    'required elsewhere',
    {
      type: 'object',
      allOf: [{ type: 'object', properties: { a: { type: 'string' } } }, { required: ['a'] }],
    },
    { a: 'x' },
    {},
    { a: 1 },
  ),
  ...pairs(
    'not beside a type',
    { type: 'object', properties: { a: {}, b: {} }, not: { required: ['a', 'b'] } },
    { a: 1 },
    { b: 1 },
    { a: 1, b: 1 },
    {},
  ),
  ...pairs(
    'patternProperties and additionalProperties',
    {
      type: 'object',
      properties: { id: { type: 'string' } },
      patternProperties: { '^x-': { type: 'integer' } },
      additionalProperties: { type: 'boolean' },
    },
    { 'x-a': 1 },
    { 'x-a': 'b' },
    { id: 'a', other: true },
    { other: 1 },
    { id: 1 },
  ),
  ...pairs(
    'patternProperties alone',
    {
      type: 'object',
      patternProperties: { '^\\d+$': { type: 'string' } },
      additionalProperties: false,
    },
    { 1: 'a' },
    { a: 'a' },
    { 1: 2 },
    {},
  ),
  ...pairs(
    'const and enum of structures',
    { enum: [{ a: [1, 2] }, [1], 'x', 5, null] },
    { a: [1, 2] },
    { a: [2, 1] },
    [1],
    'x',
    5,
    null,
    6,
  ),
  ...pairs(
    'discriminated',
    {
      oneOf: [
        {
          type: 'object',
          properties: { kind: { const: 'a' }, n: { type: 'integer' } },
          required: ['kind', 'n'],
        },
        {
          type: 'object',
          properties: { kind: { const: 'b' }, t: { type: 'string' } },
          required: ['kind'],
        },
      ],
    },
    { kind: 'a', n: 1 },
    { kind: 'a' },
    { kind: 'b', t: 'x' },
    { kind: 'c' },
  ),
  ...pairs(
    'maps',
    {
      type: 'object',
      additionalProperties: { type: ['integer', 'null'] },
      minProperties: 1,
      maxProperties: 2,
      propertyNames: { pattern: '^[a-z]$' },
    },
    { a: 1 },
    { a: null },
    {},
    { A: 1 },
    { a: 1, b: 2, c: 3 },
    { a: 'x' },
  ),
  ...pairs(
    'unique',
    { type: 'array', uniqueItems: true },
    [1, 1],
    [1, true],
    [
      { a: 1, b: 2 },
      { b: 2, a: 1 },
    ],
    [[1], [1, 2]],
    ['1', 1],
  ),
  ...pairs(
    'recursion',
    {
      type: 'object',
      properties: { next: { $ref: '#' }, v: { type: 'integer' } },
      required: ['v'],
    },
    { v: 1 },
    { v: 1, next: { v: 2 } },
    { v: 1, next: { next: { v: 3 } } },
    { v: 1, next: { v: 'x' } },
  ),
  ...pairs(
    'false property',
    { type: 'object', properties: { a: {}, b: false } },
    { a: 1 },
    { b: 1 },
  ),
]

/**
 * Why the check of inputs is stricter than the schema, in words of docs/coverage.md; undefined when
 * there is no reason.
 */
function reasonFor(schema: unknown, value: unknown): string | undefined {
  const text = JSON.stringify(schema)
  const isObject = typeof value === 'object' && value !== null && !Array.isArray(value)
  const speaksOf = (keywords: string): boolean => new RegExp(`"(?:${keywords})":`).test(text)
  if (
    speaksOf('properties|patternProperties|additionalProperties|required|unevaluatedProperties') &&
    !isObject &&
    !Array.isArray(value)
  )
    return 'keywords of objects without a type'
  if (
    speaksOf('properties|patternProperties|additionalProperties|required') &&
    Array.isArray(value) &&
    !speaksOf('items|prefixItems')
  )
    return 'keywords of objects without a type'
  if (speaksOf('items|prefixItems') && !Array.isArray(value))
    return 'keywords of lists without a type'
  if (speaksOf('unevaluatedItems')) return 'items that contains has not found'
  if (speaksOf('properties|required')) return 'members that nobody names'
  return undefined
}

interface Judged extends Case {
  readonly byRules: boolean
  readonly byInput: boolean
  readonly byAjv: boolean
}

async function judge(cases: readonly Case[]): Promise<Judged[]> {
  const schemas = [...new Set(cases.map((each) => JSON.stringify(each.schema)))]
  const placed = (at: number): unknown =>
    JSON.parse(
      (schemas[at] ?? '').replace(
        /"\$ref":"#([^"]*)"/g,
        (_, pointer: string) => `"$ref":"#/components/schemas/S${at}${pointer}"`,
      ),
    )
  const paths = Object.fromEntries(
    schemas.map((_, at) => [
      `/s${at}`,
      {
        post: {
          operationId: `s${at}`,
          requestBody: {
            required: true,
            content: { 'application/json': { schema: { $ref: `#/components/schemas/S${at}` } } },
          },
          responses: { 204: { description: 'd' } },
        },
      },
    ]),
  )
  const text = JSON.stringify({
    openapi: '3.1.0',
    info: { title: 'T', version: '1' },
    paths,
    components: { schemas: Object.fromEntries(schemas.map((_, at) => [`S${at}`, placed(at)])) },
  })
  const { contract, documents } = await readText('api.json', text)
  const references = await References.load(documents, new Notes(documents))
  const rules = new RuleReader(references, new Notes(documents))
  const trees = new JsonTrees(contract)
  const codecs = liveJson(contract, trees)
  const operations = new Map(
    operationsOf(contract).map((operation) => [
      operation.path[0] ?? '',
      {
        operation,
        live: {
          name: 'x',
          ...(codecs.of(trees.operation(operation)) as object),
        } as unknown as AnyHttpOperation,
      },
    ]),
  )
  const ajv = new Ajv2020({ strict: false, validateFormats: false, multipleOfPrecision: 6 })
  const validators = schemas.map((schema) => ajv.compile(JSON.parse(schema) as object))
  return cases.map((each) => {
    const at = schemas.indexOf(JSON.stringify(each.schema))
    const node = nodeAt(references.root, `/components/schemas/S${at}`)
    if (node === undefined) throw new Error(`no schema ${at}`)
    const { operation, live } = operations.get(`s${at}`) as {
      operation: Operation
      live: AnyHttpOperation
    }
    const body = operation.inputs[0]?.type
    const value =
      body === undefined ? each.value : fromPlain(contract as Contract, body, each.value)
    return {
      ...each,
      byRules: brokenRule(liveRule(rules.of(node), rules.named), each.value, '') === undefined,
      byInput: checkInput(live, { body: value }).length === 0,
      byAjv: validators[at]?.(each.value) === true,
    }
  })
}

describe("schemas and values, judged by Ajv and by the standard's own test data", () => {
  const judged: Judged[] = []
  beforeAll(async () => {
    judged.push(
      ...(await judge([
        ...(isHere ? [...suiteCases('draft4'), ...suiteCases('draft7')] : []),
        ...own,
      ])),
    )
  })

  test('there are a few hundred pairs', () => {
    expect(judged.length).toBeGreaterThan(isHere ? 700 : 120)
    // Both judges are asked; where the suite says what is valid, Ajv says so too.
    expect(
      judged
        .filter((each) => each.valid !== undefined && each.byAjv !== each.valid)
        .map((each) => each.name),
    ).toEqual([])
    expect(
      [true, false].map((valid) => judged.filter((each) => each.byAjv === valid).length > 60),
    ).toEqual([true, true])
  })

  test('rules agree on every pair', () => {
    // What contains has found counts as evaluated, and nothing else does (2020-12 Core, section
    // 11.2); Ajv lets everything pass there.
    expect(
      judged
        .filter((each) => each.byRules !== each.byAjv)
        .map((each) => `${each.name}: we say ${String(each.byRules)}`),
    ).toEqual(['own unevaluatedItems and contains: ["a",true]: we say false'])
  })

  test('the check of inputs agrees, except where it is stricter for a reason that docs/coverage.md gives', () => {
    const different = judged.filter((each) => each.byInput !== each.byAjv)
    expect(
      different
        .filter((each) => each.byInput || reasonFor(each.schema, each.value) === undefined)
        .map(
          (each) =>
            `${each.name}: we say ${String(each.byInput)} ${JSON.stringify(each.schema).slice(0, 300)}`,
        ),
    ).toEqual([])
    const coverage = readFileSync('docs/coverage.md', 'utf8')
    for (const reason of new Set(different.map((each) => reasonFor(each.schema, each.value) ?? '')))
      expect(coverage).toContain(reason)
  })
})

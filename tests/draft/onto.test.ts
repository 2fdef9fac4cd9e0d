import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { parse } from 'yaml'
import { documentsOf, type LoadedDocument } from '../../src/documents/documents.js'
import { mendedDocuments } from '../../src/documents/overlay.js'
import { draftOf } from '../../src/draft/draft.js'
import { overlayActions } from '../../src/draft/onto/overlay-actions.js'
import { proposalOnto, type Proposal } from '../../src/draft/onto/proposal.js'
import type { Recording } from '../../src/draft/recording.js'
import { plainOf } from '../../src/draft/remarked.js'
import { breaches, recorded, recordedAtRandom, type Described } from '../support/drafting.js'

function loaded(label: string, value: unknown): LoadedDocument {
  const text = JSON.stringify(value)
  return { label, from: label, text, bytes: new TextEncoder().encode(text), refers: new Map() }
}

/** A description with an overlay applied, as others get it. */
async function withOverlay(description: unknown, actions: readonly object[]): Promise<unknown> {
  const overlay = loaded('overlay.json', { overlay: '1.0.0', info: {}, actions })
  const root = loaded('openapi.json', description)
  const [mended] = await mendedDocuments(documentsOf([root, overlay], root.label, [overlay.label]))
  return parse(mended?.text ?? '') as unknown
}

function proposed(description: unknown, recordings: readonly Recording[]): Proposal {
  const documents = new Map([['openapi.json', description]])
  return proposalOnto({ root: 'openapi.json', documents, follow: () => undefined }, recordings)
}

/** Proposes, and applies what was proposed. */
async function mended(
  description: unknown,
  recordings: readonly Recording[],
): Promise<{ after: Described; proposal: Proposal }> {
  const proposal = proposed(description, recordings)
  const actions = proposal.actions.get('openapi.json') ?? []
  return { after: (await withOverlay(description, actions)) as Described, proposal }
}

const names = fc.constantFrom('a', 'b', 'c', "it's", 'kind', 'a\\"b', '17', '__proto__', '~1/')
const leaves = fc.constantFrom(null, true, 0, -1.5, 2 ** 53, 'x', 'rising', '2027-07-15', '12.50')
const { value } = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 3 },
    leaves,
    fc.array(tie('value'), { maxLength: 3 }),
    fc.dictionary(names, tie('value'), { maxKeys: 4 }),
  ),
}))
const object = fc.dictionary(names, value, { maxKeys: 4 })
const recordings = recordedAtRandom(value)

test('the actions that are found make one document of another', async () => {
  await fc.assert(
    fc.asyncProperty(object, object, async (one, other) => {
      const before = { openapi: '3.1.0', held: one }
      const after = { openapi: '3.1.0', held: other }
      const actions = overlayActions(before, after).map(({ touched: _, ...action }) => action)
      const found = await withOverlay(before, actions)
      expect(JSON.parse(JSON.stringify(found))).toEqual(JSON.parse(JSON.stringify(after)))
    }),
    { numRuns: 200 },
  )
})

test('a description of some answers, with what was proposed, allows others, and nothing is left to propose', async () => {
  await fc.assert(
    fc.asyncProperty(recordings, recordings, async (first, later) => {
      const description = plainOf(draftOf(first).description)
      for (const all of [later, [...later, ...first]]) {
        const { after } = await mended(description, all)
        expect(breaches(after, all)).toEqual([])
        expect([...proposed(after, all).actions]).toEqual([])
      }
    }),
    { numRuns: 40 },
  )
})

/** Schemas of all kinds that people write, in the words of a version. */
function schemasOf(
  version: '2.0' | '3.0' | '3.1',
  named: readonly string[],
): fc.Arbitrary<Record<string, unknown>> {
  const nullable = version === '2.0' ? 'x-nullable' : 'nullable'
  const some = <T>(given: fc.Arbitrary<T>): fc.Arbitrary<T | undefined> =>
    fc.option(given, { nil: undefined })
  const written = (parts: Record<string, fc.Arbitrary<unknown>>): fc.Arbitrary<object> =>
    fc
      .record(Object.fromEntries(Object.entries(parts).map(([key, each]) => [key, some(each)])))
      .map((made) =>
        Object.fromEntries(Object.entries(made).filter(([, each]) => each !== undefined)),
      )
  const { schema } = fc.letrec<{ schema: Record<string, unknown> }>((tie) => {
    const list = fc.array(tie('schema'), { minLength: 1, maxLength: 3 })
    const typed = fc
      .tuple(
        fc.constantFrom('string', 'integer', 'number', 'boolean', 'array', 'object'),
        version === '3.1' ? fc.constant({}) : written({ [nullable]: fc.boolean() }),
        fc.boolean(),
      )
      .map(([type, more, isNullable]) => ({
        type: version === '3.1' && isNullable ? [type, 'null'] : type,
        ...more,
        ...(type === 'array' ? { items: {} } : {}),
      }))
    const rules = written({
      minLength: fc.nat(3),
      maxLength: fc.nat(3),
      pattern: fc.constantFrom('^r', 'x$'),
      format: fc.constantFrom('date', 'date-time', 'int32', 'int64', 'uuid'),
      minimum: fc.integer({ min: -3, max: 3 }),
      maximum: fc.integer({ min: -3, max: 3 }),
      multipleOf: fc.constantFrom(1, 2),
      minItems: fc.nat(2),
      uniqueItems: fc.boolean(),
      maxProperties: fc.nat(2),
      enum: fc.array(fc.constantFrom('x', 'rising', 0, true), { minLength: 1, maxLength: 3 }),
      ...(version === '3.1' ? { exclusiveMinimum: fc.nat(3), const: leaves } : {}),
      ...(version === '3.0' ? { exclusiveMinimum: fc.boolean() } : {}),
    })
    const record = written({
      required: fc.uniqueArray(names, { maxLength: 2, minLength: 1 }),
      properties: fc.dictionary(names, tie('schema'), { maxKeys: 3 }),
      additionalProperties: fc.oneof(fc.boolean(), tie('schema')),
    }).map((each) => ({ type: 'object', ...each }))
    const items = tie('schema').map((each) => ({ type: 'array', items: each }))
    const together = written({
      allOf: list,
      ...(version === '2.0' ? {} : { anyOf: list, oneOf: list }),
    })
    const reference = fc
      .constantFrom('One', 'Other')
      .map((name) => ({ $ref: refTo(version, name) }))
    const scalar = fc.tuple(typed, rules).map(([one, other]) => ({ ...one, ...other }))
    return {
      schema: fc.oneof(
        { maxDepth: 3 },
        scalar,
        rules,
        record,
        items,
        together,
        ...(named.length === 0 ? [] : [reference]),
      ) as never,
    }
  })
  return schema
}

function refTo(version: string, name: string): string {
  return version === '2.0' ? `#/definitions/${name}` : `#/components/schemas/${name}`
}

/** A description of one operation that answers by a schema. */
function describing(
  version: '2.0' | '3.0' | '3.1',
  schema: object,
  [One, Other]: readonly [object, object],
): object {
  const said =
    version === '2.0'
      ? { swagger: '2.0', host: 'gauge.example' }
      : { openapi: `${version}.0`, servers: [{ url: 'https://gauge.example' }] }
  const response = version === '2.0' ? { schema } : { content: { 'application/json': { schema } } }
  const named = { One, Other }
  return {
    ...said,
    info: { title: 'Marks', version: '1' },
    paths: {
      '/things': {
        get: { operationId: 'things', responses: { 200: { description: '', ...response } } },
      },
    },
    ...(version === '2.0' ? { definitions: named } : { components: { schemas: named } }),
  }
}

/** A description of an older version as one of 3.1, as far as JSON Schema differs. */
function asNew(value: unknown, isSchemas = false): unknown {
  if (Array.isArray(value)) return value.map((each) => asNew(each))
  if (typeof value !== 'object' || value === null) return value
  const { nullable, 'x-nullable': old, ...rest } = value as Record<string, unknown>
  const schema: Record<string, unknown> = Object.fromEntries(
    Object.entries(isSchemas ? value : rest).map(([key, each]) => [
      key,
      ['enum', 'const', 'required'].includes(key) && !isSchemas
        ? each
        : asNew(each, !isSchemas && ['properties', 'schemas', 'definitions'].includes(key)),
    ]),
  )
  if (isSchemas) return schema
  const exclusive = schema['exclusiveMinimum']
  if (exclusive === true) schema['exclusiveMinimum'] = schema['minimum']
  if (exclusive === false || schema['exclusiveMinimum'] === undefined)
    delete schema['exclusiveMinimum']
  // Beside a reference nothing else counts.
  if (typeof schema['$ref'] === 'string')
    return { $ref: schema['$ref'].replace('#/definitions/', '#/components/schemas/') }
  return nullable === true || old === true ? { anyOf: [schema, { type: 'null' }] } : schema
}

describe.each(['2.0', '3.0', '3.1'] as const)('OpenAPI %s', (version) => {
  test('whatever schema is written, and whatever is answered: what is proposed lets Ajv find it valid', async () => {
    const named = schemasOf(version, [])
    await fc.assert(
      fc.asyncProperty(
        schemasOf(version, ['One', 'Other']),
        fc.tuple(named, named),
        // Ajv looks at no member that is called so.
        fc.array(
          value.filter((each) => !JSON.stringify(each).includes('__proto__')),
          { minLength: 1, maxLength: 4 },
        ),
        async (own, those, values) => {
          const description = describing(version, own, those)
          const all = values.map((each) => recorded('GET', '/things', JSON.stringify(each)))
          const { after } = await mended(description, all)
          const { definitions, ...read } = (
            version === '3.1' ? after : asNew(after)
          ) as Described & { definitions?: object }
          const response = (read.paths['/things']?.['get']?.responses[200] ?? {}) as {
            schema?: object
          }
          if (version === '2.0')
            Object.assign(read, {
              servers: [{ url: 'https://gauge.example' }],
              components: { schemas: definitions },
            })
          if (version === '2.0')
            Object.assign(response, {
              content: { 'application/json': { schema: response.schema ?? {} } },
            })
          expect(breaches(read, all)).toEqual([])
        },
      ),
      { numRuns: 120 },
    )
  })
})

describe('what is proposed, case by case', () => {
  interface Case {
    readonly paths?: object
    readonly schemas?: object
    readonly more?: object
    readonly recordings: readonly Recording[]
    /** What the actions are, without their reasons. */
    readonly actions: readonly object[]
    readonly leftOut?: object
    readonly troubles?: readonly string[]
  }
  const mark = { $ref: '#/components/schemas/Mark' }
  const answering = (schema: object, more: object = {}): object => ({
    operationId: 'x',
    responses: { 200: { description: '', content: { 'application/json': { schema } } } },
    ...more,
  })
  const marks = { '/marks': { get: answering(mark) } }
  const get = (answer: unknown, path = '/marks', more: Partial<Recording> = {}): Recording =>
    recorded('GET', path, answer, more)
  const update = (target: string, value: unknown): object => ({ target, update: value })
  const closed = { type: 'object', additionalProperties: false, properties: { a: {} } }
  const open = { type: 'object', properties: { a: {} } }
  const base = {
    type: 'object',
    discriminator: { propertyName: 'kind' },
    properties: { kind: { type: 'string' } },
  }
  const kinds = {
    Mark: base,
    Buoy: { allOf: [mark, { type: 'object', properties: { light: { type: 'string' } } }] },
    Beacon: { type: 'object', properties: { kind: {}, light: { type: 'integer' } } },
  }
  const posted = (sent: unknown, status = 201): Recording =>
    recorded('POST', '/marks', undefined, { sent: sent as string, status })
  const posting = (schema: object): object => ({
    '/marks': {
      post: {
        operationId: 'x',
        parameters: [{ name: 'tug', in: 'query', required: true, schema: {} }],
        requestBody: { content: { 'application/json': { schema } } },
        responses: { 201: { description: '' }, 400: { description: '' } },
      },
    },
  })
  const cases: Readonly<Record<string, Case>> = {
    'nothing, where all is allowed': {
      schemas: { Mark: open },
      recordings: [get({ a: 1 })],
      actions: [],
    },
    'members that nothing describes, but none of what names no members': {
      schemas: { Mark: { type: 'object', properties: { free: { type: 'object' } } } },
      recordings: [get({ free: { x: 1 }, b: true })],
      actions: [update('$.components.schemas.Mark.properties', { b: { type: 'boolean' } })],
    },
    'what one part forbids and another describes': {
      schemas: { Mark: { allOf: [closed, { type: 'object', properties: { b: {} } }] } },
      recordings: [get({ a: 1, b: 2 })],
      actions: [update('$.components.schemas.Mark.allOf[0]', { additionalProperties: true })],
    },
    'null of what is referred to, where it stands alone': {
      schemas: {
        Mark: { type: 'object', properties: { of: { $ref: '#/components/schemas/Of' } } },
        Of: open,
      },
      recordings: [get({ of: null })],
      actions: [
        { target: '$.components.schemas.Mark.properties.of', remove: true },
        update('$.components.schemas.Mark.properties', {
          of: { anyOf: [{ $ref: '#/components/schemas/Of' }, { type: 'null' }] },
        }),
      ],
    },
    'both kinds, where some came as it is said, and the other alone, where none did': {
      schemas: {
        Mark: {
          type: 'object',
          properties: { a: { type: 'string' }, b: { type: 'string', description: 'B.' } },
        },
      },
      recordings: [get({ a: 'x', b: 1 }), get({ a: 2, b: 1 })],
      actions: [
        { target: '$.components.schemas.Mark.properties.a', remove: true },
        update('$.components.schemas.Mark.properties.b', { type: 'integer', examples: [1] }),
        update('$.components.schemas.Mark.properties', {
          a: { anyOf: [{ type: 'string' }, { type: 'integer', examples: [2] }] },
        }),
      ],
    },
    'the alternative that the discriminator tells': {
      paths: {
        '/marks': {
          get: answering({
            oneOf: ['Buoy', 'Beacon'].map((name) => ({ $ref: `#/components/schemas/${name}` })),
            discriminator: { propertyName: 'kind' },
          }),
        },
      },
      schemas: { ...kinds, Mark: open },
      recordings: [get({ kind: 'Beacon', light: 1.5 })],
      actions: [
        update('$.components.schemas.Beacon.properties.light', {
          type: 'number',
          format: 'decimal',
        }),
      ],
    },
    'the subtype that the discriminator of a base tells': {
      schemas: kinds,
      recordings: [get({ kind: 'Buoy', light: null })],
      actions: [
        update('$.components.schemas.Buoy.allOf[1].properties.light', { type: ['string', 'null'] }),
      ],
    },
    'another status, with what it holds': {
      schemas: { Mark: open },
      recordings: [get({ why: 'late' }, '/marks', { status: 409 })],
      actions: [
        update("$.paths['/marks'].get.responses", {
          409: {
            description: 'Seen once.',
            content: { 'application/json': { schema: { $ref: '#/components/schemas/Failure' } } },
          },
        }),
        update('$.components.schemas', {
          Failure: {
            type: 'object',
            required: ['why'],
            properties: { why: { type: 'string', examples: ['late'] } },
          },
        }),
      ],
    },
    'what is sent and taken: what is needless, and what is of another kind; nothing of what is refused':
      {
        paths: posting({
          type: 'object',
          required: ['a', 'id'],
          properties: { a: {}, id: { readOnly: true }, n: { type: 'integer' } },
        }),
        recordings: [posted({ n: 1.5, more: 1 }), posted({ n: 'x' }, 400)],
        actions: [
          update("$.paths['/marks'].post.parameters[0]", { required: false }),
          update(
            "$.paths['/marks'].post.requestBody.content['application/json'].schema.properties.n",
            { type: 'number', format: 'decimal' },
          ),
          {
            target:
              "$.paths['/marks'].post.requestBody.content['application/json'].schema.required",
            remove: true,
          },
          update("$.paths['/marks'].post.requestBody.content['application/json'].schema", {
            required: ['id'],
          }),
        ],
      },
    'operations that it lacks, beside those it has, by their names there': {
      paths: {
        ...marks,
        '/marks/{id}': {
          parameters: [{ name: 'id', in: 'path', required: true, schema: {} }],
          get: answering(mark),
        },
      },
      schemas: { Mark: open },
      recordings: [
        recorded('DELETE', '/marks/17', undefined, { status: 204 }),
        get({ a: 1 }, '/marks/17'),
        get('no', '/gone', { status: 404 }),
      ],
      actions: [
        update("$.paths['/marks/{id}']", {
          delete: {
            operationId: 'deleteMark',
            parameters: [
              {
                name: 'id',
                in: 'path',
                required: true,
                schema: { type: 'integer', examples: [17] },
              },
            ],
            responses: { 204: { description: 'Seen once.' } },
          },
        }),
      ],
      leftOut: { 'that failed, of operations that nothing describes': 1 },
    },
    'where the service was when it was recorded, it is learnt': {
      paths: marks,
      schemas: { Mark: { type: 'object', required: ['a', 'b'], properties: { a: {}, b: {} } } },
      more: {
        servers: [{ url: 'https://elsewhere.example/v{n}', variables: { n: { default: '2' } } }],
      },
      recordings: [get({ a: 1 }, '/test/v3/marks'), get({ a: 1 }, '/other')],
      actions: [
        { target: '$.components.schemas.Mark.required', remove: true },
        update('$.components.schemas.Mark', { required: ['a'] }),
      ],
      leftOut: { 'that are under no address of the description': 1 },
    },
    'one of several operations of an address, where a header of one value tells it': {
      paths: Object.fromEntries(
        ['A', 'B'].map((name) => [
          `/#${name}`,
          {
            get: answering(
              { type: 'string' },
              {
                parameters: [
                  { name: 'X-Target', in: 'header', required: true, schema: { enum: [name] } },
                ],
              },
            ),
          },
        ]),
      ),
      recordings: [get('1', '/', { headers: [['x-target', 'B']] }), get('1', '/')],
      actions: [
        update("$.paths['/#B'].get.responses['200'].content['application/json'].schema", {
          type: 'integer',
          examples: [1],
        }),
      ],
      leftOut: { 'that several operations may be meant by': 1 },
    },
    'other kinds of things, and no names of persons or secrets': {
      schemas: {
        Mark: {
          type: 'object',
          properties: Object.fromEntries(
            ['state', 'keeper', 'owner', 'token'].map((name) => [name, { enum: ['a'] }]),
          ),
        },
      },
      recordings: [get({ state: 'Slack', keeper: 'Anna Berg', owner: 'anna', token: 'k' })],
      actions: [
        update('$.components.schemas.Mark.properties.state.enum', 'Slack'),
        ...['keeper', 'owner', 'token'].map((name) => ({
          target: `$.components.schemas.Mark.properties.${name}.enum`,
          remove: true,
        })),
      ],
    },
    'nothing of what is not looked at, which is told': {
      schemas: { Mark: { ...open, not: { required: ['a'] } } },
      recordings: [get({ a: 1 })],
      actions: [],
      troubles: ['what "not" says is not looked at (components schemas Mark)'],
    },
  }
  test.each(Object.entries(cases))(
    '%s',
    (
      _,
      { paths = marks, schemas = {}, more, recordings: all, actions, leftOut = {}, troubles = [] },
    ) => {
      const description = { openapi: '3.1.0', paths, components: { schemas }, ...more }
      const proposal = proposed(description, all)
      const found = (proposal.actions.get('openapi.json') ?? []).map(
        ({ description: _why, ...action }) => action,
      )
      expect(found).toEqual(actions)
      expect(JSON.stringify([...proposal.actions])).not.toMatch(/Anna|anna|"k"/)
      expect([Object.fromEntries(proposal.leftOut), proposal.troubles]).toEqual([leftOut, troubles])
    },
  )
})

test('a description in which everything leads to the same twice, forty times, is looked at once', () => {
  const schemas = Object.fromEntries(
    Array.from({ length: 40 }, (_, at) => {
      const next = { $ref: `#/components/schemas/S${String(at + 1)}` }
      return [`S${String(at)}`, { oneOf: [next, next, { type: 'array', items: next }] }]
    }),
  )
  const description = describing('3.1', { $ref: '#/components/schemas/S0' }, [{}, {}])
  const hostile = {
    ...description,
    components: { schemas: { ...schemas, S40: { type: 'boolean' } } },
  }
  const answers = ['"x"', 'null', '[[["x"]]]', '{"a":1}']
  const { actions } = proposed(
    hostile,
    answers.map((text) => recorded('GET', '/things', text)),
  )
  expect(actions.size).toBe(1)
})

import { describe, expect, it, test } from '@jest/globals'
import { Problem } from '../../src/contract/problem.js'
import { operationsOf } from '../../src/contract/queries.js'
import type { Dialect } from '../../src/dialects/dialect.js'
import { http } from '../../src/dialects/http/index.js'
import { odata } from '../../src/dialects/odata/index.js'
import { soap } from '../../src/dialects/soap/index.js'
import { documentsOf } from '../../src/documents/documents.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { brokenRule, type LiveRule } from '../../src/runtime/json/rules.js'

/**
 * Documents of a few kilobytes whose meaning is endless, or of the size of two to the power of
 * forty.
 */

const times = (count: number, text: (at: number) => string): string =>
  Array.from({ length: count }, (_, at) => text(at)).join('')
const steps = 40
const deep = 20_000

function wsdl(types: string, parts = '<part name="in" element="t:berth"/>'): string {
  return `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="urn:t" targetNamespace="urn:t"><types><xs:schema targetNamespace="urn:t" xmlns="urn:t"><xs:element name="berth" type="T"/>${types}</xs:schema></types><message name="m">${parts}</message><portType name="P"><operation name="moor"><input message="t:m"/></operation></portType><binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="moor"><soap:operation soapAction=""/><input><soap:body use="literal"/></input></operation></binding><service name="S"><port name="p" binding="t:B"><soap:address location="http://localhost/"/></port></service></definitions>`
}
const one = (content: string, name = 'T'): string =>
  `<xs:complexType name="${name}"><xs:sequence>${content}</xs:sequence></xs:complexType>`
const simple = (name: string, inside: string): string =>
  `<xs:simpleType name="${name}">${inside}</xs:simpleType>`
const faceted = (facets: string, base = 'xs:string'): string =>
  simple('S', `<xs:restriction base="${base}">${facets}</xs:restriction>`) +
  one('<xs:element name="x" type="S"/>')

function api(schemas: Readonly<Record<string, unknown>>): string {
  const content = { 'application/json': { schema: { $ref: '#/components/schemas/T' } } }
  return JSON.stringify({
    openapi: '3.1.0',
    info: { title: 't', version: '1' },
    paths: {
      '/moor': {
        post: {
          operationId: 'moor',
          requestBody: { content },
          responses: { 200: { description: '', content } },
        },
      },
    },
    components: { schemas },
  })
}
const ref = (name: string): object => ({ $ref: `#/components/schemas/${name}` })
const all = (count: number, schema: (at: number) => unknown, name = 's'): Record<string, unknown> =>
  Object.fromEntries(Array.from({ length: count }, (_, at) => [`${name}${String(at)}`, schema(at)]))
const doubled = (keyword: string): string =>
  api({
    T: ref('s0'),
    ...all(steps, (at) => ({ [keyword]: [ref(`s${String(at + 1)}`), ref(`t${String(at + 1)}`)] })),
    ...all(
      steps,
      (at) => ({ [keyword]: [ref(`s${String(at + 1)}`), ref(`t${String(at + 1)}`)] }),
      't',
    ),
    [`s${String(steps)}`]: { type: 'object', properties: { x: { type: 'string' } } },
    [`t${String(steps)}`]: { type: 'object', properties: { y: { type: 'string' } } },
  })

function edmx(types: string): string {
  return `<edmx:Edmx xmlns:edmx="http://docs.oasis-open.org/odata/ns/edmx" Version="4.0"><edmx:DataServices><Schema xmlns="http://docs.oasis-open.org/odata/ns/edm" Namespace="n">${types}<EntityType Name="E"><Key><PropertyRef Name="I"/></Key><Property Name="I" Type="Edm.Int32" Nullable="false"/><Property Name="X" Type="n.A0" Nullable="false"/></EntityType><EntityContainer Name="C"><EntitySet Name="Es" EntityType="n.E"/></EntityContainer></Schema></edmx:DataServices></edmx:Edmx>`
}

/**
 * Reads a document and makes samples of all its inputs: what a sample lacks, or the code of the
 * problem.
 */
async function outcome(dialect: Dialect, text: string): Promise<string> {
  const label = dialect === http ? 'service.json' : 'service.xml'
  const document = {
    label,
    from: `/${label}`,
    bytes: new Uint8Array(),
    text,
    refers: new Map<string, string>(),
  }
  try {
    const contract = await dialect.read(documentsOf([document], label), 'service')
    const shortfalls: string[] = []
    for (const operation of operationsOf(contract)) {
      for (const full of [false, true]) {
        const sample = sampleInput(contract, operation, {
          full,
          rules: dialect.rules?.(contract),
          onShortfall: ({ reason }) => shortfalls.push(reason),
        })
        expect(JSON.stringify(sample).length).toBeLessThan(3_000_000)
      }
    }
    return shortfalls[0] ?? 'read'
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    expect(error.place?.line).toBeGreaterThan(0)
    return error.code
  }
}

const endless = 'it would go on without end, or for very long'
const none = (type: string): string =>
  `there is no value of ${type} that comes to an end: each must have another one in it`

test.each([
  [
    'groups of groups',
    wsdl(
      times(
        steps,
        (at) =>
          `<xs:group name="g${String(at)}"><xs:sequence><xs:group ref="g${String(at + 1)}"/><xs:group ref="g${String(at + 1)}"/></xs:sequence></xs:group>`,
      ) +
        `<xs:group name="g${String(steps)}"><xs:sequence/></xs:group><xs:complexType name="T"><xs:group ref="g0"/></xs:complexType>`,
    ),
    'TM-2221',
  ],
  [
    'groups of attributes',
    wsdl(
      times(
        steps,
        (at) =>
          `<xs:attributeGroup name="g${String(at)}"><xs:attributeGroup ref="g${String(at + 1)}"/><xs:attributeGroup ref="g${String(at + 1)}"/></xs:attributeGroup>`,
      ) +
        `<xs:attributeGroup name="g${String(steps)}"/><xs:complexType name="T"><xs:attributeGroup ref="g0"/></xs:complexType>`,
    ),
    'TM-2221',
  ],
  [
    'unions of unions',
    wsdl(
      times(steps, (at) =>
        simple(`u${String(at)}`, `<xs:union memberTypes="u${String(at + 1)} u${String(at + 1)}"/>`),
      ) +
        simple(`u${String(steps)}`, '<xs:restriction base="xs:int"/>') +
        one('<xs:element name="x" type="u0"/>'),
    ),
    'read',
  ],
  [
    'records of records',
    wsdl(
      times(steps, (at) =>
        one(
          `<xs:element name="a" type="c${String(at + 1)}"/><xs:element name="b" type="c${String(at + 1)}"/>`,
          `c${String(at)}`,
        ),
      ) +
        one('', `c${String(steps)}`) +
        one('<xs:element name="x" type="c0"/>'),
    ),
    endless,
  ],
  ['a record that must be in itself', wsdl(one('<xs:element name="x" type="T"/>')), none('T')],
  [
    'a record that must be in itself by way of others, whichever is taken',
    wsdl(
      one('<xs:element name="x" type="W"/>') +
        '<xs:complexType name="W" abstract="true"><xs:sequence/></xs:complexType>' +
        ['A', 'B']
          .map(
            (name) =>
              `<xs:complexType name="${name}"><xs:complexContent><xs:extension base="W"><xs:sequence><xs:element name="back" type="T"/></xs:sequence></xs:extension></xs:complexContent></xs:complexType>`,
          )
          .join(''),
    ),
    none('T'),
  ],
  [
    'many of many',
    wsdl(
      times(12, (at) =>
        one(
          `<xs:element name="a" type="c${String(at + 1)}" minOccurs="20" maxOccurs="unbounded"/>`,
          `c${String(at)}`,
        ),
      ) +
        one('', 'c12') +
        one('<xs:element name="x" type="c0"/>'),
    ),
    endless,
  ],
  [
    'a chain of extensions',
    wsdl(
      times(
        deep,
        (at) =>
          `<xs:complexType name="c${String(at)}"><xs:complexContent><xs:extension base="c${String(at + 1)}"/></xs:complexContent></xs:complexType>`,
      ) +
        `<xs:complexType name="c${String(deep)}"/>` +
        one('<xs:element name="x" type="c0"/>'),
    ),
    'TM-2221',
  ],
  [
    'a chain of restrictions',
    wsdl(
      times(deep, (at) => simple(`c${String(at)}`, `<xs:restriction base="c${String(at + 1)}"/>`)) +
        simple(`c${String(deep)}`, '<xs:restriction base="xs:string"/>') +
        one('<xs:element name="x" type="c0"/>'),
    ),
    'TM-2221',
  ],
  [
    'types that extend each other',
    wsdl(
      ['T', 'U']
        .map(
          (name, at) =>
            `<xs:complexType name="${name}"><xs:complexContent><xs:extension base="${['U', 'T'][at] as string}"/></xs:complexContent></xs:complexType>`,
        )
        .join(''),
    ),
    'TM-2216',
  ],
  [
    'a thousand million elements',
    wsdl(
      one('<xs:element name="x" type="xs:string" minOccurs="1000000000" maxOccurs="unbounded"/>'),
    ),
    'it must have at least 1000000000 items',
  ],
  [
    'a thousand million characters',
    wsdl(faceted('<xs:minLength value="1000000000"/>')),
    'no text was found that has the right length',
  ],
  [
    'a thousand million bytes',
    wsdl(faceted('<xs:minLength value="1000000000"/>', 'xs:base64Binary')),
    'it must have at least 1000000000 bytes',
  ],
  [
    'a pattern of as many',
    wsdl(faceted('<xs:pattern value="a{999999999}"/>')),
    'no text was found that matches a{999999999}',
  ],
  [
    'two parts of one name',
    wsdl(one(''), '<part name="in" element="t:berth"/><part name="in" type="xs:string"/>'),
    'TM-2222',
  ],
  [
    'two attributes of one name',
    wsdl(
      '<xs:complexType name="T"><xs:attribute name="x" type="xs:int"/><xs:attribute name="x" type="xs:int"/></xs:complexType>',
    ),
    'read',
  ],
  [
    'many values, each once',
    wsdl(faceted(times(100_000, (at) => `<xs:enumeration value="v${String(at)}"/>`))),
    'read',
  ],
])('XML Schema: %s', async (_name, text, expected) =>
  expect(await outcome(soap, text)).toBe(expected),
)

describe('JSON Schema', () => {
  it.each(['allOf', 'anyOf', 'oneOf'])('%s of two of two of two', async (keyword) =>
    expect([endless, 'read', 'no value was found that satisfies all its rules']).toContain(
      await outcome(http, doubled(keyword)),
    ),
  )

  it.each<[string, unknown]>([
    ['not', { not: ref('T') }],
    ['if', { if: ref('T'), then: { type: 'string' } }],
    ['then', { if: { type: 'string' }, then: ref('T') }],
    ['else', { if: { type: 'string' }, else: ref('T') }],
    ['allOf', { allOf: [ref('T')] }],
    ['oneOf', { oneOf: [ref('T'), ref('T')] }],
    [
      'dependentRequired',
      {
        type: 'object',
        minProperties: 1,
        required: ['a'],
        properties: { a: ref('T') },
        dependentRequired: { a: 'a' },
        enum: 'a',
      },
    ],
    ['dependentSchemas', { dependentSchemas: { a: ref('T') } }],
    ['propertyNames', { type: 'object', propertyNames: ref('T') }],
    ['contains', { type: 'array', minItems: 1, contains: ref('T') }],
    ['$ref', ref('T')],
  ])('%s of itself', async (_keyword, schema) =>
    expect(typeof (await outcome(http, api({ T: schema })))).toBe('string'),
  )

  const within = (schema: object): object => ({
    T: { type: 'object', required: ['x'], properties: { x: schema } },
  })
  it.each([
    ['a member', within(ref('T')), none('T')],
    ['a list of at least one', within({ type: 'array', minItems: 1, items: ref('T') }), none('T')],
    ['alternatives', within({ anyOf: [ref('T'), { allOf: [ref('T')] }] }), none('T')],
    [
      'a map of at least one',
      within({ type: 'object', minProperties: 1, additionalProperties: ref('T') }),
      'no value was found that satisfies all its rules',
    ],
    ['one of which need not be', within({ oneOf: [ref('T'), { type: 'string' }] }), 'read'],
    ['what may be null', within({ oneOf: [ref('T'), { type: 'null' }] }), 'read'],
  ])('a record that requires itself as %s', async (_what, schemas, told) =>
    expect(await outcome(http, api(schemas as Record<string, unknown>))).toBe(told),
  )

  it.each([
    ['references', (at: number) => ref(`s${String(at + 1)}`)],
    ['allOf', (at: number) => ({ allOf: [ref(`s${String(at + 1)}`)] })],
  ])('a chain of %s', async (_name, schema) =>
    expect(
      await outcome(
        http,
        api({ T: ref('s0'), ...all(deep, schema), [`s${String(deep)}`]: { type: 'string' } }),
      ),
    ).toBe('TM-2221'),
  )

  it.each<[string, unknown, string | RegExp]>([
    [
      'items',
      { type: 'array', minItems: 1e9, items: { type: 'string' } },
      'it must have at least 1000000000 items',
    ],
    ['characters', { type: 'string', minLength: 1e9 }, /right length|all its rules/],
    [
      'repetitions',
      { type: 'string', pattern: '^(((a{1000}){1000}){1000}){1000}$' },
      /^no text was found|^read$/,
    ],
    [
      'items of items',
      Array.from({ length: 12 }).reduce<unknown>(
        (items) => ({ type: 'array', minItems: 20, items }),
        { type: 'string' },
      ),
      endless,
    ],
  ])('very many %s', async (_name, schema, expected) =>
    expect(
      await outcome(
        http,
        api({ T: { type: 'object', required: ['x'], properties: { x: schema } } }),
      ),
    ).toMatch(expected),
  )

  it('keywords of a wrong kind are told, wherever they stand', async () => {
    const rule = {
      enum: 'a',
      required: 'a',
      dependentRequired: { a: 'b' },
      anyOf: 'a',
      properties: 'a',
    }
    const text = api({
      T: {
        type: 'object',
        properties: { x: { type: 'string' } },
        not: { ...rule, minProperties: 9 },
      },
    })
    const contract = await http.read(
      documentsOf(
        [
          {
            label: 'service.json',
            from: '/service.json',
            bytes: new Uint8Array(),
            text,
            refers: new Map(),
          },
        ],
        'service.json',
      ),
      'service',
    )
    const told = contract.notes.map(({ message }) => message).join(' ')
    for (const keyword of ['enum', 'required', 'a', 'anyOf', 'properties'])
      expect(told).toContain(`"${keyword}" is not understood`)
  })

  it('a rule of itself breaks nothing, and ends', () => {
    const rule: LiveRule = { not: { $ref: () => rule } }
    expect([undefined, 'object']).toContain(typeof brokenRule(rule, 1, ''))
    const twice: LiveRule = { allOf: [{ $ref: () => twice }, { $ref: () => twice }] }
    expect(brokenRule(twice, 1, '')).toBeUndefined()
  })
})

test.each([
  [
    'complex types in themselves',
    '<ComplexType Name="A0"><Property Name="b" Type="n.A0" Nullable="false"/></ComplexType>',
    none('A0'),
  ],
  [
    'complex types that extend each other',
    '<ComplexType Name="A0" BaseType="n.B"/><ComplexType Name="B" BaseType="n.A0"/>',
    'TM-2411',
  ],
  [
    'complex types of two',
    times(
      steps,
      (at) =>
        `<ComplexType Name="A${String(at)}"><Property Name="a" Type="n.A${String(at + 1)}" Nullable="false"/><Property Name="b" Type="n.A${String(at + 1)}" Nullable="false"/></ComplexType>`,
    ) + `<ComplexType Name="A${String(steps)}"/>`,
    endless,
  ],
  [
    'definitions of each other',
    '<TypeDefinition Name="A0" UnderlyingType="n.B"/><TypeDefinition Name="B" UnderlyingType="n.A0"/>',
    'TM-2413',
  ],
  [
    'a chain of bases',
    times(deep, (at) => `<ComplexType Name="A${String(at)}" BaseType="n.A${String(at + 1)}"/>`) +
      `<ComplexType Name="A${String(deep)}"/>`,
    'TM-2221',
  ],
])('OData: %s', async (_name, types, expected) =>
  expect(await outcome(odata, edmx(types))).toBe(expected),
)

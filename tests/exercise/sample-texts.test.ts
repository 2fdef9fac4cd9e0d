import { expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import addFormats from 'ajv-formats'
import type { Constraints, Contract } from '../../src/contract/contract.js'
import { formatExamples } from '../../src/dialects/http/format-examples.js'
import { http } from '../../src/dialects/http/index.js'
import { sampleInput, sampleValue } from '../../src/exercise/sample.js'
import { operationNamed } from '../support/contracts.js'
import { readText } from '../support/descriptions.js'

const origin = 0
const contract = { types: {} } as unknown as Contract

const sampleOf = (constraints: Constraints): string =>
  String(
    sampleValue(
      contract,
      { kind: 'scalar', base: 'text', format: 'string', constraints },
      'berth',
      { full: true },
    ),
  )

test.each<[pattern: string, least: number, most: number]>([
  ['st-[a-zA-Z0-9]+', 16, 16],
  ['[A-Z]{2}-\\d+', 0, 100],
  ['[a-z]{3,}-\\d+', 9, 10],
  ['key:(?:one|two):.+:line/.+', 46, 60],
  ['(?=\\$)(?=\\S+$).*', 0, 100],
  ['(?=.*[0-9]).{8,}', 8, 20],
  ['(?=.*[a-z])(?=.*[A-Z])(?=.*[!@#$%&*()])[a-zA-Z\\d!@#$%&*()]{12,123}', 0, 200],
  ['(?=^.{8,64}$)((?=.*\\d)(?=.*[A-Z])(?=.*[a-z])|(?=.*\\d)(?=.*[^A-Z])(?=.*[a-z]))^.*', 20, 64],
])('a text for %s of %i to %i characters matches', (pattern, minLength, maxLength) => {
  const text = sampleOf({ patterns: [[pattern]], minLength, maxLength })
  expect(text).toMatch(new RegExp(`^(?:${pattern})$`, 'u'))
  expect(text.length).toBeGreaterThanOrEqual(minLength)
  expect(text.length).toBeLessThanOrEqual(maxLength)
})

test('where any character may stand, letters do', () => {
  expect(sampleOf({ patterns: [['to:.+']], minLength: 8 })).toMatch(/^to:[a-z]+$/)
})

test('texts of the formats that JSON Schema and OpenAPI name are such texts, as Ajv finds; defaults that are none are left out', async () => {
  const formats = [...formatExamples.keys(), 'date', 'duration', 'byte', 'binary', 'password']
  const properties = Object.fromEntries(
    formats.map((format) => {
      const isPreset = ['date-time', 'password'].includes(format)
      return [format, { type: 'string', format, ...(isPreset ? { default: 'never' } : {}) }]
    }),
  )
  const schema = { type: 'object', required: formats, properties }
  const content = { 'application/json': { schema } }
  const description = {
    openapi: '3.1.0',
    info: { title: 'Formats', version: '1' },
    paths: {
      '/': { put: { operationId: 'put', requestBody: { content }, responses: { 204: {} } } },
    },
  }
  const { contract } = await readText('formats.json', JSON.stringify(description))
  const { body } = sampleInput(contract, operationNamed(contract, 'put'), {
    full: true,
    rules: http.rules?.(contract),
  })
  const ajv = new Ajv2020({ strict: false, allErrors: true, logger: false })
  ;(addFormats as unknown as (ajv: Ajv2020) => void)(ajv)
  const validate = ajv.compile(schema)
  expect({ valid: validate(body), errors: validate.errors }).toEqual({ valid: true, errors: null })
  expect(body).toMatchObject({ 'date-time': '2026-11-23T14:30:00Z', password: 'never' })
})

test.each<[format: string, limits: Constraints, expected: RegExp]>([
  ['uuid', {}, /^[0-9a-f]{8}-/],
  ['uuid', { patterns: [['[A-F]{4}']] }, /^[A-F]{4}$/],
  ['email', { maxLength: 5 }, /^.{1,5}$/],
  ['email', { allowed: ['a@b.example'] }, /^a@b\.example$/],
])('a text of the format %s within %j', (format, constraints, expected) => {
  const type = { kind: 'scalar', base: 'text', format, constraints, origin } as const
  const rules = {
    allows: () => true,
    candidates: () => [],
    ofFormat: (name: string) => formatExamples.get(name),
  }
  expect(sampleValue(contract, type, 'berth', { full: true, rules })).toMatch(expected)
})

test('texts of a media type are such texts in samples; those with constraints keep to these', async () => {
  const text = (contentMediaType: string, more: object = {}): object => ({
    type: 'string',
    contentMediaType,
    ...more,
  })
  const properties = {
    json: text('application/vnd.quay+json'),
    page: text('text/html; charset=utf-8'),
    xml: text('application/vnd.quay+xml'),
    short: text('application/json', { maxLength: 1 }),
    image: text('image/png'),
  }
  const schema = { type: 'object', required: Object.keys(properties), properties }
  const content = { 'application/json': { schema } }
  const description = {
    openapi: '3.1.0',
    info: { title: 'Contents', version: '1' },
    paths: { '/': { put: { operationId: 'put', requestBody: { content, required: true } } } },
  }
  const { contract } = await readText('contents.json', JSON.stringify(description))
  const { body } = sampleInput(contract, operationNamed(contract, 'put'), {
    full: false,
    rules: http.rules?.(contract),
  }) as { body: Record<string, string> }
  expect(JSON.parse(body['json'] ?? '')).toEqual({})
  expect([body['page'], body['xml']]).toEqual(['<p>text</p>', '<a/>'])
  expect([body['short'], body['image']].map((each) => each?.startsWith('{'))).toEqual([
    false,
    false,
  ])
})

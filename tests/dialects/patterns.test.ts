import { expect, test } from '@jest/globals'
import { endsInTime } from '../../src/contract/pattern-safety.js'
import { isTooLongFor, matches } from '../../src/runtime/facets.js'
import { readText } from '../support/descriptions.js'

const endless = [
  '(a+)+$',
  '(a*)*',
  '(a|a)*b',
  '(a|aa)+$',
  '(?:\\w|\\d)*x',
  '^(([a-z])+.)+[A-Z]([a-z])+$',
  '([a-zA-Z]+)*',
  '(.*)*x',
  '(x+x+)+y',
  '^(\\d+)*$',
  '(a?b?)*c',
  '([\\u3040-\\u309f]|\\u3041)+x',
  '(?=(a+)+$)b',
  '(a+)\\1+',
  '(a{1,30}){1,30}x',
  '(?:[^"\\\\]|\\\\.|.)*"',
  `${'('.repeat(200)}a*${')*'.repeat(200)}`,
  '(?:a|b|ab)*c',
  '(\\s*\\w*)*$',
]
const harmless = [
  '^[a-z]+(\\.[a-z]+)*$',
  '^[\\w.]+@[\\w.]+\\.[a-z]{2,}$',
  '^\\d{4}-\\d{2}-\\d{2}$',
  '^[A-Z]{3}-?[0-9]*$',
  '^(?:[01]?\\d|2[0-3]):[0-5]\\d$',
  '^(https?)://[^\\s/$.?#].[^\\s]*$',
  '[a-f0-9]{8}(-[a-f0-9]{4}){3}-[a-f0-9]{12}',
  '^([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\\.)+[a-z]{2,}$',
  '(?:[^"\\\\]|\\\\.)*"',
  '^.*$',
  '^(a|b)*$',
  '^[^:]+(:[^:]+)*$',
  '^\\p{Lu}\\p{L}*( \\p{L}+)*$',
  'plain',
  '',
  '^(?!x)[a-z]+$',
  '\\bquay\\b',
  '(?<name>[a-z]+)-\\d',
  '[',
  '(',
  'a{',
  'a**',
]

test('patterns that may be tried without end are told from those that end', () => {
  expect(endless.filter(endsInTime)).toEqual([])
  // What is no pattern at all may count either way: it is refused as such.
  expect(harmless.filter((each) => !endsInTime(each))).toEqual([])
})

test('a verdict that all is well is true: texts that are made to be tried long are checked at once', () => {
  for (const pattern of harmless.slice(0, 18)) {
    for (const piece of ['a', 'a.', 'a-', '0', 'a:', 'A ', '"', '\\"', 'ab', '.', 'x', ' ']) {
      for (const length of [30, 1000, 20_000]) {
        const text = `${piece.repeat(length / piece.length)}\u0000`
        const started = performance.now()
        matches(pattern, text)
        expect({ pattern, piece, length, tooLong: performance.now() - started > 3000 }).toEqual({
          pattern,
          piece,
          length,
          tooLong: false,
        })
      }
    }
  }
  expect([
    isTooLongFor('^a*b*c*$', 'a'.repeat(1000)),
    isTooLongFor('^a*$', 'a'.repeat(1_000_000)),
    isTooLongFor('^\\d{3}$', 'a'.repeat(1_000_000)),
  ]).toEqual([true, false, false])
})

test("what can't be checked in time is not in the contract, and said", async () => {
  const description = (pattern: string): string =>
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Quay', version: '1' },
      servers: [{ url: 'http://quay.example' }],
      paths: {
        '/a': {
          get: {
            operationId: 'a',
            parameters: [{ name: 'q', in: 'query', schema: { type: 'string', pattern } }],
            responses: {
              200: {
                description: 'd',
                content: {
                  'application/json': {
                    schema: {
                      type: 'object',
                      patternProperties: { [pattern]: { type: 'string' } },
                      additionalProperties: false,
                      not: { pattern },
                    },
                  },
                },
              },
            },
          },
        },
      },
    })
  const { contract } = await readText('quay.json', description('^(a+)+$'))
  expect(contract.notes.map(({ code }) => code)).toEqual(['TM-2211', 'TM-2211', 'TM-2211'])
  expect(JSON.stringify({ ...contract, notes: [] })).not.toContain('(a+)+')
  expect((await readText('quay.json', description('^a+$'))).contract.notes).toEqual([])
})

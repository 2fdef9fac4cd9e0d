import { expect, test } from '@jest/globals'
import type { Constraints, Contract } from '../../src/contract/contract.js'
import { sampleValue } from '../../src/exercise/sample.js'

const origin = { document: 'd', line: 1, column: 1 }
const contract = { types: {} } as unknown as Contract

const sampleOf = (constraints: Constraints): string =>
  String(
    sampleValue(
      contract,
      { kind: 'scalar', base: 'text', format: 'string', constraints, origin },
      'berth',
      { full: true },
    ),
  )

test.each<[pattern: string, least: number, most: number]>([
  ['[A-Z]{2}-\\d+', 0, 100],
  ['[a-z]{3,}-\\d+', 9, 10],
  ['key:(?:one|two):.+:line/.+', 46, 60],
  ['(?=\\$)(?=\\S+$).*', 0, 100],
  ['(?=.*[0-9]).{8,}', 8, 20],
])('a text for %s of %i to %i characters matches', (pattern, minLength, maxLength) => {
  const text = sampleOf({ patterns: [[pattern]], minLength, maxLength })
  expect(text).toMatch(new RegExp(`^(?:${pattern})$`, 'u'))
  expect(text.length).toBeGreaterThanOrEqual(minLength)
  expect(text.length).toBeLessThanOrEqual(maxLength)
})

test('where any character may stand, letters do', () => {
  expect(sampleOf({ patterns: [['to:.+']], minLength: 8 })).toMatch(/^to:[a-z]+$/)
})

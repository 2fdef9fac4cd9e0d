import { describe, expect, it } from '@jest/globals'
import * as json from '../../src/runtime/json/values.js'
import * as edm2 from '../../src/runtime/odata/edm2.js'
import * as edm4 from '../../src/runtime/odata/edm4.js'
import * as soap from '../../src/runtime/soap/simple.js'

/** Days by three protocols: the same calendar in all of them. */
describe.each([
  '2026-02-30',
  '1900-02-29',
  '2026-04-31',
  '2026-00-10',
  '2026-13-01',
  '2026-01-00',
  '2026-01-32',
])('%s, which the calendar does not have,', (day) => {
  it('is no date, in any protocol', () => {
    expect([
      json.date.check(day),
      edm4.date.check(day as never),
      soap.date.check(day as never),
    ]).toEqual([false, false, expect.stringContaining(day)])
  })

  it('is no day of a moment, in any protocol', () => {
    const moment = `${day}T10:00:00`
    expect([
      json.dateTime.check(`${moment}Z`),
      edm4.dateTimeOffset.check(`${moment}Z` as never),
      edm2.dateTimeOffset.check(`${moment}Z` as never),
      edm2.dateTime.check(moment as never),
      soap.dateTime.check(moment as never),
    ]).toEqual([false, false, false, false, expect.stringContaining(day)])
  })
})

it.each([
  ['+14:00', true],
  ['-14:00', true],
  ['+13:59', true],
  ['Z', true],
  ['+14:01', false],
  ['-15:00', false],
  ['+05:60', false],
  ['+99:99', false],
])('an offset of %s is one in every protocol, or in none', (offset, is) => {
  const moment = `2028-02-29T10:00:00${offset}`
  expect([
    json.dateTime.check(moment),
    json.time.check(moment.slice(11)),
    edm4.dateTimeOffset.check(moment as never),
    edm2.dateTimeOffset.check(moment as never),
    soap.dateTime.check(moment as never) === undefined,
    soap.date.check(`2028-02-29${offset}` as never) === undefined,
  ]).toEqual(Array(6).fill(is))
})

it.each([
  ['007.50', '7.50'],
  ['-00.5', '-0.5'],
  ['0', '0'],
  ['000', '0'],
  ['10', '10'],
  ['1e5', '1e5'],
  ['00e1', '0e1'],
])('a decimal %s is the JSON number %s', (digits, sent) => {
  const text = json.jsonText(json.decimal.write(digits as never))
  expect(text).toBe(sent)
  expect(JSON.parse(text)).toBe(Number(digits))
})

it('a whole number of any size keeps its digits in JSON that nothing is known about', () => {
  expect(json.jsonText({ many: 9007199254740993n })).toBe('{"many":9007199254740993}')
})

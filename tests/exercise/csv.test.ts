import { expect, test } from '@jest/globals'
import { parse } from 'csv-parse/sync'
import fc from 'fast-check'
import { csvRows } from '../../src/exercise/csv.js'

test('a spreadsheet gets texts where cells begin like formulas, and numbers as they are', () => {
  const formulas = [
    '=1+1',
    "+cmd|' /C calc'!A0",
    '-2+3',
    '@SUM(A1)',
    '\t=1',
    '\r=1',
    '\n=1',
    '=HYPERLINK("http://quay.example")',
    '+',
    '-',
    '--1',
    '-1-1',
  ]
  const others = [
    '',
    'x',
    '1',
    '-1',
    '+1.50',
    '-1,250.00',
    '-.5',
    '1e5',
    '-2E-3',
    'a=b',
    ' =1',
    "'=1",
  ]
  expect(parse(csvRows([formulas], true))).toEqual([formulas.map((each) => `'${each}`)])
  expect(parse(csvRows([others], true))).toEqual([others])
  expect(parse(csvRows([formulas, others], false), { relax_column_count: true })).toEqual([
    formulas,
    others,
  ])
})

test('whatever is in the cells, they come back; none begins like a formula', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.array(
          fc.string({
            unit: fc.constantFrom(
              '=',
              '+',
              '-',
              '@',
              '"',
              ',',
              '\n',
              '\r',
              '\t',
              "'",
              '1',
              'a',
              '.',
            ),
          }),
          { minLength: 2, maxLength: 2 },
        ),
        { minLength: 1 },
      ),
      (rows) => {
        expect(parse(csvRows(rows, false), { record_delimiter: '\n' })).toEqual(rows)
        for (const cell of (
          parse(csvRows(rows, true), { record_delimiter: '\n' }) as string[][]
        ).flat())
          expect(
            /^[=+\-@\t\r\n]/.test(cell) && Number.isNaN(Number(cell.replaceAll(',', ''))),
          ).toBe(false)
      },
    ),
  )
})

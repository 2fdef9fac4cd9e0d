import { afterEach, describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { stripVTControlCharacters } from 'node:util'
import { shown as coloured } from '../../src/cli/colours.js'
import { rowsText } from '../../src/cli/row-tables.js'

const before = process.env['COLUMNS']
afterEach(() => {
  if (before === undefined) delete process.env['COLUMNS']
  else process.env['COLUMNS'] = before
})
const shown = (width: number, headings: string[], rows: string[][], isChosen = false): string => {
  process.env['COLUMNS'] = String(width)
  // Colours are switched on where CI is set.
  return stripVTControlCharacters(coloured(rowsText({ headings, rows }, '', isChosen)))
}

describe('rows of an answer in a terminal', () => {
  const headings = ['Number', 'Remark', 'Berth', 'State', 'Arrives', 'Length']
  const remark = 'Comes late, and needs a pilot from the outer mark'
  const rows = [
    ['9007199254740993', remark, 'N-12', 'held', '2027-07-15', '84.50'],
    ['9007199254740995', '', 'S-3', 'paid', '2027-07-16', '120.00'],
  ]

  test('prose is wrapped, and nothing else', () => {
    expect(shown(84, headings, rows).split('\n')).toEqual([
      '          Number  Remark                            Berth  State  Arrives     Length',
      '────────────────  ────────────────────────────────  ─────  ─────  ──────────  ──────',
      '9007199254740993  Comes late, and needs a pilot     N-12   held   2027-07-15   84.50',
      '                  from the outer mark',
      '9007199254740995                                    S-3    paid   2027-07-16  120.00',
    ])
  })

  test('what finds no room is named: keys, states and dates stay', () => {
    const lines = shown(44, headings, rows).split('\n')
    expect(lines[2]).toBe('9007199254740993  N-12   held   2027-07-15')
    expect(lines.at(-1)).toBe('2 more columns: Remark, …; --columns chooses')
  })

  test('short words count where a word begins', () => {
    const names = ['Code', 'Paid', 'Description', 'BookedOn', 'OwnerNo']
    const lines = shown(30, names, [['N-12', 'in full', 'afterwards', 'Monday', '9007']])
    expect(lines.split('\n')[0]).toBe('Code  BookedOn  OwnerNo')
  })

  test('where somebody chose the columns, or not two fit, rows are blocks', () => {
    expect(shown(20, headings, rows)).toContain('Number   9007199254740993\nRemark   Comes late')
    expect(shown(44, headings, rows, true)).toContain('State    held\nArrives  2027-07-15')
  })

  test('what is piped is never wrapped', () => {
    delete process.env['COLUMNS']
    const long = [['1', 'a long remark '.repeat(40)]]
    expect(rowsText({ headings: ['a', 'b'], rows: long }).split('\n')).toHaveLength(3)
  })

  test('whatever the answer and the terminal: values are whole, or their column is named', () => {
    const words = fc.constantFrom('', 'null', '12.50', 'N-12', 'Søren', '2027-07-15T06:00:00Z')
    const cell = fc.oneof(
      words,
      fc.array(words, { maxLength: 12 }).map((all) => all.join(' ')),
    )
    const rowsOf = (columns: number): fc.Arbitrary<string[][]> =>
      fc.array(fc.array(cell, { minLength: columns, maxLength: columns }), {
        minLength: 1,
        maxLength: 4,
      })
    const table = fc
      .array(fc.constantFrom('Id', 'Name', 'Arrived at', 'x'), { minLength: 1, maxLength: 9 })
      .chain((names) => fc.tuple(fc.constant(names), rowsOf(names.length)))
    fc.assert(
      fc.property(table, fc.integer({ min: 40, max: 200 }), ([names, cells], width) => {
        // Each heading once, so that it can be looked for.
        const each = names.map((name, at) => `${name}${String(at)}`)
        const text = shown(width, each, cells)
        expect(Math.max(...text.split('\n').map((line) => line.length))).toBeLessThanOrEqual(width)
        if (!text.includes('─')) return
        const [first = ''] = text.split('\n')
        const there = each.filter((name) => first.includes(name))
        const gone = /^(\d+) more columns?.*; --columns chooses$/m.exec(text)?.[1] ?? '0'
        expect(there.length + Number(gone)).toBe(each.length)
        for (const name of there)
          for (const row of cells)
            for (const word of (row[each.indexOf(name)] ?? '').split(' '))
              expect(text).toContain(word)
      }),
    )
  })
})

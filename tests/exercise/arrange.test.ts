import { describe, expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { arrange, type Arranged, type ArrangedTable } from '../../src/exercise/arrange.js'
import { callLine } from '../../src/exercise/call-line.js'
import { cell, tabulate } from '../../src/exercise/tabulate.js'

/** A table as it reads: headings, then rows. */
const read = (table: ArrangedTable | undefined): string[] =>
  table === undefined ? [] : [table.headings, ...table.rows].map((row) => row.join(' | '))

describe('answers arranged for reading', () => {
  test.each<[string, unknown, string[]]>([
    [
      'keys, names, states, dates and amounts come first, the first column stays',
      [
        {
          Berth: 'N-1',
          Remark: 'x',
          Dues: 3,
          Arrives: '2027-01-01',
          State: 'held',
          Name: 'A',
          Id: 7,
        },
      ],
      [
        'Berth | Id | Name | State | Arrives | Dues | Remark',
        'N-1 | 7 | A | held | 2027-01-01 | 3 | x',
      ],
    ],
    [
      'null, absent and empty differ',
      [{ a: null, b: '', c: [], d: {} }, {}],
      ['a | b | c | d', 'null | "" | [] | {}', ' |  |  | '],
    ],
    [
      'records have columns of their own; one that is null says so once',
      [{ id: 1, owner: { name: 'A', seat: { town: 'B' } } }, { id: 2, owner: null }, { id: 3 }],
      ['id | owner.name | owner.seat.town', '1 | A | B', '2 | null | ', '3 |  | '],
    ],
    [
      'the text of an element goes by its name',
      [{ dues: { currency: 'EUR', $text: '2.50' } }],
      ['dues.currency | dues', 'EUR | 2.50'],
    ],
    [
      'scalars beside records keep a column',
      [1, { a: 2 }, null],
      ['value | a', '1 | ', ' | 2', 'null | '],
    ],
    ['lists in lists are rows', [[1, 2], [3]], ['1 | 2', '1 | 2', '3 | ']],
    ['short lists stand in their cell', [{ a: [{ b: 1 }, { b: 2 }] }], ['a', 'b: 1; b: 2']],
    [
      'lists within lists keep their borders',
      [{ a: 1, b: [[1, 2], [3]] }],
      ['a | b', '1 | [1; 2]; [3]'],
    ],
  ])('%s', (_, value, expected) => {
    expect(read(arrange(value).rows)).toEqual(expected)
  })

  test('long lists in cells are counted, and are tables of their own', () => {
    const lines = [1, 2, 3].map((at) => ({ text: `line ${String(at)} of a text that is long`, at }))
    const { rows } = arrange([{ id: 1, lines }])
    expect(read(rows)).toEqual(['id | lines', '1 | 3 entries'])
    expect(rows?.inside).toMatchObject([{ row: 0, column: 1, table: { headings: ['text', 'at'] } }])
  })

  test('records, envelopes and single values', () => {
    const rows = [{ a: 1 }, { a: 2 }]
    expect(arrange({ rows })).toEqual({ rows: { headings: ['a'], rows: [['1'], ['2']] } })
    expect(arrange({ total: 2, by: { name: 'x' }, rows })).toMatchObject({
      values: {
        rows: [
          ['total', '2'],
          ['by.name', 'x'],
        ],
      },
      rows: { title: 'rows', headings: ['a'] },
    })
    expect(arrange({ rows, other: { rows } }).lists).toMatchObject([{ title: 'other.rows' }])
    expect(arrange({ one: rows, two: rows }).lists).toMatchObject([
      { title: 'one' },
      { title: 'two' },
    ])
    expect(arrange({ total: 2, rows }, 'a=A')).toEqual({
      rows: { headings: ['A'], rows: [['1'], ['2']] },
    })
    expect(arrange('x')).toEqual({ values: { headings: [], rows: [['x']] } })
    expect(arrange({})).toEqual({ values: { headings: ['field', 'value'], rows: [] } })
    expect(() => arrange(rows, 'z')).toThrow('the answer has no field "z"')
    expect(cell(Uint8Array.of(1, 2))).toBe('2 bytes')
  })

  test('for programs: one table, every member in its place', () => {
    const rows = [
      { a: 1, b: { c: 'x', d: [1, 2] } },
      { a: 2, e: null },
    ]
    expect(tabulate({ total: 2, rows })).toEqual({
      headings: ['a', 'b', 'e'],
      rows: [
        ['1', 'c: x, d: 1; 2', ''],
        ['2', '', 'null'],
      ],
    })
    expect(tabulate(rows, 'b.c=See, A')).toEqual({
      headings: ['See', 'A'],
      rows: [
        ['x', '1'],
        ['', '2'],
      ],
    })
  })

  test('nothing is lost: whatever an answer holds is in one of the tables', () => {
    const leaf = fc.oneof(fc.stringMatching(/^[a-z]{1,8}$/), fc.integer(), fc.bigInt())
    const { value } = fc.letrec<{ value: unknown }>((tie) => ({
      value: fc.oneof(
        { maxDepth: 5 },
        leaf,
        fc.array(tie('value'), { maxLength: 4 }),
        fc.dictionary(fc.constantFrom('id', 'name', 'lines', 'owner', '$text'), tie('value')),
      ),
    }))
    const leaves = (each: unknown): string[] =>
      typeof each === 'object' && each !== null
        ? Object.values(each).flatMap(leaves)
        : [String(each)]
    const textOf = ({ headings, rows, inside = [] }: ArrangedTable): string =>
      [headings, ...rows, ...inside.map(({ table }) => [textOf(table)])].flat().join(' ')
    const all = ({ values, rows, lists = [] }: Arranged): string =>
      [values, rows, ...lists]
        .flatMap((table) => (table === undefined ? [] : [textOf(table)]))
        .join(' ')
    fc.assert(
      fc.property(value, (answer) => {
        const text = all(arrange(answer))
        for (const each of leaves(answer)) expect(text).toContain(each)
      }),
    )
  })
})

describe('a call as a line', () => {
  test.each([
    [{}, 'tolmach call berths listBerths'],
    [
      { basin: 'North quay', lines: [{ no: 1 }] },
      "tolmach call berths listBerths --with 'basin=North quay' --with 'lines[0].no=1'",
    ],
    [{ note: "it's" }, "tolmach call berths listBerths --with 'note=it'\\''s'"],
    [
      { a: null },
      'tolmach sample berths listBerths --save input.json\ntolmach call berths listBerths --input input.json',
    ],
    [
      { 'a b': 1 },
      'tolmach sample berths listBerths --save input.json\ntolmach call berths listBerths --input input.json',
    ],
  ])('%j', (input, line) => {
    expect(callLine('berths', 'listBerths', input)).toBe(line)
  })
})

import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import fc from 'fast-check'
import { stringify } from 'csv-stringify/sync'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { ExactNumber } from '../../src/contract/plain.js'
import { recordsOf, outcomeCells, outcomeColumns } from '../../src/exercise/row-outcome.js'
import { rowsOfFile, type Row } from '../../src/exercise/row-source.js'
import { RowResults } from '../../src/app/calls/row-results.js'
import { freshFolder } from '../support/program.js'

let folder: string
beforeAll(async () => {
  folder = await freshFolder()
})
async function rowsIn(text: string): Promise<Row[]> {
  const file = join(folder, 'rows')
  await writeFile(file, text)
  const rows: Row[] = []
  for await (const row of rowsOfFile(file)) rows.push(row)
  return rows
}

describe('rows of files come back as they were written', () => {
  const cell = fc.string({ unit: 'grapheme', maxLength: 12 })
  test.each([',', ';', '\t'])(
    'CSV with %j between, whatever the cells have in them',
    async (delimiter) => {
      await fc.assert(
        fc.asyncProperty(
          fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 20 }),
          fc.boolean(),
          async (cells, bom) => {
            const text = stringify([['A', 'B b', 'C.c[0]'], ...cells], {
              delimiter,
              quoted: true,
              quoted_empty: true,
              record_delimiter: bom ? 'windows' : 'unix',
            })
            const rows = await rowsIn((bom ? '\ufeff' : '') + text)
            expect(rows.map(({ number, isText, fields }) => [number, isText, fields])).toEqual(
              cells.map(([a, b, c], at) => [at + 1, true, { A: a, 'B b': b, 'C.c[0]': c }]),
            )
          },
        ),
        { numRuns: 40 },
      )
    },
  )

  test('JSON, as a list or one after the other, whatever is in it, over many pieces of a file', async () => {
    const value = fc.dictionary(
      fc.string({ maxLength: 6 }).filter((name) => name !== '__proto__'),
      fc.oneof(
        fc.string({ unit: 'grapheme', maxLength: 200 }),
        fc.constantFrom('{[', ']}', '"\\', '\\"'),
        fc.boolean(),
        fc.constant(null),
        fc.array(fc.string({ maxLength: 3 }), { maxLength: 3 }),
      ),
    )
    await fc.assert(
      fc.asyncProperty(
        fc.array(value, { minLength: 1, maxLength: 30 }),
        fc.integer({ min: 0, max: 1 }),
        async (values, indent) => {
          // A row that is longer than a piece of the file, so that others end anywhere.
          const all = [{ long: '{'.repeat(66_000) }, ...values]
          for (const text of [
            JSON.stringify(all, null, indent),
            all.map((each) => JSON.stringify(each)).join('\n'),
            all.map((each) => JSON.stringify(each, null, indent)).join(' '),
          ]) {
            expect((await rowsIn(text)).map(({ fields }) => fields)).toEqual(all)
          }
        },
      ),
      { numRuns: 25 },
    )
  })

  test('numbers keep their digits', async () => {
    const [row] = await rowsIn('[{"n": 9007199254740993, "d": 1250.50}]')
    expect(row?.fields).toEqual({
      n: new ExactNumber('9007199254740993'),
      d: new ExactNumber('1250.50'),
    })
  })
})

describe('outcomes of rows', () => {
  test('as records: one, or one for each item; what failed says why; columns as asked for', () => {
    const outcomes = [
      { row: 1, ok: true, value: { A: 1, $etag: 'x', B: { C: 2 } }, milliseconds: 1 },
      { row: 2, ok: true, value: [{ A: 3 }, 4], milliseconds: 1 },
      { row: 3, ok: true, milliseconds: 1 },
      {
        row: 4,
        ok: false,
        failure: { kind: 'fault', code: 'TM-4001', message: 'no', details: ['a', 'b'] },
        milliseconds: 1,
      },
    ]
    const records = outcomes.flatMap(recordsOf)
    expect(records).toEqual([
      { row: 1, A: 1, B: { C: 2 } },
      { row: 2, A: 3 },
      { row: 2, value: 4 },
      { row: 3 },
      { row: 4, failed: 'TM-4001 no a b' },
    ])
    const columns = outcomeColumns(new Set(records.flatMap(Object.keys)), 'B.C=Deep, A')
    expect(columns.map(({ heading }) => heading)).toEqual(['row', 'Deep', 'A', 'failed'])
    expect(records.map((record) => outcomeCells(record, columns))).toEqual([
      ['1', '2', '1', ''],
      ['2', '', '3', ''],
      ['2', '', '', ''],
      ['3', '', '', ''],
      ['4', '', '', 'TM-4001 no a b'],
    ])
  })

  test('of a corrected file: known by what rows say; where one that was done is gone, nothing goes on and nothing is lost', async () => {
    const path = join(folder, 'y.unfinished.ndjson')
    const mark = { tolmach: 'rows', contract: 'c', operation: 'o', rows: 'd' } as const
    const first = await RowResults.open(path, mark, 'rows.csv', 'start')
    for (const [at, content] of ['a', 'b', 'c', 'b'].entries())
      await first.add({ row: at + 1, content, ok: at !== 2, milliseconds: 1 })
    await first.close(true)
    const before = await readFile(path, 'utf8')
    const next = { ...mark, rows: 'e' }
    const on = (...rows: string[]): Promise<RowResults> => {
      const contents: string[] = []
      rows.forEach((content, at) => (contents[at + 1] = content))
      return RowResults.open(path, next, 'rows.csv', 'resume', contents)
    }
    await expect(on('n', 'b', 'x', 'b')).rejects.toMatchObject({ code: 'TM-1031' })
    expect(await readFile(path, 'utf8')).toBe(before)
    const again = await on('n', 'b', 'a', 'x', 'b')
    expect([1, 2, 3, 4, 5].map((row) => again.isDone(row))).toEqual([
      false,
      true,
      true,
      false,
      true,
    ])
    await again.close(false)
  })

  test('are kept as they come and told in order; a later try counts; a line that was cut off does not', async () => {
    const path = join(folder, 'x.unfinished.ndjson')
    const mark = { tolmach: 'rows', contract: 'c', operation: 'o', rows: 'd' } as const
    const results = await RowResults.open(path, mark, 'rows.csv', 'start')
    const order = [3, 1, 2500, 2]
    await Promise.all(
      order.map((row) => results.add({ row, ok: row !== 2, value: `v${row}`, milliseconds: 1 })),
    )
    await results.close(true)
    await writeFile(path, '{"row":9,"ok":tr', { flag: 'a' })
    await expect(RowResults.open(path, mark, 'rows.csv', 'start')).rejects.toMatchObject({
      code: 'TM-1019',
    })
    await expect(
      RowResults.open(path, { ...mark, rows: 'other' }, 'rows.csv', 'resume'),
    ).rejects.toMatchObject({ code: 'TM-1010' })
    const again = await RowResults.open(path, mark, 'rows.csv', 'resume')
    expect([again.counts, again.isDone(1), again.isDone(2), again.isDone(9)]).toEqual([
      { done: 3, failed: 1 },
      true,
      false,
      false,
    ])
    await again.add({ row: 2, ok: true, value: 'better', milliseconds: 1 })
    const told = []
    for await (const outcome of again.outcomes()) told.push([outcome.row, outcome.value])
    expect(told).toEqual([
      [1, 'v1'],
      [2, 'better'],
      [3, 'v3'],
      [2500, 'v2500'],
    ])
    await again.close(false)
    await expect(RowResults.open(path, mark, 'rows.csv', 'resume')).rejects.toMatchObject({
      code: 'TM-1010',
    })
  })
})

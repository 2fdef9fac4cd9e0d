import { addAll } from '../../contract/lists.js'
import { createWriteStream } from 'node:fs'
import { extname } from 'node:path'
import { Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { problem } from '../../contract/problem.js'
import { pathOf } from '../../contract/queries.js'
import { outcomeCells, outcomeColumns, recordsOf } from '../../exercise/row-outcome.js'
import type { Table } from '../../exercise/tabulate.js'
import { writeAside } from '../../project/safe-writing.js'
import type { Run } from '../call-each.js'

/** What the outcomes of a run over rows can be written as. */
export type OutcomeFormat = 'json' | 'ndjson' | 'csv' | 'html'

/**
 * The format that a file's ending asks for.
 *
 * @throws Problem TM-1010 for an ending that says none
 */
export function outcomeFormat(file: string): OutcomeFormat {
  const format = (
    {
      '.json': 'json',
      '.ndjson': 'ndjson',
      '.csv': 'csv',
      '.html': 'html',
      '.htm': 'html',
    } as const
  )[extname(file).toLowerCase()]
  if (format === undefined)
    throw problem('TM-1010', {
      option: '--save',
      reason: `the answers for rows can't be written as "${extname(file) || file}"`,
      remedy: 'Use a file that ends in .csv, .json, .ndjson or .html.',
    })
  return format
}

/**
 * Writes the outcomes of a run to a file, whole or not at all, piece by piece.
 *
 * @param exact in CSV, cells stay as they are though a spreadsheet would take them for formulas
 * @throws Problem TM-1008 when it can't be written
 */
export async function saveOutcomes(
  file: string,
  run: Run,
  columns: string | undefined,
  exact = false,
): Promise<void> {
  await writeAside(file, 0o666, (aside) =>
    pipeline(
      Readable.from(outcomeTexts(run, outcomeFormat(file), columns, !exact)),
      createWriteStream(aside),
    ),
  )
}

/** The outcomes of a run as a text, in pieces. */
export async function* outcomeTexts(
  run: Run,
  format: OutcomeFormat,
  columns: string | undefined,
  forSpreadsheets = false,
): AsyncGenerator<string, void, undefined> {
  const { results } = run
  if (format === 'html') {
    const { answerPage } = await import('../pages/answer-page.js')
    const { open, operation } = run.ready
    yield answerPage(
      { contract: open.name, operation: pathOf(operation), when: new Date().toISOString() },
      { rows: await outcomeTable(run, columns, Infinity) },
    )
  } else if (format === 'csv') {
    const { csvRows } = await import('../../exercise/csv.js')
    const chosen = outcomeColumns(await namesIn(run), columns)
    yield csvRows([chosen.map(({ heading }) => heading)], forSpreadsheets)
    for await (const outcome of results.outcomes())
      yield csvRows(
        recordsOf(outcome).map((record) => outcomeCells(record, chosen)),
        forSpreadsheets,
      )
  } else {
    const isList = format === 'json'
    let before = isList ? '[\n' : ''
    for await (const outcome of results.outcomes()) {
      yield `${before}${isList ? '  ' : ''}${JSON.stringify(outcome)}`
      before = isList ? ',\n' : '\n'
    }
    const isEmpty = before === '' || before === '[\n'
    if (isList) yield isEmpty ? '[]\n' : '\n]\n'
    else yield isEmpty ? '' : '\n'
  }
}

/** The outcomes of a run as a table of so many rows at most. */
export async function outcomeTable(
  run: Run,
  columns: string | undefined,
  most: number,
): Promise<Table> {
  const records: Record<string, unknown>[] = []
  for await (const outcome of run.results.outcomes()) {
    addAll(records, recordsOf(outcome))
    if (records.length >= most) break
  }
  const shown = records.slice(0, most)
  const chosen = outcomeColumns(new Set(shown.flatMap(Object.keys)), columns)
  return {
    headings: chosen.map(({ heading }) => heading),
    rows: shown.map((record) => outcomeCells(record, chosen)),
  }
}

async function namesIn({ results }: Run): Promise<Set<string>> {
  const names = new Set<string>()
  for await (const outcome of results.outcomes())
    for (const record of recordsOf(outcome)) for (const name of Object.keys(record)) names.add(name)
  return names
}

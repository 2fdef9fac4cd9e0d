import { extname } from 'node:path'
import { itemOf, pathOf } from '../../contract/queries.js'
import { problem } from '../../contract/problem.js'
import { differences, type Difference } from '../../exercise/differences.js'
import {
  maskedJson,
  maskedNames,
  maskedPlain,
  maskedUrl,
  withoutSecrets,
} from '../../exercise/masking.js'
import { documentInside } from '../../exercise/inside.js'
import { checkPath, pick } from '../../exercise/pick.js'
import { sortRows } from '../../exercise/sort-rows.js'
import { arrange } from '../../exercise/arrange.js'
import { chosenTable, rowsOf, tabulate } from '../../exercise/tabulate.js'
import { writeFileSafely } from '../../project/safe-writing.js'
import { toPlain } from '../../runtime/plain.js'
import type { Called } from '../call-operation.js'
import { readTextFile } from '../files/text-files.js'
import { pictureFile } from '../files/picture-file.js'
import { yamlText } from '../files/yaml-text.js'

/** What is to be done with an answer. */
export interface AnswerOptions {
  /** Where in the answer a text is whose document counts, XML or JSON; `.` for the answer itself. */
  readonly inside?: string | undefined
  /** A JSONPath (RFC 9535): what of the answer counts. */
  readonly pick?: string | undefined
  /** A field that rows are put in the order of, with `desc` behind it for the other direction. */
  readonly sort?: string | undefined
  /** The columns that are drawn as a picture: that which is gone along, then numbers. */
  readonly plot?: string | undefined
  /** The columns of a table. */
  readonly columns?: string | undefined
  /** A file for the answer: JSON, YAML, CSV, HTML or text by its ending; bytes into any file. */
  readonly save?: string | undefined
  /** In CSV, cells stay as they are though a spreadsheet would take them for formulas. */
  readonly exact?: boolean | undefined
  /** A file with an earlier answer, JSON or YAML. */
  readonly against?: string | undefined
}

export interface Finished {
  /** The answer as it is to be shown. */
  readonly value: unknown
  readonly saved: string | undefined
  /** What is different from the earlier answer; undefined when nobody asked. */
  readonly differences: readonly Difference[] | undefined
}

/**
 * Looks at what is asked for an answer, before anything is sent: what can't be understood then
 * costs nothing.
 *
 * @returns what does it all when the answer is there; it throws Problem TM-1010 for a path or
 *   field that is not in it
 * @throws Problem TM-1010, TM-1007, TM-1009 for what can't be understood or read
 */
export async function prepareAnswer(
  options: AnswerOptions,
): Promise<(called: Called) => Promise<Finished>> {
  const { inside, pick: path, sort, save, plot, against } = options
  if (plot !== undefined && !/\.(?:svg|png|pdf)$/i.test(save ?? ''))
    throw problem('TM-1010', {
      option: '--plot',
      reason: 'it draws a picture, and needs a file for it',
      remedy: 'Add --save <file> that ends in .svg, .png or .pdf.',
    })
  if (path !== undefined) await checkPath(path)
  const earlier = against === undefined ? undefined : await earlierAnswer(against)
  return async (called) => {
    let { value } = called.result
    if (inside !== undefined) value = await documentInside(value, inside)
    if (sort !== undefined) value = sortRows(value, sort)
    if (path !== undefined) value = await pick(toPlain(value), path)
    if (save !== undefined && plot !== undefined) await savePlot(save, value, plot, called)
    else if (save !== undefined) await saveAnswer(save, value, options, called)
    return {
      value,
      saved: save,
      differences:
        against === undefined ? undefined : differences(earlier, toPlain(value), keysOf(called)),
    }
  }
}

/**
 * An answer that was saved, JSON or YAML, or the document that `--json` prints around one.
 *
 * @throws Problem TM-1007, TM-1009
 */
async function earlierAnswer(file: string): Promise<unknown> {
  const text = await readTextFile(file)
  const { parse } = await import('yaml')
  let read: unknown
  try {
    read = /^\s*[[{"]/.test(text) ? (JSON.parse(text) as unknown) : (parse(text) as unknown)
  } catch (error) {
    throw problem(
      'TM-1009',
      {
        what: file,
        reason: error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error),
      },
      { cause: error },
    )
  }
  const document = read as { ok?: unknown; value?: unknown } | null
  return typeof document === 'object' &&
    document !== null &&
    document.ok === true &&
    'value' in document
    ? document.value
    : read
}

/** The keys of the rows that an operation answers. */
function keysOf({ operation, contract }: Called): readonly string[] {
  const { outcome } = operation
  if (outcome.kind !== 'value') return []
  const row = itemOf(contract, outcome.field.type)
  return row.kind === 'record' ? (row.keys ?? []) : []
}

/** Draws columns of the rows as a picture. */
async function savePlot(
  file: string,
  value: unknown,
  columns: string,
  { contract, operation }: Called,
): Promise<void> {
  const { rows } = rowsOf(value)
  if (rows === undefined)
    throw problem('TM-1010', {
      option: '--plot',
      reason: 'the answer has no rows, or several lists of them',
      remedy: 'Say with --pick which of it are the rows.',
    })
  const table = maskedPlain(chosenTable(rows, columns, '--plot'))
  const { plotOf } = await import('../../diagram/plot.js')
  const when = new Date().toISOString().slice(0, 16).replace('T', ' ')
  const picture = await plotOf({
    title: pathOf(operation),
    subtitle: `${contract.name}, ${when} UTC`,
    ...table,
  })
  await writeFileSafely(file, await pictureFile(picture, file))
}

async function saveAnswer(
  file: string,
  value: unknown,
  options: AnswerOptions,
  called: Called,
): Promise<void> {
  await writeFileSafely(
    file,
    value instanceof Uint8Array ? value : await textFor(file, value, options, called),
  )
}

async function textFor(
  file: string,
  value: unknown,
  { columns, exact = false }: AnswerOptions,
  called: Called,
): Promise<string> {
  switch (extname(file).toLowerCase()) {
    case '.json':
      return `${maskedJson(toPlain(value), 2)}\n`
    case '.yaml':
    case '.yml':
      return yamlText(maskedPlain(toPlain(value)))
    case '.csv':
      return csvText(value, columns, !exact)
    case '.html':
    case '.htm': {
      const { answerPage } = await import('../pages/answer-page.js')
      return answerPage(
        {
          contract: called.contract.name,
          operation: pathOf(called.operation),
          address: maskedUrl(called.address),
          when: new Date().toISOString(),
          input: maskedNames(toPlain(called.input)),
        },
        maskedPlain(arrange(value, columns)),
      )
    }
    case '.txt':
    case '.xml':
      if (typeof value === 'string') return withoutSecrets(value)
  }
  throw problem('TM-1010', {
    option: '--save',
    reason: `this answer can't be written as "${extname(file) || file}"`,
    remedy:
      'Use a file that ends in .json, .yaml, .csv or .html; texts go into .txt and .xml, bytes into any file.',
  })
}

/**
 * An answer as CSV (RFC 4180): its rows, or names and values.
 *
 * @param forSpreadsheets without formulas that one would run
 */
export async function csvText(
  value: unknown,
  columns?: string,
  forSpreadsheets = false,
): Promise<string> {
  const { csvRows } = await import('../../exercise/csv.js')
  const { headings, rows } = maskedPlain(tabulate(value, columns))
  return csvRows([...(headings.length === 0 ? [] : [headings]), ...rows], forSpreadsheets)
}

import { createReadStream } from 'node:fs'
import { ExactNumber, isPlainObject } from '../contract/plain.js'
import { problem, Problem } from '../contract/problem.js'
import { fileReason, messageOf, systemCode } from '../contract/system-error.js'

/**
 * A row of a file: what stands in it, by column. Texts of CSV are still to be read by their types.
 */
export interface Row {
  /** From 1, the heading not counted. */
  readonly number: number
  readonly fields: Readonly<Record<string, unknown>>
  /** All its values are texts, which say nothing about their types. */
  readonly isText: boolean
}

/** A row that is larger than this is none: the file is something else. */
const largestRow = 16 * 1024 * 1024

/**
 * The rows of a file, one by one: CSV with a heading (RFC 4180; commas, semicolons or tabs), a JSON
 * list, or JSON values one after the other (NDJSON). The file is never in memory as a whole.
 *
 * @param file its path
 * @throws Problem TM-1018 with the line of what is wrong, TM-1007 when it can't be read
 */
export async function* rowsOfFile(file: string): AsyncGenerator<Row, void, undefined> {
  try {
    const start = await firstPart(file)
    yield* /^\ufeff?\s*[[{]/.test(start) ? jsonRows(file) : csvRows(file, separatorOf(start))
  } catch (error) {
    if (error instanceof Problem || systemCode(error) === '') throw error
    throw problem('TM-1007', { what: file, reason: fileReason(error) }, { cause: error })
  }
}

async function firstPart(file: string): Promise<string> {
  let text = ''
  for await (const piece of createReadStream(file, {
    encoding: 'utf8',
    end: 65_535,
  }) as AsyncIterable<string>)
    text += piece
  return text
}

/** What separates the columns: whatever the heading has most of. */
function separatorOf(start: string): string {
  const [heading = ''] = start.replace(/"(?:[^"]|"")*"/g, '').split(/\r?\n/)
  const count = (separator: string): number => heading.split(separator).length
  return [',', ';', '\t'].reduce((best, each) => (count(each) > count(best) ? each : best))
}

async function* csvRows(file: string, delimiter: string): AsyncGenerator<Row, void, undefined> {
  const { parse } = await import('csv-parse')
  const stream = createReadStream(file)
  const parser = parse({
    bom: true,
    delimiter,
    skip_empty_lines: true,
    max_record_size: largestRow,
    columns: (heading: (string | undefined)[]) => {
      const names = heading.map((name) => (name ?? '').trim())
      const twice = names.find((name, at) => names.indexOf(name) !== at)
      if (twice !== undefined)
        throw problem(
          'TM-1018',
          {
            file,
            reason:
              twice === '' ? 'two columns have no heading' : `two columns are called "${twice}"`,
          },
          { place: { document: file, line: 1, column: 1 } },
        )
      return names
    },
    // A cell without anything in it is left out; quotes around nothing are an empty text.
    cast: (text, { quoting, header }) => (text === '' && !quoting && !header ? undefined : text),
  })
  stream.on('error', (error) => parser.destroy(error))
  stream.pipe(parser)
  let number = 0
  try {
    for await (const fields of parser as AsyncIterable<Record<string, string | undefined>>) {
      number += 1
      yield {
        number,
        fields: Object.fromEntries(Object.entries(fields).filter(([, text]) => text !== undefined)),
        isText: true,
      }
    }
  } catch (error) {
    const { code, lines, message } = error as { code?: string; lines?: number; message: string }
    if (code?.startsWith('CSV_') !== true) throw error
    throw problem(
      'TM-1018',
      { file, reason: message.replace(/\.$/, '') },
      { place: { document: file, line: lines ?? 1, column: 1 }, cause: error },
    )
  } finally {
    stream.destroy()
  }
}

async function* jsonRows(file: string): AsyncGenerator<Row, void, undefined> {
  const { parse } = await import('lossless-json')
  let number = 0
  for await (const { text, line } of jsonTexts(file)) {
    number += 1
    let value: unknown
    try {
      value = parse(text, undefined, { parseNumber: (source) => new ExactNumber(source) })
    } catch (error) {
      throw problem(
        'TM-1018',
        {
          file,
          reason: `row ${number} is no JSON: ${messageOf(error)}`,
        },
        { place: { document: file, line, column: 1 }, cause: error },
      )
    }
    if (!isPlainObject(value))
      throw problem(
        'TM-1018',
        { file, reason: `row ${number} is no object` },
        { place: { document: file, line, column: 1 } },
      )
    yield { number, fields: value, isText: false }
  }
}

/**
 * The texts of the values in a list, or of those that stand one after the other, each with the line
 * that it starts in.
 */
async function* jsonTexts(
  file: string,
): AsyncGenerator<{ text: string; line: number }, void, undefined> {
  const scanner = new RowScanner(file)
  for await (const chunk of createReadStream(file, { encoding: 'utf8' }) as AsyncIterable<string>)
    yield* scanner.rowsIn(chunk)
  scanner.end()
}

/** Finds the rows in pieces of a text. */
class RowScanner {
  private readonly file: string
  /** What came of a row that goes on. */
  private pieces: string[] = []
  private size = 0
  private depth = 0
  private line = 1
  private startLine = 1
  private inText = false
  private isEscaped = false
  /** Do the rows stand in a list? Undefined before the first sign tells. */
  private isList: boolean | undefined

  constructor(file: string) {
    this.file = file
  }

  *rowsIn(chunk: string): Generator<{ text: string; line: number }, void, undefined> {
    let from = 0
    for (let at = 0; at < chunk.length; at += 1) {
      const sign = chunk.charAt(at)
      if (sign === '\n') this.line += 1
      if (this.inText) this.scanText(sign)
      else if (sign === '"' && this.depth > 0) this.inText = true
      else if (sign === '[' || sign === '{') {
        if (this.opens(sign)) from = at
      } else if (sign === ']' || sign === '}') {
        this.depth -= 1
        // The end of a row; or, below that, of the list.
        if (this.depth === 0) {
          yield { text: this.pieces.join('') + chunk.slice(from, at + 1), line: this.startLine }
          this.forget()
        }
      } else if (this.depth === 0) this.checkBetween(sign)
    }
    if (this.depth > 0) this.keep(chunk.slice(from))
  }

  /** @throws Problem TM-1018 when a row goes on */
  end(): void {
    if (this.depth > 0 || this.inText) throw this.refuse('it ends in the middle of a row')
  }

  private scanText(sign: string): void {
    if (this.isEscaped) this.isEscaped = false
    else if (sign === '\\') this.isEscaped = true
    else if (sign === '"') this.inText = false
  }

  /** @returns whether a row begins here */
  private opens(sign: string): boolean {
    const isFirst = this.isList === undefined
    this.isList ??= sign === '['
    if (isFirst && this.isList) return false
    const isRow = this.depth === 0
    this.depth += 1
    if (isRow) this.startLine = this.line
    return isRow
  }

  /**
   * Between rows there are commas and white space only; anything else is a row that is no object.
   */
  private checkBetween(sign: string): void {
    if (!/[\s,\ufeff]/.test(sign))
      throw this.refuse('every row must be an object in braces', this.line)
  }

  private keep(piece: string): void {
    this.pieces.push(piece)
    this.size += piece.length
    if (this.size > largestRow)
      throw this.refuse(`a row is larger than ${largestRow / 1024 / 1024} MB`)
  }

  private forget(): void {
    this.pieces = []
    this.size = 0
  }

  private refuse(reason: string, line = this.startLine): Problem {
    const { file } = this
    return problem('TM-1018', { file, reason }, { place: { document: file, line, column: 1 } })
  }
}

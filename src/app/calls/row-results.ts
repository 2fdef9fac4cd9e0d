import { open, rename, rm, type FileHandle } from 'node:fs/promises'
import { addTo } from '../../contract/lists.js'
import { problem } from '../../contract/problem.js'
import { fileReason } from '../../contract/system-error.js'
import { maskedJson } from '../../exercise/masking.js'
import type { RowOutcome } from '../../exercise/row-outcome.js'

/** No file has so many rows that its outcomes could be told. */
const mostRows = 100_000_000

/**
 * Where the outcomes of rows stand in the file, and whether they went well: in tables of numbers,
 * for there may be very many rows.
 */
class Places {
  private starts = new Float64Array(1024)
  private lengths = new Uint32Array(1024)
  private wells = new Uint8Array(1024)
  private last = 0
  counts = { done: 0, failed: 0 }

  /** Keeps where a row's outcome is; what a later try says counts. */
  set(row: number, start: number, length: number, isWell: boolean): void {
    if (row >= this.starts.length) this.grow(row)
    const before = this.at(row)
    if (before !== undefined) this.counts[before.isWell ? 'done' : 'failed'] -= 1
    this.counts[isWell ? 'done' : 'failed'] += 1
    this.starts[row] = start
    this.lengths[row] = length
    this.wells[row] = Number(isWell)
    this.last = Math.max(this.last, row)
  }

  at(
    row: number,
  ): { readonly start: number; readonly length: number; readonly isWell: boolean } | undefined {
    const length = this.lengths[row] ?? 0
    return length === 0
      ? undefined
      : { start: this.starts[row] ?? 0, length, isWell: this.wells[row] === 1 }
  }

  /** All that are known, in the order of the rows. */
  *all(): Generator<{ readonly start: number; readonly length: number }, void, undefined> {
    for (let row = 0; row <= this.last; row += 1) {
      const place = this.at(row)
      if (place !== undefined) yield place
    }
  }

  private grow(row: number): void {
    const size = Math.max(row + 1, this.starts.length * 2)
    const [starts, lengths, wells] = [
      new Float64Array(size),
      new Uint32Array(size),
      new Uint8Array(size),
    ]
    starts.set(this.starts)
    lengths.set(this.lengths)
    wells.set(this.wells)
    ;[this.starts, this.lengths, this.wells] = [starts, lengths, wells]
  }
}

/** What a run is over: outcomes of one are no use to another. */
export interface RunMark {
  readonly tolmach: 'rows'
  readonly contract: string
  readonly operation: string
  /** The digest of the rows' file. */
  readonly rows: string
}

/**
 * The outcomes of a run over the rows of a file, kept in a file of their own as they come, a line
 * of JSON each: what was done is known however the run ends, and is never in memory as a whole.
 */
export class RowResults {
  readonly path: string
  private readonly file: FileHandle
  private end: number
  private pending: Promise<unknown> = Promise.resolve()
  private readonly places = new Places()

  private constructor(path: string, file: FileHandle, end: number) {
    this.path = path
    this.file = file
    this.end = end
  }

  /**
   * Opens the file of a run.
   *
   * @param mode `start` a new one, `resume` an earlier one, or start over with `overwrite`
   * @param contents what the rows say, as digests by their numbers: by these, what was done is known
   *   when the file was corrected meanwhile
   * @throws Problem TM-1019 when there is an unfinished one and nobody says what to do with it,
   *   TM-1010 when there is none to resume, TM-1031 when rows that were done can't be found in a
   *   corrected file, TM-1008
   */
  static async open(
    path: string,
    mark: RunMark,
    rowsFile: string,
    mode: 'start' | 'resume' | 'overwrite',
    contents: readonly string[] = [],
  ): Promise<RowResults> {
    const earlier = await open(path, 'r+').catch(() => undefined)
    if (earlier !== undefined) {
      const results = new RowResults(path, earlier, 0)
      const found = await results.load()
      const isSame = found !== undefined && JSON.stringify(found) === JSON.stringify(mark)
      if (mode === 'resume' && isSame) return results
      const isCorrected = found?.contract === mark.contract && found.operation === mark.operation
      const matched =
        mode === 'resume' && isCorrected
          ? results.matched(mark, contents, rowsFile)
          : Promise.resolve(undefined)
      const goneOn = await matched.finally(() => earlier.close())
      if (goneOn !== undefined) return goneOn
      if (mode === 'resume')
        throw problem('TM-1010', {
          option: '--resume',
          reason: `${path} tells of a run over other rows, or of another operation`,
          remedy: 'Start over with --overwrite.',
        })
      if (mode === 'start' && found !== undefined)
        throw problem('TM-1019', { file: rowsFile, done: results.counts.done })
    } else if (mode === 'resume')
      throw problem('TM-1010', {
        option: '--resume',
        reason: `there is nothing to go on with: no earlier run over ${rowsFile} was stopped or had failing rows`,
        remedy: 'Leave it out.',
      })
    const file = await open(path, 'w+').catch((error: unknown) => {
      throw problem('TM-1008', { what: path, reason: fileReason(error) }, { cause: error })
    })
    const results = new RowResults(path, file, 0)
    await results.append(`${JSON.stringify(mark)}\n`)
    return results
  }

  /** Did the call for this row go well, now or in an earlier run? */
  isDone(row: number): boolean {
    return this.places.at(row)?.isWell === true
  }

  get counts(): { readonly done: number; readonly failed: number } {
    return { ...this.places.counts }
  }

  /** Keeps an outcome. */
  async add(outcome: RowOutcome): Promise<void> {
    const line = `${maskedJson(outcome)}\n`
    const length = Buffer.byteLength(line)
    const kept = this.pending.then(async () => {
      this.places.set(outcome.row, this.end, length, outcome.ok)
      await this.append(line)
    })
    this.pending = kept
    return kept
  }

  /** All outcomes, in the order of the rows; what the rows said is nobody's business. */
  async *outcomes(): AsyncGenerator<RowOutcome, void, undefined> {
    for await (const { content: _content, ...outcome } of this.kept()) yield outcome
  }

  private async *kept(): AsyncGenerator<RowOutcome, void, undefined> {
    await this.pending
    for (const place of this.places.all()) yield this.outcomeAt(place)
  }

  private async outcomeAt({
    start,
    length,
  }: {
    readonly start: number
    readonly length: number
  }): Promise<RowOutcome> {
    const { buffer } = await this.file.read(Buffer.allocUnsafe(length), 0, length, start)
    return JSON.parse(buffer.toString('utf8')) as RowOutcome
  }

  /** Ends with it. @param keep whether the file stays, to be gone on with */
  async close(keep: boolean): Promise<void> {
    await this.pending
    await this.file.close()
    if (!keep) await rm(this.path, { force: true })
  }

  /**
   * The outcomes of an earlier run over a file that was corrected since: rows are known by what
   * they say.
   *
   * @returns undefined when the earlier run does not say what its rows said
   * @throws Problem TM-1031 when rows that were done are not there any more: what is new could be one
   *   of them, and be done twice
   */
  private async matched(
    mark: RunMark,
    contents: readonly string[],
    rowsFile: string,
  ): Promise<RowResults | undefined> {
    const done = new Map<string, number[]>()
    for await (const { row, ok, content } of this.kept()) {
      if (ok && content === undefined) return undefined
      if (ok && content !== undefined) addTo(done, content, row)
    }
    const earlier = contents.map((content) => done.get(content)?.pop())
    const gone = [...done.values()].flat().sort((a, b) => a - b)
    if (gone.length > 0)
      throw problem('TM-1031', {
        file: rowsFile,
        rows: `${gone.slice(0, 10).join(', ')}${gone.length > 10 ? ' …' : ''}`,
      })
    const path = `${this.path}.new`
    const results = new RowResults(this.path, await open(path, 'w+'), 0)
    await results.append(`${JSON.stringify(mark)}\n`)
    for (const [row, before] of earlier.entries()) {
      const place = before === undefined ? undefined : this.places.at(before)
      if (place !== undefined) await results.add({ ...(await this.outcomeAt(place)), row })
    }
    await rename(path, this.path)
    return results
  }

  private async append(line: string): Promise<void> {
    const { bytesWritten } = await this.file.write(line, this.end, 'utf8')
    this.end += bytesWritten
  }

  /**
   * Reads what an earlier run left. A last line that was cut off is not counted.
   *
   * @returns its mark, if it is one of ours
   */
  private async load(): Promise<RunMark | undefined> {
    let mark: RunMark | undefined
    let start = 0
    let begun = Buffer.alloc(0)
    const piece = Buffer.allocUnsafe(1 << 16)
    for (
      let { bytesRead } = await this.file.read(piece, 0, piece.length, 0), from = 0;
      bytesRead > 0;
      from += bytesRead, { bytesRead } = await this.file.read(piece, 0, piece.length, from)
    ) {
      begun = Buffer.concat([begun, piece.subarray(0, bytesRead)])
      for (let at = begun.indexOf(10); at !== -1; at = begun.indexOf(10)) {
        const read = parsed(begun.subarray(0, at).toString('utf8'))
        if (mark === undefined) {
          if ((read as Partial<RunMark> | undefined)?.tolmach !== 'rows') return undefined
          mark = read as RunMark
        } else if (read !== undefined) {
          const { row, ok } = read as RowOutcome
          if (Number.isInteger(row) && row > 0 && row < mostRows)
            this.places.set(row, start, at + 1, ok)
        }
        start += at + 1
        begun = begun.subarray(at + 1)
      }
    }
    this.end = start
    return mark
  }
}

function parsed(line: string): unknown {
  try {
    return JSON.parse(line) as unknown
  } catch {
    return undefined
  }
}

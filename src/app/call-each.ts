import { filled, present } from '../contract/present.js'
import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { basename, dirname, extname, join } from 'node:path'
import { Problem } from '../contract/problem.js'
import { pathOf } from '../contract/queries.js'
import { checkPath, pick } from '../exercise/pick.js'
import { parseFillings, rowInput } from '../exercise/row-input.js'
import type { RowOutcome } from '../exercise/row-outcome.js'
import { rowsOfFile, type Row } from '../exercise/row-source.js'
import { toPlain } from '../runtime/plain.js'
import { callReady, writtenInput, type CallOptions, type WrittenInput } from './call-operation.js'
import { readyClient, type ReadyOperation } from './ready-client.js'
import { RowResults } from './row-results.js'

export interface EachOptions extends CallOptions {
  /** How many calls go side by side. */
  readonly parallel: number
  /** Which columns fill which inputs: `Vessel=Ship, Nights`. */
  readonly fill?: string | undefined
  /** A JSONPath: what of each answer counts. */
  readonly pick?: string | undefined
  /** Go on with an earlier run that was stopped or had failing rows; or start over. */
  readonly manner: 'start' | 'resume' | 'overwrite'
  /** Ends the run: calls that are under way are waited for. */
  readonly signal?: AbortSignal | undefined
  readonly onProgress?: ((progress: Progress) => void) | undefined
}

export interface Progress {
  readonly rows: number
  readonly done: number
  readonly failed: number
}

/** What came of a run over the rows of a file. */
export interface Run extends Progress {
  readonly ready: ReadyOperation
  /** Rows that an earlier run had done. */
  readonly before: number
  /** Why it ended before all rows were tried; undefined when they were. */
  readonly stopped: 'asked' | 'nobody answers' | undefined
  readonly results: RowResults
}

/**
 * After so many rows in a row for which nobody answered, or a login was wanted, there is no point
 * in going on.
 */
const mostSilent = 10

/**
 * One call for each row of a file.
 *
 * @param file CSV, JSON or NDJSON
 * @throws Problem TM-1018 for rows that can't be used, TM-1019, and those of a single call;
 *   nothing is sent then
 */
export async function callEach(
  reference: string,
  wanted: string,
  file: string,
  options: EachOptions,
): Promise<Run> {
  if (options.pick !== undefined) await checkPath(options.pick)
  const fillings = options.fill === undefined ? undefined : parseFillings(options.fill)
  const client = await readyClient(reference, options)
  const ready = await client.operation(wanted)
  const base = await writtenInput(options)
  const inputOf = (row: Row): WrittenInput => {
    const { plain, assignments } = rowInput(
      ready.open.contract,
      ready.operation,
      row,
      base.plain ?? {},
      fillings,
      file,
    )
    return { ...base, plain, assignments: [...base.assignments, ...assignments] }
  }
  // A mistake far down is told before anything is sent.
  let rows = 0
  const contents: string[] = []
  for await (const row of rowsOfFile(file)) {
    if (rows === 0) inputOf(row)
    if (options.manner === 'resume') contents[row.number] = contentOf(row)
    rows += 1
  }
  const operation = pathOf(ready.operation)
  const mark = {
    tolmach: 'rows',
    contract: ready.open.name,
    operation,
    rows: await fileDigest(file),
  } as const
  const results = await RowResults.open(
    join(dirname(file), `${basename(file, extname(file))}.${operation}.unfinished.ndjson`),
    mark,
    file,
    options.manner,
    contents,
  )
  const before = results.counts.done
  const tell = (): void => options.onProgress?.({ rows, ...results.counts })

  let silent = 0
  const perform = async (row: Row): Promise<void> => {
    const outcome = await rowOutcome(ready, row, () => inputOf(row), options)
    silent =
      outcome.failure !== undefined && ['unreachable', 'login'].includes(outcome.failure.kind)
        ? silent + 1
        : 0
    await results.add(outcome)
    tell()
  }
  const underWay = new Set<Promise<void>>()
  let broken: unknown
  let stopped: Run['stopped']
  for await (const row of rowsOfFile(file)) {
    if (results.isDone(row.number)) continue
    while (underWay.size >= options.parallel) await Promise.race(underWay)
    if (options.signal?.aborted === true) stopped = 'asked'
    else stopped = silent >= mostSilent ? 'nobody answers' : undefined
    if (stopped !== undefined) break
    if (broken !== undefined) break
    const call: Promise<void> = perform(row)
      .catch((error: unknown) => void (broken ??= error))
      .finally(() => underWay.delete(call))
    underWay.add(call)
  }
  await Promise.all(underWay)
  await client.close()
  if (broken !== undefined) {
    await results.close(true)
    throw broken
  }
  return { ready, rows, before, stopped, results, ...results.counts }
}

async function rowOutcome(
  ready: ReadyOperation,
  row: Row,
  input: () => WrittenInput,
  options: EachOptions,
): Promise<RowOutcome> {
  const known = { row: row.number, content: contentOf(row) }
  let facts: Pick<RowOutcome, 'row' | 'content' | 'status' | 'deviations' | 'milliseconds'> = {
    ...known,
    milliseconds: 0,
  }
  try {
    const { result, problem } = await callReady(ready, input(), options)
    const { milliseconds, deviations } = result
    const status = result.exchanges.at(-1)?.response.status
    facts = {
      ...known,
      ...present({ status }),
      ...(deviations.length === 0 ? {} : { deviations: deviations.length }),
      milliseconds,
    }
    if (problem !== undefined) throw problem
    const value = toPlain(result.value)
    return {
      ...facts,
      ok: true,
      value: options.pick === undefined ? value : await pick(value, options.pick),
    }
  } catch (error) {
    // What is wrong with one row is no reason to leave out the others.
    if (!(error instanceof Problem)) throw error
    const { kind, code, message, details } = error
    return {
      ...facts,
      ok: false,
      failure: { kind, code, message, ...filled({ details }) },
    }
  }
}

/** A digest of what a row says. */
function contentOf({ fields }: Row): string {
  const text = JSON.stringify(fields, (_, value: unknown) =>
    typeof value === 'bigint' ? String(value) : value,
  )
  return createHash('sha256').update(text).digest('hex').slice(0, 24)
}

async function fileDigest(file: string): Promise<string> {
  const hash = createHash('sha256')
  for await (const piece of createReadStream(file) as AsyncIterable<Buffer>) hash.update(piece)
  return hash.digest('hex')
}

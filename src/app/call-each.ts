import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { basename, dirname, extname, join } from 'node:path'
import { filled, present } from '../contract/present.js'
import { Problem } from '../contract/problem.js'
import { pathOf } from '../contract/queries.js'
import { checkPath, pick } from '../exercise/pick.js'
import { parseFillings, rowInput } from '../exercise/row-input.js'
import type { RowOutcome } from '../exercise/row-outcome.js'
import { rowsOfFile, type Row } from '../exercise/row-source.js'
import { toPlain } from '../runtime/plain.js'
import { callReady, writtenInput, type CallOptions, type WrittenInput } from './call-operation.js'
import { readyClient, type ReadyOperation } from './calls/ready-client.js'
import { RowResults } from './calls/row-results.js'

export interface EachOptions extends CallOptions {
  /** How many calls go side by side. */
  readonly parallel: number
  /** Which columns fill which inputs: `Vessel=Ship, Nights`. */
  readonly fill?: string | undefined
  /** A JSONPath: what of each answer counts. */
  readonly pick?: string | undefined
  /** Go on with an earlier run that was stopped or had failing rows; or start over. */
  readonly mode: 'start' | 'resume' | 'overwrite'
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
 * One call for each row of a file. What came of each is kept as it comes, so that a run that was
 * stopped can go on.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @param wanted the operation
 * @param file CSV, JSON or NDJSON
 * @returns how many rows there are, were done and failed, why it ended early where it did, and the
 *   outcomes
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
  const client = await readyClient(reference, options)
  const ready = await client.operation(wanted)
  const inputOf = await rowInputs(ready, file, options)
  const { rows, contents } = await checkRows(file, inputOf, options.mode === 'resume')
  const operation = pathOf(ready.operation)
  const results = await RowResults.open(
    join(dirname(file), `${basename(file, extname(file))}.${operation}.unfinished.ndjson`),
    { tolmach: 'rows', contract: ready.open.name, operation, rows: await fileDigest(file) },
    file,
    options.mode,
    contents,
  )
  const before = results.counts.done
  const stopped = await performRows(file, results, options, async (row) => {
    const outcome = await rowOutcome(ready, row, () => inputOf(row), options)
    await results.add(outcome)
    options.onProgress?.({ rows, ...results.counts })
    return outcome
  }).finally(() => client.close())
  return { ready, rows, before, stopped, results, ...results.counts }
}

/** Makes the inputs of rows: their columns on top of what is given for all. */
async function rowInputs(
  { open, operation }: ReadyOperation,
  file: string,
  options: EachOptions,
): Promise<(row: Row) => WrittenInput> {
  const fillings = options.fill === undefined ? undefined : parseFillings(options.fill)
  const base = await writtenInput(options)
  return (row) => {
    const { contract } = open
    const { plain, assignments } = rowInput(
      contract,
      operation,
      row,
      base.plain ?? {},
      fillings,
      file,
    )
    return { ...base, plain, assignments: [...base.assignments, ...assignments] }
  }
}

/**
 * Reads all rows once: a mistake far down is told before anything is sent.
 *
 * @returns how many there are, and where they are wanted digests of what they say, by number
 */
async function checkRows(
  file: string,
  inputOf: (row: Row) => WrittenInput,
  wantsContents: boolean,
): Promise<{ rows: number; contents: string[] }> {
  let rows = 0
  const contents: string[] = []
  for await (const row of rowsOfFile(file)) {
    if (rows === 0) inputOf(row)
    if (wantsContents) contents[row.number] = contentOf(row)
    rows += 1
  }
  return { rows, contents }
}

/**
 * Performs the rows that are not done yet, several side by side.
 *
 * @returns why it ended before all were tried
 */
async function performRows(
  file: string,
  results: RowResults,
  { parallel, signal }: EachOptions,
  perform: (row: Row) => Promise<RowOutcome>,
): Promise<Run['stopped']> {
  const underWay = new Set<Promise<void>>()
  let silent = 0
  let broken: { readonly error: unknown } | undefined
  let stopped: Run['stopped']
  const begin = (row: Row): void => {
    const call: Promise<void> = perform(row)
      .then((outcome) => void (silent = isSilent(outcome) ? silent + 1 : 0))
      .catch((error: unknown) => void (broken ??= { error }))
      .finally(() => underWay.delete(call))
    underWay.add(call)
  }
  for await (const row of rowsOfFile(file)) {
    if (results.isDone(row.number)) continue
    while (underWay.size >= parallel) await Promise.race(underWay)
    if (signal?.aborted === true) stopped = 'asked'
    else if (silent >= mostSilent) stopped = 'nobody answers'
    if (stopped !== undefined || broken !== undefined) break
    begin(row)
  }
  await Promise.all(underWay)
  if (broken === undefined) return stopped
  await results.close(true)
  throw broken.error
}

/** Did nobody answer, or was a login wanted? */
function isSilent({ failure }: RowOutcome): boolean {
  return failure !== undefined && ['unreachable', 'login'].includes(failure.kind)
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

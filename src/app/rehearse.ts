import { dirname, join, resolve } from 'node:path'
import { addEach } from '../contract/lists.js'
import { present } from '../contract/present.js'
import { problem } from '../contract/problem.js'
import { pathOf } from '../contract/queries.js'
import { harOf } from '../exercise/har.js'
import { maskedNames, maskedPlain } from '../exercise/masking.js'
import type { Rehearsal } from '../exercise/rehearsal/format.js'
import {
  play,
  type RehearsalReport,
  type StepCaller,
  type CalledStep,
  type StepReport,
} from '../exercise/rehearsal/playing.js'
import { readRehearsal } from '../exercise/rehearsal/reading.js'
import { rowsOfFile } from '../exercise/row-source.js'
import { wireText } from '../exercise/wire-text.js'
import type { Exchange } from '../runtime/connection.js'
import { ServiceFault } from '../runtime/failures.js'
import { toPlain } from '../runtime/plain.js'
import { callReady, type Called } from './call-operation.js'
import { version } from './package-files.js'
import { readyClient, type ClientOptions, type ReadyClient } from './calls/ready-client.js'
import { readTextFile, saveJson } from './files/text-files.js'

export type { RehearsalReport, StepReport } from '../exercise/rehearsal/playing.js'
export { rowText } from '../exercise/rehearsal/playing.js'
export { junitXml } from '../exercise/rehearsal/junit.js'

export interface RehearseOptions extends Pick<
  ClientOptions,
  'project' | 'at' | 'timeLimit' | 'retries' | 'person'
> {
  /**
   * Addresses by contract, instead of those of the site or the metadata; `''` for whichever
   * contract there is.
   */
  readonly urls?: Readonly<Record<string, string>> | undefined
  /**
   * A folder for the answers: one file each, for later comparing, and one of recorded exchanges for
   * each contract, for stand-ins.
   */
  readonly keep?: string | undefined
  readonly onRehearsal?: ((rehearsal: Rehearsal) => void) | undefined
  readonly onStep?: ((report: StepReport) => void) | undefined
}

/**
 * Plays rehearsals, one after the other.
 *
 * @param files their paths
 * @returns for each what came of its steps; times in milliseconds, secrets masked
 * @throws Problem TM-1021 when a file is not valid (then nothing is called), TM-1007, TM-1008
 */
export async function rehearse(
  files: readonly string[],
  options: RehearseOptions = {},
): Promise<RehearsalReport[]> {
  const rehearsals: Rehearsal[] = []
  for (const file of files) rehearsals.push(await readRehearsal(await readTextFile(file), file))
  const recorder = new Recorder()
  const reports: RehearsalReport[] = []
  for (const rehearsal of rehearsals) {
    options.onRehearsal?.(rehearsal)
    const calls = new RehearsalCalls(rehearsal, options, recorder)
    try {
      reports.push(await play(rehearsal, calls, options.onStep))
    } finally {
      await calls.close()
    }
  }
  if (options.keep !== undefined) await recorder.write(options.keep, reports)
  // Whatever becomes of the reports, no secret is in them: neither one of this run, nor what is
  // called like one.
  return reports.map((report) => ({
    ...maskedPlain(report),
    steps: maskedPlain(report.steps).map(withoutSecretNames),
  }))
}

/**
 * A step's report without what its input, its row and its answer hold under the names of secrets.
 */
function withoutSecretNames(step: StepReport): StepReport {
  const { input, row, value, shown, compared } = step
  return {
    ...step,
    ...present({ input: input && maskedNames(input) }),
    ...present({ row: row && maskedNames(row) }),
    ...(value === undefined ? {} : { value: maskedNames(value) }),
    ...present({ shown: maskedPlain(shown) }),
    ...present({ compared: maskedPlain(compared) }),
  }
}

/** Calls the steps of a rehearsal: the clients of its contracts are each made ready once. */
class RehearsalCalls implements StepCaller {
  private readonly rehearsal: Rehearsal
  private readonly options: RehearseOptions
  private readonly recorder: Recorder
  private readonly folder: string
  private readonly clients = new Map<string, Promise<ReadyClient>>()

  constructor(rehearsal: Rehearsal, options: RehearseOptions, recorder: Recorder) {
    this.rehearsal = rehearsal
    this.options = options
    this.recorder = recorder
    this.folder = dirname(rehearsal.file)
  }

  async rows(file: string): Promise<unknown[]> {
    const rows: unknown[] = []
    for await (const { fields } of rowsOfFile(resolve(this.folder, file))) rows.push(fields)
    return rows
  }

  async call(...[step, contract, input]: Parameters<StepCaller['call']>): Promise<CalledStep> {
    const { file } = this.rehearsal
    if (contract === undefined) {
      const reason = 'neither the step nor the rehearsal names a contract'
      const place = { document: file, line: step.line, column: 1 }
      throw problem('TM-1021', { file, reason }, { place })
    }
    const client = await this.clientOf(contract)
    const ready = await client.operation(step.operation)
    const called = await callReady(
      ready,
      { plain: input, assignments: [], folder: this.folder },
      { timeLimit: this.options.timeLimit, all: true },
    )
    this.recorder.add(ready.open.name, called.result.exchanges)
    return stageAnswer(ready.open.name, called)
  }

  async close(): Promise<void> {
    for (const client of await Promise.allSettled(this.clients.values()))
      if (client.status === 'fulfilled') await client.value.close()
  }

  private clientOf(contract: string): Promise<ReadyClient> {
    const known = this.clients.get(contract)
    if (known !== undefined) return known
    const { project, at = this.rehearsal.at, timeLimit, retries, person, urls = {} } = this.options
    // Metadata that is not in a project is named from where the rehearsal is.
    const isName = /^[A-Za-z][\w-]*$/.test(contract) || /^https?:/i.test(contract)
    const client = readyClient(isName ? contract : resolve(this.folder, contract), {
      project,
      at,
      timeLimit,
      retries,
      person,
      url: urls[contract] ?? urls[''],
    })
    this.clients.set(contract, client)
    return client
  }
}

async function stageAnswer(
  contract: string,
  { operation, result, problem: failed }: Called,
): Promise<CalledStep> {
  const { failure, exchanges, milliseconds } = result
  const fault = failure instanceof ServiceFault ? failure : undefined
  const status = exchanges.at(-1)?.response.status
  const wire = (await Promise.all(exchanges.map(wireText))).join('\n\n')
  return {
    contract,
    operation: pathOf(operation),
    milliseconds,
    status,
    ...(wire === '' ? {} : { wire }),
    ...(failed === undefined
      ? { value: result.value === undefined ? undefined : toPlain(result.value) }
      : {
          problem: failed,
          failure: {
            kind: failed.kind,
            message: failed.message,
            code: fault?.code ?? failed.code,
            fault: fault?.fault,
            detail: toPlain(fault?.detail),
          },
        }),
  }
}

/** Collects what went over the wire, by contract. */
class Recorder {
  private readonly exchanges = new Map<string, Exchange[]>()

  add(contract: string, exchanges: readonly Exchange[]): void {
    addEach(this.exchanges, contract, exchanges)
  }

  async write(folder: string, reports: readonly RehearsalReport[]): Promise<void> {
    let number = 0
    for (const { operation, value, contract } of reports.flatMap(({ steps }) => steps)) {
      if (operation === undefined || value === undefined) continue
      number += 1
      await saveJson(
        join(folder, `${String(number).padStart(2, '0')}-${contract ?? ''}-${operation}.json`),
        value,
      )
    }
    for (const [contract, exchanges] of this.exchanges)
      await saveJson(join(folder, `${contract}.har`), harOf(exchanges, new Date(), version()))
  }
}

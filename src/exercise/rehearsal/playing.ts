import { present } from '../../contract/present.js'
import { isPlainObject } from '../../contract/plain.js'
import { Problem } from '../../contract/problem.js'
import { fillTemplate, inPlain, referencesIn, stepsOf } from '../../contract/templates.js'
import { differences, rowNames, type Difference } from '../differences.js'
import { pick } from '../pick.js'
import { arrange, type Arranged } from '../arrange.js'
import { documentInside } from '../inside.js'
import { maskedNames } from '../masking.js'
import { rowsOf, tabulate, type Table } from '../tabulate.js'
import { expectsFailure, judge, type StepAnswer, type Verdict } from './expectations.js'
import type { CallStep, CompareStep, LoopStep, Rehearsal, Step } from './format.js'

/** How steps reach the services: what plays them. */
export interface StepCaller {
  /**
   * Calls an operation with a filled input.
   *
   * @throws Problem for what is wrong before anything can be sent
   */
  call(
    step: CallStep,
    contract: string | undefined,
    input: Readonly<Record<string, unknown>>,
  ): Promise<CalledStep>
  /** The rows of a file that a loop names, in plain form. */
  rows(file: string): Promise<readonly unknown[]>
}

export interface CalledStep extends StepAnswer {
  readonly contract: string
  readonly operation: string
  readonly milliseconds: number
  /** Why a call failed, for people: whose side it is on and what to try. */
  readonly problem?: Problem | undefined
  /** What went over the wire, secrets masked. */
  readonly wire?: string
}

/** What came of a step. */
export interface StepReport {
  readonly line: number
  readonly title: string
  readonly contract?: string
  readonly operation?: string
  /** `left out`: steps behind one that failed, and cleaning up what was never made. */
  readonly outcome: 'passed' | 'failed' | 'left out'
  /** It belongs to the steps that are played however it goes. */
  readonly isAfterwards: boolean
  /** The row of the loop that it was played for: its number from 1, and what it says. */
  readonly row?: {
    readonly number: number
    readonly value: unknown
    /** What the loop is for. */ readonly of?: string
  }
  readonly milliseconds: number
  readonly input?: unknown
  readonly status?: number | undefined
  readonly verdicts: readonly Verdict[]
  /** Why it failed, beside the expectations that were not met; or why it was left out. */
  readonly trouble?: {
    readonly message: string
    readonly details: readonly string[]
    readonly side?: string
    readonly advice?: string
    readonly code?: string
  }
  /** The answer as tables, where the step wants it shown. */
  readonly shown?: Arranged
  readonly compared?: Compared
  readonly wire?: string
  /** The answer in plain form, for keeping. */
  readonly value?: unknown
}

/** Two lists side by side, and what is different between them. */
export interface Compared {
  readonly before: MarkedTable
  readonly after: MarkedTable
  readonly differences: readonly Difference[]
}

/**
 * A table that says of each row what became of it, or where it came from; nothing where it is in
 * both lists alike.
 */
export interface MarkedTable extends Table {
  readonly marks: readonly (Difference['kind'] | undefined)[]
}

export interface RehearsalReport {
  readonly file: string
  readonly title: string
  readonly outcome: 'passed' | 'failed'
  readonly milliseconds: number
  readonly steps: readonly StepReport[]
}

/**
 * Plays a rehearsal: step by step, until one fails; the steps of `afterwards` always.
 *
 * @param onStep hears of every step as it ends
 */
export async function play(
  rehearsal: Rehearsal,
  caller: StepCaller,
  onStep: (report: StepReport) => void = () => undefined,
): Promise<RehearsalReport> {
  const player = new RehearsalRun(rehearsal, caller, onStep)
  const started = performance.now()
  await player.play()
  const { reports } = player
  return {
    file: rehearsal.file,
    title: rehearsal.title,
    outcome: reports.some(({ outcome }) => outcome === 'failed') ? 'failed' : 'passed',
    milliseconds: Math.round(performance.now() - started),
    steps: reports,
  }
}

type Row = NonNullable<StepReport['row']>

class RehearsalRun {
  readonly reports: StepReport[] = []
  private readonly rehearsal: Rehearsal
  private readonly caller: StepCaller
  private readonly onStep: (report: StepReport) => void
  private readonly known: Map<string, unknown>
  private failed = false
  private isAfterwards = false
  private readonly lookUp = (path: string): unknown => {
    const [name = '', ...rest] = stepsOf(path)
    return inPlain(this.known.get(name), rest)
  }

  constructor(rehearsal: Rehearsal, caller: StepCaller, onStep: (report: StepReport) => void) {
    this.rehearsal = rehearsal
    this.caller = caller
    this.onStep = onStep
    this.known = new Map(Object.entries(rehearsal.values))
  }

  async play(): Promise<void> {
    await this.steps(this.rehearsal.steps)
    this.isAfterwards = true
    await this.steps(this.rehearsal.afterwards)
  }

  private async steps(steps: readonly Step[], row?: Row): Promise<void> {
    for (const step of steps) {
      // One that fails while cleaning up does not keep the others from it.
      if (this.failed && !this.isAfterwards)
        this.report(step, row, {
          outcome: 'left out',
          milliseconds: 0,
          verdicts: [],
          trouble: { message: 'a step before it failed', details: [] },
        })
      else if (step.kind === 'loop') await this.loop(step, row)
      else await this.attempt(step, row)
    }
  }

  private async attempt(step: CallStep | CompareStep, row: Row | undefined): Promise<void> {
    const missing = this.missingNames(step)
    if (missing !== undefined) {
      const trouble = { message: `nothing was kept as "$${missing}"`, details: [] }
      this.report(step, row, {
        outcome: this.isAfterwards ? 'left out' : 'failed',
        milliseconds: 0,
        verdicts: [],
        trouble,
      })
      return
    }
    try {
      this.report(
        step,
        row,
        step.kind === 'call' ? await this.call(step) : await this.compare(step),
      )
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      this.report(step, row, {
        outcome: 'failed',
        milliseconds: 0,
        verdicts: [],
        trouble: troubleOf(error),
      })
    }
  }

  /** A name that the step refers to, and that no step before it kept. */
  private missingNames(step: CallStep | CompareStep): string | undefined {
    const content = step.kind === 'call' ? step.with : [step.before, step.after]
    return referencesIn(content)
      .map((reference) => stepsOf(reference)[0] ?? '')
      .find((name) => !this.known.has(name))
  }

  private async call(step: CallStep): Promise<Outcome> {
    const input = fillTemplate(step.with, this.lookUp) as Record<string, unknown>
    const called = await this.caller.call(step, step.contract ?? this.rehearsal.contract, input)
    const answer =
      step.inside === undefined || called.failure !== undefined
        ? called
        : { ...called, value: await documentInside(called.value, step.inside) }
    // Where there is nothing to clean up, the service may say so.
    const isNothingLeft =
      this.isAfterwards && step.expect.length === 0 && answer.problem?.kind === 'fault'
    const unexpected =
      answer.problem !== undefined && !isNothingLeft && !expectsFailure(step.expect)
        ? troubleOf(answer.problem)
        : undefined
    // Of a call that was to go well and did not, what its answer lacks says nothing.
    const verdicts = unexpected === undefined ? await judge(step.expect, answer, this.lookUp) : []
    const unkept = answer.failure === undefined ? await this.keep(step, answer.value) : undefined
    const trouble = unexpected ?? unkept
    const passed = trouble === undefined && verdicts.every(({ met }) => met)
    return {
      outcome: passed ? 'passed' : 'failed',
      contract: answer.contract,
      operation: answer.operation,
      milliseconds: answer.milliseconds,
      input,
      status: answer.status,
      verdicts,
      ...present({ trouble }),
      ...(step.show === undefined || answer.failure !== undefined
        ? {}
        : {
            shown: arrange(maskedNames(answer.value), step.show === true ? undefined : step.show),
          }),
      ...present({ wire: answer.wire }),
      ...(answer.failure === undefined ? { value: answer.value } : {}),
    }
  }

  /** Keeps what a step wants kept. @returns what was not there */
  private async keep({ keep }: CallStep, value: unknown): Promise<StepReport['trouble']> {
    for (const [name, path] of Object.entries(keep)) {
      try {
        this.known.set(name, await pick(value ?? null, path))
      } catch {
        return {
          message: `nothing to keep as "${name}": there is nothing at ${path} in the answer`,
          details: [],
        }
      }
    }
    return undefined
  }

  private async compare(step: CompareStep): Promise<Outcome> {
    const [before, after] = [
      fillTemplate(step.before, this.lookUp),
      fillTemplate(step.after, this.lookUp),
    ]
    const found = differences(before, after, step.by ?? [])
    const rowsOfKind = (kind: Difference['kind']): number =>
      new Set(
        found
          .filter(
            (each) =>
              (each.field === undefined || kind === 'changed') &&
              (kind === 'changed' ? each.field !== undefined : each.kind === kind),
          )
          .map(({ row }) => row),
      ).size
    const counts = {
      added: rowsOfKind('added'),
      gone: rowsOfKind('gone'),
      changed: rowsOfKind('changed'),
    }
    const verdicts = await judge(step.expect, { value: after, counts }, this.lookUp)
    const [old, now] = [rowsOf(before).rows ?? [], rowsOf(after).rows ?? []]
    const names = rowNames(old, now, step.by)
    const table = (
      value: unknown,
      rows: readonly unknown[],
      all: readonly string[],
    ): MarkedTable => ({
      ...tableOf(maskedNames(value), maskedNames(rows), step.show === true ? undefined : step.show),
      marks: all
        .map((name) => found.find(({ row }) => row === name))
        .map((difference) => (difference?.field === undefined ? difference?.kind : 'changed')),
    })
    return {
      outcome: verdicts.every(({ met }) => met) ? 'passed' : 'failed',
      milliseconds: 0,
      verdicts,
      compared: {
        before: table(before, old, names.before),
        after: table(after, now, names.after),
        differences: found,
      },
    }
  }

  private async loop(step: LoopStep, outer: Row | undefined): Promise<void> {
    let rows: readonly unknown[]
    try {
      const named = async (rows: string): Promise<unknown> =>
        rows.startsWith('$') ? fillTemplate(rows, this.lookUp) : this.caller.rows(rows)
      const found = typeof step.each === 'string' ? await named(step.each) : step.each
      if (!Array.isArray(found)) {
        this.report(step, outer, {
          outcome: 'failed',
          milliseconds: 0,
          verdicts: [],
          trouble: {
            message: `"each" needs a list, and ${String(step.each)} is none`,
            details: [],
          },
        })
        return
      }
      rows = found
    } catch (error) {
      if (!(error instanceof Problem)) throw error
      this.report(step, outer, {
        outcome: 'failed',
        milliseconds: 0,
        verdicts: [],
        trouble: troubleOf(error),
      })
      return
    }
    for (const [at, template] of rows.entries()) {
      const value = fillTemplate(template, this.lookUp)
      this.known.set('row', value)
      await this.steps(step.steps, {
        number: at + 1,
        value,
        ...present({ of: step.say }),
      })
    }
    if (outer === undefined) this.known.delete('row')
    else this.known.set('row', outer.value)
  }

  private report(step: Step, row: Row | undefined, outcome: Outcome): void {
    if (outcome.outcome === 'failed') this.failed = true
    const report: StepReport = {
      line: step.line,
      title: step.say ?? row?.of ?? titleOf(step),
      isAfterwards: this.isAfterwards,
      ...(step.kind === 'call' ? { operation: step.operation } : {}),
      ...outcome,
      ...present({ row }),
    }
    this.reports.push(report)
    this.onStep(report)
  }
}

type Outcome = Omit<StepReport, 'line' | 'title' | 'isAfterwards' | 'row'>

/** A value as one table: its rows where it has some, else names and values. */
function tableOf(value: unknown, rows: readonly unknown[], columns: string | undefined): Table {
  if (Array.isArray(value) && rows.length === 0) return { headings: [], rows: [] }
  return tabulate(rows.length > 0 ? rows : value, columns)
}

function titleOf(step: Step): string {
  if (step.kind === 'call') return step.operation
  if (step.kind === 'compare') return 'before and after'
  return 'for each row'
}

function troubleOf({
  message,
  details,
  side,
  advice,
  code,
}: Problem): NonNullable<StepReport['trouble']> {
  return {
    message,
    details,
    ...(side === undefined ? {} : { side: side.because }),
    ...(advice === '' ? {} : { advice }),
    code,
  }
}

/** A row of a loop in a few words. */
export function rowText({ number, value }: Row): string {
  const text = isPlainObject(value)
    ? Object.entries(value)
        .map(
          ([name, each]) =>
            `${name} ${String(typeof each === 'object' && each !== null && 'source' in each ? each.source : each)}`,
        )
        .join(', ')
    : String(value)
  return `row ${number}: ${text.length > 80 ? `${text.slice(0, 79)}…` : text}`
}

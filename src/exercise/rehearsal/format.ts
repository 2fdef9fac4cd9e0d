/**
 * The format of rehearsals: what a file of steps may say. docs/reference.md describes it for
 * people.
 */

/** A rehearsal, read and checked. */
export interface Rehearsal {
  readonly file: string
  readonly title: string
  /** The contract of steps that name none. */
  readonly contract?: string
  /** The site that steps call at. */
  readonly at?: string
  /** Values that are known from the start. */
  readonly values: Readonly<Record<string, unknown>>
  readonly steps: readonly Step[]
  /** Steps that are played at the end, however it went. */
  readonly afterwards: readonly Step[]
}

export type Step = CallStep | CompareStep | LoopStep

interface StepBase {
  /** Where it stands in its file. */
  readonly line: number
  readonly say?: string
}

/** Calls an operation. */
export interface CallStep extends StepBase {
  readonly kind: 'call'
  readonly operation: string
  readonly contract?: string
  /** Its input in plain form, with `$` references to what is known. */
  readonly with: Readonly<Record<string, unknown>>
  /** What of the answer is kept: a name and a JSONPath each. */
  readonly keep: Readonly<Record<string, string>>
  /** Where in the answer a text is whose document counts instead of it. */
  readonly inside?: string
  /** Is the answer shown in reports: with these columns, or all? */
  readonly show?: string | true
  readonly expect: readonly Expectation[]
}

/** Compares two values that were kept: lists row by row. */
export interface CompareStep extends StepBase {
  readonly kind: 'compare'
  readonly before: unknown
  readonly after: unknown
  /** The fields by which rows are told apart; found out when left out. */
  readonly by?: readonly string[]
  readonly show?: string | true
  readonly expect: readonly Expectation[]
}

/** Plays steps for each of several rows, which go by the name `row`. */
export interface LoopStep extends StepBase {
  readonly kind: 'loop'
  /** The rows, a reference to some, or the path of a file of them. */
  readonly each: readonly unknown[] | string
  readonly steps: readonly Step[]
}

/** How many: exactly so many, or a range. */
export type Amount = number | { readonly atLeast?: number; readonly atMost?: number }

/** What is expected of an answer; of several words all must hold. */
export interface Expectation {
  readonly line: number
  /** A JSONPath: which part of the answer is meant; all of it when left out. */
  readonly at?: string
  readonly equals?: { readonly value: unknown }
  readonly has?: { readonly value: unknown }
  /** A regular expression that a text must match as a whole or in part. */
  readonly like?: string
  readonly missing?: boolean
  readonly rows?: Amount
  readonly atLeast?: unknown
  readonly atMost?: unknown
  readonly status?: number
  /** The name of a declared fault, or `true` for any. */
  readonly fault?: string | true
  readonly code?: string
  readonly kind?: string
  /** Of comparisons. */
  readonly added?: Amount
  readonly gone?: Amount
  readonly changed?: Amount
}

import { ExactNumber, isPlainObject } from '../../contract/plain.js'
import { fillTemplate, plainText } from '../../contract/templates.js'
import { pick } from '../pick.js'
import { compareValues } from '../sort-rows.js'
import { rowsOf } from '../tabulate.js'
import type { Amount, Expectation } from './format.js'

/** What came of a call, in plain form. */
export interface StepAnswer {
  readonly value?: unknown
  readonly status?: number | undefined
  readonly failure?: {
    readonly kind: string
    readonly message: string
    readonly code: string
    readonly fault?: string | undefined
    readonly detail?: unknown
  }
  /** Of comparisons: how many rows of each kind. */
  readonly counts?: { readonly added: number; readonly gone: number; readonly changed: number }
}

/** An expectation, and whether it was met. */
export interface Verdict {
  readonly line: number
  /** What was expected, in words. */
  readonly expected: string
  readonly met: boolean
  /** What there was instead. */
  readonly was?: string
}

/** Expectations that are about a failure, so that a call that fails may be what is wanted. */
export function expectsFailure(expectations: readonly Expectation[]): boolean {
  return expectations.some(
    ({ fault, kind, code, status }) =>
      fault !== undefined ||
      kind !== undefined ||
      code !== undefined ||
      (status !== undefined && status >= 400),
  )
}

/**
 * Judges what came of a step.
 *
 * @param lookUp what `$` references in expectations lead to
 */
export async function judge(
  expectations: readonly Expectation[],
  answer: StepAnswer,
  lookUp: (path: string) => unknown,
): Promise<Verdict[]> {
  const verdicts: Verdict[] = []
  for (const expectation of expectations) {
    const { at, line } = expectation
    const whole = answer.failure === undefined ? answer.value : answer.failure.detail
    const value = at === undefined ? whole : await found(whole, at)
    const place = at === undefined ? 'the answer' : at
    for (const each of words(expectation, value, answer, (template) =>
      fillTemplate(template, lookUp),
    ))
      verdicts.push({
        line,
        expected: `${each.ofValue === true ? `${place} ` : ''}${each.expected}`,
        met: each.met,
        ...(each.met ? {} : { was: each.was === undefined ? absent(whole) : shown(each.was) }),
      })
  }
  return verdicts
}

async function found(value: unknown, path: string): Promise<unknown> {
  try {
    return await pick(value ?? null, path)
  } catch {
    return undefined
  }
}

/** One thing that was expected, and what was there. */
interface Word {
  readonly expected: string
  readonly met: boolean
  readonly was: unknown
  readonly ofValue?: true
}

function words(
  expectation: Expectation,
  value: unknown,
  answer: StepAnswer,
  fill: (template: unknown) => unknown,
): Word[] {
  return [
    ...valueWords(expectation, value, fill),
    ...limitWords(expectation, value, fill),
    ...rowWords(expectation, value),
    ...answerWords(expectation, answer),
    ...countWords(expectation, answer),
  ]
}

/** What is expected of a value itself. */
function valueWords(
  { equals, has, like, missing }: Expectation,
  value: unknown,
  fill: (template: unknown) => unknown,
): Word[] {
  const all: Word[] = []
  const of = (expected: string, met: boolean): void =>
    void all.push({ expected, met, was: value, ofValue: true })
  if (equals !== undefined) {
    const wanted = fill(equals.value)
    of(`equals ${shown(wanted)}`, isSame(value, wanted))
  }
  if (has !== undefined) {
    const wanted = fill(has.value)
    of(`has ${shown(wanted)}`, holds(value, wanted))
  }
  if (like !== undefined) {
    const isText = typeof value !== 'object' && value !== undefined
    of(`is like ${like}`, isText && new RegExp(like, 'u').test(plainText(value)))
  }
  if (missing !== undefined) {
    const isEmpty = Array.isArray(value) && value.length === 0
    const isMissing = value === undefined || value === null || isEmpty
    of(missing ? 'is missing' : 'is there', isMissing === missing)
  }
  return all
}

function limitWords(
  { atLeast, atMost }: Expectation,
  value: unknown,
  fill: (template: unknown) => unknown,
): Word[] {
  const order = (wanted: unknown): number => {
    const isOrdered = typeof value === 'string' || (isNumeric(value) && isNumeric(wanted))
    return isOrdered ? compareValues(plainText(value), plainText(wanted)) : Number.NaN
  }
  const all: Word[] = []
  const of = (expected: string, met: boolean): void =>
    void all.push({ expected, met, was: value, ofValue: true })
  if (atLeast !== undefined) {
    const wanted = fill(atLeast)
    of(`is at least ${shown(wanted)}`, order(wanted) >= 0)
  }
  if (atMost !== undefined) {
    const wanted = fill(atMost)
    of(`is at most ${shown(wanted)}`, order(wanted) <= 0)
  }
  return all
}

function rowWords({ rows }: Expectation, value: unknown): Word[] {
  if (rows === undefined) return []
  const single = value === undefined || value === null ? 0 : 1
  const count = Array.isArray(value) ? value.length : (rowsOf(value).rows?.length ?? single)
  return [
    {
      expected: `has ${amountText(rows)} ${rows === 1 ? 'row' : 'rows'}`,
      met: isAmount(rows, count),
      was: `${count} ${count === 1 ? 'row' : 'rows'}`,
      ofValue: true,
    },
  ]
}

/** What is expected of the answer, or of the failure. */
function answerWords(
  { status: wanted, fault, code, kind }: Expectation,
  { status, failure }: StepAnswer,
): Word[] {
  const all: Word[] = []
  if (wanted !== undefined)
    all.push({
      expected: `answers with the status ${wanted}`,
      met: status === wanted,
      was: status ?? 'no answer',
    })
  if (fault !== undefined)
    all.push({
      expected: fault === true ? 'faults' : `faults with ${fault}`,
      met: failure?.kind === 'fault' && (fault === true || failure.fault === fault),
      was: failure === undefined ? 'no fault' : (failure.fault ?? failure.message),
    })
  if (code !== undefined)
    all.push({
      expected: `fails with the code ${code}`,
      met: failure?.code === code,
      was: failure?.code ?? 'no failure',
    })
  if (kind !== undefined)
    all.push({
      expected: `fails as ${kind}`,
      met: failure?.kind === kind,
      was: failure?.kind ?? 'no failure',
    })
  return all
}

/** What is expected of a comparison. */
function countWords(expectation: Expectation, { counts }: StepAnswer): Word[] {
  return (['added', 'gone', 'changed'] as const).flatMap((name) => {
    const wanted = expectation[name]
    if (wanted === undefined) return []
    return [
      {
        expected: `${amountText(wanted)} ${name}`,
        met: counts !== undefined && isAmount(wanted, counts[name]),
        was: counts?.[name] ?? 'nothing compared',
      },
    ]
  })
}

function isAmount(amount: Amount, count: number): boolean {
  return typeof amount === 'number'
    ? count === amount
    : count >= (amount.atLeast ?? 0) && count <= (amount.atMost ?? Infinity)
}

function amountText(amount: Amount): string {
  if (typeof amount === 'number') return String(amount)
  const { atLeast, atMost } = amount
  return [
    ...(atLeast === undefined ? [] : [`at least ${atLeast}`]),
    ...(atMost === undefined ? [] : [`at most ${atMost}`]),
  ].join(' and ')
}

function isNumeric(value: unknown): boolean {
  return (
    value instanceof ExactNumber ||
    typeof value === 'number' ||
    (typeof value === 'string' && /^[+-]?\d+(?:\.\d+)?$/.test(value))
  )
}

/**
 * Is a plain value what somebody wrote? A number that was written as one equals the same number in
 * a text: long and exact ones come as texts.
 */
function isSame(value: unknown, wanted: unknown): boolean {
  if (Array.isArray(wanted))
    return (
      Array.isArray(value) &&
      value.length === wanted.length &&
      wanted.every((each, at) => isSame(value[at], each))
    )
  if (isPlainObject(wanted))
    return (
      isPlainObject(value) &&
      [...new Set([...Object.keys(value), ...Object.keys(wanted)])].every((name) =>
        isSame(value[name], wanted[name]),
      )
    )
  if (wanted instanceof ExactNumber || typeof wanted === 'number')
    return isNumeric(value) && compareValues(plainText(value), plainText(wanted)) === 0
  return value === wanted || (wanted === null && value === undefined)
}

/** Has a list an item, a text a part, a record members, whatever else they have? */
function holds(value: unknown, wanted: unknown): boolean {
  if (typeof value === 'string') return value.includes(plainText(wanted))
  if (Array.isArray(value))
    return value.some(
      (item) => isSame(item, wanted) || (isPlainObject(wanted) && holds(item, wanted)),
    )
  return (
    isPlainObject(value) &&
    isPlainObject(wanted) &&
    Object.entries(wanted).every(
      ([name, each]) =>
        isSame(value[name], each) || (isPlainObject(each) && holds(value[name], each)),
    )
  )
}

/** Nothing, with what there is instead. */
function absent(whole: unknown): string {
  const names = isPlainObject(whole) ? Object.keys(whole) : []
  return names.length === 0
    ? 'nothing'
    : `nothing; there are ${names.slice(0, 12).join(', ')}${names.length > 12 ? ' and more' : ''}`
}

/** A value in a few words. */
function shown(value: unknown): string {
  if (value === undefined) return 'nothing'
  const asJson = (): string =>
    JSON.stringify(value, (_, each: unknown) => (each instanceof ExactNumber ? each.source : each))
  const text = value instanceof ExactNumber ? value.source : asJson()
  return text.length > 300 ? `${text.slice(0, 300)}… (${text.length} characters)` : text
}

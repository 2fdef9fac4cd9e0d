import { largest } from '../contract/lists.js'
import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { nearestAdvice } from '../contract/nearest.js'
import { parsePath } from './input.js'
import { at, rowsOf } from './tabulate.js'

/**
 * An answer with its rows in the order of a field: a list, or the one list of records in an
 * envelope. Numbers, also long and exact ones written as texts, go by their size, other texts by
 * the alphabet; rows that lack the field come last.
 *
 * @param sort the field's name or path, with `desc` behind it for the other direction
 * @throws Problem TM-1010 when there are no rows, or none has that field
 */
export function sortRows(value: unknown, sort: string): unknown {
  const [, field = '', direction] = /^(.*?)(?:\s+(asc|desc))?$/i.exec(sort.trim()) ?? []
  const { rows, replaced } = rowsOf(value)
  if (rows === undefined)
    throw problem('TM-1010', {
      option: '--sort',
      reason: 'the answer has no rows',
      remedy: 'Leave it out.',
    })
  const names = [...new Set(rows.flatMap((row) => (isPlainObject(row) ? Object.keys(row) : [])))]
  const folded =
    names.find((name) => name === field) ??
    names.find((name) => name.toLowerCase() === field.toLowerCase())
  const path = folded === undefined ? parsePath(field) : [folded]
  const keyed = rows.map((row) => ({ row, key: at(row, path) }))
  if (rows.length > 0 && keyed.every(({ key }) => key === undefined))
    throw problem('TM-1010', {
      option: '--sort',
      reason: `the answer has no field "${field}"`,
      remedy: nearestAdvice(field, names),
    })
  const sign = direction?.toLowerCase() === 'desc' ? -1 : 1
  const isMissing = (key: unknown): boolean => key === undefined || key === null
  const sorted = keyed.sort((a, b) =>
    isMissing(a.key) || isMissing(b.key)
      ? Number(isMissing(a.key)) - Number(isMissing(b.key))
      : sign * compareValues(a.key, b.key),
  )
  return replaced(sorted.map(({ row }) => row))
}

const number = /^[+-]?\d+(?:\.\d+)?$/

/** Below 0 when `a` comes before `b`. */
export function compareValues(a: unknown, b: unknown): number {
  const [left, right] = [String(a), String(b)]
  if (number.test(left) && number.test(right)) return compareExactly(left, right)
  if (typeof a === 'number' && typeof b === 'number') return a - b
  return (
    left.localeCompare(right, 'en', { numeric: true, sensitivity: 'base' }) ||
    Number(left > right) - Number(left < right)
  )
}

/** Decimal texts by their size, to the last digit. */
function compareExactly(left: string, right: string): number {
  const places = largest([left, right].map((text) => (text.split('.')[1] ?? '').length))
  const whole = (text: string): bigint => {
    const [digits = '', fraction = ''] = text.replace(/^\+/, '').split('.')
    return BigInt(digits + fraction.padEnd(places, '0'))
  }
  const difference = whole(left) - whole(right)
  if (difference < 0n) return -1
  if (difference > 0n) return 1
  return 0
}

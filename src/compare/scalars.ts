import type { Constraints, ScalarBase, ScalarType } from '../contract/contract.js'
import { compareTexts } from '../contract/ordering.js'
import type { Verdict } from './change.js'

/** Whole numbers by how much they hold: each holds what those before it of its kind do. */
const signed: readonly ScalarBase[] = ['int8', 'int16', 'int32', 'int64', 'integer']
const unsigned: readonly ScalarBase[] = ['uint8', 'uint16', 'uint32', 'uint64', 'integer']
const broken: readonly ScalarBase[] = ['float', 'double', 'decimal']

/**
 * Can what is written as one simple type be read as another? Both are of the same form on the wire.
 */
export function scalarFit(from: ScalarType, to: ScalarType): Verdict {
  const base = baseFit(from, to)
  if (base !== 'fine') return base
  return constraintsFit(from.constraints ?? {}, to.constraints ?? {}) ? 'fine' : 'may break'
}

function baseFit(from: ScalarType, to: ScalarType): Verdict {
  if (to.base === 'text') return textFit(from, to)
  if (from.base === to.base) return narrowsInFormat(from, to) ? 'may break' : 'fine'
  if (isHeldBy(from.base, to.base)) return isWholeDouble(to) ? 'may break' : 'fine'
  if (isNumber(from.base) && isNumber(to.base)) return isWholeDouble(from) ? 'fine' : 'may break'
  return from.base === 'text' || isNumber(to.base) ? 'may break' : 'break'
}

/** Formats of texts that say nothing of what the text is. */
const freeFormats: readonly string[] = [
  'string',
  'xs:string',
  'xs:normalizedString',
  'xs:token',
  'xs:anySimpleType',
  'xs:anyURI',
  'Edm.String',
]

/** Anything is a text; where a text has to be of a format, not any text will do. */
function textFit(from: ScalarType, to: ScalarType): Verdict {
  if (from.format === to.format || freeFormats.includes(to.format)) return 'fine'
  return from.base === 'text' ? 'may break' : 'break'
}

/** A JSON number of any size, which has to be whole where its format says so. */
function isWholeDouble({ base, format }: ScalarType): boolean {
  return base === 'double' && format === 'integer'
}

/** Formats of one base that differ: most say nothing of the value. */
function narrowsInFormat(from: ScalarType, to: ScalarType): boolean {
  return isWholeDouble(to) && !isWholeDouble(from)
}

function isNumber(base: ScalarBase): boolean {
  return signed.includes(base) || unsigned.includes(base) || broken.includes(base)
}

function isHeldBy(small: ScalarBase, large: ScalarBase): boolean {
  for (const row of [signed, unsigned])
    if (row.includes(small) && row.indexOf(large) >= row.indexOf(small)) return true
  const [width, room] = [unsigned.indexOf(small), signed.indexOf(large)]
  if (width !== -1 && room > width) return true
  return broken.includes(large) && isNumber(small) && (large !== 'float' || small !== 'double')
}

/** Does whatever satisfies some constraints satisfy others, as far as can be told? */
export function constraintsFit(from: Constraints, to: Constraints): boolean {
  const isWithin = (
    mine: string | undefined,
    other: string | undefined,
    sign: 1 | -1,
    isStrict: boolean,
  ): boolean =>
    other === undefined ||
    (mine !== undefined && sign * compareBounds(mine, other) >= (isStrict ? 1 : 0))
  const least = from.minimum ?? from.exclusiveMinimum
  const most = from.maximum ?? from.exclusiveMaximum
  const isOpenBelow = from.minimum === undefined && from.exclusiveMinimum !== undefined
  const isOpenAbove = from.maximum === undefined && from.exclusiveMaximum !== undefined
  return (
    isWithin(least, to.minimum, 1, false) &&
    isWithin(most, to.maximum, -1, false) &&
    isWithin(least, to.exclusiveMinimum, 1, !isOpenBelow) &&
    isWithin(most, to.exclusiveMaximum, -1, !isOpenAbove) &&
    (to.minLength === undefined || (from.minLength ?? 0) >= to.minLength) &&
    isAtMost(from.maxLength, to.maxLength) &&
    isAtMost(from.totalDigits, to.totalDigits) &&
    isAtMost(from.fractionDigits, to.fractionDigits) &&
    (to.multipleOf === undefined || from.multipleOf === to.multipleOf) &&
    (to.patterns ?? []).every((group) => hasGroup(from.patterns, group)) &&
    (to.allowed === undefined ||
      from.allowed?.every((each) => to.allowed?.includes(each) === true) === true)
  )
}

function isAtMost(mine: number | undefined, other: number | undefined): boolean {
  return other === undefined || (mine !== undefined && mine <= other)
}

/** Is there a group of patterns that says no more than this one does? */
function hasGroup(groups: Constraints['patterns'], group: readonly string[]): boolean {
  return groups?.some((each) => each.every((pattern) => group.includes(pattern))) === true
}

/** Bounds in their order: exactly where they are decimal numbers, else as texts. */
function compareBounds(a: string, b: string): number {
  const [left, right] = [digitsOf(a), digitsOf(b)]
  if (left === undefined || right === undefined) return compareTexts(a, b)
  const places = Math.max(left.fraction.length, right.fraction.length)
  const scaled = ({ whole, fraction }: Digits): bigint =>
    BigInt(whole + fraction.padEnd(places, '0'))
  const difference = scaled(left) - scaled(right)
  if (difference === 0n) return 0
  return difference < 0n ? -1 : 1
}

interface Digits {
  readonly whole: string
  readonly fraction: string
}

function digitsOf(text: string): Digits | undefined {
  const [, whole, fraction = ''] = /^\+?(-?\d+)(?:\.(\d+))?$/.exec(text) ?? []
  return whole === undefined ? undefined : { whole, fraction }
}

import { compareNumbers, isMultiple } from './numbers.js'
import { brokenCount, show } from './violations.js'

/**
 * What simple values must satisfy besides their type: facets of XML Schema (part 2, section 4.3),
 * validation keywords of JSON Schema (section 6), facets of Edm (CSDL, section 7.2).
 */
export interface Facets extends Bounds {
  readonly minLength?: number
  readonly maxLength?: number
  readonly totalDigits?: number
  readonly fractionDigits?: number
  /** Each group must match; within a group any one pattern is enough. */
  readonly patterns?: readonly (readonly string[])[]
  /** The only values there may be, in any of their spellings. */
  readonly allowed?: readonly string[]
}

/** Bounds of an order, as exact decimal or lexical texts. */
export interface Bounds {
  readonly minimum?: string
  readonly maximum?: string
  readonly exclusiveMinimum?: string
  readonly exclusiveMaximum?: string
  readonly multipleOf?: string
}

/** How values are compared and matched, where that is not as numbers and by ECMAScript. */
export interface FacetRules {
  /** Below 0 when `a` comes first, above 0 when `b` does; NaN where there is no order. */
  readonly compare?: (a: string, b: string) => number
  readonly matches?: (pattern: string, text: string) => boolean
}

/** The first facet that a value does not satisfy, in words. */
export function brokenFacet(
  facets: Facets,
  value: unknown,
  { compare = compareNumbers, matches: fits = matches }: FacetRules = {},
): string | undefined {
  const written = typeof value === 'string' ? value : String(value)
  const { allowed, minLength, maxLength, totalDigits, fractionDigits } = facets
  const bound = brokenBound(facets, written, value, compare)
  if (bound !== undefined) return bound
  if (allowed?.some((each) => each === written || compare(written, each) === 0) === false)
    return `must be ${allowed.join(' or ')}, is ${show(value)}`
  if (minLength !== undefined || maxLength !== undefined) {
    const isBytes = value instanceof Uint8Array
    const length = isBytes ? value.length : [...written].length
    const count = brokenCount(length, minLength, maxLength, isBytes ? ' bytes' : ' characters')
    if (count !== undefined) return count
  }
  if (fractionDigits !== undefined || totalDigits !== undefined) {
    const { whole, fraction } = digitsOf(written)
    if (fractionDigits !== undefined && fraction.length > fractionDigits)
      return `must have at most ${String(fractionDigits)} digits after the point, is ${show(value)}`
    if (totalDigits !== undefined && whole.length + fraction.length > totalDigits)
      return `must have at most ${String(totalDigits)} digits, is ${show(value)}`
  }
  return brokenPattern(facets, value, fits)
}

/** The first bound that a value is beyond, in words. */
export function brokenBound(
  bounds: Bounds,
  written: string,
  value: unknown = written,
  compare: (a: string, b: string) => number = compareNumbers,
): string | undefined {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, multipleOf } = bounds
  if (minimum !== undefined && compare(written, minimum) < 0)
    return `must be at least ${minimum}, is ${show(value)}`
  if (maximum !== undefined && compare(written, maximum) > 0)
    return `must be at most ${maximum}, is ${show(value)}`
  if (exclusiveMinimum !== undefined && compare(written, exclusiveMinimum) <= 0)
    return `must be more than ${exclusiveMinimum}, is ${show(value)}`
  if (exclusiveMaximum !== undefined && compare(written, exclusiveMaximum) >= 0)
    return `must be less than ${exclusiveMaximum}, is ${show(value)}`
  return multipleOf !== undefined && !isMultiple(written, multipleOf)
    ? `must be a multiple of ${multipleOf}, is ${show(value)}`
    : undefined
}

/** The first group of patterns that a value does not match, in words. */
export function brokenPattern(
  { patterns = [] }: Pick<Facets, 'patterns'>,
  value: unknown,
  fits: (pattern: string, text: string) => boolean = matches,
): string | undefined {
  const written = String(value)
  const group = patterns.find((each) => !each.some((pattern) => fits(pattern, written)))
  return group === undefined
    ? undefined
    : `must match ${group.join(' or ').replaceAll('\\p{Nd}', '\\d')}, is ${show(value)}`
}

/**
 * The digits that count: none that lead the whole part or trail the fraction as zeros (XML Schema
 * part 2, section 4.3.11).
 */
export function digitsOf(text: string): { whole: string; fraction: string } {
  const [whole = '', fraction = ''] = text.replace(/^[+-]/, '').split('.')
  return { whole: whole.replace(/^0+/, ''), fraction: fraction.replace(/0+$/, '') }
}

const expressions = new Map<string, RegExp>()

/**
 * A pattern as ECMAScript reads it: with the `u` flag, unless it was written without thought of
 * that (`[\w-.]`).
 */
export function expression(pattern: string): RegExp {
  let made = expressions.get(pattern)
  if (made === undefined) {
    try {
      made = new RegExp(pattern, 'u')
    } catch {
      made = new RegExp(pattern)
    }
    expressions.set(pattern, made)
  }
  return made
}

/** So many steps a check may take. */
const mostSteps = 1e8

/**
 * Does a text match a pattern? An engine that backtracks takes a time that grows with the length of
 * the text to the power of the repetitions in the pattern: a text that is too long for that is not
 * checked. (Patterns that may take without end are in no client.)
 */
export function matches(pattern: string, text: string): boolean {
  return isTooLongFor(pattern, text) || expression(pattern).test(text)
}

/** Would checking a text take too many steps? */
export function isTooLongFor(pattern: string, text: string): boolean {
  return (
    text.length > 100 &&
    text.length **
      ((pattern.match(/[*+]|\{\d+,/g)?.length ?? 0) + (pattern.startsWith('^') ? 0 : 1)) >
      mostSteps
  )
}

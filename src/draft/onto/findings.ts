import { NumberText, type JsonValue } from '../json-values.js'
import { Seen } from '../seen.js'
import { keyOf, type DescribedPlace } from './description.js'

/** What was found in the place of one schema that it does not allow, or does not say. */
export interface Finding {
  readonly place: DescribedPlace
  /** What the value is called there. */
  readonly name: string
  /** How many were null. */
  nulls: number
  /** Members that it requires, with the number of records that lacked them. */
  readonly lacking: Map<string, number>
  /** Members that nothing describes. */
  readonly undescribed: Map<string, Seen>
  /** It allows no members that nothing describes. */
  isClosed: boolean
  /** Members that other parts describe, and this one forbids. */
  readonly forbidden: Set<string>
  /** Values of kinds that it does not allow. */
  otherKinds: Seen | undefined
  /** Values that none of its alternatives allows. */
  otherThings: Seen | undefined
  /** Values that are none of those that it lists. */
  readonly unlisted: Map<string, JsonValue>
  /** Values that are not the one that it says. */
  readonly notConstant: Map<string, JsonValue>
  /** Values by the keyword that they break. */
  readonly broken: Map<string, Seen>
  /** So many broke a limit, at most and at least. */
  readonly limits: Map<string, { least: number; most: number }>
  /** More than one alternative allowed a value, and only one may. */
  severalFit: number
  /** Where the first of all was. */
  readonly first: string
}

/** How many values a schema was looked at by, and how many of them it allows. */
export interface Fits {
  looked: number
  /** Of the kind that it says, null apart. */
  ofKind: number
}

/** Everything that was found, by the place of the schema. */
export class Findings {
  readonly all = new Map<string, Finding>()
  private readonly fitting = new Map<string, Fits>()

  /** @param first where it was found, should it be the first there */
  of(place: DescribedPlace, name: string, first: string): Finding {
    const key = keyOf(place)
    const known = this.all.get(key)
    if (known !== undefined) return known
    const made: Finding = {
      place,
      name,
      nulls: 0,
      lacking: new Map(),
      undescribed: new Map(),
      isClosed: false,
      forbidden: new Set(),
      otherKinds: undefined,
      otherThings: undefined,
      unlisted: new Map(),
      notConstant: new Map(),
      broken: new Map(),
      limits: new Map(),
      severalFit: 0,
      first,
    }
    this.all.set(key, made)
    return made
  }

  fits(place: DescribedPlace): Fits {
    const key = keyOf(place)
    const known = this.fitting.get(key)
    if (known !== undefined) return known
    const made = { looked: 0, ofKind: 0 }
    this.fitting.set(key, made)
    return made
  }
}

/** Sees a value among those that were found under a name. */
export function seeUnder(
  all: Map<string, Seen>,
  key: string,
  name: string,
  value: JsonValue,
): void {
  const seen = all.get(key) ?? new Seen('received', [name])
  all.set(key, seen)
  seen.see(value)
}

/** Lets limits reach as far as a value does: a number, or how long it is. */
export function reach(limits: Finding['limits'], keyword: string, value: JsonValue): void {
  const size = sizeOf(value)
  const known = limits.get(keyword)
  limits.set(keyword, {
    least: Math.min(size, known?.least ?? size),
    most: Math.max(size, known?.most ?? size),
  })
}

function sizeOf(value: JsonValue): number {
  if (value instanceof NumberText) return Number(value.text)
  if (typeof value === 'string') return [...value].length
  return typeof value === 'object' && value !== null ? Object.keys(value).length : 0
}

/** How much there is that a schema does not allow. */
export function weightOf(finding: Finding): number {
  const { nulls, lacking, undescribed, forbidden, unlisted, notConstant, broken, severalFit } =
    finding
  const others = (finding.otherKinds?.count ?? 0) + (finding.otherThings?.count ?? 0)
  const sum = (counts: Iterable<number>): number => [...counts].reduce((all, each) => all + each, 0)
  return (
    nulls +
    sum(lacking.values()) +
    (finding.isClosed ? undescribed.size : 0) +
    forbidden.size +
    // What is of another kind, or another thing, is further away than what breaks a rule.
    10 * others +
    unlisted.size +
    notConstant.size +
    sum([...broken.values()].map(({ count }) => count)) +
    severalFit
  )
}

import { setOwn } from '../plain.js'
import { brokenFacet, matches } from '../facets.js'
import type { Deviation, Violation } from '../failures.js'
import { ContractBreach } from '../failures.js'
import {
  anything,
  readAnything,
  readQuoted,
  asNumber,
  isObject,
  mapMembers,
  show,
  unsized,
  type SimpleJson,
} from '../json/values.js'
import { expected, brokenCount, join, unknownName } from '../violations.js'
import { odd, straightOf } from './as-promised.js'
import {
  resolvedCodec,
  type AnyJsonMember,
  type AnyJsonRef,
  type JsonAlternatives,
  type JsonObject,
  type JsonParts,
} from './json-codec.js'

/**
 * How types stand in JSON: plain data that serves to write, to read and to check, like the codecs
 * for XML. A number whose digits count is a RawNumber between the value and the JSON text.
 */

/**
 * Names of members that other parts of the same object describe; `any` when it may have whatever
 * members.
 */
type OtherMembers = readonly string[] | 'any'

/**
 * Very many alternatives of a codec. Their types are not looked at: compilers give up on the union
 * of so many.
 */
export function many(alternatives: readonly (() => object)[]): readonly never[] {
  return alternatives as readonly never[]
}

/** A value on its way to JSON. It must satisfy the codec: check it first. */
export function toJson(
  reference: AnyJsonRef,
  value: unknown,
  otherMembers: OtherMembers = [],
): unknown {
  const codec = resolvedCodec(reference)
  if (value === null || value === undefined) return value
  if ('simple' in codec) return codec.write(value)
  if ('restricts' in codec) return codec.restricts.write(value)
  if ('items' in codec)
    return (value as readonly unknown[]).map((item) => toJson(codec.items, item))
  if ('tuple' in codec)
    return (value as readonly unknown[]).map((item, at) =>
      toJson(codec.tuple[at] ?? codec.rest ?? anything, item),
    )
  if ('values' in codec)
    return mapMembers(value as object, (_, member) => toJson(codec.values, member))
  if ('members' in codec)
    return mapMembers(value as object, (name, member) =>
      toJson(memberOf(codec, name)?.is ?? anything, member),
    )
  if ('oneOf' in codec)
    return toJson(
      alternativeFor(codec, value, (each) => misfitsOf(each, value, otherMembers)),
      value,
      otherMembers,
    )
  if ('allOf' in codec)
    return mergeParts(
      viewsOf(codec, value, otherMembers).map(
        (view) => toJson(...view) as Readonly<Record<string, unknown>>,
      ),
      codec.allOf,
    )
  return 'obeys' in codec ? toJson(codec.is, value, otherMembers) : value
}

/**
 * What a JSON value means.
 *
 * @throws ContractBreach when it can't be represented
 */
export function fromJson(
  reference: AnyJsonRef,
  json: unknown,
  path: string,
  onDeviation: HearDeviation,
  otherMembers: OtherMembers = [],
): unknown {
  const straight = otherMembers.length === 0 ? straightOf(reference)?.(json) : odd
  if (straight !== odd && straight !== undefined) return straight
  const codec = resolvedCodec(reference)
  if ('simple' in codec) return readSimple(codec, json, path, onDeviation)
  if ('restricts' in codec) return readRestricted(codec, json, path, onDeviation)
  if ('literals' in codec) {
    const value = asNumber(json)
    if (!codec.literals.includes(value))
      onDeviation({ path, message: `${show(json)} is not one of the contract's values` })
    return value
  }
  if ('obeys' in codec) {
    const value = fromJson(codec.is, json, path, onDeviation, otherMembers)
    const broken = codec.obeys.broken(codec.obeys.rule as never, json, path)
    if (broken !== undefined) onDeviation(broken)
    return value
  }
  if ('tuple' in codec) return readTuple(codec, listIn(json, path), path, onDeviation)
  if ('items' in codec) return readList(codec, listIn(json, path), path, onDeviation)
  if ('oneOf' in codec) {
    const alternative = alternativeFor(codec, json, (each) =>
      countDeviations(each, json, path, otherMembers),
    )
    return fromJson(alternative, json, path, onDeviation, otherMembers)
  }
  if ('allOf' in codec) return readParts(codec, json, path, onDeviation, otherMembers)
  if (!isObject(json)) throw new ContractBreach(path, 'an object', show(json))
  if ('values' in codec)
    return mapMembers(json, (name, value) =>
      value === null ? null : fromJson(codec.values, value, join(path, name), onDeviation),
    )
  return readMembers(codec, json, path, onDeviation, otherMembers)
}

type HearDeviation = (deviation: Deviation) => void

/** A kind of codec. */
type CodecWith<Member extends string> = Extract<
  ReturnType<typeof resolvedCodec>,
  Readonly<Record<Member, unknown>>
>

function readSimple(
  codec: SimpleJson<unknown>,
  json: unknown,
  path: string,
  onDeviation: HearDeviation,
): unknown {
  const deviate = (message: string): void => onDeviation({ path, message })
  const value =
    codec === (anything as SimpleJson<unknown>)
      ? readAnything(json, deviate)
      : (codec.read(json) ?? readQuoted(codec, json, deviate))
  if (value === undefined) throw new ContractBreach(path, codec.simple, show(json))
  if (codec.simple === unsized && !Number.isSafeInteger(value))
    deviate('has more digits than a number holds exactly')
  return value
}

function readRestricted(
  codec: CodecWith<'restricts'>,
  json: unknown,
  path: string,
  onDeviation: HearDeviation,
): unknown {
  const value = readSimple(codec.restricts, json, path, onDeviation)
  const message = brokenFacet(codec, value)
  if (message !== undefined) onDeviation({ path, message })
  return value
}

function listIn(json: unknown, path: string): readonly unknown[] {
  if (!Array.isArray(json)) throw new ContractBreach(path, 'a list', show(json))
  return json
}

function readList(
  { items, nullable }: CodecWith<'items'>,
  json: readonly unknown[],
  path: string,
  onDeviation: HearDeviation,
): unknown {
  return json.map((item, at) => {
    const place = `${path}[${String(at)}]`
    if (item !== null) return fromJson(items, item, place, onDeviation)
    if (nullable !== true) onDeviation({ path: place, message: nullRefused })
    return null
  })
}

const nullRefused = 'is null, which the contract does not allow'

function readTuple(
  { tuple, rest, min, max }: CodecWith<'tuple'>,
  json: readonly unknown[],
  path: string,
  onDeviation: HearDeviation,
): unknown {
  const most = rest === undefined ? Math.min(tuple.length, max ?? tuple.length) : max
  const count = brokenCount(json.length, min, most)
  if (count !== undefined) onDeviation({ path, message: count })
  return json.map((item, at) =>
    fromJson(tuple[at] ?? rest ?? anything, item, `${path}[${String(at)}]`, onDeviation),
  )
}

/** In how many places a value deviates from a codec; without end where it can't be read. */
function countDeviations(
  reference: AnyJsonRef,
  json: unknown,
  path: string,
  otherMembers: OtherMembers,
): number {
  return reading.count(reference, json, otherMembers, () => {
    let deviations = 0
    try {
      fromJson(reference, json, path, () => (deviations += 1), otherMembers)
      return deviations
    } catch {
      return Infinity
    }
  })
}

/** Each part knows its own members only; what no part knows is told once. */
function readParts(
  codec: CodecWith<'allOf'>,
  json: unknown,
  path: string,
  onDeviation: HearDeviation,
  otherMembers: OtherMembers,
): unknown {
  const parts = viewsOf(codec, json, otherMembers).map(([part, seen, others]) =>
    fromJson(part, seen, path, onDeviation, others),
  )
  if (isObject(json) && otherMembers !== 'any' && !codec.allOf.some(isOpen)) {
    const known = [...codec.allOf.flatMap(memberNames), ...otherMembers]
    for (const name of Object.keys(json))
      if (known.length > 0 && !known.includes(name))
        onDeviation({ path: join(path, name), message: notInContract })
  }
  return parts.every(isObject) ? mergeParts(parts, codec.allOf) : parts[0]
}

const notInContract = 'is not in the contract'

function readMembers(
  codec: CodecWith<'members'>,
  json: Readonly<Record<string, unknown>>,
  path: string,
  onDeviation: HearDeviation,
  otherMembers: OtherMembers,
): unknown {
  const value = mapMembers(json, (name, member) => {
    const known = memberOf(codec, name)
    const deviate = (message: string): void => onDeviation({ path: join(path, name), message })
    if (known === undefined) {
      if (codec.open !== true && otherMembers !== 'any' && !otherMembers.includes(name))
        deviate(notInContract)
      return readAnything(member, deviate)
    }
    if (member !== null || known.nullable === undefined)
      return fromJson(known.is, member, join(path, name), onDeviation)
    if (!known.nullable) deviate(nullRefused)
    return null
  })
  for (const [name, member] of Object.entries(codec.members))
    if (member.optional !== true && !Object.hasOwn(json, name))
      onDeviation({ path: join(path, name), message: 'is missing' })
  return value
}

/** Finds every place where a value doesn't satisfy its codec. */
export function checkJson(
  reference: AnyJsonRef,
  value: unknown,
  path: string,
  violations: Violation[],
  otherMembers: OtherMembers = [],
): void {
  const codec = resolvedCodec(reference)
  const wrong = (what: string): void =>
    void violations.push({ path, message: expected(what, value) })
  if ('simple' in codec || 'restricts' in codec) {
    const simple = 'restricts' in codec ? codec.restricts : codec
    if (!simple.check(value)) wrong(simple.simple)
    else {
      const message = 'restricts' in codec ? brokenFacet(codec, value) : undefined
      if (message !== undefined) violations.push({ path, message })
    }
  } else if ('literals' in codec) {
    if (!codec.literals.includes(value))
      wrong(
        codec.literals.length === 0 ? 'nothing' : `one of ${codec.literals.map(show).join(', ')}`,
      )
  } else if ('obeys' in codec) {
    const before = violations.length
    checkJson(codec.is, value, path, violations, otherMembers)
    const broken =
      violations.length > before
        ? undefined
        : codec.obeys.broken(codec.obeys.rule as never, toJson(codec.is, value, otherMembers), path)
    if (broken !== undefined) violations.push(broken)
  } else if ('items' in codec || 'tuple' in codec) {
    if (!Array.isArray(value)) return wrong('a list')
    const most =
      'tuple' in codec && codec.rest === undefined
        ? Math.min(codec.tuple.length, codec.max ?? codec.tuple.length)
        : codec.max
    const count = brokenCount(value.length, codec.min, most)
    if (count !== undefined) violations.push({ path, message: count })
    value.forEach((item: unknown, at) => {
      const is = 'items' in codec ? codec.items : (codec.tuple[at] ?? codec.rest)
      if (is !== undefined && (item !== null || !('items' in codec) || codec.nullable !== true))
        checkJson(is, item, `${path}[${String(at)}]`, violations)
    })
  } else if ('oneOf' in codec) checkAlternatives(codec, value, path, violations, otherMembers)
  else if ('allOf' in codec) {
    for (const [part, seen, others] of viewsOf(codec, value, otherMembers))
      checkJson(part, seen, path, violations, others)
    // Each part knows its own members only: what is unknown to all of them is told once.
    if (isObject(value) && otherMembers !== 'any' && !codec.allOf.some(isOpen)) {
      const told = new Set(violations.map((violation) => violation.path))
      const found: Violation[] = []
      checkNames([...codec.allOf.flatMap(memberNames), ...otherMembers], value, path, found)
      for (const violation of found) if (!told.has(violation.path)) violations.push(violation)
    }
  } else if (!isObject(value)) wrong('an object')
  else if ('values' in codec)
    for (const [name, member] of Object.entries(value))
      checkJson(codec.values, member, join(path, name), violations)
  else checkObject(codec, value, path, violations, otherMembers)
}

function checkAlternatives(
  codec: JsonAlternatives,
  value: unknown,
  path: string,
  violations: Violation[],
  otherMembers: OtherMembers,
): void {
  const { by, oneOf } = codec
  const told =
    by === undefined || !isObject(value) ? undefined : (positionOf(by, value) ?? by.otherwise)
  if (by !== undefined && isObject(value) && told === undefined)
    violations.push({
      path: join(path, by.member),
      message: `expected one of ${Object.keys(by.when).map(show).join(', ')}, got ${show(value[by.member])}`,
    })
  else {
    if (codec.exactly === true) {
      const fitting = oneOf.filter((each) => misfitsOf(each, value, otherMembers) === 0).length
      if (fitting > 1)
        violations.push({
          path,
          message: `must fit exactly one of ${String(oneOf.length)} alternatives, fits ${String(fitting)}`,
        })
      if (fitting > 0) return
    }
    checkJson(
      alternativeFor(codec, value, (each) => misfitsOf(each, value, otherMembers)),
      value,
      path,
      violations,
      otherMembers,
    )
  }
}

/** Checks an object's members by their names. */
export function checkMembers(
  members: Readonly<Record<string, AnyJsonMember>>,
  open: boolean,
  value: Readonly<Record<string, unknown>>,
  path: string,
  violations: Violation[],
): void {
  checkObject({ members, open }, value, path, violations, [])
}

function checkObject(
  codec: JsonObject,
  value: Readonly<Record<string, unknown>>,
  path: string,
  violations: Violation[],
  otherMembers: OtherMembers,
): void {
  for (const [name, member] of Object.entries(codec.members))
    if (member.optional !== true && (!Object.hasOwn(value, name) || value[name] === undefined))
      violations.push({ path: join(path, name), message: 'is missing' })
  for (const name of Object.keys(value)) {
    const member = memberOf(codec, name)
    const each = value[name]
    if (member === undefined || each === undefined) continue
    if (each !== null || member.nullable === undefined)
      checkJson(member.is, each, join(path, name), violations)
    else if (!member.nullable) violations.push({ path: join(path, name), message: "can't be null" })
  }
  if (codec.open !== true && otherMembers !== 'any')
    checkNames([...Object.keys(codec.members), ...otherMembers], value, path, violations)
}

/**
 * What a member of this name is: one that the codec names, or one of the others where it says what
 * they are. Undefined when nobody says.
 */
function memberOf(
  codec: JsonObject,
  name: string,
): { readonly is: AnyJsonRef; readonly nullable?: boolean } | undefined {
  if (Object.hasOwn(codec.members, name)) {
    const member = codec.members[name] as AnyJsonMember
    return { is: member.is, nullable: member.nullable === true }
  }
  const matching = (codec.patterned ?? [])
    .filter(([pattern]) => matches(pattern, name))
    .map(([, is]) => is)
  const [first = codec.rest, ...others] = matching
  return first === undefined ? undefined : { is: others.length === 0 ? first : { allOf: matching } }
}

/** Members that nobody knows, with the nearest one that is known. */
function checkNames(
  names: readonly string[],
  value: Readonly<Record<string, unknown>>,
  path: string,
  violations: Violation[],
): void {
  for (const name of Object.keys(value))
    if (!names.includes(name) && value[name] !== undefined)
      violations.push({ path: join(path, name), message: unknownName(name, names) })
}

function positionOf(
  by: NonNullable<JsonAlternatives['by']>,
  value: Readonly<Record<string, unknown>>,
): number | undefined {
  const told = String(value[by.member])
  return Object.hasOwn(by.when, told) ? by.when[told] : undefined
}

/** The alternative that a value is: the one that it says itself, else the one that fits best. */
function alternativeFor(
  { by, oneOf }: JsonAlternatives,
  value: unknown,
  violations: (each: AnyJsonRef) => number,
): AnyJsonRef {
  const at =
    by !== undefined && isObject(value) ? (positionOf(by, value) ?? by.otherwise) : undefined
  const told = at === undefined ? undefined : oneOf[at]
  if (told !== undefined || oneOf.length === 1) return told ?? oneOf[0] ?? anything
  let [best, least]: [AnyJsonRef, number] = [oneOf[0] ?? anything, Infinity]
  for (const each of oneOf) {
    const count = violations(each)
    if (count < least) [best, least] = [each, count]
    if (count === 0) break
  }
  return best
}

function misfitsOf(reference: AnyJsonRef, value: unknown, otherMembers: OtherMembers): number {
  return checking.count(reference, value, otherMembers, () => {
    const violations: Violation[] = []
    checkJson(reference, value, '', violations, otherMembers)
    return violations.length
  })
}

/**
 * How badly values fit alternatives. Alternatives that have alternatives, in values inside each
 * other, would be tried again and again, twice as often with every level: while one is being tried,
 * what was found inside of it is known.
 */
class Trials {
  private readonly found = new Map<object, Map<unknown, number>>()
  private readonly foundBesideAny = new Map<object, Map<unknown, number>>()
  private depth = 0

  count(
    reference: AnyJsonRef,
    value: unknown,
    otherMembers: OtherMembers,
    count: () => number,
  ): number {
    const known =
      this.depth === 0 || (otherMembers !== 'any' && otherMembers.length > 0)
        ? undefined
        : this.of(
            resolvedCodec(reference),
            otherMembers === 'any' ? this.foundBesideAny : this.found,
          )
    const already = known?.get(value)
    if (already !== undefined) return already
    this.depth += 1
    try {
      const made = count()
      known?.set(value, made)
      return made
    } finally {
      this.depth -= 1
      if (this.depth === 0) for (const each of [this.found, this.foundBesideAny]) each.clear()
    }
  }

  private of(codec: object, found: Map<object, Map<unknown, number>>): Map<unknown, number> {
    let known = found.get(codec)
    if (known === undefined) found.set(codec, (known = new Map()))
    return known
  }
}

const reading = /* @__PURE__ */ new Trials()
const checking = /* @__PURE__ */ new Trials()

/**
 * What the other parts of an object describe, for one part. A part that is no union leaves judging
 * of names to the whole.
 */
function besides(
  parts: readonly AnyJsonRef[],
  part: AnyJsonRef,
  otherMembers: OtherMembers,
): OtherMembers {
  if (otherMembers === 'any' || parts.some(isOpen) || !isUnion(part)) return 'any'
  return [...otherMembers, ...parts.filter((each) => each !== part).flatMap(memberNames)]
}

/** For each part of an object: what it sees of it, and what the others describe. */
function viewsOf(
  codec: JsonParts,
  value: unknown,
  otherMembers: OtherMembers,
): (readonly [part: AnyJsonRef, seen: unknown, others: OtherMembers])[] {
  return codec.allOf.map((part) => [
    part,
    partFor(codec, part, value),
    besides(codec.allOf, part, otherMembers),
  ])
}

/**
 * An object as one of its parts sees it: where they stand apart, and this one says what the members
 * are which it does not name, those that another part names are none of them.
 */
function partFor({ allOf: parts, apart }: JsonParts, part: AnyJsonRef, value: unknown): unknown {
  if (apart !== true) return value
  const codec = resolvedCodec(part)
  const saysOthers =
    'values' in codec ||
    ('members' in codec && (codec.rest !== undefined || codec.patterned !== undefined))
  if (!saysOthers || !isObject(value)) return value
  const own = memberNames(part)
  const named = parts.filter((each) => each !== part).flatMap(memberNames)
  const isOthers = (name: string): boolean => named.includes(name) && !own.includes(name)
  if (!Object.keys(value).some(isOthers)) return value
  return Object.fromEntries(Object.entries(value).filter(([name]) => !isOthers(name)))
}

function isUnion(reference: AnyJsonRef): boolean {
  const codec = resolvedCodec(reference)
  return 'oneOf' in codec || ('obeys' in codec && isUnion(codec.is))
}

/** Does the codec admit members that it does not name? */
function isOpen(reference: AnyJsonRef): boolean {
  const codec = resolvedCodec(reference)
  const already = openness.get(codec)
  if (already !== undefined) return already
  const found = admitsOthers(codec)
  openness.set(codec, found)
  return found
}

const openness = /* @__PURE__ */ new WeakMap<object, boolean>()

function admitsOthers(codec: ReturnType<typeof resolvedCodec>): boolean {
  if ('members' in codec) return codec.open === true
  if ('obeys' in codec) return isOpen(codec.is)
  if ('allOf' in codec) return codec.allOf.some(isOpen)
  if ('oneOf' in codec) return codec.oneOf.some(isOpen)
  return true
}

function memberNames(reference: AnyJsonRef): readonly string[] {
  const codec = resolvedCodec(reference)
  let found = namesOf.get(codec)
  if (found === undefined) {
    const inside = partsOf(codec)
    found =
      'members' in codec ? Object.keys(codec.members) : [...new Set(inside.flatMap(memberNames))]
    namesOf.set(codec, found)
  }
  return found
}

const namesOf = /* @__PURE__ */ new WeakMap<object, readonly string[]>()

/**
 * One object of what several codecs made of the same one: each member from the codec that knows it.
 */
function mergeParts(
  parts: readonly Readonly<Record<string, unknown>>[],
  codecs: readonly AnyJsonRef[],
): Record<string, unknown> {
  const merged: Record<string, unknown> = { ...parts[0] }
  parts.forEach((part, at) => {
    for (const name of memberNames(codecs[at] ?? anything))
      if (Object.hasOwn(part, name)) setOwn(merged, name, part[name])
  })
  return merged
}

/** Codecs that all of a value goes through. */
function partsOf(codec: ReturnType<typeof resolvedCodec>): readonly AnyJsonRef[] {
  if ('obeys' in codec) return [codec.is]
  if ('allOf' in codec) return codec.allOf
  return 'oneOf' in codec ? codec.oneOf : []
}

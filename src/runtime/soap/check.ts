import { special } from '../special-members.js'
import type { Violation } from '../failures.js'
import {
  findSubtype,
  settled,
  shapeOf,
  type AnyCodec,
  type AnyMember,
  type AnyRecordCodec,
  type AnyTextCodec,
  type Bounds,
  type Entry,
  type MemberChoice,
  type OpenContent,
  type OpenElement,
  type Shape,
} from './codec.js'
import { isEven } from './encoded-arrays.js'
import { compareMoments } from './moments.js'
import { brokenFacet, brokenPattern, matches, type FacetRules } from '../facets.js'
import { compareNumbers } from '../numbers.js'
import { brokenCount, expected, join, show, unknownName } from '../violations.js'
import { text } from './simple.js'
import { isName, parseName } from './xml-name.js'

/**
 * Finds every place where a value doesn't satisfy its codec. This is the one set of rules: calls in
 * an application and calls at the prompt are checked by it.
 *
 * @param path the place of the value itself, `''` for a whole input
 */
export function check(
  codec: AnyCodec,
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if ('members' in codec) checkRecord(codec, value, path, violations)
  else if ('items' in codec) {
    if (!Array.isArray(value)) violations.push({ path, message: expected('a list', value) })
    else {
      checkBounds(codec, value.length, path, violations)
      if (!isEven(value, codec.dimensions ?? 1))
        violations.push({ path, message: 'expected rows that are all as long' })
      checkEach(value, settled(codec.of), codec.nillable === true, path, violations)
    }
  } else if ('anything' in codec)
    codec.anything.check(codec.records?.() ?? [], value, path, violations)
  else if ('whole' in codec) {
    const message = codec.whole.check(value)
    if (message !== undefined) violations.push({ path, message })
  } else {
    const message = checkText(codec, value)
    if (message !== undefined) violations.push({ path, message })
  }
}

/** Checks the members of a record, of an input or of its headers. */
export function checkMembers(
  shape: Shape,
  value: unknown,
  path: string,
  violations: Violation[],
  also: readonly string[] = [],
): void {
  if (!isObject(value)) {
    violations.push({ path, message: expected('an object', value) })
    return
  }
  for (const entry of shape.entries) {
    const each = Object.hasOwn(value, entry.key) ? value[entry.key] : undefined
    if (each !== undefined) {
      const before = violations.length
      checkMember(entry, each, '', violations)
      if (violations.length > before) inside(violations, before, join(path, entry.key))
    } else if (!mayBeMissing(entry))
      violations.push({ path: join(path, entry.key), message: 'is missing' })
  }
  for (const key of Object.keys(value)) {
    if (shape.keys.has(key) || also.includes(key) || value[key] === undefined) continue
    violations.push({
      path: join(path, key),
      message: unknownName(key, [...shape.keys.keys(), ...also]),
    })
  }
  if (shape.choices.length > 0) checkChoices(shape.choices, value, path, violations)
}

/** May a member be left out? */
export function mayBeMissing({ place, member }: Entry): boolean {
  if (member.optional === true || member.fixed !== undefined) return true
  if (place === 'open' || place === 'group') return (member.min ?? 0) === 0
  return member.repeated === true && member.min === undefined
}

function checkMember(
  { place, codec, textCodec, member }: Entry,
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  const text =
    value === null ||
    member.repeated === true ||
    member.fixed !== undefined ||
    place === 'open' ||
    place === 'group'
      ? undefined
      : textCodec()
  if (text !== undefined) {
    const message = checkText(text, value)
    if (message !== undefined) violations.push({ path, message })
    return
  }
  if (place === 'open') checkOpen(member, value, path, violations)
  else if (place === 'group') checkTurns(member, codec() as AnyRecordCodec, value, path, violations)
  else if (member.repeated === true) checkRepeated(member, codec(), value, path, violations)
  else if (value === null) {
    if (member.nillable !== true)
      violations.push({
        path,
        message: member.optional === true ? "can't be null; leave it out instead" : "can't be null",
      })
  } else {
    check(codec(), value, path, violations)
    if (member.fixed !== undefined && String(value) !== member.fixed)
      violations.push({ path, message: `must be "${member.fixed}"` })
  }
}

/** Checks turns of a group that repeats; texts may be among them where the content is mixed. */
function checkTurns(
  member: AnyMember,
  codec: AnyRecordCodec,
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if (!Array.isArray(value)) {
    violations.push({ path, message: expected('a list', value) })
    return
  }
  checkBounds(member, value.filter((turn) => typeof turn !== 'string').length, path, violations)
  value.forEach((turn: unknown, at) => {
    const place = `${path}[${String(at)}]`
    if (member.mixed !== true || typeof turn !== 'string')
      checkMembers(shapeOf(codec), turn, place, violations)
    else {
      const message = text.check(turn)
      if (message !== undefined) violations.push({ path: place, message })
    }
  })
}

/**
 * Checks open content: how many elements there are, and of which namespaces (XML Schema part 1,
 * section 3.10).
 */
function checkOpen(member: AnyMember, value: unknown, path: string, violations: Violation[]): void {
  const { elements = [], attributes = {} }: OpenContent = isObject(value)
    ? (value as OpenContent)
    : {}
  if (!isObject(value) || !Array.isArray(elements) || !isObject(attributes)) {
    violations.push({ path, message: expected('{ elements, attributes }', value) })
    return
  }
  checkBounds(member, elements.length, `${path}.elements`, violations)
  for (const [at, element] of elements.entries()) {
    const place = `${path}.elements[${String(at)}]`
    checkFragment(element, place, violations)
    const [namespace] = parseName(String((element as { name?: unknown } | null)?.name))
    if (!admits(member, namespace))
      violations.push({
        path: place,
        message: `can't be in ${namespace === '' ? 'no namespace' : `the namespace "${namespace}"`} here`,
      })
  }
}

/**
 * Checks an element of open content, and all that is in it: what goes into a message must be XML.
 */
export function checkFragment(element: unknown, path: string, violations: Violation[]): void {
  const {
    name,
    attributes = {},
    content = [],
  }: Partial<OpenElement> = isObject(element) ? (element as Partial<OpenElement>) : {}
  if (typeof name !== 'string' || !isObject(attributes) || !Array.isArray(content)) {
    violations.push({
      path,
      message: expected('an element as { name, attributes, content }', element),
    })
    return
  }
  for (const each of [name, ...Object.keys(attributes)])
    if (!isName(each))
      violations.push({
        path,
        message: `${show(each)} is no name in XML; expected {namespace}name, or just name`,
      })
  for (const [key, value] of Object.entries(attributes)) {
    const message = text.check(value)
    if (message !== undefined) violations.push({ path: `${path}.attributes.${key}`, message })
  }
  content.forEach((piece: unknown, at) => {
    const place = `${path}.content[${String(at)}]`
    if (typeof piece !== 'string') checkFragment(piece, place, violations)
    else {
      const message = text.check(piece)
      if (message !== undefined) violations.push({ path: place, message })
    }
  })
}

/** Does open content admit elements of a namespace? */
export function admits(member: AnyMember, namespace: string): boolean {
  if (member.except !== undefined) return namespace !== '' && namespace !== member.except
  return member.namespaces?.includes(namespace) ?? true
}

function checkRecord(
  declared: AnyRecordCodec,
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if (!isObject(value)) {
    violations.push({ path, message: expected('an object', value) })
    return
  }
  const which = value[special.is]
  const record =
    which === undefined ? declared : findSubtype(declared, (candidate) => candidate.is === which)
  if (record === undefined || (record.abstract === true && which !== undefined)) {
    violations.push({
      path: join(path, special.is),
      message: `expected ${concreteNames(declared)
        .map((name) => `"${name}"`)
        .join(' or ')}, got ${show(which)}`,
    })
    return
  }
  if (record.abstract === true) {
    violations.push({
      path: join(path, special.is),
      message: `is missing: say which it is, ${concreteNames(declared)
        .map((name) => `"${name}"`)
        .join(' or ')}`,
    })
    return
  }
  checkMembers(shapeOf(record), value, path, violations, [special.is])
}

/** Checks that of the groups of each choice exactly one is there, and whole. */
export function checkChoices(
  choices: readonly MemberChoice[],
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if (!isObject(value)) return
  const isGiven = (name: string): boolean =>
    Object.hasOwn(value, name) &&
    value[name] !== undefined &&
    (name !== special.open || ((value[name] as OpenContent | null)?.elements ?? []).length > 0)
  const wrong = (message: string, name = ''): void =>
    void violations.push({ path: [path, name].filter((part) => part !== '').join('.'), message })
  for (const { of, optional } of choices) {
    // A group that has all the members given is the one that is meant, also where groups share
    // members.
    const given = [...new Set(of.flatMap(({ members }) => members))].filter(isGiven)
    const groups = of.map(({ members }) => members.join(' with ')).join(', or ')
    if (given.length === 0) {
      if (optional !== true) wrong(`one of these is wanted: ${groups}`)
      continue
    }
    const chosen = of.filter(({ members }) => given.every((name) => members.includes(name)))
    if (chosen.length === 0)
      wrong(`only one of these can be given: ${groups}; there are ${given.join(' and ')}`)
    else if (!chosen.some(({ members, required }) => (required ?? members).every(isGiven))) {
      const [first] = chosen
      for (const name of (first?.required ?? first?.members ?? []).filter((each) => !isGiven(each)))
        wrong(`is missing beside ${given.join(' and ')}`, name)
    }
  }
}

function checkRepeated(
  member: Entry['member'],
  codec: AnyCodec,
  value: unknown,
  path: string,
  violations: Violation[],
): void {
  if (!Array.isArray(value)) {
    violations.push({ path, message: expected('a list', value) })
    return
  }
  checkBounds(member, value.length, path, violations)
  checkEach(value, codec, member.nillable === true, path, violations)
}

function checkEach(
  items: readonly unknown[],
  codec: AnyCodec,
  nillable: boolean,
  path: string,
  violations: Violation[],
): void {
  for (const [at, item] of items.entries()) {
    if (item === null && nillable) continue
    const before = violations.length
    check(codec, item, '', violations)
    if (violations.length > before) inside(violations, before, `${path}[${String(at)}]`)
  }
}

/**
 * Says of the misfits found last that they are inside a place. Places are only put together for
 * what is wrong: most is right.
 */
function inside(violations: Violation[], from: number, place: string): void {
  for (let at = from; at < violations.length; at += 1) {
    const violation = violations[at]
    if (violation !== undefined)
      violations[at] = {
        ...violation,
        path: /^(?:\[|$)/.test(violation.path)
          ? `${place}${violation.path}`
          : `${place}.${violation.path}`,
      }
  }
}

function checkBounds(
  { min, max }: Bounds,
  count: number,
  path: string,
  violations: Violation[],
): void {
  const message = brokenCount(count, min, max)
  if (message !== undefined) violations.push({ path, message })
}

/** What is wrong with a value that stands in a text or an attribute. */
export function checkText(codec: AnyTextCodec, value: unknown): string | undefined {
  if ('read' in codec) return codec.check(value)
  if ('literals' in codec)
    return codec.literals.includes(value)
      ? undefined
      : expected(`one of ${codec.literals.map((literal) => show(literal)).join(', ')}`, value)
  if ('restricts' in codec) return codec.restricts.check(value) ?? brokenFacet(codec, value, rules)
  if ('union' in codec) {
    const messages = codec.union.map((each) => checkText(each, value))
    const all = [...new Set(messages)].filter((message) => message !== undefined)
    return messages.includes(undefined) ? brokenPattern(codec, value, wholly) : all.join(', or ')
  }
  if (!Array.isArray(value)) return expected('a list', value)
  const count = brokenCount(value.length, codec.min, codec.max)
  if (count !== undefined) return count
  for (const [at, item] of value.entries()) {
    const message =
      checkText(codec.spaced, item) ??
      (typeof item === 'string' && /[\t\n\r ]|^$/.test(item)
        ? "an item of this list can't be empty or have spaces"
        : undefined)
    if (message !== undefined) return `item ${String(at + 1)}: ${message}`
  }
  const whole = value.map(String).join(' ')
  if (codec.allowed?.includes(whole) === false)
    return `must be ${codec.allowed.join(' or ')}, is ${show(whole)}`
  return brokenPattern(codec, whole, wholly)
}

const plainNumber = /^[+-]?(?:\d+\.?\d*|\.\d+)$/

/** Numbers, moments and durations in their order; patterns hold for the whole text. */
const rules: FacetRules = {
  compare: (left, right) =>
    plainNumber.test(left) && plainNumber.test(right)
      ? compareNumbers(left, right)
      : (compareMoments(left, right) ?? Number(left) - Number(right)),
  matches: wholly,
}

function wholly(pattern: string, text: string): boolean {
  return matches(`^(?:${pattern})$`, text)
}

function concreteNames(record: AnyRecordCodec): string[] {
  return [
    ...(record.abstract === true || record.is === undefined ? [] : [record.is]),
    ...(record.subtypes?.() ?? []).flatMap(concreteNames),
  ]
}

/** Is it an object with members? */
export function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Uint8Array)
  )
}

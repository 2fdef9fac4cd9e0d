import { special } from '../special-members.js'
import { brokenFacet } from '../facets.js'
import type { Violation } from '../failures.js'
import { isObject, show } from '../json/values.js'
import { expected, join } from '../violations.js'
import { isBinding, Reference } from './addresses.js'
import {
  edmOf,
  isOpen,
  keyProperty,
  keysOf,
  kindNames,
  kindOf,
  membersOf,
  resolvedType,
  type AnyProperty,
  type Purpose,
  type AnyStructure,
  type ValueType,
} from './model.js'

/** What is wrong with entities, complex values and keys before they are sent. */

/** Finds every place where a value does not fit a property. */
export function checkProperty(
  property: AnyProperty,
  value: unknown,
  path: string,
  purpose: Purpose,
  violations: Violation[],
): void {
  const type = resolvedType(property.is)
  if (property.binds !== undefined && purpose !== 'value') {
    if (property.many === true && Array.isArray(value))
      value.forEach((each: unknown, at) =>
        checkRelated(type as AnyStructure, each, `${path}[${String(at)}]`, purpose, violations),
      )
    else if (property.many === true || value === null)
      checkProperty(
        { ...property, is: type, many: property.many === true },
        value,
        path,
        'value',
        violations,
      )
    else checkRelated(type as AnyStructure, value, path, purpose, violations)
    return
  }
  if (property.many === true) {
    if (!Array.isArray(value)) violations.push({ path, message: expected('a list', value) })
    else
      value.forEach((each: unknown, at) =>
        checkValue(type, each, `${path}[${String(at)}]`, purpose, violations),
      )
  } else if (value !== null) checkValue(type, value, path, purpose, violations)
  else if (property.nullable !== true) violations.push({ path, message: "can't be null" })
}

/** A new entity that comes along, or one that is there, by its key. */
function checkRelated(
  structure: AnyStructure,
  value: unknown,
  path: string,
  purpose: Purpose,
  violations: Violation[],
): void {
  if (isBinding(value)) checkKey(structure, value.$bind, join(path, special.bind), violations)
  else checkStructure(structure, value, path, purpose === 'change' ? 'create' : purpose, violations)
}

/** Finds every place where a key does not fit. */
export function checkKey(
  structure: AnyStructure,
  key: unknown,
  path: string,
  violations: Violation[],
): void {
  if (key instanceof Reference) return
  const names = keysOf(structure)
  const [only] = names
  const check = (name: string, value: unknown, at: string): void => {
    const property = keyProperty(structure, name)
    if (value === undefined) violations.push({ path: at, message: 'is missing' })
    else if (property !== undefined)
      checkProperty({ ...property, nullable: false }, value, at, 'value', violations)
  }
  if (names.length === 1 && only !== undefined) check(only, key, path)
  else if (!isObject(key))
    violations.push({
      path,
      message:
        key === undefined ? 'is missing' : expected(`an object with ${names.join(' and ')}`, key),
    })
  else {
    for (const name of names) check(name, key[name], join(path, name))
    for (const name of Object.keys(key))
      if (!names.includes(name))
        violations.push({ path: join(path, name), message: unknownName(name, names) })
  }
}

function checkValue(
  type: ValueType,
  value: unknown,
  path: string,
  purpose: Purpose,
  violations: Violation[],
): void {
  const wrong = (what: string): void =>
    void violations.push({ path, message: expected(what, value) })
  if ('members' in type) checkStructure(type, value, path, purpose, violations)
  else if ('enumeration' in type) {
    const what = `${type.flags === true ? 'a list of ' : 'one of '}${type.values.map(show).join(', ')}`
    const values: readonly unknown[] = type.flags === true && Array.isArray(value) ? value : [value]
    if (
      (type.flags === true && !Array.isArray(value)) ||
      values.some((each) => typeof each !== 'string' || !type.values.includes(each))
    )
      wrong(what)
  } else if (!edmOf(type).check(value)) wrong(edmOf(type).simple)
  else {
    const message = 'restricts' in type ? brokenFacet(type, value) : undefined
    if (message !== undefined) violations.push({ path, message })
  }
}

/**
 * Finds every place where an object does not fit what it is sent for.
 *
 * @param deep changes may carry what hangs off the entity
 */
export function checkStructure(
  declared: AnyStructure,
  value: unknown,
  path: string,
  purpose: Purpose,
  violations: Violation[],
  deep = false,
): void {
  if (!isObject(value)) {
    violations.push({ path, message: expected('an object', value) })
    return
  }
  const structure = structureOf(declared, value[special.is])
  if (structure === undefined) {
    const kinds = `one of ${kindNames(declared).map(show).join(', ')}`
    violations.push({ path: join(path, special.is), message: expected(kinds, value[special.is]) })
    return
  }
  const members = membersOf(structure)
  const keys = keysOf(structure)
  for (const [name, property] of Object.entries(members)) {
    const place = join(path, name)
    const given = Object.hasOwn(value, name) ? value[name] : undefined
    const isKey = keys.includes(name)
    const message =
      given === undefined
        ? whyMissing(property, purpose, isKey)
        : (whyNotGiven(property, purpose, isKey) ??
          whyNotChanged(property, given, purpose, keys.length > 0 && !deep))
    if (message !== undefined) violations.push({ path: place, message })
    else if (given !== undefined) {
      // What hangs off comes along as new entities do.
      const isNew = property.navigation === true && purpose === 'change'
      checkProperty(property, given, place, isNew ? 'create' : purpose, violations)
    }
  }
  if (!isOpen(structure)) checkNames(members, value, path, violations)
}

/**
 * The structure that is meant by `$is`, or the declared one itself; undefined where that is none.
 */
function structureOf(declared: AnyStructure, which: unknown): AnyStructure | undefined {
  if (which === undefined) return declared.abstract === true ? undefined : declared
  return kindOf(declared, (each) => each.is === which && each.abstract !== true)
}

function whyMissing(property: AnyProperty, purpose: Purpose, isKey: boolean): string | undefined {
  const { navigation, later, nullable, optional, many, computed } = property
  const mayBeMissing = [navigation, later, nullable, optional, many, computed].includes(true)
  if (mayBeMissing || purpose === 'change' || (purpose === 'create' && isKey)) return undefined
  return 'is missing'
}

function whyNotGiven(
  { computed, later, immutable }: AnyProperty,
  purpose: Purpose,
  isKey: boolean,
): string | undefined {
  if (purpose !== 'value' && computed === true) return "is made by the service and can't be given"
  if (purpose === 'create' && later === true)
    return "can't be given to a new entity, only changed later"
  if (purpose === 'change' && (isKey || immutable === true)) return "can't be changed"
  return undefined
}

/** @param isAlone entities that hang off it are changed by themselves */
function whyNotChanged(
  { navigation, binds }: AnyProperty,
  value: unknown,
  purpose: Purpose,
  isAlone: boolean,
): string | undefined {
  if (purpose !== 'change' || navigation !== true || !isAlone) return undefined
  if (binds !== undefined && [value].flat().every(isBinding)) return undefined
  const way =
    binds === undefined ? '' : '; it can be bound to one that is there: { $bind: <its key> }'
  return `leads to other entities, which are changed by themselves${way}`
}

/** Names that there are not; what begins with `$`, or has an `@`, is said about an object. */
function checkNames(
  members: Readonly<Record<string, AnyProperty>>,
  value: Readonly<Record<string, unknown>>,
  path: string,
  violations: Violation[],
): void {
  for (const [name, given] of Object.entries(value)) {
    const isAbout = name.startsWith('$') || name.includes('@')
    if (given !== undefined && !isAbout && !Object.hasOwn(members, name))
      violations.push({ path: join(path, name), message: unknownName(name, Object.keys(members)) })
  }
}

/** What to say of a name that there is not. */
export function unknownName(name: string, names: readonly string[]): string {
  const near = nearest(name, names)
  return near === undefined
    ? `is not known here; there are ${names.join(', ') || 'no members'}`
    : `is not known here; is "${near}" meant?`
}

/** The name that looks most like another: the fewest letters differ. */
export function nearest(wanted: string, names: readonly string[]): string | undefined {
  const ranked = names
    .map((name) => ({ name, apart: distance(wanted.toLowerCase(), name.toLowerCase()) }))
    .sort((a, b) => a.apart - b.apart)
  const [best] = ranked
  return best !== undefined && best.apart <= Math.max(2, Math.floor(wanted.length / 2))
    ? best.name
    : undefined
}

function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, at) => at)
  for (let i = 1; i <= a.length; i += 1) {
    const next = [i]
    for (let j = 1; j <= b.length; j += 1)
      next.push(
        Math.min(
          (row[j] ?? 0) + 1,
          (next[j - 1] ?? 0) + 1,
          (row[j - 1] ?? 0) + (a[i - 1] === b[j - 1] ? 0 : 1),
        ),
      )
    row = next
  }
  return row[b.length] ?? 0
}

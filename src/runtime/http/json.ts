import type { Deviation, Misfit } from '../failures.js'
import { ContractBreach } from '../failures.js'
import { anything, asNumber, checkLimits, isObject, join, mapMembers, show, type JsonLimits, type SimpleJson } from '../json/values.js'

/**
 * How types stand in JSON: plain data that serves to write, to read and to check, like the codecs for XML. A number whose digits count
 * is a RawNumber between the value and the JSON text.
 */

export type JsonRef = JsonCodec | (() => JsonCodec)

/** A member of an object. */
export interface JsonMember {
  readonly is: JsonRef
  readonly optional?: boolean
  readonly nullable?: boolean
}

export type JsonCodec =
  | SimpleJson<never>
  | (JsonLimits & { readonly restricts: SimpleJson<never> })
  | { readonly literals: readonly unknown[] }
  | { readonly items: JsonRef; readonly nullable?: boolean; readonly min?: number; readonly max?: number }
  | { readonly values: JsonRef }
  | { readonly members: Readonly<Record<string, JsonMember>>; readonly open?: boolean }
  | { readonly oneOf: readonly JsonRef[]; readonly by?: { readonly member: string; readonly when: Readonly<Record<string, number>> } }
  | { readonly allOf: readonly JsonRef[] }

type AnySimple = SimpleJson<unknown>

function settled(reference: JsonRef): JsonCodec {
  return typeof reference === 'function' ? reference() : reference
}

/** A value on its way to JSON. It must satisfy the codec: check it first. */
export function toJson(reference: JsonRef, value: unknown): unknown {
  const codec = settled(reference)
  if (value === null || value === undefined) return value
  if ('simple' in codec) return (codec as AnySimple).write(value)
  if ('restricts' in codec) return (codec.restricts as AnySimple).write(value)
  if ('items' in codec) return (value as readonly unknown[]).map((item) => toJson(codec.items, item))
  if ('values' in codec) return mapMembers(value as object, (_, member) => toJson(codec.values, member))
  if ('members' in codec) return mapMembers(value as object, (name, member) => (Object.hasOwn(codec.members, name) ? toJson(codec.members[name]?.is ?? anything, member) : member))
  if ('oneOf' in codec) return toJson(alternativeFor(codec, value, (each) => misfitsOf(each, value) === 0), value)
  if ('allOf' in codec) return Object.assign({}, ...codec.allOf.map((each) => toJson(each, value))) as unknown
  return value
}

/**
 * What a JSON value means.
 *
 * @throws ContractBreach when it can't be represented
 */
export function fromJson(reference: JsonRef, json: unknown, path: string, onDeviation: (deviation: Deviation) => void): unknown {
  const codec = settled(reference)
  const breach = (promised: string): never => {
    throw new ContractBreach(path, promised, show(json))
  }
  const deviate = (message: string, at = path): void => onDeviation({ path: at, message })
  if ('simple' in codec || 'restricts' in codec) {
    const simple = ('restricts' in codec ? codec.restricts : codec) as AnySimple
    const value = simple.read(json)
    if (value === undefined) breach(simple.simple)
    const message = 'restricts' in codec ? checkLimits(codec, value) : undefined
    if (message !== undefined) deviate(message)
    return value
  }
  if ('literals' in codec) {
    const value = asNumber(json)
    if (!codec.literals.includes(value)) deviate(`${show(json)} is not one of the contract's values`)
    return value
  }
  if ('items' in codec) {
    if (!Array.isArray(json)) return breach('a list')
    return json.map((item: unknown, at) => {
      if (item !== null) return fromJson(codec.items, item, `${path}[${String(at)}]`, onDeviation)
      if (codec.nullable !== true) deviate('is null, which the contract does not allow', `${path}[${String(at)}]`)
      return null
    })
  }
  if ('oneOf' in codec) {
    const fits = (each: JsonRef): boolean => {
      let deviations = 0
      try {
        fromJson(each, json, path, () => (deviations += 1))
        return deviations === 0
      } catch {
        return false
      }
    }
    return fromJson(alternativeFor(codec, json, fits), json, path, onDeviation)
  }
  if ('allOf' in codec) {
    // Each part knows its own members only; what no part knows is told once.
    const known = new Set(codec.allOf.flatMap((each) => memberNames(each)))
    const parts = codec.allOf.map((each) => fromJson(each, json, path, (deviation) => (/ is not in the contract$/.test(` ${deviation.message}`) ? undefined : onDeviation(deviation))))
    if (isObject(json)) for (const name of Object.keys(json)) if (known.size > 0 && !known.has(name)) deviate('is not in the contract', join(path, name))
    return parts.every(isObject) ? mergeParts(parts, codec.allOf) : parts[0]
  }
  if (!isObject(json)) return breach('an object')
  if ('values' in codec) return mapMembers(json, (name, value) => (value === null ? null : fromJson(codec.values, value, join(path, name), onDeviation)))
  const value = mapMembers(json, (name, member) => {
    const known = Object.hasOwn(codec.members, name) ? codec.members[name] : undefined
    if (known === undefined) {
      if (codec.open !== true) deviate('is not in the contract', join(path, name))
      return anything.read(member)
    }
    if (member !== null) return fromJson(known.is, member, join(path, name), onDeviation)
    if (known.nullable !== true) deviate('is null, which the contract does not allow', join(path, name))
    return null
  })
  for (const [name, member] of Object.entries(codec.members)) if (member.optional !== true && !Object.hasOwn(json, name)) deviate('is missing', join(path, name))
  return value
}

/** Finds every place where a value doesn't satisfy its codec. */
export function checkJson(reference: JsonRef, value: unknown, path: string, misfits: Misfit[]): void {
  const codec = settled(reference)
  const wrong = (expected: string): void => void misfits.push({ path, message: `expected ${expected}, got ${show(value)}` })
  if ('simple' in codec || 'restricts' in codec) {
    const simple = ('restricts' in codec ? codec.restricts : codec) as AnySimple
    if (!simple.check(value)) wrong(simple.simple)
    else {
      const message = 'restricts' in codec ? checkLimits(codec, value) : undefined
      if (message !== undefined) misfits.push({ path, message })
    }
  } else if ('literals' in codec) {
    if (!codec.literals.includes(value)) wrong(`one of ${codec.literals.map(show).join(', ')}`)
  } else if ('items' in codec) {
    if (!Array.isArray(value)) wrong('a list')
    else {
      if (codec.min !== undefined && value.length < codec.min) misfits.push({ path, message: `must have at least ${String(codec.min)}, has ${String(value.length)}` })
      if (codec.max !== undefined && value.length > codec.max) misfits.push({ path, message: `must have at most ${String(codec.max)}, has ${String(value.length)}` })
      value.forEach((item: unknown, at) => {
        if (item !== null || codec.nullable !== true) checkJson(codec.items, item, `${path}[${String(at)}]`, misfits)
      })
    }
  } else if ('oneOf' in codec) {
    const { by } = codec
    const named = by !== undefined && isObject(value) ? by.when[String(value[by.member])] : undefined
    if (by !== undefined && isObject(value) && named === undefined) misfits.push({ path: join(path, by.member), message: `expected one of ${Object.keys(by.when).map(show).join(', ')}, got ${show(value[by.member])}` })
    else checkJson(alternativeFor(codec, value, (each) => misfitsOf(each, value) === 0), value, path, misfits)
  } else if ('allOf' in codec) {
    const found: Misfit[] = []
    for (const each of codec.allOf) checkJson(each, value, path, found)
    // Each part knows its own members only: what is unknown to all of them is told once.
    const own = isObject(value) ? Object.keys(value).map((name) => join(path, name)) : []
    misfits.push(...found.filter(({ message, path: place }) => !(message.startsWith(notKnown) && own.includes(place))))
    if (isObject(value) && !codec.allOf.some(isOpen)) checkNames(codec.allOf.flatMap(memberNames), value, path, misfits)
  } else if (!isObject(value)) wrong('an object')
  else if ('values' in codec) for (const [name, member] of Object.entries(value)) checkJson(codec.values, member, join(path, name), misfits)
  else checkMembers(codec.members, codec.open === true, value, path, misfits)
}

const notKnown = 'is not known here'

/** Checks an object's members by their names. */
export function checkMembers(members: Readonly<Record<string, JsonMember>>, open: boolean, value: Readonly<Record<string, unknown>>, path: string, misfits: Misfit[]): void {
  for (const [name, member] of Object.entries(members)) {
    const each = Object.hasOwn(value, name) ? value[name] : undefined
    if (each === undefined) {
      if (member.optional !== true) misfits.push({ path: join(path, name), message: 'is missing' })
    } else if (each !== null) checkJson(member.is, each, join(path, name), misfits)
    else if (member.nullable !== true) misfits.push({ path: join(path, name), message: 'can\'t be null' })
  }
  if (!open) checkNames(Object.keys(members), value, path, misfits)
}

/** Members that nobody knows, with the nearest one that is known. */
function checkNames(names: readonly string[], value: Readonly<Record<string, unknown>>, path: string, misfits: Misfit[]): void {
  for (const name of Object.keys(value)) {
    if (names.includes(name) || value[name] === undefined) continue
    const near = names.find((each) => each.toLowerCase() === name.toLowerCase()) ?? names.find((each) => each.length > 2 && each.toLowerCase().startsWith(name.toLowerCase().slice(0, 3)))
    misfits.push({ path: join(path, name), message: near === undefined ? `${notKnown}; there are ${names.join(', ') || 'no members'}` : `${notKnown}; is "${near}" meant?` })
  }
}

function alternativeFor(codec: Extract<JsonCodec, { oneOf: unknown }>, value: unknown, fits: (each: JsonRef) => boolean): JsonRef {
  const { by, oneOf } = codec
  const at = by !== undefined && isObject(value) ? by.when[String(value[by.member])] : undefined
  return (at === undefined ? undefined : oneOf[at]) ?? oneOf.find(fits) ?? oneOf[0] ?? anything
}

function misfitsOf(reference: JsonRef, value: unknown): number {
  const misfits: Misfit[] = []
  checkJson(reference, value, '', misfits)
  return misfits.length
}

/** Does the codec admit members that it does not name? */
function isOpen(reference: JsonRef): boolean {
  const codec = settled(reference)
  if ('members' in codec) return codec.open === true
  return 'allOf' in codec ? codec.allOf.some(isOpen) : 'oneOf' in codec ? codec.oneOf.some(isOpen) : true
}

function memberNames(reference: JsonRef): string[] {
  const codec = settled(reference)
  return 'members' in codec ? Object.keys(codec.members) : 'allOf' in codec ? codec.allOf.flatMap(memberNames) : 'oneOf' in codec ? codec.oneOf.flatMap(memberNames) : []
}

/** One object of what several codecs made of the same one: each member from the codec that knows it. */
function mergeParts(parts: readonly Readonly<Record<string, unknown>>[], codecs: readonly JsonRef[]): Record<string, unknown> {
  const merged: Record<string, unknown> = { ...parts[0] }
  parts.forEach((part, at) => {
    for (const name of memberNames(codecs[at] ?? anything)) if (Object.hasOwn(part, name)) merged[name] = part[name]
  })
  return merged
}

import type { Deviation, Misfit } from '../failures.js'
import { ContractBreach } from '../failures.js'
import { base64ToBytes, bytesToBase64 } from '../plain.js'

/**
 * How types stand in JSON: plain data that serves to write, to read and to check, like the codecs for XML. A number whose digits count
 * is a {@link RawNumber} between the value and the JSON text.
 */

/** A number as its digits, on the way to or from JSON text. */
export class RawNumber {
  readonly digits: string

  constructor(digits: string) {
    this.digits = digits
  }
}

/** A simple value. */
export interface SimpleJson<T> {
  readonly simple: string
  /** What a JSON value means; undefined when it means nothing. */
  read(json: unknown): T | undefined
  write(value: T): unknown
  check(value: unknown): boolean
}

export interface JsonLimits {
  readonly minimum?: string
  readonly maximum?: string
  readonly exclusiveMinimum?: string
  readonly exclusiveMaximum?: string
  readonly multipleOf?: string
  readonly minLength?: number
  readonly maxLength?: number
  readonly patterns?: readonly (readonly string[])[]
}

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

function plain(simple: string, check: (value: unknown) => boolean): SimpleJson<never> {
  return { simple, check, read: (json) => (check(json) ? (json as never) : undefined), write: (value) => value }
}

const asNumber = (json: unknown): unknown => (json instanceof RawNumber ? Number(json.digits) : json)

function number(simple: string, fits: (value: number) => boolean): SimpleJson<never> {
  const check = (value: unknown): boolean => typeof value === 'number' && fits(value)
  return { simple, check, read: (json) => (check(asNumber(json)) ? (asNumber(json) as never) : undefined), write: (value) => value }
}

function textual(simple: string, form: RegExp): SimpleJson<never> {
  return plain(simple, (value) => typeof value === 'string' && form.test(value))
}

export const text: SimpleJson<never> = /* @__PURE__ */ plain('text', (value) => typeof value === 'string')
export const boolean: SimpleJson<never> = /* @__PURE__ */ plain('true or false', (value) => typeof value === 'boolean')
export const anything: SimpleJson<never> = /* @__PURE__ */ withoutRawNumbers()
export const double: SimpleJson<never> = /* @__PURE__ */ number('a number', Number.isFinite)
/** An integer of no stated size: a number, as long as a double holds it. */
export const integer: SimpleJson<never> = /* @__PURE__ */ number('a whole number', Number.isInteger)
export const int32: SimpleJson<never> = /* @__PURE__ */ number('a whole number of 32 bits', (value) => Number.isInteger(value) && value >= -2147483648 && value <= 2147483647)
export const int64: SimpleJson<never> = /* @__PURE__ */ bigWhole((digits) => new RawNumber(digits))
/** A 64-bit integer that is written as text. */
export const int64Text: SimpleJson<never> = /* @__PURE__ */ bigWhole((digits) => digits)
export const decimal: SimpleJson<never> = /* @__PURE__ */ exact((digits) => new RawNumber(digits))
/** A decimal that is written as text. */
export const decimalText: SimpleJson<never> = /* @__PURE__ */ exact((digits) => digits)
export const date: SimpleJson<never> = /* @__PURE__ */ textual('a date like 2026-11-23', /^\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])$/)
export const dateTime: SimpleJson<never> = /* @__PURE__ */ textual('a date and time like 2026-11-23T14:30:00Z', /^\d{4}-\d\d-\d\d[Tt ](?:[01]\d|2[0-3]):[0-5]\d:(?:[0-5]\d|60)(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)?$/)
export const time: SimpleJson<never> = /* @__PURE__ */ textual('a time like 14:30:00Z', /^(?:[01]\d|2[0-3]):[0-5]\d:(?:[0-5]\d|60)(?:\.\d+)?(?:[Zz]|[+-]\d\d:\d\d)?$/)
export const duration: SimpleJson<never> = /* @__PURE__ */ textual('a duration like P1DT2H', /^P(?=.)(?:\d+Y)?(?:\d+M)?(?:\d+W)?(?:\d+D)?(?:T(?=.)(?:\d+H)?(?:\d+M)?(?:\d+(?:\.\d+)?S)?)?$/)
export const base64: SimpleJson<never> = {
  simple: 'bytes',
  check: (value) => value instanceof Uint8Array,
  read(json) {
    try {
      return typeof json === 'string' ? (base64ToBytes(json) as never) : undefined
    } catch {
      return undefined
    }
  },
  write: (value) => bytesToBase64(value),
}

function withoutRawNumbers(): SimpleJson<never> {
  const read = (json: unknown): unknown =>
    json instanceof RawNumber ? Number(json.digits) : Array.isArray(json) ? json.map(read) : isObject(json) ? Object.fromEntries(Object.entries(json).map(([name, value]) => [name, read(value)])) : json
  return { simple: 'any value', check: (value) => value !== undefined, read: (json) => read(json) as never, write: (value) => value }
}

function bigWhole(write: (digits: string) => unknown): SimpleJson<never> {
  const fits = (value: bigint): boolean => value >= -9223372036854775808n && value <= 9223372036854775807n
  return {
    simple: 'a whole number (bigint) of 64 bits',
    check: (value) => typeof value === 'bigint' && fits(value),
    read(json) {
      const digits = json instanceof RawNumber ? json.digits : typeof json === 'number' || typeof json === 'string' ? String(json) : ''
      if (!/^-?\d+$/.test(digits)) return undefined
      const value = BigInt(digits)
      return fits(value) ? (value as never) : undefined
    },
    write: (value) => write(String(value)),
  }
}

function exact(write: (digits: string) => unknown): SimpleJson<never> {
  const form = /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/
  return {
    simple: 'a decimal number as text, like "12.50"',
    check: (value) => typeof value === 'string' && form.test(value),
    read(json) {
      const digits = json instanceof RawNumber ? json.digits : typeof json === 'number' || typeof json === 'string' ? String(json) : ''
      return form.test(digits) ? (digits as never) : undefined
    },
    write: (value) => write(value),
  }
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

/** JSON text of what {@link toJson} gives. */
export function jsonText(json: unknown): string {
  if (json instanceof RawNumber) return json.digits
  if (Array.isArray(json)) return `[${json.map((item) => (item === undefined ? 'null' : jsonText(item))).join(',')}]`
  if (isObject(json)) {
    const members = Object.entries(json).filter(([, value]) => value !== undefined)
    return `{${members.map(([name, value]) => `${JSON.stringify(name)}:${jsonText(value)}`).join(',')}}`
  }
  return JSON.stringify(typeof json === 'bigint' ? Number(json) : json) ?? 'null'
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

function checkLimits(limits: JsonLimits, value: unknown): string | undefined {
  const written = String(value)
  const count = Number(written)
  if (limits.minimum !== undefined && count < Number(limits.minimum)) return `must be at least ${limits.minimum}, is ${show(value)}`
  if (limits.maximum !== undefined && count > Number(limits.maximum)) return `must be at most ${limits.maximum}, is ${show(value)}`
  if (limits.exclusiveMinimum !== undefined && count <= Number(limits.exclusiveMinimum)) return `must be more than ${limits.exclusiveMinimum}, is ${show(value)}`
  if (limits.exclusiveMaximum !== undefined && count >= Number(limits.exclusiveMaximum)) return `must be less than ${limits.exclusiveMaximum}, is ${show(value)}`
  if (limits.multipleOf !== undefined && Math.abs(count / Number(limits.multipleOf) - Math.round(count / Number(limits.multipleOf))) > 1e-9) return `must be a multiple of ${limits.multipleOf}, is ${show(value)}`
  const length = value instanceof Uint8Array ? value.length : [...written].length
  if (limits.minLength !== undefined && length < limits.minLength) return `must have at least ${String(limits.minLength)} characters, has ${String(length)}`
  if (limits.maxLength !== undefined && length > limits.maxLength) return `must have at most ${String(limits.maxLength)} characters, has ${String(length)}`
  for (const group of limits.patterns ?? []) if (!group.some((pattern) => new RegExp(pattern, 'u').test(written))) return `must match ${group.join(' or ')}, is ${show(value)}`
  return undefined
}

function mapMembers(value: object, convert: (name: string, member: unknown) => unknown): Record<string, unknown> {
  const made: Record<string, unknown> = {}
  for (const [name, member] of Object.entries(value)) {
    if (member !== undefined) Object.defineProperty(made, name, { value: convert(name, member), enumerable: true, writable: true, configurable: true })
  }
  return made
}

function join(path: string, name: string): string {
  return path === '' ? name : `${path}.${name}`
}

function show(value: unknown): string {
  if (value instanceof RawNumber) return value.digits
  if (typeof value === 'string') return value.length > 60 ? `"${value.slice(0, 60)}…"` : `"${value}"`
  if (value === undefined) return 'nothing'
  if (Array.isArray(value)) return `a list of ${String(value.length)}`
  if (value instanceof Uint8Array) return `${String(value.length)} bytes`
  return typeof value === 'object' && value !== null ? 'an object' : String(value)
}

function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Uint8Array) && !(value instanceof RawNumber)
}

import { ContractBreach, type Deviation, type Misfit } from '../failures.js'
import { anything, checkLimits, isObject, join, show, type JsonLimits } from '../json/values.js'
import type { Edm } from './edm.js'

/** How entities and complex types stand in JSON: plain data that serves to write, to read and to check. */

/** An enumeration; its values are the names of its members. With `flags` a value is a list of them. */
export interface EnumType {
  /** The qualified name. */
  readonly enumeration: string
  readonly values: readonly string[]
  readonly flags?: boolean
}

export type RestrictedEdm = JsonLimits & { readonly restricts: Edm }

export type ValueType = Edm | RestrictedEdm | EnumType | Structure

/** A property, a parameter, or what an operation returns. */
export interface Property {
  readonly is: ValueType | (() => Structure)
  /** A collection. */
  readonly many?: boolean
  readonly nullable?: boolean
  /** May be left out when an entity is created: it has a default, or is a key that the service may make. */
  readonly optional?: boolean
  /** Comes only when it is expanded. */
  readonly navigation?: boolean
  /** Made by the service; never sent. */
  readonly computed?: boolean
  /** Given when an entity is created and not changed later. */
  readonly immutable?: boolean
}

/** An entity type or a complex type. */
export interface Structure {
  /** The qualified name. */
  readonly type: string
  /** The value of `$is`, where it has subtypes or is one. */
  readonly is?: string
  readonly abstract?: boolean
  readonly open?: boolean
  readonly keys?: readonly string[]
  readonly members: Readonly<Record<string, Property>>
  readonly base?: () => Structure
  readonly subtypes?: () => readonly Structure[]
}

/** What differs between the versions of OData where values stand in JSON. */
export interface Wire {
  /** An object of the answer without what is said about it: its type's name and its ETag apart. */
  unwrap(json: Readonly<Record<string, unknown>>): { readonly type?: string; readonly etag?: string; readonly members: readonly (readonly [string, unknown])[]; readonly cut: readonly string[] }
  /** What tells the type of an object that is sent. */
  typed(name: string): Readonly<Record<string, unknown>>
  /** The rows of a collection inside an object, however it is wrapped. */
  rows(json: unknown): unknown
}

export interface Reading {
  readonly wire: Wire
  /** Was a part of the properties asked for? Then none is promised. */
  readonly partial: boolean
  readonly onDeviation: (deviation: Deviation) => void
}

/** What an object is sent for: a new entity, changes to one, or a value of its own. */
export type Purpose = 'create' | 'change' | 'value'

export function isStructure(type: Property['is']): type is Structure | (() => Structure) {
  return typeof type === 'function' || 'members' in type
}

export function settled(type: Property['is']): ValueType {
  return typeof type === 'function' ? type() : type
}

export function edmOf(type: Edm | RestrictedEdm): Edm {
  return 'restricts' in type ? type.restricts : type
}

/** All properties, those of the bases first. */
export function membersOf(structure: Structure): Readonly<Record<string, Property>> {
  return structure.base === undefined ? structure.members : { ...membersOf(structure.base()), ...structure.members }
}

/** The names of the key's properties, which may stand in a base. */
export function keysOf(structure: Structure): readonly string[] {
  return structure.keys ?? (structure.base === undefined ? [] : keysOf(structure.base()))
}

export function isOpen(structure: Structure): boolean {
  return structure.open === true || (structure.base !== undefined && isOpen(structure.base()))
}

/** The structure itself or the subtype for which a condition holds. */
function kindOf(structure: Structure, holds: (each: Structure) => boolean): Structure | undefined {
  if (holds(structure)) return structure
  for (const each of structure.subtypes?.() ?? []) {
    const found = kindOf(each, holds)
    if (found !== undefined) return found
  }
  return undefined
}

/** The names of all kinds that `$is` may say. */
function kindNames(structure: Structure): string[] {
  return [...(structure.abstract === true || structure.is === undefined ? [] : [structure.is]), ...(structure.subtypes?.() ?? []).flatMap(kindNames)]
}

/** A value on its way to JSON. It must fit: check it first. */
export function writeProperty(property: Property, value: unknown, wire: Wire): unknown {
  if (value === null || value === undefined) return value
  const type = settled(property.is)
  return property.many === true ? (value as readonly unknown[]).map((each) => writeValue(type, each, wire)) : writeValue(type, value, wire)
}

function writeValue(type: ValueType, value: unknown, wire: Wire): unknown {
  if (value === null) return null
  if ('members' in type) return writeStructure(type, value as Readonly<Record<string, unknown>>, wire)
  if ('enumeration' in type) return Array.isArray(value) ? value.join(',') : value
  return edmOf(type).write(value as never)
}

export function writeStructure(declared: Structure, value: Readonly<Record<string, unknown>>, wire: Wire): Record<string, unknown> {
  const structure = kindOf(declared, (each) => each.is !== undefined && each.is === value['$is']) ?? declared
  const members = membersOf(structure)
  const json: Record<string, unknown> = structure === declared ? {} : { ...wire.typed(structure.type) }
  for (const [name, member] of Object.entries(value)) {
    if (member === undefined || name.startsWith('$')) continue
    const property = Object.hasOwn(members, name) ? members[name] : undefined
    setOwn(json, name, property === undefined ? member : writeProperty(property, member, wire))
  }
  return json
}

/**
 * What the JSON of a property means.
 *
 * @throws ContractBreach when it can't be represented
 */
export function readProperty(property: Property, json: unknown, path: string, reading: Reading): unknown {
  const type = settled(property.is)
  if (property.many === true) {
    const rows = reading.wire.rows(json)
    if (rows === null) {
      reading.onDeviation({ path, message: 'is null, where the contract has a collection; it is taken for an empty one' })
      return []
    }
    if (!Array.isArray(rows)) throw new ContractBreach(path, 'a list', show(json))
    return rows.map((each: unknown, at) => (each === null ? null : readValue(type, each, `${path}[${String(at)}]`, reading)))
  }
  if (json !== null) return readValue(type, json, path, reading)
  if (property.nullable !== true) reading.onDeviation({ path, message: 'is null, which the contract does not allow' })
  return null
}

function readValue(type: ValueType, json: unknown, path: string, reading: Reading): unknown {
  if ('members' in type) return readStructure(type, json, path, reading)
  if ('enumeration' in type) return readEnumeration(type, json, path, reading)
  const value: unknown = edmOf(type).read(json)
  if (value === undefined) throw new ContractBreach(path, edmOf(type).simple, show(json))
  const message = 'restricts' in type ? checkLimits(type, value) : undefined
  if (message !== undefined) reading.onDeviation({ path, message })
  return value
}

function readEnumeration(type: EnumType, json: unknown, path: string, reading: Reading): unknown {
  if (typeof json !== 'string') throw new ContractBreach(path, `one of ${type.values.join(', ')}`, show(json))
  const values = type.flags === true ? json.split(',').map((each) => each.trim()).filter((each) => each !== '' && each !== '0') : [json]
  for (const value of values) if (!type.values.includes(value)) reading.onDeviation({ path, message: `${show(value)} is not one of the contract's values` })
  return type.flags === true ? values : json
}

/**
 * What a JSON object means: an entity or a complex value, in its own kind.
 *
 * @throws ContractBreach when it can't be represented
 */
export function readStructure(declared: Structure, json: unknown, path: string, reading: Reading): Record<string, unknown> {
  if (!isObject(json)) throw new ContractBreach(path, 'an object', show(json))
  const { type, etag, members: entries, cut } = reading.wire.unwrap(json)
  const structure = (type === undefined || type === declared.type ? declared : kindOf(declared, (each) => each.type === type)) ?? declared
  if (type !== undefined && type !== structure.type) reading.onDeviation({ path, message: `is of the type ${type}, which is no kind of ${declared.type}` })
  const members = membersOf(structure)
  const value: Record<string, unknown> = {}
  if (structure.is !== undefined) value['$is'] = structure.is
  for (const [name, member] of entries) {
    const property = Object.hasOwn(members, name) ? members[name] : undefined
    const place = join(path, name)
    if (property !== undefined) setOwn(value, name, readProperty(property, member, place, reading))
    else {
      // An annotation of the service's own is kept without a word.
      if (!isOpen(structure) && !name.includes('@')) reading.onDeviation({ path: place, message: 'is not in the contract' })
      setOwn(value, name, anything.read(member))
    }
  }
  if (!reading.partial) {
    for (const [name, property] of Object.entries(members)) {
      if (property.navigation !== true && !Object.hasOwn(value, name)) reading.onDeviation({ path: join(path, name), message: 'is missing' })
    }
  }
  if (etag !== undefined) value['$etag'] = etag
  for (const name of cut) reading.onDeviation({ path: join(path, name), message: 'is only the beginning; the service keeps the rest back' })
  return value
}

/** Finds every place where a value does not fit a property. */
export function checkProperty(property: Property, value: unknown, path: string, purpose: Purpose, misfits: Misfit[]): void {
  const type = settled(property.is)
  if (property.many === true) {
    if (!Array.isArray(value)) misfits.push({ path, message: `expected a list, got ${show(value)}` })
    else value.forEach((each: unknown, at) => checkValue(type, each, `${path}[${String(at)}]`, purpose, misfits))
  } else if (value !== null) checkValue(type, value, path, purpose, misfits)
  else if (property.nullable !== true) misfits.push({ path, message: 'can\'t be null' })
}

function checkValue(type: ValueType, value: unknown, path: string, purpose: Purpose, misfits: Misfit[]): void {
  const wrong = (expected: string): void => void misfits.push({ path, message: `expected ${expected}, got ${show(value)}` })
  if ('members' in type) checkStructure(type, value, path, purpose, misfits)
  else if ('enumeration' in type) {
    const expected = `${type.flags === true ? 'a list of ' : 'one of '}${type.values.map(show).join(', ')}`
    const values: readonly unknown[] = type.flags === true && Array.isArray(value) ? value : [value]
    if ((type.flags === true && !Array.isArray(value)) || values.some((each) => typeof each !== 'string' || !type.values.includes(each))) wrong(expected)
  } else if (!edmOf(type).check(value)) wrong(edmOf(type).simple)
  else {
    const message = 'restricts' in type ? checkLimits(type, value) : undefined
    if (message !== undefined) misfits.push({ path, message })
  }
}

/** Finds every place where an object does not fit what it is sent for. */
export function checkStructure(declared: Structure, value: unknown, path: string, purpose: Purpose, misfits: Misfit[]): void {
  if (!isObject(value)) {
    misfits.push({ path, message: `expected an object, got ${show(value)}` })
    return
  }
  const which = value['$is']
  const structure = which === undefined ? (declared.abstract === true ? undefined : declared) : kindOf(declared, (each) => each.is === which && each.abstract !== true)
  if (structure === undefined) {
    misfits.push({ path: join(path, '$is'), message: `expected one of ${kindNames(declared).map(show).join(', ')}, got ${show(which)}` })
    return
  }
  const members = membersOf(structure)
  const keys = keysOf(structure)
  for (const [name, property] of Object.entries(members)) {
    const place = join(path, name)
    const each = Object.hasOwn(value, name) ? value[name] : undefined
    if (each === undefined) {
      const isWanted = property.navigation !== true && property.nullable !== true && property.optional !== true && property.many !== true && property.computed !== true
      if (isWanted && purpose !== 'change' && !(purpose === 'create' && keys.includes(name))) misfits.push({ path: place, message: 'is missing' })
    } else if (purpose !== 'value' && property.computed === true) misfits.push({ path: place, message: 'is made by the service and can\'t be given' })
    else if (purpose === 'change' && (keys.includes(name) || property.immutable === true || property.navigation === true)) misfits.push({ path: place, message: property.navigation === true ? 'leads to other entities, which are changed by themselves' : 'can\'t be changed' })
    else checkProperty(property, each, place, purpose, misfits)
  }
  if (!isOpen(structure)) {
    for (const name of Object.keys(value)) {
      if (Object.hasOwn(members, name) || value[name] === undefined || name.startsWith('$') || name.includes('@')) continue
      misfits.push({ path: join(path, name), message: unknownName(name, Object.keys(members)) })
    }
  }
}

/** What to say of a name that there is not. */
export function unknownName(name: string, names: readonly string[]): string {
  const near = nearest(name, names)
  return near === undefined ? `is not known here; there are ${names.join(', ') || 'no members'}` : `is not known here; is "${near}" meant?`
}

/** The name that looks most like another: the fewest letters differ. */
export function nearest(wanted: string, names: readonly string[]): string | undefined {
  const ranked = names.map((name) => ({ name, apart: distance(wanted.toLowerCase(), name.toLowerCase()) })).sort((a, b) => a.apart - b.apart)
  const [best] = ranked
  return best !== undefined && best.apart <= Math.max(2, Math.floor(wanted.length / 2)) ? best.name : undefined
}

function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, at) => at)
  for (let i = 1; i <= a.length; i += 1) {
    const next = [i]
    for (let j = 1; j <= b.length; j += 1) next.push(Math.min((row[j] ?? 0) + 1, (next[j - 1] ?? 0) + 1, (row[j - 1] ?? 0) + (a[i - 1] === b[j - 1] ? 0 : 1)))
    row = next
  }
  return row[b.length] ?? 0
}

/** Sets a member of this very name, `__proto__` too. */
function setOwn(target: Record<string, unknown>, name: string, value: unknown): void {
  Object.defineProperty(target, name, { value, enumerable: true, writable: true, configurable: true })
}

import { ContractBreach } from '../failures.js'
import { anything, checkLimits, isObject, join, show } from '../json/values.js'
import { entityAddress, isBinding } from './addresses.js'
import { edmOf, isOpen, kindOf, membersOf, settled, type EnumType, type Property, type Reading, type Structure, type ValueType, type Wire } from './model.js'

/** How entities and complex types are written to JSON and read from it. */

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
    if (property === undefined) setOwn(json, name, member)
    else if (property.binds === undefined) setOwn(json, name, writeProperty(property, member, wire))
    else Object.assign(json, writeRelated(name, property, property.binds, member, wire))
  }
  return json
}

/** What hangs off an entity that is sent: new entities, entities that are there, or both. */
function writeRelated(name: string, property: Property, set: string, value: unknown, wire: Wire): Readonly<Record<string, unknown>> {
  const all = [value].flat()
  const structure = settled(property.is) as Structure
  const addresses = all.filter(isBinding).map(({ $bind }) => entityAddress(set, structure, $bind, wire))
  const others = all.filter((each) => !isBinding(each))
  if (addresses.length === 0) return { [name]: writeProperty(property, value, wire) }
  const bound = wire.bound(name, addresses, property.many === true)
  if (others.length === 0) return bound
  const made = writeProperty(property, others, wire) as readonly unknown[]
  // Version 2 has both in one list.
  return Array.isArray(bound[name]) ? { [name]: [...(bound[name] as readonly unknown[]), ...made] } : { ...bound, [name]: made }
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

/** Sets a member of this very name, `__proto__` too. */
function setOwn(target: Record<string, unknown>, name: string, value: unknown): void {
  Object.defineProperty(target, name, { value, enumerable: true, writable: true, configurable: true })
}

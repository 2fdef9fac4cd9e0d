import { setOwn } from '../plain.js'
import { special } from '../special-members.js'
import { brokenFacet } from '../facets.js'
import { join } from '../violations.js'
import { ContractBreach } from '../failures.js'
import { isObject, readAnything, show } from '../json/values.js'
import { entityAddress, isBinding } from './addresses.js'
import type { Edm } from './edm.js'
import {
  edmOf,
  isOpen,
  kindOf,
  membersOf,
  resolvedType,
  type EnumType,
  type AnyProperty,
  type Reading,
  type AnyStructure,
  type ValueType,
  type Wire,
  structureOf,
} from './model.js'

/** How entities and complex types are written to JSON and read from it. */

/** A value on its way to JSON. It must fit: check it first. */
export function writeProperty(property: AnyProperty, value: unknown, wire: Wire): unknown {
  if (value === null || value === undefined) return value
  const type = resolvedType(property.is)
  return property.many === true
    ? (value as readonly unknown[]).map((each) => writeValue(type, each, wire))
    : writeValue(type, value, wire)
}

function writeValue(type: ValueType, value: unknown, wire: Wire): unknown {
  if (value === null) return null
  if ('members' in type)
    return writeStructure(type, value as Readonly<Record<string, unknown>>, wire)
  if ('enumeration' in type) return Array.isArray(value) ? value.join(',') : value
  return edmOf(type).write(value as never)
}

export function writeStructure(
  declared: AnyStructure,
  value: Readonly<Record<string, unknown>>,
  wire: Wire,
): Record<string, unknown> {
  const structure =
    kindOf(declared, (each) => each.is !== undefined && each.is === value[special.is]) ?? declared
  const members = membersOf(structure)
  const json: Record<string, unknown> =
    structure === declared ? {} : { ...wire.typed(structure.type) }
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
function writeRelated(
  name: string,
  property: AnyProperty,
  set: string,
  value: unknown,
  wire: Wire,
): Readonly<Record<string, unknown>> {
  const all = [value].flat()
  const structure = structureOf(property)
  const addresses = all
    .filter(isBinding)
    .map(({ $bind }) => entityAddress(set, structure, $bind, wire))
  const others = all.filter((each) => !isBinding(each))
  if (addresses.length === 0) return { [name]: writeProperty(property, value, wire) }
  const bound = wire.bound(name, addresses, property.many === true)
  if (others.length === 0) return bound
  const made = writeProperty(property, others, wire) as readonly unknown[]
  // Version 2 has both in one list.
  return Array.isArray(bound[name])
    ? { [name]: [...(bound[name] as readonly unknown[]), ...made] }
    : { ...bound, [name]: made }
}

/**
 * What the JSON of a property means.
 *
 * @throws ContractBreach when it can't be represented
 */
export function readProperty(
  property: AnyProperty,
  json: unknown,
  path: string,
  reading: Reading,
): unknown {
  const type = resolvedType(property.is)
  if (property.many === true) {
    const rows = reading.wire.rows(json)
    if (reading.wire.isCut(json))
      reading.onDeviation({
        path,
        message: 'is only the beginning; the service keeps the rest back',
      })
    if (rows === null) {
      reading.onDeviation({
        path,
        message: 'is null, where the contract has a collection; it is taken for an empty one',
      })
      return []
    }
    if (!Array.isArray(rows)) throw new ContractBreach(path, 'a list', show(json))
    return rows.map((each: unknown, at) =>
      each === null ? null : readValue(type, each, `${path}[${String(at)}]`, reading),
    )
  }
  if (json !== null) return readValue(type, json, path, reading)
  if (property.nullable !== true)
    reading.onDeviation({ path, message: 'is null, which the contract does not allow' })
  return null
}

function readValue(type: ValueType, json: unknown, path: string, reading: Reading): unknown {
  if ('members' in type) return readStructure(type, json, path, reading)
  if ('enumeration' in type) return readEnumeration(type, json, path, reading)
  const value: unknown = edmOf(type).read(json)
  if (value === undefined) throw new ContractBreach(path, edmOf(type).simple, show(json))
  const message = 'restricts' in type ? brokenFacet(type, value) : undefined
  if (message !== undefined) reading.onDeviation({ path, message })
  return value
}

function readEnumeration(type: EnumType, json: unknown, path: string, reading: Reading): unknown {
  if (typeof json !== 'string')
    throw new ContractBreach(path, `one of ${type.values.join(', ')}`, show(json))
  const values =
    type.flags === true
      ? json
          .split(',')
          .map((each) => each.trim())
          .filter((each) => each !== '' && each !== '0')
      : [json]
  for (const value of values)
    if (!type.values.includes(value))
      reading.onDeviation({ path, message: `${show(value)} is not one of the contract's values` })
  return type.flags === true ? values : json
}

/** What reading an object of a structure needs to know of it, worked out once. */
interface Plan {
  readonly members: ReadonlyMap<string, AnyProperty>
  /** What reads a simple value without limits, by the names of such properties. */
  readonly simple: ReadonlyMap<string, Edm>
  /** Properties that come unless a part was asked for. */
  readonly promised: readonly string[]
  readonly nullable: ReadonlySet<string>
  readonly isOpen: boolean
}

const plans = new WeakMap<AnyStructure, Plan>()

function planOf(structure: AnyStructure): Plan {
  let plan = plans.get(structure)
  if (plan === undefined) {
    const all = Object.entries(membersOf(structure))
    const simple = all.flatMap(([name, { is, many }]) =>
      many === true || typeof is === 'function' || !('literal' in is)
        ? []
        : [[name, is as Edm] as const],
    )
    plan = {
      members: new Map(all),
      simple: new Map(simple),
      promised: all.filter(([, property]) => property.navigation !== true).map(([name]) => name),
      nullable: new Set(
        all.filter(([, property]) => property.nullable === true).map(([name]) => name),
      ),
      isOpen: isOpen(structure),
    }
    plans.set(structure, plan)
  }
  return plan
}

/** The kind of a structure that an object says it is. */
function kindSaid(
  declared: AnyStructure,
  json: Readonly<Record<string, unknown>>,
  path: string,
  reading: Reading,
): AnyStructure {
  const type = reading.wire.typeOf(json)
  if (type === undefined || type === declared.type) return declared
  const found = kindOf(declared, (each) => each.type === type)
  if (found === undefined)
    reading.onDeviation({
      path,
      message: `is of the type ${type}, which is no kind of ${declared.type}`,
    })
  return found ?? declared
}

/**
 * Is every member of an object already what it means, and all there? Then it need not be copied:
 * nobody else has it.
 */
function isAsItMeans(
  json: Readonly<Record<string, unknown>>,
  { simple, promised, nullable }: Plan,
  partial: boolean,
): boolean {
  let count = 0
  for (const name in json) {
    const member = json[name]
    const edm = simple.get(name)
    if (edm === undefined || member === null || edm.read(member) !== member) {
      if (edm === undefined || member !== null || !nullable.has(name)) return false
    }
    count += 1
  }
  return partial || count === promised.length
}

/**
 * What a JSON object means: an entity or a complex value, in its own kind.
 *
 * @throws ContractBreach when it can't be represented
 */
export function readStructure(
  declared: AnyStructure,
  json: unknown,
  path: string,
  reading: Reading,
): Record<string, unknown> {
  if (!isObject(json)) throw new ContractBreach(path, 'an object', show(json))
  const structure = kindSaid(declared, json, path, reading)
  const plan = planOf(structure)
  if (structure.is === undefined && isAsItMeans(json, plan, reading.partial)) return json
  const value: Record<string, unknown> = {}
  if (structure.is !== undefined) value[special.is] = structure.is
  let etag: string | undefined
  for (const name of Object.keys(json)) {
    const member = json[name]
    const simple = plan.simple.get(name)
    if (simple !== undefined && member !== null && name !== '__proto__') {
      const read: unknown = simple.read(member)
      if (read === undefined)
        throw new ContractBreach(join(path, name), simple.simple, show(member))
      value[name] = read
      continue
    }
    const about = reading.wire.about(name, member)
    if (about !== undefined) {
      etag = about.etag ?? etag
      if (about.cut !== undefined)
        reading.onDeviation({
          path: join(path, about.cut),
          message: 'is only the beginning; the service keeps the rest back',
        })
      continue
    }
    const property = plan.members.get(name)
    if (property !== undefined)
      setOwn(value, name, readProperty(property, member, join(path, name), reading))
    else {
      // An annotation of the service's own is kept without a word.
      if (!plan.isOpen && !name.includes('@'))
        reading.onDeviation({ path: join(path, name), message: 'is not in the contract' })
      const at = join(path, name)
      const onLoss = (message: string): void => reading.onDeviation({ path: at, message })
      setOwn(value, name, readAnything(member, onLoss))
    }
  }
  if (!reading.partial)
    for (const name of plan.promised)
      if (!Object.hasOwn(value, name))
        reading.onDeviation({ path: join(path, name), message: 'is missing' })
  if (etag !== undefined) value[special.etag] = etag
  return value
}

import { largest } from './lists.js'
import { once } from './once.js'
import { directSubtypes, namedType, partsOf } from './queries.js'
import type { Choice, Contract, Field, NamedType, RecordType, Type, TypeId } from './contract.js'

/** By the ids of types: how deep their values go at least, and how deep what their fields hold. */
interface Depths {
  readonly values: Map<TypeId, number>
  readonly fields: Map<TypeId, number>
}

const known = new WeakMap<Contract, Depths>()

/**
 * How many named types lie inside each other in the least value that a type has: 0 for a text,
 * Infinity where every value would have to go on without end, as of a record that requires itself.
 */
export function leastDepth(contract: Contract, type: Type): number {
  return depthOf(
    type,
    once(known, contract, () => depthsOfAll(contract)),
  )
}

/**
 * The least depth of every named type. A type is looked at after those that it leads to, so that
 * what has no circle is settled in one round; each further round settles what a circle led back to.
 */
function depthsOfAll(contract: Contract): Depths {
  const ids = innermostFirst(contract)
  const subtypes = directSubtypes(contract)
  const depths: Depths = { values: new Map(), fields: new Map() }
  const valueDepth = (id: TypeId, type: NamedType): number => {
    if (type.kind !== 'record') return depthOf(type, depths)
    if (type.abstract !== true) return depths.fields.get(id) ?? Infinity
    return least((subtypes.get(id) ?? []).map((each) => depths.values.get(each) ?? Infinity))
  }
  let isSettled = false
  const settle = (of: Map<TypeId, number>, id: TypeId, depth: number): void => {
    if (depth >= (of.get(id) ?? Infinity)) return
    of.set(id, depth)
    isSettled = false
  }
  while (!isSettled) {
    isSettled = true
    for (const id of ids) {
      const type = namedType(contract, id)
      if (type.kind === 'record') settle(depths.fields, id, depthOfRecord(type, depths))
      settle(depths.values, id, 1 + valueDepth(id, type))
    }
  }
  return depths
}

/** The ids of all types, each after those that it leads to, as far as there is such an order. */
function innermostFirst(contract: Contract): TypeId[] {
  const subtypes = directSubtypes(contract)
  const leadsTo = (id: TypeId): TypeId[] => [
    ...referencesIn(namedType(contract, id)),
    ...(subtypes.get(id) ?? []),
  ]
  const ordered: TypeId[] = []
  const seen = new Set<TypeId>()
  for (const start of Object.keys(contract.types)) {
    if (seen.has(start)) continue
    seen.add(start)
    const path = [{ id: start, next: leadsTo(start) }]
    for (let last = path.at(-1); last !== undefined; last = path.at(-1)) {
      const id = last.next.pop()
      if (id === undefined) {
        ordered.push(last.id)
        path.pop()
      } else if (!seen.has(id)) {
        seen.add(id)
        path.push({ id, next: leadsTo(id) })
      }
    }
  }
  return ordered
}

function referencesIn(type: Type): TypeId[] {
  return type.kind === 'reference' ? [type.to] : partsOf(type).flatMap(referencesIn)
}

function depthOf(type: Type, depths: Depths): number {
  const depth = (each: Type): number => depthOf(each, depths)
  switch (type.kind) {
    case 'reference':
      return depths.values.get(type.to) ?? Infinity
    case 'record':
      return depthOfRecord(type, depths)
    case 'list':
      return (type.minItems ?? 0) === 0 || type.itemNullable === true ? 0 : depth(type.item)
    case 'tuple':
      return largest(type.items.slice(0, type.minItems).map(depth), 0)
    case 'union':
      return type.alternatives.length === 0 ? 0 : least(type.alternatives.map(depth))
    case 'intersection':
      return largest(type.parts.map(depth), 0)
    case 'nothing':
      return Infinity
    default:
      return 0
  }
}

/** How deep the fields of a record go at least, with those of what it extends. */
function depthOfRecord({ fields, choices = [], base, restricts }: RecordType, depths: Depths) {
  const depth = (each: Type): number => depthOf(each, depths)
  const byName = new Map(fields.map((field) => [field.name, field]))
  const required = fields.filter((field) => !field.optional)
  const wanted = choices.filter(({ optional }) => optional !== true)
  return largest(
    [
      base === undefined || restricts === true ? 0 : (depths.fields.get(base.to) ?? Infinity),
      ...required.map((field) => fieldDepth(field, depth)),
      ...wanted.map(({ alternatives }) =>
        least(alternatives.map((each) => alternativeDepth(each, byName, depth))),
      ),
    ],
    0,
  )
}

/** The least depth of an alternative of a choice: what must be there when it is chosen. */
export function alternativeDepth(
  { required }: Choice['alternatives'][number],
  fields: ReadonlyMap<string, Field>,
  depth: (type: Type) => number,
): number {
  const depths = required.map((name) => {
    const field = fields.get(name)
    return field === undefined ? 0 : fieldDepth(field, depth)
  })
  return largest(depths, 0)
}

/** What may be null, or has a value of its own, needs none of its type. */
function fieldDepth(
  { type, nullable, fixed, default: preset }: Field,
  depth: (type: Type) => number,
): number {
  return nullable || fixed !== undefined || preset !== undefined ? 0 : depth(type)
}

function least(depths: readonly number[]): number {
  return depths.reduce((most, each) => Math.min(most, each), Infinity)
}

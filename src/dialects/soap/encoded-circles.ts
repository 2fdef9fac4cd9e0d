import type { Contract, Field, NamedType, Type, TypeId } from '../../contract/contract.js'
import { leastDepth } from '../../contract/least-depth.js'
import { directSubtypes, partsOf, reachableTypes } from '../../contract/queries.js'
import { operationSpecifics } from './specifics.js'

/**
 * Types of encoded messages whose values would have to go on without end: what leads back in them
 * may be left out or nil, as every member of an encoded record may (SOAP 1.1, section 5.4).
 */
export function openedCircles(contract: Contract): Contract {
  const operations = contract.services.flatMap((service) => service.operations)
  const encoded = operations.filter((operation) => operationSpecifics(operation).encoded === true)
  const isEndless = (type: Type): boolean => leastDepth(contract, type) === Infinity
  const types: Record<TypeId, NamedType> = { ...contract.types }
  for (const id of reachableTypes(contract, encoded)) {
    const type = contract.types[id]
    if (type?.kind !== 'record' || !isEndless(type)) continue
    const opened = (field: Field): Field =>
      !field.optional && isEndless(field.type) && leadsTo(contract, field.type, id, isEndless)
        ? { ...field, optional: true, nullable: true }
        : field
    types[id] = { ...type, fields: type.fields.map(opened) }
  }
  return { ...contract, types }
}

/** Does a type lead to another one by what has no end? */
function leadsTo(
  contract: Contract,
  from: Type,
  goal: TypeId,
  isEndless: (type: Type) => boolean,
): boolean {
  const subtypes = directSubtypes(contract)
  const seen = new Set<TypeId>()
  const waiting = [from]
  for (let type = waiting.pop(); type !== undefined; type = waiting.pop()) {
    if (type.kind === 'reference') {
      if (type.to === goal) return true
      const named = contract.types[type.to]
      if (named === undefined || seen.has(type.to)) continue
      seen.add(type.to)
      for (const to of subtypes.get(type.to) ?? []) waiting.push({ kind: 'reference', to })
      type = named
    }
    for (const part of partsOf(type)) if (isEndless(part)) waiting.push(part)
  }
  return false
}

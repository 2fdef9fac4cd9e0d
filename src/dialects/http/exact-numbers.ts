import type { Contract, Operation, Type, TypeId } from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import { once } from '../../contract/once.js'
import { directSubtypes, fieldsOfOutcome, operationsOf, partsOf } from '../../contract/queries.js'
import { typeOfAnswer } from './specifics.js'

/** Does an answer of some operation carry bare numbers whose every digit counts? */
export function needsExactJson(contract: Contract): boolean {
  return once(needs, contract, () =>
    operationsOf(contract).some((operation) => answersExactly(contract, operation)),
  )
}

/** Does an answer of this operation, good or bad, carry bare numbers whose every digit counts? */
export function answersExactly(contract: Contract, operation: Operation): boolean {
  const exact = once(known, contract, () => exactTypes(contract))
  const { outcome, faults } = operation
  const answered = fieldsOfOutcome(outcome).map((field) => typeOfAnswer(operation, field))
  return [...answered, ...faults.map(({ type }) => type)].some((type) => isExact(type, exact))
}

const needs = new WeakMap<Contract, boolean>()
const known = new WeakMap<Contract, ReadonlySet<TypeId>>()

function isExact(type: Type, exact: ReadonlySet<TypeId>): boolean {
  if (type.kind === 'reference') return exact.has(type.to)
  return isBareNumber(type) || partsOf(type).some((part) => isExact(part, exact))
}

function isBareNumber(type: Type): boolean {
  return (
    type.kind === 'scalar' &&
    ['int64', 'uint64', 'decimal'].includes(type.base) &&
    !type.format.startsWith('string:')
  )
}

/** The types that have such numbers, in themselves or in what they lead to. */
function exactTypes(contract: Contract): ReadonlySet<TypeId> {
  const leadHere = new Map<TypeId, TypeId[]>()
  const waiting: TypeId[] = []
  const look = (type: Type, id: TypeId): void => {
    if (type.kind === 'reference') addTo(leadHere, type.to, id)
    else if (isBareNumber(type)) waiting.push(id)
    else for (const part of partsOf(type)) look(part, id)
  }
  for (const [id, type] of Object.entries(contract.types)) look(type, id)
  for (const [base, subtypes] of directSubtypes(contract))
    for (const subtype of subtypes) addTo(leadHere, subtype, base)
  const exact = new Set<TypeId>()
  for (let id = waiting.pop(); id !== undefined; id = waiting.pop()) {
    if (exact.has(id)) continue
    exact.add(id)
    for (const from of leadHere.get(id) ?? []) waiting.push(from)
  }
  return exact
}

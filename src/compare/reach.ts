import type { Contract, Operation, Type, TypeId } from '../contract/contract.js'
import {
  directSubtypes,
  fieldsOfOutcome,
  namedType,
  operationsOf,
  partsOf,
  typesOfIncoming,
} from '../contract/queries.js'
import type { Direction } from './change.js'

/**
 * Which operations of a contract send or receive values of which named types. Sets of operations
 * are numbers with a bit for each, so that what a type hands on to those inside it is one step.
 */
export class Reach {
  private readonly sets: Readonly<Record<Direction, ReadonlyMap<TypeId, bigint>>>

  constructor(contract: Contract) {
    const uses = usesOf(contract)
    this.sets = {
      sent: spread(uses, seeds(contract, sentTypes)),
      received: spread(uses, seeds(contract, receivedTypes)),
    }
  }

  /** Ways in which values of a type travel; an answer where no operation says. */
  directions(id: TypeId): Direction[] {
    const found = (['sent', 'received'] as const).filter((each) => this.sets[each].has(id))
    return found.length === 0 ? ['received'] : found
  }

  /** The operations that a type travels with in some ways, as a number with a bit for each. */
  operations(id: TypeId, ways: readonly Direction[]): bigint {
    return ways.reduce((bits, way) => bits | (this.sets[way].get(id) ?? 0n), 0n)
  }
}

/** The things of a list whose bits a number has. */
export function bitsIn<T>(bits: bigint, list: readonly T[]): T[] {
  const digits = bits.toString(2)
  return list.filter((_, at) => digits.at(-1 - at) === '1')
}

function sentTypes({ inputs }: Operation): Type[] {
  return inputs.map(({ type }) => type)
}

/** What comes; of lists in pages also what the rows come in. */
function receivedTypes({ outcome, faults, incoming, needs = [] }: Operation): Type[] {
  const headers = outcome.kind === 'record' ? [] : (outcome.headers ?? [])
  const isPaged = outcome.kind === 'value' && outcome.iterable === true
  return [
    ...[...fieldsOfOutcome(outcome), ...headers].map(({ type }) => type),
    ...faults.map(({ type }) => type),
    ...typesOfIncoming(incoming),
    ...(isPaged ? needs.map((to) => ({ kind: 'reference', to }) as const) : []),
  ]
}

function seeds(
  contract: Contract,
  typesOf: (operation: Operation) => readonly Type[],
): Map<TypeId, bigint> {
  const found = new Map<TypeId, bigint>()
  operationsOf(contract).forEach((operation, at) => {
    for (const id of typesOf(operation).flatMap(namedIn))
      found.set(id, (found.get(id) ?? 0n) | (1n << BigInt(at)))
  })
  return found
}

/** The named types that a type speaks of directly. */
export function namedIn(type: Type): TypeId[] {
  return type.kind === 'reference' ? [type.to] : partsOf(type).flatMap(namedIn)
}

/** By type: those that a value of it may have inside, and its kinds. */
function usesOf(contract: Contract): Map<TypeId, TypeId[]> {
  const subtypes = directSubtypes(contract)
  return new Map(
    Object.keys(contract.types).map((id) => {
      const type = namedType(contract, id)
      const inside = type.kind === 'reference' ? [type.to] : partsOf(type).flatMap(namedIn)
      return [id, [...new Set([...inside, ...(subtypes.get(id) ?? [])])]]
    }),
  )
}

/** Hands on what is known of types to those inside them, until nobody learns anything new. */
function spread(
  uses: ReadonlyMap<TypeId, readonly TypeId[]>,
  known: Map<TypeId, bigint>,
): Map<TypeId, bigint> {
  for (let waiting = [...known.keys()]; waiting.length > 0;) {
    const next = new Set<TypeId>()
    for (const id of waiting) {
      const mine = known.get(id) ?? 0n
      for (const inner of uses.get(id) ?? []) {
        const before = known.get(inner) ?? 0n
        if ((before | mine) === before) continue
        known.set(inner, before | mine)
        next.add(inner)
      }
    }
    waiting = [...next]
  }
  return known
}

import type {
  Contract,
  Endpoint,
  Field,
  Incoming,
  NamedType,
  Operation,
  RecordType,
  Type,
  TypeId,
} from './contract.js'
import { addAll } from './lists.js'
import { once } from './once.js'
import { byName } from './ordering.js'
import { present } from './present.js'

// A contract never changes, and what is asked of all of it is asked again and again.
const subtypesOf = new WeakMap<Contract['types'], ReadonlyMap<TypeId, readonly TypeId[]>>()
const operationLists = new WeakMap<Contract, readonly Operation[]>()
const wholes = new WeakMap<Contract, Contract>()

/** An operation's path as people write it: `listBerths`, `bookings.create`. */
export function pathOf(operation: Operation): string {
  return operation.path.join('.')
}

export function operationsOf(contract: Contract): readonly Operation[] {
  return once(operationLists, contract, () =>
    contract.services.flatMap((service) => service.operations),
  )
}

export function endpointsOf(contract: Contract): Endpoint[] {
  return contract.services.flatMap((service) => service.endpoints)
}

/** Endpoints with the one of a name before the others; as they are where there is none. */
export function endpointFirst(
  endpoints: readonly Endpoint[],
  name: string | undefined,
): Endpoint[] {
  return [...endpoints].sort(
    (one, other) => Number(other.name === name) - Number(one.name === name),
  )
}

/** The inputs that a client fills with the key of its settings, by name. */
export function keyInputsOf(contract: Contract): string[] {
  const inputs = operationsOf(contract).flatMap((operation) => operation.inputs)
  return [...new Set(inputs.flatMap(({ name, isKey }) => (isKey === true ? name : [])))].sort()
}

/** The endpoints at which an operation is on offer, in the contract's order. */
export function endpointsOffering(contract: Contract, operation: Operation): Endpoint[] {
  return endpointsOf(contract).filter((endpoint) => Object.hasOwn(operation.wire, endpoint.name))
}

/** Is an endpoint one of plain HTTP in a contract of SOAP? It says less than those of SOAP do. */
export function isPlainHttp({ protocol }: Endpoint): boolean {
  return /^HTTP (?:GET|POST)$/.test(protocol)
}

/**
 * The named type with this id.
 *
 * @throws Error when there is none: a reader that makes such a reference has a defect
 */
export function namedType(contract: Contract, id: TypeId): NamedType {
  const type = Object.hasOwn(contract.types, id) ? contract.types[id] : undefined
  if (type === undefined) throw new Error(`the contract has no type ${id}`)
  return type
}

/**
 * The record with this id.
 *
 * @throws Error when there is none
 */
export function recordType(contract: Contract, id: TypeId): RecordType & NamedType {
  const type = namedType(contract, id)
  if (type.kind !== 'record') throw new Error(`${id} is no record`)
  return type
}

/** The type itself, behind any references. */
export function resolve(contract: Contract, type: Type): Type {
  let current = type
  while (current.kind === 'reference') current = namedType(contract, current.to)
  return current
}

/** The type behind references and lists, however deep. */
export function itemOf(contract: Contract, type: Type): Type {
  const actual = resolve(contract, type)
  return actual.kind === 'list' ? itemOf(contract, actual.item) : actual
}

/**
 * The records a record extends and inherits from, the farthest first. One that restricts another
 * says all its fields itself.
 */
export function basesOf(contract: Contract, record: RecordType): RecordType[] {
  const bases: RecordType[] = []
  let base = record.restricts === true ? undefined : record.base
  while (base !== undefined) {
    const type = resolve(contract, base)
    if (type.kind !== 'record') break
    bases.unshift(type)
    base = type.restricts === true ? undefined : type.base
  }
  return bases
}

/** All fields of a record, those of its bases first. */
export function fieldsOf(contract: Contract, record: RecordType): Field[] {
  return [...basesOf(contract, record), record].flatMap((each) => each.fields)
}

/**
 * The fields that a value of this type may have: of a record, of all parts of an intersection, of
 * any alternative of a union.
 */
export function membersOf(contract: Contract, type: Type): Field[] {
  return membersInside(contract, type, new Set())
}

/** @param seen types that were looked into: what comes twice has nothing to add */
function membersInside(contract: Contract, type: Type, seen: Set<Type>): Field[] {
  const actual = resolve(contract, type)
  if (seen.has(actual)) return []
  seen.add(actual)
  switch (actual.kind) {
    case 'record':
      return fieldsOf(contract, actual)
    case 'intersection':
      return actual.parts.flatMap((part) => membersInside(contract, part, seen))
    case 'union':
      return actual.alternatives.flatMap((each) => membersInside(contract, each, seen))
    default:
      return []
  }
}

/**
 * For each type that others extend: the ids of those that extend it directly, in code unit order.
 */
export function directSubtypes({
  types,
}: Pick<Contract, 'types'>): ReadonlyMap<TypeId, readonly TypeId[]> {
  return once(subtypesOf, types, () => findSubtypes(types))
}

function findSubtypes(types: Contract['types']): ReadonlyMap<TypeId, readonly TypeId[]> {
  const found = new Map<TypeId, TypeId[]>()
  for (const id of Object.keys(types).sort()) {
    const type = types[id]
    if (type?.kind !== 'record' || type.base === undefined) continue
    const list = found.get(type.base.to) ?? []
    list.push(id)
    found.set(type.base.to, list)
  }
  return found
}

/** The types that stand directly inside a type. */
export function partsOf(type: Type): Type[] {
  switch (type.kind) {
    case 'record':
      return [
        ...(type.base === undefined ? [] : [type.base]),
        ...type.fields.map((field) => field.type),
        ...(type.patterned ?? []).map((each) => each.type),
        ...(type.rest === undefined ? [] : [type.rest]),
      ]
    case 'list':
      return [type.item]
    case 'map':
      return [type.value]
    case 'tuple':
      return [...type.items, ...(type.rest === undefined ? [] : [type.rest])]
    case 'union':
      return [...type.alternatives]
    case 'intersection':
      return [...type.parts]
    default:
      return []
  }
}

/** The types of messages that the service sends. */
export function typesOfIncoming(incoming: readonly Incoming[] | undefined): Type[] {
  return (incoming ?? []).flatMap(({ type }) => (type === undefined ? [] : [type]))
}

/**
 * The types that an operation names directly: of its inputs, its outcome, its faults and its
 * callbacks.
 */
export function typesOfOperation(operation: Operation): Type[] {
  const { outcome } = operation
  const out = fieldsOfOutcome(outcome).map((field) => field.type)
  const headers =
    outcome.kind === 'record' ? [] : (outcome.headers ?? []).map((field) => field.type)
  return [
    ...operation.inputs.map((input) => input.type),
    ...out,
    ...headers,
    ...operation.faults.map((fault) => fault.type),
    ...typesOfIncoming(operation.incoming),
  ]
}

/** The types of the fields by which operations tell things apart. */
function identifyingTypes(contract: Contract, { identifies = [] }: Operation): Type[] {
  return identifies.flatMap(({ type, fields }) =>
    identifyingFields(contract, type, fields).map((field) => field.type),
  )
}

function identifyingFields(contract: Contract, id: TypeId, names: readonly string[]): Field[] {
  return membersOf(contract, namedType(contract, id)).filter((field) => names.includes(field.name))
}

/** A record with only those fields that tell it apart from others. */
function identifyingShape(contract: Contract, id: TypeId, names: readonly string[]): NamedType {
  const whole = namedType(contract, id)
  if (whole.kind !== 'record') return whole
  const {
    base: _base,
    keys: _keys,
    abstract: _abstract,
    fields: _fields,
    choices: _choices,
    ...rest
  } = whole
  const keys = [...basesOf(contract, whole), whole].findLast(
    (each) => each.keys !== undefined,
  )?.keys
  return {
    ...rest,
    fields: identifyingFields(contract, id, names),
    ...present({ keys }),
  }
}

/**
 * Ids of every named type that these operations need: what they name, what hangs off that, and
 * every subtype of it. Sorted.
 */
export function reachableTypes(contract: Contract, operations: readonly Operation[]): TypeId[] {
  const subtypes = directSubtypes(contract)
  const found = new Set<TypeId>()
  let mayBeAny = false
  const waiting: Type[] = [
    ...operations.flatMap((operation) => [
      ...typesOfOperation(operation),
      ...identifyingTypes(contract, operation),
    ]),
    ...typesOfIncoming(contract.incoming),
  ]
  for (const { needs = [] } of operations)
    for (const to of needs) waiting.push({ kind: 'reference', to })
  for (let type = waiting.pop(); type !== undefined; type = waiting.pop()) {
    if (type.kind !== 'reference') {
      addAll(waiting, partsOf(type))
      if (type.kind === 'fragment' && type.mayBeRecord === true && !mayBeAny) {
        mayBeAny = true
        for (const [id, named] of Object.entries(contract.types))
          if (named.kind === 'record' && named.anonymous !== true && named.wrapper !== true)
            waiting.push({ kind: 'reference', to: id })
      }
      continue
    }
    if (found.has(type.to)) continue
    found.add(type.to)
    const named = namedType(contract, type.to)
    // A name for another type leads on to that.
    addAll(
      waiting,
      named.kind === 'reference' ? [{ kind: 'reference' as const, to: named.to }] : partsOf(named),
    )
    for (const id of subtypes.get(type.to) ?? []) waiting.push({ kind: 'reference', to: id })
  }
  return [...found].sort()
}

/**
 * The types that these operations need, as people count them: lists are written as arrays, and
 * shapes for sending are no types of their own.
 */
export function countedTypes(contract: Contract, operations: readonly Operation[]): NamedType[] {
  const ids =
    operations.length === operationsOf(contract).length
      ? Object.keys(neededOf(contract).types)
      : reachableTypes(contract, operations)
  return ids
    .map((id) => namedType(contract, id))
    .filter(
      (type) => type.kind !== 'list' && !(type.kind === 'record' && type.variantOf !== undefined),
    )
}

/** How many types these operations need. */
export function countTypes(contract: Contract, operations: readonly Operation[]): number {
  return countedTypes(contract, operations).length
}

/** The type by whose name a record goes in `$is`: its own, unless it is a shape of another one. */
export function kindOf(contract: Contract, record: RecordType & NamedType): NamedType {
  return record.variantOf === undefined ? record : namedType(contract, record.variantOf)
}

/** The contract with only the types that its operations need. */
export function neededOf(contract: Contract): Contract {
  return once(wholes, contract, () => {
    const needed = selectOperations(contract, () => true)
    wholes.set(needed, needed)
    return needed
  })
}

/** The contract with its operations as `change` makes them. */
export function changedOperations(
  contract: Contract,
  change: (operation: Operation) => Operation,
): Contract {
  return {
    ...contract,
    services: contract.services.map((service) => ({
      ...service,
      operations: service.operations.map(change),
    })),
  }
}

/**
 * The contract with only those operations that `chosen` accepts, only the services that offer some
 * of them, and only the types they need.
 */
export function selectOperations(
  contract: Contract,
  chosen: (operation: Operation) => boolean,
): Contract {
  const services = contract.services
    .map((service) => ({ ...service, operations: service.operations.filter(chosen) }))
    .filter(
      (service, at) =>
        service.operations.length > 0 || contract.services[at]?.operations.length === 0,
    )
  const ids = reachableTypes(
    contract,
    services.flatMap((service) => service.operations),
  )
  const types = new Map(ids.map((id) => [id, namedType(contract, id)]))
  for (const { type, fields } of services.flatMap((service) =>
    service.operations.flatMap(({ identifies = [] }) => identifies),
  ))
    if (!types.has(type)) types.set(type, identifyingShape(contract, type, fields))
  return {
    ...contract,
    services,
    types: Object.fromEntries(byName(types)),
  }
}

/**
 * Is there a type of this kind anywhere in a contract: named, or inside others, or of an operation?
 */
export function someType(contract: Contract, wanted: (type: Type) => boolean): boolean {
  const waiting: Type[] = typesOfIncoming(contract.incoming)
  for (const operation of operationsOf(contract))
    for (const type of typesOfOperation(operation)) waiting.push(type)
  for (const id of Object.keys(contract.types)) waiting.push(namedType(contract, id))
  for (let type = waiting.pop(); type !== undefined; type = waiting.pop()) {
    if (wanted(type)) return true
    for (const part of partsOf(type)) waiting.push(part)
  }
  return false
}

/** What an operation answers: one field, several, or none. */
export function fieldsOfOutcome(outcome: Operation['outcome']): readonly Field[] {
  if (outcome.kind === 'value') return [outcome.field]
  return outcome.kind === 'record' ? outcome.fields : []
}

/** A type as what it is made of, without the name that it may have. */
export function withoutName<T extends Type>(type: T): T {
  const {
    id: _id,
    name: _name,
    origin: _origin,
    ...rest
  } = type as T & Partial<Pick<NamedType, 'id' | 'name' | 'origin'>>
  return rest as unknown as T
}

/**
 * The kinds of credentials that a contract declares, as settings and the project file call them.
 */
export function declaredCredentials({ security }: Contract): string[] {
  const kinds = security.map(({ scheme }) => (scheme === 'usernameToken' ? 'wsse' : scheme))
  return kinds.filter((kind) => kind !== 'unsupported')
}

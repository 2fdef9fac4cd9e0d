import { addTo } from '../../contract/lists.js'
import type {
  Contract,
  Endpoint,
  EnumerationMember,
  Fault,
  Field,
  NamedType,
  Operation,
  Origin,
} from '../../contract/contract.js'
import { groupOf } from '../../contract/choice.js'
import { matchName, matchPath, nearestAdvice } from '../../contract/nearest.js'
import { problem } from '../../contract/problem.js'
import { endpointsOf, membersOf, operationsOf, pathOf } from '../../contract/queries.js'

/** Something of a contract that a person can name. */
export type Thing =
  | { readonly kind: 'operation'; readonly name: string; readonly operation: Operation }
  | {
      readonly kind: 'group'
      readonly name: string
      readonly operations: readonly Operation[]
      readonly origin: Origin
    }
  | { readonly kind: 'type'; readonly name: string; readonly type: NamedType }
  | { readonly kind: 'endpoint'; readonly name: string; readonly endpoint: Endpoint }
  | {
      readonly kind: 'input'
      readonly name: string
      readonly operation: Operation
      readonly field: Field
    }
  | {
      readonly kind: 'fault'
      readonly name: string
      readonly operation: Operation
      readonly fault: Fault
    }
  | {
      readonly kind: 'field'
      readonly name: string
      readonly type: NamedType
      readonly field: Field
    }
  | {
      readonly kind: 'value'
      readonly name: string
      readonly type: NamedType
      readonly member: EnumerationMember
    }

/** What can be named by itself, in the order in which a name is taken for one. */
const kinds = ['operation', 'group', 'type', 'endpoint'] as const
type Kind = (typeof kinds)[number]

/** Everything that can be named by itself, by kind and name. Types go by their ids, too. */
function thingsOf(contract: Contract): Readonly<Record<Kind, ReadonlyMap<string, Thing>>> {
  const operations = operationsOf(contract)
  const members = new Map<string, Operation[]>()
  for (const operation of operations)
    for (const group of new Set([groupOf(operation) ?? [], operation.tags ?? []].flat()))
      addTo(members, group, operation)
  const origins = new Map(
    contract.services
      .flatMap(({ groups = [] }) => groups)
      .map(({ name, origin }) => [name, origin]),
  )
  const types = Object.values(contract.types)
  const typeAs = (called: (type: NamedType) => string): (readonly [string, Thing])[] =>
    types.map((type) => [called(type), { kind: 'type', name: type.name, type }])
  return {
    operation: new Map(
      operations.map((operation) => {
        const name = pathOf(operation)
        return [name, { kind: 'operation', name, operation }]
      }),
    ),
    group: new Map(
      [...members].map(([name, all]) => {
        const origin = origins.get(name) ?? (all[0] as Operation).origin
        return [name, { kind: 'group', name, operations: all, origin }]
      }),
    ),
    type: new Map([...typeAs(({ id }) => id), ...typeAs(({ name }) => name).reverse()]),
    endpoint: new Map(
      endpointsOf(contract).map((endpoint) => [
        endpoint.name,
        { kind: 'endpoint', name: endpoint.name, endpoint },
      ]),
    ),
  }
}

/**
 * What else goes by the name of a thing, as it can be named alone: `type:Vessel`, and types of the
 * same name in other namespaces by their ids.
 */
export function othersNamed(contract: Contract, thing: Thing): string[] {
  if (!kinds.some((kind) => kind === thing.kind)) return []
  const { name } = thing
  const things = thingsOf(contract)
  const others = kinds.filter(
    (kind) => kind !== 'type' && kind !== thing.kind && things[kind].has(name),
  )
  const types = Object.values(contract.types).filter((type) => type.name === name)
  const isMeant = ({ id }: NamedType): boolean => thing.kind === 'type' && thing.type.id === id
  return [
    ...others.map((kind) => `${kind}:${name}`),
    ...types
      .filter((type) => !isMeant(type))
      .map(({ id }) => `type:${types.length === 1 ? name : id}`),
  ]
}

/**
 * The thing that a person means: an operation, a group of operations (an entity set, a tag), a
 * type, an endpoint, by its name alone or with its kind before it (`type:Vessel`); or with a dot
 * behind it the input or fault of an operation, the field of a type, the value of an enumeration; an
 * association by its name is the field that leads along it.
 * Exactly first, then ignoring case, then an operation by the last step of its path.
 *
 * @param contractName what the contract is called in messages
 * @throws Problem TM-1005 with the nearest names
 */
export function thingNamed(contract: Contract, wanted: string, contractName: string): Thing {
  const things = thingsOf(contract)
  const [, kind, rest = ''] = /^(operation|group|type|endpoint):(.+)$/.exec(wanted) ?? []
  const alone = kind === undefined ? undefined : things[kind as Kind]
  const exactly = alone?.get(matchName(rest, [...alone.keys()]) ?? '')
  if (exactly !== undefined) return exactly
  const all = [...new Set(kinds.flatMap((each) => [...things[each].keys()]))]

  const whole = (text: string): Thing | undefined => {
    const name = matchName(text, all) ?? matchPath(text, [...things.operation.keys()]) ?? ''
    return kinds.map((each) => things[each].get(name)).find((thing) => thing !== undefined)
  }
  const found = whole(wanted) ?? associationNamed(contract, wanted)
  if (found !== undefined) return found

  // Names can have dots in them: the owner is what stands before any of them.
  let inside:
    | { readonly owner: string; readonly member: string; readonly names: readonly string[] }
    | undefined
  for (let dot = wanted.lastIndexOf('.'); dot > 0; dot = wanted.lastIndexOf('.', dot - 1)) {
    const owner = wanted.slice(0, dot)
    // A type may be called like an operation.
    const type = things.type.get(matchName(owner, [...things.type.keys()]) ?? '')
    const owners = [whole(owner), type]
    for (const each of owners) {
      const members = each === undefined ? new Map<string, Thing>() : membersOfThing(contract, each)
      const member = members.get(matchName(wanted.slice(dot + 1), [...members.keys()]) ?? '')
      if (member !== undefined) return member
      if (each !== undefined && members.size > 0)
        inside = { owner: each.name, member: wanted.slice(dot + 1), names: [...members.keys()] }
    }
  }
  if (inside !== undefined)
    throw problem('TM-1005', {
      what: 'field, input or value',
      name: inside.member,
      contract: inside.owner,
      nearest: nearestAdvice(inside.member, inside.names),
    })
  throw problem('TM-1005', {
    what: 'operation, group, type or endpoint',
    name: wanted,
    contract: contractName,
    nearest: nearestAdvice(
      wanted,
      all.filter((name) => !things.type.has(name) || things.type.get(name)?.name === name),
    ),
  })
}

/** The field that an association is told by, by the name of the association. */
function associationNamed(contract: Contract, wanted: string): Thing | undefined {
  const fields = new Map(
    Object.values(contract.types)
      .flatMap((type) =>
        type.kind === 'record' ? type.fields.map((field) => ({ type, field })) : [],
      )
      .flatMap(({ type, field }): [string, Thing][] =>
        field.relation?.association === undefined
          ? []
          : [
              [
                field.relation.association,
                { kind: 'field', name: `${type.name}.${field.name}`, type, field },
              ],
            ],
      )
      // Of both ends the first tells it.
      .reverse(),
  )
  return fields.get(matchName(wanted, [...fields.keys()]) ?? '')
}

/** What can be named behind a dot. */
function membersOfThing(contract: Contract, thing: Thing): Map<string, Thing> {
  if (thing.kind === 'operation') {
    const { operation, name } = thing
    const faults = operation.faults.map((fault): [string, Thing] => [
      fault.name,
      { kind: 'fault', name: `${name}.${fault.name}`, operation, fault },
    ])
    return new Map([
      ...faults,
      ...operation.inputs.map((field): [string, Thing] => [
        field.name,
        { kind: 'input', name: `${name}.${field.name}`, operation, field },
      ]),
    ])
  }
  if (thing.kind !== 'type') return new Map()
  const { type, name } = thing
  if (type.kind === 'enumeration')
    return new Map(
      type.members.map((member) => [
        member.value,
        { kind: 'value', name: `${name}.${member.value}`, type, member },
      ]),
    )
  return new Map(
    membersOf(contract, type).map((field) => [
      field.name,
      { kind: 'field', name: `${name}.${field.name}`, type, field },
    ]),
  )
}

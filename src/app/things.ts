import { addTo } from '../contract/lists.js'
import type {
  Contract,
  Endpoint,
  EnumerationMember,
  Fault,
  Field,
  NamedType,
  Operation,
  Origin,
} from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { matchName, matchPath, nearestAdvice } from '../contract/nearest.js'
import { problem } from '../contract/problem.js'
import { endpointsOf, membersOf, operationsOf, pathOf } from '../contract/queries.js'

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

/**
 * The thing that a person means: an operation, a group of operations (an entity set, a tag), a
 * type, an endpoint; or with a dot behind it the input or fault of an operation, the field of a
 * type, the value of an enumeration. Exactly first, then ignoring case, then an operation by the
 * last step of its path.
 *
 * @param contractName what the contract is called in messages
 * @throws Problem TM-1005 with the nearest names
 */
export function thingNamed(contract: Contract, wanted: string, contractName: string): Thing {
  const operations = new Map(
    operationsOf(contract).map((operation) => [pathOf(operation), operation]),
  )
  const types = new Map(Object.values(contract.types).map((type) => [type.name, type]))
  const endpoints = new Map(endpointsOf(contract).map((endpoint) => [endpoint.name, endpoint]))
  const groups = new Map<string, Operation[]>()
  for (const operation of operations.values())
    for (const group of new Set([groupOf(operation) ?? [], operation.tags ?? []].flat()))
      addTo(groups, group, operation)
  const all = [
    ...new Set([...operations.keys(), ...groups.keys(), ...types.keys(), ...endpoints.keys()]),
  ]

  const whole = (text: string): Thing | undefined => {
    const name = matchName(text, all) ?? matchPath(text, [...operations.keys()]) ?? ''
    const operation = operations.get(name)
    if (operation !== undefined) return { kind: 'operation', name, operation }
    const members = groups.get(name)
    const said = contract.services
      .flatMap(({ groups: all = [] }) => all)
      .find((group) => group.name === name)
    if (members?.[0] !== undefined)
      return { kind: 'group', name, operations: members, origin: said?.origin ?? members[0].origin }
    const type = types.get(name)
    if (type !== undefined) return { kind: 'type', name, type }
    const endpoint = endpoints.get(name)
    return endpoint === undefined ? undefined : { kind: 'endpoint', name, endpoint }
  }
  const found = whole(wanted)
  if (found !== undefined) return found

  // Names can have dots in them: the owner is what stands before any of them.
  let inside:
    | { readonly owner: string; readonly member: string; readonly names: readonly string[] }
    | undefined
  for (let dot = wanted.lastIndexOf('.'); dot > 0; dot = wanted.lastIndexOf('.', dot - 1)) {
    const owner = wanted.slice(0, dot)
    // A type may be called like an operation.
    const type = types.get(matchName(owner, [...types.keys()]) ?? '')
    const owners = [
      whole(owner),
      type === undefined ? undefined : ({ kind: 'type', name: type.name, type } satisfies Thing),
    ]
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
    nearest: nearestAdvice(wanted, all),
  })
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

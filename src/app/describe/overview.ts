import { compareTexts } from '../../contract/ordering.js'
import { present } from '../../contract/present.js'
import { addTo } from '../../contract/lists.js'
import type { Contract, Operation, OperationGroup } from '../../contract/contract.js'
import { groupOf } from '../../contract/choice.js'
import {
  countedTypes,
  endpointsOf,
  namedType,
  operationsOf,
  pathOf,
} from '../../contract/queries.js'
import type { OpenContract } from '../contracts/open-contract.js'
import { preferredEndpoint } from '../contracts/preferred-endpoint.js'
import { firstSentence, inputsText, outcomeText, whatText } from './words.js'

/** An operation in one line. */
export interface OperationSummary {
  readonly name: string
  readonly inputs: string
  readonly outcome: string
  readonly documentation: string | undefined
}

/** Operations that belong together; those that stand by themselves have the name `''`. */
export interface GroupSummary {
  readonly name: string
  /** What its things are: `Vessel[]`, `Harbour`. */
  readonly holds: string | undefined
  readonly documentation: string | undefined
  /** Those that every such group has, by the last step of their names. */
  readonly standard: readonly string[]
  /** The others, or all. */
  readonly operations: readonly OperationSummary[]
}

/** A contract at a glance. */
export interface Overview {
  readonly kind: 'contract'
  readonly contract: string
  readonly dialect: string
  readonly title: string
  readonly documentation: string | undefined
  readonly counts: {
    readonly endpoints: number
    readonly operations: number
    readonly types: number
    readonly notes: number
  }
  /** What is chosen of what there is, where that is not all. */
  readonly choice?: Choice
  readonly services: readonly {
    readonly name: string
    readonly endpoints: readonly {
      readonly name: string
      readonly protocol: string
      readonly address: string
      readonly preferred: boolean
    }[]
    readonly groups: readonly GroupSummary[]
  }[]
  readonly types: readonly {
    readonly name: string
    readonly kind: string
    readonly what: string
    readonly documentation: string | undefined
  }[]
  readonly notes: Contract['notes']
}

/** What `only` takes of a contract. */
export interface Choice {
  readonly only: readonly string[]
  readonly operations: { readonly all: number; readonly left: readonly string[] }
  readonly types: { readonly all: number }
}

/** A contract at a glance: counts, endpoints, operations by group, types. */
export function overview(open: OpenContract): Overview {
  const { contract } = open
  const operations = operationsOf(contract)
  const used = countedTypes(contract, operations)
  const preferred = preferredEndpoint(endpointsOf(contract), operations, open.kept?.entry.endpoint)
    ?.chosen.name
  const choice = choiceOf(open)
  return {
    kind: 'contract',
    contract: open.name,
    dialect: contract.dialect,
    title: contract.title,
    documentation: contract.documentation,
    counts: {
      endpoints: endpointsOf(contract).length,
      operations: operations.length,
      types: used.length,
      notes: contract.notes.length,
    },
    ...present({ choice }),
    services: contract.services.map((service) => {
      const said = new Map((service.groups ?? []).map((group) => [group.name, group]))
      return {
        name: service.name,
        endpoints: service.endpoints.map(({ name, protocol, address }) => ({
          name,
          protocol,
          address,
          preferred: name === preferred,
        })),
        groups: [...byGroup(service.operations)].map(([name, members]) =>
          summariseGroup(contract, said.get(name), name, members),
        ),
      }
    }),
    types: used
      .map((type) => ({
        name: type.name,
        kind: type.kind,
        what: whatText(contract, type),
        documentation: firstSentence(type.documentation),
      }))
      .sort((a, b) => compareTexts(a.name, b.name)),
    notes: contract.notes,
  }
}

function summariseGroup(
  contract: Contract,
  said: OperationGroup | undefined,
  name: string,
  members: readonly Operation[],
): GroupSummary {
  return {
    name,
    holds: heldText(contract, said),
    documentation: firstSentence(said?.documentation),
    standard: members
      .filter((operation) => operation.standard === true)
      .map(({ path }) => path.at(-1) ?? ''),
    operations: members
      .filter((operation) => operation.standard !== true)
      .map((operation) => summarise(contract, operation)),
  }
}

/** What the things of a group are: `Vessel[]`, `Harbour`; undefined where that is not said. */
export function heldText(
  contract: Contract,
  { holds }: Partial<OperationGroup> = {},
): string | undefined {
  return holds === undefined
    ? undefined
    : `${namedType(contract, holds.type).name}${holds.many ? '[]' : ''}`
}

/** What is chosen, and what is left; undefined where everything is. */
export function choiceOf({ contract, whole, kept }: OpenContract): Choice | undefined {
  const only = kept?.entry.only
  if (only === undefined) return undefined
  const chosen = new Set(operationsOf(contract).map(pathOf))
  const all = operationsOf(whole)
  return {
    only,
    operations: { all: all.length, left: all.map(pathOf).filter((path) => !chosen.has(path)) },
    types: { all: countedTypes(whole, all).length },
  }
}

/** An operation in one line. */
export function summarise(contract: Contract, operation: Operation): OperationSummary {
  return {
    name: pathOf(operation),
    inputs: inputsText(operation),
    outcome: outcomeText(contract, operation),
    documentation: firstSentence(operation.documentation),
  }
}

/** Operations by their group; those that stand by themselves under `''`. */
export function byGroup(operations: readonly Operation[]): Map<string, Operation[]> {
  const groups = new Map<string, Operation[]>()
  for (const operation of operations) {
    const group = groupOf(operation) ?? ''
    addTo(groups, group, operation)
  }
  return groups
}

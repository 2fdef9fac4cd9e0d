import { addEach, addTo } from '../../contract/lists.js'
import type {
  Contract,
  Endpoint,
  Field,
  Operation,
  SecurityScheme,
  Type,
  TypeId,
  Origin,
  PlaceInDocument,
} from '../../contract/contract.js'
import { once } from '../../contract/once.js'
import { groupOf } from '../../contract/choice.js'
import {
  directSubtypes,
  endpointsOffering,
  fieldsOfOutcome,
  membersOf,
  namedType,
  operationsOf,
  partsOf,
  pathOf,
  resolve,
  typesOfOperation,
} from '../../contract/queries.js'
import type { Dialect } from '../../dialects/dialect.js'
import { groupName } from '../../naming/methods.js'
import type { Names } from '../../naming/names.js'
import { methodHead, operationTypes } from '../../typescript/operation-page.js'
import { Page } from '../../printing/page.js'
import { declaration, TypeTexts } from '../../typescript/types.js'
import { describeField, type FieldDescription } from './fields.js'
import { summarise, type OperationSummary } from './overview.js'
import { typeText } from '../../contract/type-text.js'
import { outcomeText, placeText, whatText } from './words.js'

export interface OperationDescription {
  readonly kind: 'operation'
  readonly name: string
  /** `only` leaves it out. */
  readonly leftOut: boolean
  readonly deprecated: boolean
  readonly documentation: string | undefined
  readonly inputs: readonly FieldDescription[]
  readonly headers: readonly FieldDescription[]
  readonly outcome: readonly FieldDescription[]
  readonly outcomeType: string
  readonly faults: readonly {
    readonly name: string
    readonly type: string
    readonly documentation: string | undefined
  }[]
  /** As it is declared in TypeScript, and the types that it declares itself. */
  readonly signature: string
  readonly declarations: readonly string[]
  /** The lines at the prompt that call it with a sample, where somebody looks at it there. */
  readonly call?: string
  /** What differs between the endpoints, or holds at each. */
  readonly wire: {
    readonly everywhere: readonly (readonly [string, string])[]
    readonly endpoints: readonly {
      readonly endpoint: string
      readonly facts: readonly (readonly [string, string])[]
    }[]
  }
  readonly origin: string
}

export interface TypeDescription {
  readonly kind: 'type'
  readonly name: string
  readonly leftOut: boolean
  readonly what: string
  readonly documentation: string | undefined
  readonly extends: string | undefined
  readonly extendedBy: readonly string[]
  readonly fields: readonly FieldDescription[]
  readonly values: readonly { readonly value: string; readonly documentation: string | undefined }[]
  /** What a value must satisfy as a whole, in words. */
  readonly rules: readonly string[]
  /** Operations and types that name it, and types that it names. */
  readonly usedBy: readonly string[]
  readonly uses: readonly string[]
  /** As it is declared in TypeScript. */
  readonly declarations: readonly string[]
  readonly origin: string
}

export interface EndpointDescription {
  readonly kind: 'endpoint'
  readonly name: string
  readonly protocol: string
  readonly address: string
  readonly documentation: string | undefined
  /**
   * The credentials that it wants: alternatives, each with the operations that want it where those
   * are not all.
   */
  readonly credentials: readonly {
    readonly wanted: string
    readonly operations: readonly string[] | undefined
  }[]
  /** Message headers that some of its operations take. */
  readonly headers: readonly string[]
  readonly operations: readonly string[]
  readonly origin: string
}

/** The operations that belong together: an entity set, a tag. */
export interface GroupDescription {
  readonly kind: 'group'
  readonly name: string
  readonly documentation: string | undefined
  readonly operations: readonly OperationSummary[]
  /** The types that the operations name, but for the shapes of what is sent. */
  readonly types: readonly string[]
}

/**
 * What descriptions are made from: a contract, how its client calls things, and which of its
 * operations are chosen.
 */
export interface Described {
  readonly contract: Contract
  readonly dialect: Dialect
  readonly names: Names
  /** Paths of the operations that `only` leaves out. */
  readonly left: ReadonlySet<string>
  /** Ids of the types that no chosen operation needs. */
  readonly leftTypes: ReadonlySet<string>
  /** Where something was declared. */
  readonly placeOf: (origin: Origin) => PlaceInDocument
}

/** An operation in full. */
export function describeOperation(
  { contract, dialect, names, left, placeOf }: Described,
  operation: Operation,
): OperationDescription {
  const { outcome } = operation
  const outputs = fieldsOfOutcome(outcome)
  const texts = new TypeTexts(contract, names, dialect.emit.open)
  const group = groupOf(operation)
  const leftOut = left.has(pathOf(operation))
  return {
    kind: 'operation',
    name: pathOf(operation),
    leftOut,
    deprecated: operation.deprecated === true,
    documentation: operation.documentation,
    inputs: operation.inputs
      .filter((each) => each.place !== 'messageHeader')
      .map((field) => describeField(contract, field, 1, operation.choices)),
    headers: operation.inputs
      .filter((each) => each.place === 'messageHeader')
      .map((field) => describeField(contract, field)),
    outcome: outputs.map((field) => describeField(contract, field)),
    outcomeType: outcomeText(contract, operation),
    faults: operation.faults.map((fault) => ({
      name: fault.name,
      type: typeText(contract, fault.type),
      documentation: fault.documentation ?? resolve(contract, fault.type).documentation,
    })),
    signature: `${group === undefined ? '' : `${groupName(group)}.`}${methodHead(operation, texts, new Page('shown'), dialect)}`,
    declarations: operationTypes(operation, texts, dialect),
    wire: commonFacts(
      endpointsOffering(contract, operation).map((endpoint) => ({
        endpoint: endpoint.name,
        facts: dialect.describe(contract, operation, endpoint),
      })),
    ),
    origin: placeText(placeOf(operation.origin)),
  }
}

/** Facts that hold at every endpoint are told once. */
function commonFacts(
  endpoints: OperationDescription['wire']['endpoints'],
): OperationDescription['wire'] {
  const [first, ...others] = endpoints
  const isCommon = ([label, value]: readonly [string, string]): boolean =>
    others.every(({ facts }) => facts.some((fact) => fact[0] === label && fact[1] === value))
  const everywhere = others.length === 0 ? [] : (first?.facts.filter(isCommon) ?? [])
  return {
    everywhere,
    endpoints: endpoints.map(({ endpoint, facts }) => ({
      endpoint,
      facts: facts.filter(([label]) => !everywhere.some((fact) => fact[0] === label)),
    })),
  }
}

/** A type in full. @param fields which fields: its own, or those that it inherits, too */
export function describeType(
  { contract, dialect, names, leftTypes, placeOf }: Described,
  id: string,
  fields: 'all' | 'own' = 'all',
): TypeDescription {
  const type = namedType(contract, id)
  const shown =
    type.kind === 'record' && fields === 'own' ? type.fields : membersToShow(contract, type)
  const subtypes = directSubtypes(contract).get(id) ?? []
  const uses = partsOf(type)
    .flatMap(namedIn)
    .filter((each) => each !== id && !(type.kind === 'record' && type.base?.to === each))
  return {
    kind: 'type',
    name: type.name,
    leftOut: leftTypes.has(id),
    what: whatText(contract, type),
    documentation: type.documentation,
    extends:
      type.kind === 'record' && type.base !== undefined
        ? namedType(contract, type.base.to).name
        : undefined,
    extendedBy: subtypes.map((each) => namedType(contract, each).name),
    fields: shown.map((field) =>
      describeField(contract, field, 0, type.kind === 'record' ? type.choices : []),
    ),
    values:
      type.kind === 'enumeration'
        ? type.members.map(({ value, documentation }) => ({ value, documentation }))
        : [],
    rules: dialect.rulesInWords?.(contract, type) ?? [],
    usedBy: usersOf(contract).get(id) ?? [],
    uses: distinct(uses.map((each) => namedType(contract, each).name)),
    declarations: declaration(
      new TypeTexts(contract, names, dialect.emit.open),
      type,
      new Page('types'),
    ),
    origin: placeText(placeOf(type.origin)),
  }
}

/** An endpoint in full. */
export function describeEndpoint(
  { contract, placeOf }: Described,
  endpoint: Endpoint,
): EndpointDescription {
  const operations = operationsOf(contract).filter((operation) =>
    Object.hasOwn(operation.wire, endpoint.name),
  )
  const { name, protocol, address, documentation } = endpoint
  return {
    kind: 'endpoint',
    name,
    protocol,
    address,
    documentation,
    credentials: credentialsOf(contract, operations),
    headers: distinct(
      operations.flatMap(({ inputs }) =>
        inputs.filter(({ place }) => place === 'messageHeader').map((input) => input.name),
      ),
    ),
    operations: operations.map(pathOf),
    origin: placeText(placeOf(endpoint.origin)),
  }
}

/**
 * What operations want of whoever calls, in words; those that say nothing of their own want what
 * the contract does.
 */
function credentialsOf(
  { security }: Contract,
  operations: readonly Operation[],
): EndpointDescription['credentials'] {
  const inWords = (name: string): string => {
    const scheme = security.find((each) => each.name === name)
    return scheme === undefined ? name : schemeText(scheme)
  }
  const wishes = new Map<string, string[]>()
  for (const operation of operations) {
    // Where no operation of a contract says anything, what the whole contract wants holds for all.
    const alternatives =
      operation.security?.map((each) => each.map(inWords).join(' and ') || 'none') ??
      (operations.some((each) => each.security !== undefined) || security.length === 0
        ? ['none']
        : [security.map(schemeText).join(' and ')])
    const wanted = alternatives.join(', or ')
    addTo(wishes, wanted, pathOf(operation))
  }
  return [...wishes].map(([wanted, paths]) => ({
    wanted,
    operations: wishes.size === 1 ? undefined : paths,
  }))
}

const schemeWords: Readonly<Record<SecurityScheme['scheme'], string>> = {
  basic: 'user and password (basic)',
  bearer: 'a token (bearer)',
  digest: 'user and password (digest)',
  key: 'a key',
  usernameToken: 'user and password in the message',
  oauth2: 'a token (OAuth 2)',
  certificate: 'a client certificate',
  unsupported: 'a scheme that Tolmach does not know',
}

function schemeText({ name, scheme }: SecurityScheme): string {
  return `${name}: ${schemeWords[scheme]}`
}

/** The operations of a group, and the types that they are about. */
export function describeGroup(
  { contract }: Described,
  name: string,
  operations: readonly Operation[],
): GroupDescription {
  const types = operations
    .flatMap(typesOfOperation)
    .flatMap(namedIn)
    .map((id) => namedType(contract, id))
    .filter((type) => type.kind !== 'record' || type.variantOf === undefined)
  const said = contract.services
    .flatMap(({ groups = [] }) => groups)
    .find((group) => group.name === name)
  return {
    kind: 'group',
    name,
    documentation: said?.documentation,
    operations: operations.map((operation) => summarise(contract, operation)),
    types: distinct(types.map((type) => type.name)),
  }
}

const users = new WeakMap<Contract, ReadonlyMap<TypeId, readonly string[]>>()

/** Who names a type, by its id: operations, then other types. */
function usersOf(contract: Contract): ReadonlyMap<TypeId, readonly string[]> {
  return once(users, contract, () => {
    const found = new Map<TypeId, string[]>()
    for (const operation of operationsOf(contract))
      for (const id of new Set(typesOfOperation(operation).flatMap(namedIn)))
        addTo(found, id, pathOf(operation))
    // Types of one name, of several namespaces, are told once.
    const named = new Map<TypeId, string[]>()
    for (const type of Object.values(contract.types))
      for (const id of new Set(namedIn(type))) if (id !== type.id) addTo(named, id, type.name)
    for (const [id, names] of named) addEach(found, id, new Set(names))
    return found
  })
}

/** Ids of the types that a type names: itself, or inside. */
function namedIn(type: Type): string[] {
  return type.kind === 'reference' ? [type.to] : partsOf(type).flatMap(namedIn)
}

function distinct(names: readonly string[]): string[] {
  return [...new Set(names)]
}

/** Members of a union depend on its alternatives: those say them. */
function membersToShow(contract: Contract, type: Type): readonly Field[] {
  return ['record', 'intersection'].includes(type.kind) ? membersOf(contract, type) : []
}

import type { Choice, Contract, Endpoint, Field, Operation, ScalarType, Type } from '../contract/contract.js'
import { matchName, nearestAdvice } from '../contract/nearest.js'
import { problem } from '../contract/problem.js'
import { countedTypes, directSubtypes, endpointsOf, endpointsOffering, fieldsOf, membersOf, namedType, operationsOf, partsOf, pathOf, resolve, neededOf, typesOfOperation } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { methodName } from '../naming/methods.js'
import { operationExports } from '../naming/names.js'
import { constraintTexts, hasDefault } from '../typescript/types.js'
import { preferredEndpoint } from './preferred-endpoint.js'
import { namesFor } from './client-names.js'
import { openContract, type OpenContract, type OpenOptions } from './open-contract.js'

/** An operation in one line. */
export interface OperationSummary {
  readonly name: string
  readonly inputs: string
  readonly outcome: string
  readonly documentation: string | undefined
}

/** A contract at a glance. */
export interface Overview {
  readonly kind: 'contract'
  readonly contract: string
  readonly dialect: string
  readonly title: string
  readonly documentation: string | undefined
  readonly counts: { readonly endpoints: number; readonly operations: number; readonly types: number; readonly notes: number }
  readonly services: readonly {
    readonly name: string
    readonly endpoints: readonly { readonly name: string; readonly protocol: string; readonly address: string; readonly preferred: boolean }[]
    readonly operations: readonly OperationSummary[]
  }[]
  readonly types: readonly { readonly name: string; readonly what: string; readonly documentation: string | undefined }[]
  readonly notes: Contract['notes']
}

/** A field for people: its name, type in words, and what else holds. */
export interface FieldDescription {
  readonly name: string
  readonly type: string
  readonly required: boolean
  readonly rules: string
  readonly documentation: string | undefined
  /** The fields inside, where it is a record or a list of records. */
  readonly fields: readonly FieldDescription[]
}

export interface OperationDescription {
  readonly kind: 'operation'
  readonly name: string
  readonly documentation: string | undefined
  readonly inputs: readonly FieldDescription[]
  readonly headers: readonly FieldDescription[]
  readonly outcome: readonly FieldDescription[]
  readonly outcomeType: string
  readonly faults: readonly { readonly name: string; readonly type: string; readonly documentation: string | undefined }[]
  readonly signature: string
  /** What differs between the endpoints, or holds at each. */
  readonly wire: {
    readonly everywhere: readonly (readonly [string, string])[]
    readonly endpoints: readonly { readonly endpoint: string; readonly facts: readonly (readonly [string, string])[] }[]
  }
  readonly origin: string
}

export interface TypeDescription {
  readonly kind: 'type'
  readonly name: string
  readonly what: string
  readonly documentation: string | undefined
  readonly extends: string | undefined
  readonly extendedBy: readonly string[]
  readonly fields: readonly FieldDescription[]
  readonly values: readonly { readonly value: string; readonly documentation: string | undefined }[]
  readonly usedBy: readonly string[]
  readonly origin: string
}

export interface EndpointDescription {
  readonly kind: 'endpoint'
  readonly name: string
  readonly protocol: string
  readonly address: string
  readonly documentation: string | undefined
  readonly operations: readonly string[]
  readonly origin: string
}

/** The operations that belong together: an entity set, a tag. */
export interface GroupDescription {
  readonly kind: 'group'
  readonly name: string
  readonly operations: readonly OperationSummary[]
  /** The types that the operations name, but for the shapes of what is sent. */
  readonly types: readonly string[]
}

export type Shown = Overview | GroupDescription | OperationDescription | TypeDescription | EndpointDescription

/**
 * What is in a contract: the overview, or one operation, type or endpoint in full.
 *
 * @throws Problem TM-1005 when there is no such thing, with the nearest names; those of opening a contract
 */
export async function showContract(reference: string, thing: string | undefined, options: OpenOptions = {}): Promise<Shown> {
  const open = await openContract(reference, options)
  if (thing === undefined) return overview(open)
  // Types that no operation needs are in nobody's way.
  const contract = neededOf(open.contract)
  const operations = new Map(operationsOf(contract).map((operation) => [pathOf(operation), operation]))
  const endpoints = new Map(endpointsOf(contract).map((endpoint) => [endpoint.name, endpoint]))
  const types = new Map(Object.values(contract.types).map((type) => [type.name, type]))
  const groups = new Set(operationsOf(contract).flatMap(({ path }) => (path.length > 1 ? [path[0] ?? ''] : [])))
  const all = [...operations.keys(), ...groups, ...types.keys(), ...endpoints.keys()]
  const exact = all.includes(thing) ? thing : matchName(thing, all)
  const operation = operations.get(exact ?? '')
  if (operation !== undefined) return describeOperation(open, operation)
  if (groups.has(exact ?? '')) return describeGroup(contract, exact ?? '')
  const type = types.get(exact ?? '')
  if (type !== undefined) return describeType(contract, type.id)
  const endpoint = endpoints.get(exact ?? '')
  if (endpoint !== undefined) return describeEndpoint(contract, endpoint)
  throw problem('TM-1005', { what: 'operation, group, type or endpoint', name: thing, contract: open.name, nearest: nearestAdvice(thing, all) })
}

function overview(open: OpenContract): Overview {
  const { contract } = open
  const operations = operationsOf(contract)
  const used = countedTypes(contract, operations)
  const preferred = preferredEndpoint(endpointsOf(contract), operations, open.kept?.entry.endpoint)?.chosen.name
  return {
    kind: 'contract',
    contract: open.name,
    dialect: contract.dialect,
    title: contract.title,
    documentation: contract.documentation,
    counts: { endpoints: endpointsOf(contract).length, operations: operations.length, types: used.length, notes: contract.notes.length },
    services: contract.services.map((service) => ({
      name: service.name,
      endpoints: service.endpoints.map(({ name, protocol, address }) => ({ name, protocol, address, preferred: name === preferred })),
      operations: service.operations.map((operation) => summarise(contract, operation)),
    })),
    types: used.map((type) => ({ name: type.name, what: whatText(contract, type), documentation: firstSentence(type.documentation) })).sort((a, b) => (a.name < b.name ? -1 : 1)),
    notes: contract.notes,
  }
}

function summarise(contract: Contract, operation: Operation): OperationSummary {
  return { name: pathOf(operation), inputs: inputsText(operation), outcome: outcomeText(contract, operation), documentation: firstSentence(operation.documentation) }
}

function describeGroup(contract: Contract, name: string): GroupDescription {
  const operations = operationsOf(contract).filter(({ path }) => path.length > 1 && path[0] === name)
  const named = (type: Type): Type[] => (type.kind === 'reference' ? [type] : partsOf(type).flatMap(named))
  const ids = operations.flatMap(typesOfOperation).flatMap(named).map((type) => (type.kind === 'reference' ? type.to : ''))
  const types = ids.map((id) => namedType(contract, id)).filter((type) => type.kind !== 'record' || type.variantOf === undefined)
  return { kind: 'group', name, operations: operations.map((operation) => summarise(contract, operation)), types: [...new Set(types.map((type) => type.name))] }
}

async function describeOperation(open: OpenContract, operation: Operation): Promise<OperationDescription> {
  const { contract } = open
  const dialect = await dialectNamed(contract.dialect)
  const names = await namesFor(open)
  const { outcome } = operation
  const outputs = outcome.kind === 'value' ? [outcome.field] : outcome.kind === 'record' ? outcome.fields : []
  const [, input] = operationExports(names.operations[pathOf(operation)] ?? '')
  const group = operation.path.slice(0, -1).map((step) => `${step}.`).join('')
  return {
    kind: 'operation',
    name: pathOf(operation),
    documentation: operation.documentation,
    inputs: operation.inputs.filter((each) => each.place !== 'messageHeader').map((field) => describeField(contract, field, 1, operation.choices)),
    headers: operation.inputs.filter((each) => each.place === 'messageHeader').map((field) => describeField(contract, field)),
    outcome: outputs.map((field) => describeField(contract, field)),
    outcomeType: outcomeText(contract, operation),
    faults: operation.faults.map((fault) => ({ name: fault.name, type: typeText(contract, fault.type), documentation: fault.documentation ?? resolve(contract, fault.type).documentation })),
    signature: `${group}${methodName(operation)}(input: ${input}): ${returnText(contract, operation)}`,
    wire: commonFacts(endpointsOffering(contract, operation).map((endpoint) => ({ endpoint: endpoint.name, facts: dialect.describe(contract, operation, endpoint) }))),
    origin: originText(operation.origin),
  }
}

/** Facts that hold at every endpoint are told once. */
function commonFacts(endpoints: OperationDescription['wire']['endpoints']): OperationDescription['wire'] {
  const [first, ...others] = endpoints
  const isCommon = ([label, value]: readonly [string, string]): boolean => others.every(({ facts }) => facts.some((fact) => fact[0] === label && fact[1] === value))
  const everywhere = others.length === 0 ? [] : (first?.facts.filter(isCommon) ?? [])
  return { everywhere, endpoints: endpoints.map(({ endpoint, facts }) => ({ endpoint, facts: facts.filter(([label]) => !everywhere.some((fact) => fact[0] === label)) })) }
}

function describeType(contract: Contract, id: string): TypeDescription {
  const type = namedType(contract, id)
  const subtypes = directSubtypes(contract).get(id) ?? []
  const uses = (candidate: Type): boolean => (candidate.kind === 'reference' ? candidate.to === id : partsOf(candidate).some(uses))
  return {
    kind: 'type',
    name: type.name,
    what: whatText(contract, type),
    documentation: type.documentation,
    extends: type.kind === 'record' && type.base !== undefined ? namedType(contract, type.base.to).name : undefined,
    extendedBy: subtypes.map((each) => namedType(contract, each).name),
    fields: ['record', 'intersection'].includes(type.kind) ? membersOf(contract, type).map((field) => describeField(contract, field, 0, type.kind === 'record' ? type.choices : [])) : [],
    values: type.kind === 'enumeration' ? type.members.map(({ value, documentation }) => ({ value, documentation })) : [],
    usedBy: [
      ...operationsOf(contract).filter((operation) => typesOfOperation(operation).some(uses)).map(pathOf),
      ...Object.values(contract.types).filter((each) => each.id !== id && partsOf(each).some(uses)).map((each) => each.name),
    ],
    origin: originText(type.origin),
  }
}

function describeEndpoint(contract: Contract, endpoint: Endpoint): EndpointDescription {
  const operations = operationsOf(contract).filter((operation) => Object.hasOwn(operation.wire, endpoint.name)).map(pathOf)
  const { name, protocol, address, documentation } = endpoint
  return { kind: 'endpoint', name, protocol, address, documentation, operations, origin: originText(endpoint.origin) }
}

/** @param choices the groups of fields beside it that exclude each other */
function describeField(contract: Contract, field: Field, depth = 1, choices: readonly Choice[] = []): FieldDescription {
  const scalar = itemOf(contract, field.type)
  const rules = [
    ...choices.flatMap((choice) => insteadOf(field.name, choice)),
    ...(scalar.kind === 'scalar' && scalar.constraints !== undefined ? constraintTexts(scalar.constraints) : []),
    ...(scalar.kind === 'enumeration' ? [scalar.members.map((member) => member.value).join(' | ')] : []),
    ...(hasDefault(field) ? [`${String(field.default)} when left out`] : []),
    ...(typeof field.fixed === 'string' ? [`always ${field.fixed}`] : []),
  ]
  return {
    name: field.name,
    type: field.name === '$open' ? 'open content' : `${typeText(contract, field.type)}${field.nullable ? ' or null' : ''}`,
    required: !field.optional,
    rules: rules.join(', '),
    documentation: (field.documentation ?? itemOf(contract, field.type).documentation)?.replace(/\s+/g, ' '),
    // A turn of a group has no name that would tell anything: what is in it is always shown.
    fields: depth <= 0 && field.name !== '$items' ? [] : fieldsInside(contract, field.type).map((each) => describeField(contract, each, depth - 1, choicesInside(contract, field.type))),
  }
}

/** What a field excludes in a choice, in words. */
function insteadOf(name: string, { alternatives }: Choice): string[] {
  if (!alternatives.some(({ fields }) => fields.includes(name))) return []
  const others = alternatives.filter(({ fields }) => !fields.includes(name)).map(({ fields }) => fields.join(' and '))
  return others.length === 0 ? [] : [`instead of ${others.join(' or ')}`]
}

function choicesInside(contract: Contract, type: Type): readonly Choice[] {
  const actual = itemOf(contract, type)
  const records = actual.kind === 'union' ? actual.alternatives.map((each) => resolve(contract, each)) : [actual]
  return records.flatMap((each) => (each.kind === 'record' ? (each.choices ?? []) : []))
}

/** The type behind references and lists. */
function itemOf(contract: Contract, type: Type): Type {
  const actual = resolve(contract, type)
  return actual.kind === 'list' ? itemOf(contract, actual.item) : actual
}

function fieldsInside(contract: Contract, type: Type): readonly Field[] {
  const actual = itemOf(contract, type)
  // Content that the contract leaves open is a member like others to whoever fills it in.
  const isOpen = actual.kind === 'record' && actual.open === true && contract.dialect === 'soap'
  const open: Field = { name: '$open', type: { kind: 'fragment', origin: actual.origin }, optional: actual.kind !== 'record' || actual.openExample === undefined, nullable: false, documentation: 'Elements and attributes that the contract leaves open.', origin: actual.origin }
  // Alternatives may have members in common.
  const members = new Map(membersOf(contract, actual).map((field) => [field.name, field]))
  return [...members.values(), ...(isOpen ? [open] : [])]
}

/** A type in words: the neutral base for simple values, the metadata's name for others. */
export function typeText(contract: Contract, type: Type): string {
  switch (type.kind) {
    case 'reference': {
      const named = namedType(contract, type.to)
      return named.kind === 'list' || named.kind === 'map' ? typeText(contract, named) : named.name
    }
    case 'scalar':
      return scalarText(type)
    case 'list':
      return bracketed(typeText(contract, type.item), '[]')
    case 'enumeration':
      return type.members.map((member) => member.value).join(' | ')
    case 'fragment':
      return 'any value'
    case 'literal':
      return String(type.value)
    case 'union':
      return type.alternatives.map((each) => (each.kind === 'record' ? `{ ${each.fields.map((field) => `${field.name}: ${typeText(contract, field.type)}`).join(', ')} }` : typeText(contract, each))).join(' | ')
    case 'intersection':
      return type.parts.map((each) => (each.kind === 'record' ? fieldCount(each.fields.length) : typeText(contract, each))).join(' & ')
    case 'map':
      return `{ [name]: ${typeText(contract, type.value)} }`
    default:
      return type.kind
  }
}

function bracketed(text: string, after: string): string {
  return /[|&]/.test(text) ? `(${text})${after}` : `${text}${after}`
}

function scalarText(type: ScalarType): string {
  return type.base
}

function outcomeText(contract: Contract, operation: Operation): string {
  const { outcome } = operation
  if (outcome.kind === 'nothing') return 'nothing'
  if (outcome.kind === 'value') return `${typeText(contract, outcome.field.type)}${outcome.field.nullable ? ' or null' : ''}`
  return `{ ${outcome.fields.map((field) => `${field.name}: ${typeText(contract, field.type)}`).join(', ')} }`
}

/** What the call returns in the client, in short. */
function returnText(contract: Contract, operation: Operation): string {
  const { outcome } = operation
  if (outcome.kind === 'nothing') return 'Promise<void>'
  return outcome.kind === 'value' && (outcome.iterable === true || outcome.stream === true) && outcome.field.type.kind === 'list' ? `AsyncIterable<${typeText(contract, outcome.field.type.item)}>` : `Promise<${outcomeText(contract, operation)}>`
}

function whatText(contract: Contract, type: Type): string {
  switch (type.kind) {
    case 'record': {
      const count = fieldsOf(contract, type).length
      return `${type.abstract === true ? 'abstract record' : 'record'}, ${fieldCount(count)}`
    }
    case 'enumeration':
      return type.members.length === 1 ? `always ${type.members[0]?.value ?? ''}` : `one of ${type.members.length} values`
    case 'list':
      return typeText(contract, type)
    default:
      return typeText(contract, type)
  }
}

function fieldCount(count: number): string {
  return `${count} ${count === 1 ? 'field' : 'fields'}`
}

/** The names of an operation's inputs; of many optional ones only the first. */
function inputsText(operation: Operation): string {
  const inputs = operation.inputs.filter((input) => input.place !== 'messageHeader')
  const kept = inputs.filter((input, at) => !input.optional || at < 4)
  return [...kept.map((input) => `${input.name}${input.optional ? '?' : ''}`), ...(kept.length < inputs.length ? ['…'] : [])].join(', ')
}

function firstSentence(text: string | undefined): string | undefined {
  return text?.replace(/\s+/g, ' ').match(/^.*?[.!?](?= |$)|^.*/)?.[0]
}

function originText({ document, line, column }: { document: string; line: number; column: number }): string {
  return `${document}:${line}:${column}`
}

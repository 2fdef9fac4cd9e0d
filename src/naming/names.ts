import { groupOf } from '../contract/choice.js'
import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import type { KeptNames } from '../contract/kept-names.js'
import { problem } from '../contract/problem.js'
import {
  directSubtypes,
  endpointsOf,
  isPlainHttp,
  neededOf,
  operationsOf,
  pathOf,
  reachableTypes,
} from '../contract/queries.js'
import { camelCase, isIdentifier, pascalCase } from './identifiers.js'
import { namesAlone, ownName } from './own-names.js'
import { globals, isDevice, keywords } from './reserved.js'

/** Every identifier that generation needs, decided. */
export interface Names extends KeptNames {
  readonly class: string
}

/** Exports of every client that are not made from the metadata. */
export const ownExports: readonly string[] = [
  'CallFailure',
  'Connection',
  'ContractBreach',
  'Credential',
  'DateText',
  'DateTimeText',
  'DayText',
  'DecimalText',
  'Deviation',
  'DurationText',
  'Endpoint',
  'Exchange',
  'InputRejected',
  'KeptAnswer',
  'Misfit',
  'MonthDayText',
  'MonthText',
  'OpenContent',
  'OpenElement',
  'Plain',
  'QualifiedNameText',
  'ServiceFault',
  'SoapDetail',
  'SoapFault',
  'Settings',
  'ThisCall',
  'TimeText',
  'TransportFailure',
  'Violation',
  'YearMonthText',
  'YearText',
  'checkInput',
  'close',
  'connect',
  'endpoints',
  'send',
  'settingsFrom',
  'settingsOf',
  'Login',
  'toPlain',
  'codecs',
  'operation',
  'connection',
  'input',
  'isDeclaredFault',
  'isTooDeep',
  'notTooDeep',
  'tooDeep',
  'thisCall',
]

const kindSuffix: Partial<Record<NamedType['kind'], string>> = {
  record: 'Record',
  enumeration: 'Values',
  scalar: 'Value',
  list: 'List',
}

/**
 * Decides the identifiers of a client. Those kept from before stay as they are; the others are made
 * from the names of the metadata in an order that does not depend on the order of the document, and
 * get a suffix where they would clash.
 *
 * @param kept what earlier generations decided
 * @param reserved names that generated files use themselves
 * @throws Problem TM-3010 when a kept name is no identifier
 */
export function assignNames(
  whole: Contract,
  kept: KeptNames,
  reserved: readonly string[],
  className?: string,
): Names {
  checkKept(kept, whole.name)
  // Types that no operation needs get no name, and so take none away.
  const contract = neededOf(whole)
  const taken = new TakenNames([...ownExports, ...reserved, ...globals])
  Object.values(kept.types).forEach((name) => taken.claimType(name))
  Object.values(kept.operations).forEach((name) => taken.claimOperation(name))
  Object.values(kept.groups).forEach((name) => taken.claim(name))
  // What a developer writes most, the class and the operations, gets the plain names first.
  const theClass = className ?? kept.class ?? taken.free(pascalCase(contract.title), ['Client'])
  taken.claim(theClass)
  const groups = nameGroups(contract, kept, theClass, taken)
  const operations = nameOperations(contract, whole, kept, taken)
  const types = nameTypes(contract, kept, taken)
  const keys = operationsOf(contract).flatMap((operation) =>
    operation.key === undefined ? [] : [[operation.key, pathOf(operation)] as const],
  )
  return {
    class: theClass,
    types,
    codecs: nameCodecs(Object.keys(types).sort(), types, kept, reserved),
    operations,
    groups,
    paths: { ...kept.paths, ...Object.fromEntries(keys) },
  }
}

/** The names that something has; those that differ in capitals alone are one. */
class TakenNames {
  private readonly taken: Set<string>

  constructor(names: readonly string[]) {
    this.taken = new Set(names.map((name) => name.toLowerCase()))
  }

  has(name: string): boolean {
    return this.taken.has(name.toLowerCase())
  }

  claim(name: string): void {
    this.taken.add(name.toLowerCase())
  }

  /** A type, and the union of it with its subtypes. */
  claimType(name: string): void {
    this.claim(name)
    this.claim(`Any${name}`)
  }

  /** A function, and what is exported with it. */
  claimOperation(name: string): void {
    for (const each of operationExports(name)) this.claim(each)
  }

  /** The name itself where nothing has it, else with one of the suffixes, else with a number. */
  free(name: string, suffixes: readonly string[]): string {
    return free(name, suffixes, (wished) => !this.has(wished))
  }
}

function nameGroups(
  contract: Contract,
  kept: KeptNames,
  className: string,
  taken: TakenNames,
): Record<string, string> {
  const groups = new Map(Object.entries(kept.groups))
  const all = new Set(operationsOf(contract).map(groupOf))
  for (const group of [...all].filter((each) => each !== undefined).sort()) {
    if (groups.has(group)) continue
    const name = taken.free(`${className}${pascalCase(group)}`, ['Group'])
    groups.set(group, name)
    taken.claim(name)
  }
  return Object.fromEntries(groups)
}

function nameOperations(
  contract: Contract,
  whole: Contract,
  kept: KeptNames,
  taken: TakenNames,
): Record<string, string> {
  const operations = new Map(Object.entries(kept.operations))
  const functions = new TakenNames([...operations.values()])
  const alone = namesAlone(operationsOf(whole).map(({ path }) => path))
  const isFree = (name: string): boolean =>
    !keywords.has(name) &&
    !isDevice(name) &&
    !functions.has(name) &&
    operationExports(name).every((each) => !taken.has(each))
  for (const operation of sortedBy(operationsOf(contract), pathOf)) {
    const path = pathOf(operation)
    if (operations.has(path)) continue
    const name = free(ownName(operation, alone), ['Operation'], isFree)
    operations.set(path, name)
    functions.claim(name)
    taken.claimOperation(name)
  }
  return Object.fromEntries(operations)
}

function nameTypes(contract: Contract, kept: KeptNames, taken: TakenNames): Record<TypeId, string> {
  const types = new Map(Object.entries(kept.types))
  const withSubtypes = new Set(directSubtypes(contract).keys())
  // What a plain-HTTP port alone needs does not take the good names from what SOAP needs.
  const aside = typesOfPlainHttpAlone(contract)
  const inOrder = sortedBy(Object.values(contract.types), (each) => each.id)
  for (const { id, kind, name: wished } of [
    ...inOrder.filter((type) => !aside.has(type.id)),
    ...inOrder.filter((type) => aside.has(type.id)),
  ]) {
    if (types.has(id)) continue
    const suffixes = [kindSuffix[kind] ?? 'Type', namespaceWord(id)]
    const isFree = (name: string): boolean =>
      !taken.has(name) && (!withSubtypes.has(id) || !taken.has(`Any${name}`))
    const name = free(pascalCase(wished), suffixes, isFree)
    types.set(id, name)
    if (withSubtypes.has(id)) taken.claimType(name)
    else taken.claim(name)
  }
  return Object.fromEntries(types)
}

/** The constants of types, which are beside each other in one file and may differ in capitals. */
function nameCodecs(
  ids: readonly TypeId[],
  types: Readonly<Record<TypeId, string>>,
  kept: KeptNames,
  reserved: readonly string[],
): Record<TypeId, string> {
  const codecs = new Map(Object.entries(kept.codecs))
  const taken = new Set([...reserved, ...codecs.values()])
  const isFree = (name: string): boolean =>
    !taken.has(name) && !keywords.has(name) && !globals.has(name)
  for (const id of ids) {
    if (codecs.has(id)) continue
    const name = free(camelCase(types[id] ?? ''), ['Codec'], isFree)
    codecs.set(id, name)
    taken.add(name)
  }
  return Object.fromEntries(codecs)
}

/**
 * Kept names lie in a file of the project, which anybody may have written: what is no identifier
 * never becomes code.
 */
function checkKept(
  { class: className, types, codecs, operations, groups }: KeptNames,
  contract: string,
): void {
  const given = [
    ...(className === undefined ? [] : [className]),
    ...[types, codecs, operations, groups].flatMap((record) => Object.values(record)),
  ]
  const unfit = given.find((name: unknown) => typeof name !== 'string' || !isIdentifier(name))
  if (unfit !== undefined) throw problem('TM-3010', { contract, name: String(unfit) })
}

/** What an operation's file exports, by the name of its function. */
export function operationExports(
  name: string,
): [
  call: string,
  input: string,
  outcome: string,
  fault: string,
  guard: string,
  headers: string,
  outcomes: string,
] {
  const pascal = name.charAt(0).toUpperCase() + name.slice(1)
  return [
    name,
    `${pascal}Input`,
    `${pascal}Outcome`,
    `${pascal}Fault`,
    `is${pascal}Fault`,
    `${pascal}Headers`,
    `${pascal}Outcomes`,
  ]
}

function free(
  wanted: string,
  suffixes: readonly string[],
  isFree: (name: string) => boolean,
): string {
  if (isFree(wanted)) return wanted
  let longer = wanted
  for (const suffix of suffixes) {
    if (isFree(wanted + suffix)) return wanted + suffix
    longer += suffix
    if (isFree(longer)) return longer
  }
  for (let count = 2; ; count += 1) if (isFree(`${wanted}${count}`)) return `${wanted}${count}`
}

/** The last telling word of a namespace: `urn:brackmouth:common` -> `Common`. */
function namespaceWord(id: TypeId): string {
  const namespace = /^\{(.*?)\}/.exec(id)?.[1] ?? ''
  const words = namespace
    .split(/[/:#?]+/)
    .filter((word) => /\p{L}/u.test(word) && !/^(?:https?|urn|www)$/i.test(word))
  return words.length === 0 ? 'Other' : pascalCase(words.at(-1) ?? '')
}

/** Types that only operations need which no other port than plain-HTTP ones offers. */
function typesOfPlainHttpAlone(contract: Contract): ReadonlySet<TypeId> {
  const isPlain = new Set(
    endpointsOf(contract)
      .filter(isPlainHttp)
      .map(({ name }) => name),
  )
  const offeredOtherwise = operationsOf(contract).filter(({ wire }) =>
    Object.keys(wire).some((endpoint) => !isPlain.has(endpoint)),
  )
  if (isPlain.size === 0 || offeredOtherwise.length === 0) return new Set()
  const needed = new Set(reachableTypes(contract, offeredOtherwise))
  return new Set(Object.keys(contract.types).filter((id) => !needed.has(id)))
}

function sortedBy<T>(items: readonly T[], key: (item: T) => string): T[] {
  return [...items].sort((a, b) => {
    if (key(a) < key(b)) return -1
    if (key(a) > key(b)) return 1
    return 0
  })
}

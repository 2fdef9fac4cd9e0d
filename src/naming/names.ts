import type { Contract, NamedType, TypeId } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import {
  directSubtypes,
  endpointsOf,
  isPlainHttp,
  neededOf,
  operationsOf,
  pathOf,
  reachableTypes,
} from '../contract/queries.js'
import type { KeptNames } from '../contract/kept-names.js'
import { problem } from '../contract/problem.js'
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
  'Misfit',
  'MonthDayText',
  'MonthText',
  'OpenContent',
  'OpenElement',
  'Plain',
  'QualifiedNameText',
  'ServiceFault',
  'Settings',
  'ThisCall',
  'TimeText',
  'TransportFailure',
  'YearMonthText',
  'YearText',
  'checkInput',
  'close',
  'connect',
  'endpoints',
  'send',
  'settingsFrom',
  'Login',
  'toPlain',
  'codecs',
  'operation',
  'connection',
  'input',
  'isDeclaredFault',
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
  const taken = new Set([...ownExports, ...reserved, ...globals].map((name) => name.toLowerCase()))
  const types: Record<TypeId, string> = { ...kept.types }
  const operations: Record<string, string> = { ...kept.operations }
  const withSubtypes = new Set(directSubtypes(contract).keys())
  const claim = (name: string): void => void taken.add(name.toLowerCase())
  const claimOperation = (name: string): void => operationExports(name).forEach(claim)
  const claimType = (name: string): void => {
    claim(name)
    claim(`Any${name}`)
  }
  Object.values(types).forEach(claimType)
  Object.values(operations).forEach(claimOperation)
  const groups: Record<string, string> = { ...kept.groups }
  Object.values(groups).forEach(claim)

  // What a developer writes most, the class and the operations, gets the plain names first.
  const wantedClass = className ?? kept.class ?? pascalCase(contract.title)
  const theClass =
    className ??
    kept.class ??
    free(wantedClass, ['Client'], (name) => !taken.has(name.toLowerCase()))
  claim(theClass)

  for (const group of [
    ...new Set(
      operationsOf(contract)
        .map(groupOf)
        .filter((group) => group !== undefined),
    ),
  ].sort()) {
    if (Object.hasOwn(groups, group)) continue
    const name = free(
      `${theClass}${pascalCase(group)}`,
      ['Group'],
      (wished) => !taken.has(wished.toLowerCase()),
    )
    Object.defineProperty(groups, group, {
      value: name,
      enumerable: true,
      writable: true,
      configurable: true,
    })
    claim(name)
  }

  const alone = namesAlone(operationsOf(whole).map(({ path }) => path))
  const functions = new Set(Object.values(operations).map((name) => name.toLowerCase()))
  for (const operation of sortedBy(operationsOf(contract), pathOf)) {
    const path = pathOf(operation)
    if (Object.hasOwn(operations, path)) continue
    const isFree = (name: string): boolean =>
      !keywords.has(name) &&
      !isDevice(name) &&
      !functions.has(name.toLowerCase()) &&
      operationExports(name).every((each) => !taken.has(each.toLowerCase()))
    const name = free(ownName(operation, alone), ['Operation'], isFree)
    operations[path] = name
    functions.add(name.toLowerCase())
    claimOperation(name)
  }

  // What a plain-HTTP port alone needs does not take the good names from what SOAP needs.
  const aside = typesOfPlainHttpAlone(contract)
  const inOrder = sortedBy(Object.values(contract.types), (each) => each.id)
  for (const type of [
    ...inOrder.filter(({ id }) => !aside.has(id)),
    ...inOrder.filter(({ id }) => aside.has(id)),
  ]) {
    if (Object.hasOwn(types, type.id)) continue
    const suffixes = [kindSuffix[type.kind] ?? 'Type', namespaceWord(type.id)]
    const isFree = (name: string): boolean =>
      !taken.has(name.toLowerCase()) &&
      (!withSubtypes.has(type.id) || !taken.has(`any${name.toLowerCase()}`))
    const name = free(pascalCase(type.name), suffixes, isFree)
    types[type.id] = name
    claim(name)
    if (withSubtypes.has(type.id)) claim(`Any${name}`)
  }

  const codecs: Record<TypeId, string> = { ...kept.codecs }
  const codecNames = new Set([...reserved, ...Object.values(codecs)])
  for (const id of Object.keys(types).sort()) {
    if (Object.hasOwn(codecs, id)) continue
    const name = free(
      camelCase(types[id] ?? ''),
      ['Codec'],
      (each) => !codecNames.has(each) && !keywords.has(each) && !globals.has(each),
    )
    codecs[id] = name
    codecNames.add(name)
  }
  const paths = {
    ...kept.paths,
    ...Object.fromEntries(
      operationsOf(contract).flatMap((operation) =>
        operation.key === undefined ? [] : [[operation.key, pathOf(operation)]],
      ),
    ),
  }
  return { class: theClass, types, codecs, operations, groups, paths }
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

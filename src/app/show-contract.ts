import type { Operation } from '../contract/contract.js'
import { filled, present } from '../contract/present.js'
import { neededOf, operationsOf, pathOf } from '../contract/queries.js'
import { dialectNamed } from '../dialects/registry.js'
import { placeOf } from '../documents/places.js'
import { callLine } from '../exercise/call-line.js'
import { sampleInput } from '../exercise/sample.js'
import { assignNames } from '../naming/names.js'
import { namesFor } from './clients/client-names.js'
import { openContract, type OpenContract, type OpenOptions } from './contracts/open-contract.js'
import {
  describeEndpoint,
  describeGroup,
  describeOperation,
  describeType,
  type Described,
  type EndpointDescription,
  type GroupDescription,
  type OperationDescription,
  type TypeDescription,
} from './describe/descriptions.js'
import { findIn, type Match } from './describe/find.js'
import { overview, type Overview } from './describe/overview.js'
import { othersNamed, thingNamed, type Thing } from './describe/things.js'

export type {
  EndpointDescription,
  GroupDescription,
  OperationDescription,
  TypeDescription,
} from './describe/descriptions.js'
export type { Mark, Match } from './describe/find.js'
export type { FieldDescription } from './describe/fields.js'
export type { Choice, GroupSummary, OperationSummary, Overview } from './describe/overview.js'

export type Shown = (
  Overview | GroupDescription | OperationDescription | TypeDescription | EndpointDescription
) & {
  /** What else goes by the same name, as it can be named alone. */
  readonly others?: readonly string[]
}

/**
 * What is in a contract: the overview, or one operation, group of operations, type or endpoint in
 * full (also for what is inside of it). Things that `only` leaves out can be looked at as well.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @param thing the name of one of them; the overview when left out
 * @throws Problem TM-1005 when there is no such thing, with the nearest names; those of opening a
 *   contract
 */
export async function showContract(
  reference: string,
  thing: string | undefined,
  options: OpenOptions = {},
): Promise<Shown> {
  const open = await openContract(reference, options)
  if (thing === undefined) return overview(open)
  const described = await describedFrom(open)
  const found = thingNamed(described.contract, thing, open.name)
  const others = othersNamed(described.contract, found)
  const shown = description(described, found)
  const call = 'operation' in found ? sampleCall(reference, described, found.operation) : undefined
  return { ...shown, ...present({ call }), ...filled({ others }) }
}

/** The lines that call an operation with the least that the contract wants. */
function sampleCall(
  reference: string,
  { contract, dialect }: Described,
  operation: Operation,
): string {
  const rules = dialect.rules?.(contract)
  return callLine(
    reference,
    pathOf(operation),
    sampleInput(contract, operation, { full: false, rules }),
  )
}

function description(described: Described, found: Thing): Exclude<Shown, Overview> {
  switch (found.kind) {
    case 'operation':
    case 'input':
    case 'fault':
      return describeOperation(described, found.operation)
    case 'group':
      return describeGroup(described, found.name, found.operations)
    case 'type':
    case 'field':
    case 'value':
      return describeType(described, found.type.id)
    case 'endpoint':
      return describeEndpoint(described, found.endpoint)
  }
}

/** What a search came to. */
export interface Found {
  readonly contract: string
  readonly text: string
  readonly matches: readonly Match[]
}

/**
 * Looks for words in the names and the documentation of everything in a contract, also of what
 * `only` leaves out.
 *
 * @param reference the contract's name in the project, or the path or address of its metadata
 * @param text words, all of which must be there; capitals don't count
 * @returns matches in names first, then by kind and name
 * @throws those of opening a contract
 */
export async function findInContract(
  reference: string,
  text: string,
  options: OpenOptions = {},
): Promise<Found> {
  const open = await openContract(reference, options)
  const { contract, left, leftTypes } = await everythingOf(open)
  return {
    contract: open.name,
    text,
    matches: findIn(contract, text, { operations: left, types: leftTypes }),
  }
}

/**
 * Everything that a contract's source declares, ready to be described. Types that no operation
 * needs are in nobody's way.
 */
export async function describedFrom(open: OpenContract): Promise<Described> {
  const documents = (await open.documents()).all()
  return { ...(await everythingOf(open)), placeOf: (origin) => placeOf(documents, origin) }
}

async function everythingOf(open: OpenContract): Promise<Omit<Described, 'placeOf'>> {
  const contract = neededOf(open.whole)
  const chosen = new Set(operationsOf(open.contract).map(pathOf))
  const { types } = neededOf(open.contract)
  const dialect = await dialectNamed(contract.dialect)
  // What is chosen is called as in its client; what is left gets names beside those.
  const names = await namesFor(open)
  return {
    contract,
    dialect,
    names:
      contract === neededOf(open.contract)
        ? names
        : assignNames(contract, names, dialect.emit.reservedNames(open.contract), names.class),
    left: new Set(
      operationsOf(contract)
        .map(pathOf)
        .filter((path) => !chosen.has(path)),
    ),
    leftTypes: new Set(Object.keys(contract.types).filter((id) => !Object.hasOwn(types, id))),
  }
}

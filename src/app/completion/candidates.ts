import type {
  Contract,
  Field,
  InputField,
  NamedType,
  Operation,
  Type,
} from '../../contract/contract.js'
import { matchName, matchPath } from '../../contract/nearest.js'
import { compareTexts } from '../../contract/ordering.js'
import {
  countedTypes,
  endpointsOf,
  fieldsOfOutcome,
  itemOf,
  membersOf,
  operationsOf,
  pathOf,
  resolve,
} from '../../contract/queries.js'
import { drawnTypes } from '../../diagram/graph.js'
import { findProject, type Project } from '../../project/project-file.js'
import { openContract, readProjectCached } from '../contracts/open-contract.js'
import { firstSentence } from '../describe/words.js'

/** A word that may stand at the cursor. */
export interface Candidate {
  readonly word: string
  readonly meaning?: string | undefined
  /** The word goes on: no blank follows. */
  readonly isOpen?: true
}

/** What is known where the cursor is. */
export interface Place {
  /** The project's folder, where an option names it. */
  readonly project?: string | undefined
  readonly contract?: string | undefined
  readonly operation?: string | undefined
  /** What was typed of the word so far. */
  readonly typed: string
}

/** What may stand at a place, by what it is for. */
export const candidates = {
  contract: async (place: Place): Promise<Candidate[]> =>
    Object.entries((await projectOf(place)).contracts).map(([word, { from }]) => ({
      word,
      meaning: from,
    })),

  operation: async (place: Place): Promise<Candidate[]> =>
    operationsOf(await contractOf(place)).map((operation) => ({
      word: pathOf(operation),
      meaning: firstSentence(operation.documentation),
    })),

  /** A type that has a box in diagrams. */
  type: async (place: Place): Promise<Candidate[]> => named(drawnTypes(await contractOf(place))),

  thing: async (place: Place): Promise<Candidate[]> => [
    ...(await candidates.operation(place)),
    ...named(namedTypes(await contractOf(place))),
    ...(await candidates.endpoint(place)),
  ],

  endpoint: async (place: Place): Promise<Candidate[]> =>
    endpointsOf(await contractOf(place)).map(({ name, address }) => ({
      word: name,
      meaning: address,
    })),

  site: async (place: Place): Promise<Candidate[]> =>
    words(Object.keys((await projectOf(place)).sites)),

  credential: async (place: Place): Promise<Candidate[]> =>
    Object.entries((await projectOf(place)).credentials).map(([word, { kind }]) => ({
      word,
      meaning: kind,
    })),

  view: async (place: Place): Promise<Candidate[]> => {
    const { contracts } = await projectOf(place)
    const name = matchName(place.contract ?? '', Object.keys(contracts)) ?? ''
    return words(Object.keys(contracts[name]?.views ?? {}))
  },

  /** A field of the rows that an operation answers; several with commas between. */
  column: async (place: Place): Promise<Candidate[]> => {
    const contract = await contractOf(place)
    const before = place.typed.slice(0, place.typed.lastIndexOf(',') + 1)
    return rowFields(contract, await operationOf(place)).map(({ name, documentation }) => ({
      word: `${before}${name}`,
      meaning: firstSentence(documentation),
    }))
  },

  /** The path of an input, and behind it the values that it may have: `Reservation.Berth=`. */
  input: async (place: Place): Promise<Candidate[]> => {
    const contract = await contractOf(place)
    const { inputs } = await operationOf(place)
    const equals = place.typed.indexOf('=')
    const path = equals < 0 ? place.typed : place.typed.slice(0, equals)
    const steps = path.split('.')
    const last = steps.pop() ?? ''
    const fields = fieldsAt(contract, inputs, steps)
    const before = steps.map((step) => `${step}.`).join('')
    if (equals < 0)
      return [
        ...fields.map((field) => inputCandidate(contract, field, before)),
        ...(steps.length === 0 && inputs.some(isHeader)
          ? [{ word: 'headers.', meaning: 'headers of the message', isOpen: true as const }]
          : []),
      ]
    const valued = fields.find(({ name }) => name === last.replace(/\[\d+\]$/, ''))
    return valued === undefined
      ? []
      : valuesOf(contract, valued.type).map((value) => ({ word: `${path}=${value}` }))
  },
} as const

/** What a word is for, where there is something to offer. */
export type Wanted = keyof typeof candidates

/** What may stand at a place, of which so much was typed; nothing where that can't be known. */
export async function candidatesFor(wanted: Wanted, place: Place): Promise<Candidate[]> {
  try {
    return (await candidates[wanted](place)).filter(({ word }) => startsAlike(word, place.typed))
  } catch {
    // Who types has not asked a question: there is no answer that says what is wrong.
    return []
  }
}

function startsAlike(word: string, typed: string): boolean {
  return word.toLowerCase().startsWith(typed.toLowerCase())
}

function namedTypes(contract: Contract): readonly NamedType[] {
  return countedTypes(contract, operationsOf(contract))
}

function named(types: readonly NamedType[]): Candidate[] {
  return types
    .map(({ name, documentation }) => ({ word: name, meaning: firstSentence(documentation) }))
    .sort((one, other) => compareTexts(one.word, other.word))
}

function words(all: readonly string[]): Candidate[] {
  return all.map((word) => ({ word }))
}

async function projectOf({ project }: Place): Promise<Project> {
  return readProjectCached(project ?? (await findProject('.')) ?? '.')
}

async function contractOf({ contract = '', project }: Place): Promise<Contract> {
  const { contracts } = await projectOf({ project, typed: '' })
  // Only what is kept: nobody waits for a far server while she types.
  if (matchName(contract, Object.keys(contracts)) === undefined) throw new Error(contract)
  return (await openContract(contract, { project })).contract
}

async function operationOf(place: Place): Promise<Operation> {
  const operations = operationsOf(await contractOf(place))
  const path = matchPath(place.operation ?? '', operations.map(pathOf))
  const found = operations.find((operation) => pathOf(operation) === path)
  if (found === undefined) throw new Error(place.operation)
  return found
}

/** The fields of the rows of an answer: of the list that it is, or of the one list in it. */
function rowFields(contract: Contract, { outcome }: Operation): readonly Field[] {
  const fields = fieldsOfOutcome(outcome)
  const [only] = fields
  const inside =
    fields.length === 1 && only !== undefined
      ? membersOf(contract, itemOf(contract, only.type))
      : fields
  const lists = inside.filter(({ type }) => {
    const actual = resolve(contract, type)
    return actual.kind === 'list' && membersOf(contract, itemOf(contract, actual)).length > 0
  })
  const [rows] = lists
  const isList = only !== undefined && resolve(contract, only.type).kind === 'list'
  return !isList && lists.length === 1 && rows !== undefined
    ? membersOf(contract, itemOf(contract, rows.type))
    : inside
}

function isHeader({ place }: InputField): boolean {
  return place === 'messageHeader'
}

/** The fields that stand behind a path; headers of messages have a name for all of them. */
function fieldsAt(
  contract: Contract,
  inputs: readonly InputField[],
  steps: readonly string[],
): readonly Field[] {
  const [first, ...others] = steps
  if (first === 'headers' && inputs.some(isHeader))
    return fieldsBelow(contract, inputs.filter(isHeader), others)
  const ordinary = inputs.filter((input) => !isHeader(input))
  return fieldsBelow(contract, ordinary, steps)
}

function fieldsBelow(
  contract: Contract,
  fields: readonly Field[],
  steps: readonly string[],
): readonly Field[] {
  const [step, ...others] = steps
  if (step === undefined) return fields
  const field = fields.find(({ name }) => name === step.replace(/\[\d+\]$/, ''))
  if (field === undefined) return []
  return fieldsBelow(contract, membersOf(contract, itemOf(contract, field.type)), others)
}

function inputCandidate(
  contract: Contract,
  { name, type, documentation }: Field,
  before: string,
): Candidate {
  const hasMembers = membersOf(contract, itemOf(contract, type)).length > 0
  const isList = resolve(contract, type).kind === 'list'
  const goesOn = `${isList ? '[0]' : ''}${hasMembers ? '.' : '='}`
  const said = documentation ?? itemOf(contract, type).documentation
  return { word: `${before}${name}${goesOn}`, meaning: firstSentence(said), isOpen: true }
}

function valuesOf(contract: Contract, type: Type): string[] {
  const actual = itemOf(contract, type)
  if (actual.kind === 'enumeration') return actual.members.map(({ value }) => value)
  return actual.kind === 'scalar' && actual.base === 'boolean' ? ['true', 'false'] : []
}

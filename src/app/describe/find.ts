import type { Contract, NamedType, Operation } from '../../contract/contract.js'
import { compareTexts } from '../../contract/ordering.js'
import { endpointsOf, operationsOf, pathOf } from '../../contract/queries.js'

/** A thing in which something was found. */
export interface Match {
  readonly kind: 'operation' | 'group' | 'type' | 'field' | 'value' | 'input' | 'fault' | 'endpoint'
  /** What it is called: `reserveBerth`, `Vessel.Flag`, `reserveBerth.Reservation`. */
  readonly name: string
  /** What was found in the name: pairs of start and length, in UTF-16 units. */
  readonly inName: readonly Mark[]
  /** The documentation around the first match in it, or its start. */
  readonly documentation: string | undefined
  readonly inDocumentation: readonly Mark[]
  /** `only` leaves it out. */
  readonly leftOut: boolean
}

export type Mark = readonly [start: number, length: number]

/** So much of a documentation is shown before a match, and in all. */
const before = 40
const excerpt = 160

/**
 * Looks for words in the names and the documentation of everything in a contract. All words must be
 * there, in the name or in the documentation; letter case does not count.
 *
 * @param left paths of operations and ids of types that are left out
 * @returns matches in names first, then by kind and name
 */
export function findIn(
  contract: Contract,
  text: string,
  left: { readonly operations: ReadonlySet<string>; readonly types: ReadonlySet<string> },
): Match[] {
  const words = text
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '')
  if (words.length === 0) return []
  const found: Match[] = []
  const look: Look = (kind, name, documentation, leftOut, within = '') => {
    const match = matchOf(words, name, documentation, within)
    if (match !== undefined) found.push({ kind, name, ...match, leftOut })
  }
  for (const operation of operationsOf(contract))
    lookInOperation(operation, left.operations.has(pathOf(operation)), look)
  for (const group of contract.services.flatMap(({ groups = [] }) => groups))
    look('group', group.name, group.documentation, false)
  for (const type of Object.values(contract.types)) lookInType(type, left.types.has(type.id), look)
  for (const { name, address, documentation } of endpointsOf(contract)) {
    const prose = [address, documentation].filter((part) => part !== undefined).join(' ')
    look('endpoint', name, prose, false)
  }
  return found.sort((a, b) => rankOf(a) - rankOf(b) || compareTexts(a.name, b.name))
}

/**
 * Looks at something.
 *
 * @param within what it is inside of: of its name only the rest counts
 */
type Look = (
  kind: Match['kind'],
  name: string,
  documentation: string | undefined,
  leftOut: boolean,
  within?: string,
) => void

/** Kinds in the order in which matches are told. */
const kinds: readonly Match['kind'][] = [
  'operation',
  'group',
  'type',
  'field',
  'input',
  'value',
  'fault',
  'endpoint',
]

function rankOf({ kind, inName }: Match): number {
  return kinds.indexOf(kind) + (inName.length > 0 ? 0 : kinds.length)
}

/** Where the words are; undefined where not all of them are there. */
function matchOf(
  words: readonly string[],
  name: string,
  documentation: string | undefined,
  within: string,
): Omit<Match, 'kind' | 'name' | 'leftOut'> | undefined {
  const prose = documentation?.replace(/\s+/g, ' ').trim()
  // Of what is inside something else only its own name counts: the other one is found by itself.
  const ownName = name.slice(within.length).toLowerCase()
  const isThere = (word: string): boolean =>
    ownName.includes(word) || prose?.toLowerCase().includes(word) === true
  if (!words.every(isThere)) return undefined
  const inName = marksIn(name, words, within.length)
  return { inName, ...around(prose, marksIn(prose ?? '', words)) }
}

function lookInOperation(operation: Operation, leftOut: boolean, look: Look): void {
  const name = pathOf(operation)
  // What every group has is called and documented like its group, which is found by itself.
  if (operation.standard === true)
    look('operation', name, undefined, leftOut, name.slice(0, name.lastIndexOf('.') + 1))
  else look('operation', name, operation.documentation, leftOut)
  for (const input of operation.inputs)
    look('input', `${name}.${input.name}`, input.documentation, leftOut, `${name}.`)
  for (const fault of operation.faults)
    look('fault', `${name}.${fault.name}`, fault.documentation, leftOut, `${name}.`)
}

function lookInType(type: NamedType, leftOut: boolean, look: Look): void {
  // A shape for sending says nothing that the type itself doesn't, and a list nothing that its
  // items don't.
  if (type.kind === 'list' || (type.kind === 'record' && type.variantOf !== undefined)) return
  look('type', type.name, type.documentation, leftOut)
  const within = `${type.name}.`
  const parts = type.kind === 'intersection' ? type.parts : [type]
  const fields = parts.flatMap((part) => (part.kind === 'record' ? part.fields : []))
  for (const field of fields)
    look('field', within + field.name, field.documentation, leftOut, within)
  if (type.kind === 'enumeration')
    for (const member of type.members)
      look('value', within + member.value, member.documentation, leftOut, within)
}

/** Where words stand in a text; marks that touch or overlap are one. */
function marksIn(text: string, words: readonly string[], from = 0): Mark[] {
  const lower = text.toLowerCase()
  // Letters whose small form has another length would shift everything behind them.
  if (lower.length !== text.length) return []
  const marks: [number, number][] = []
  for (const word of words)
    for (let at = lower.indexOf(word, from); at >= 0; at = lower.indexOf(word, at + word.length))
      marks.push([at, word.length])
  marks.sort(([a], [b]) => a - b)
  const joined: [number, number][] = []
  for (const [start, length] of marks) {
    const last = joined.at(-1)
    if (last !== undefined && start <= last[0] + last[1])
      last[1] = Math.max(last[1], start + length - last[0])
    else joined.push([start, length])
  }
  return joined
}

/** A piece of a documentation with the first match in it. */
function around(
  prose: string | undefined,
  marks: readonly Mark[],
): Pick<Match, 'documentation' | 'inDocumentation'> {
  if (prose === undefined || prose === '') return { documentation: undefined, inDocumentation: [] }
  const first = marks[0]?.[0] ?? 0
  const start = first <= before ? 0 : prose.indexOf(' ', first - before) + 1
  const from = start > first ? first : start
  const cutOff = from + excerpt < prose.length
  const lead = from > 0 ? '… ' : ''
  const documentation = `${lead}${prose.slice(from, from + excerpt)}${cutOff ? '…' : ''}`
  const shifted = marks.map(([at, length]): Mark => [at - from + lead.length, length])
  return {
    documentation,
    inDocumentation: shifted.filter(
      ([at, length]) => at >= lead.length && at + length <= excerpt + lead.length,
    ),
  }
}

import { pc } from './colours.js'
import type { GroupSummary, OperationSummary, Overview } from '../app/show-contract.js'
import { addTo, largest } from '../app/lists.js'
import { proseLines } from './tables.js'
import { count, terminalWidth } from './terminal.js'
import { widthOf, wrapped as inLines } from './widths.js'

/**
 * Up to so many operations, or types, are told one by one; more of them by groups, or by their
 * names alone.
 */
const manyLines = 40
/** A remark behind a line has at least so much room. */
const leastRemark = 24
/** So many names of types are told when there are very many. */
const manyNames = 100

/**
 * A line of the tree, with a remark that is cut where the terminal ends, and what hangs below it.
 */
interface Branch {
  readonly text: string
  readonly remark?: string
  readonly below?: readonly Branch[]
  /** The text goes on in further lines, where it is too long for one. */
  readonly wrapped?: boolean
}

/**
 * A contract at a glance: counts, then a tree of endpoints, operations and types.
 *
 * @param full tell everything, however much there is
 */
export function overviewText(shown: Overview, full: boolean): string {
  const { counts, choice } = shown
  const operationCount =
    choice === undefined
      ? count(counts.operations, 'operation')
      : `${counts.operations} of ${count(choice.operations.all, 'operation')}`
  const typeCount =
    choice === undefined
      ? count(counts.types, 'type')
      : `${counts.types} of ${count(choice.types.all, 'type')}`
  const head = [
    `${pc.bold(shown.contract)}  ${shown.dialect}  ${shown.title}`,
    ...proseLines(shown.documentation),
    `${count(counts.endpoints, 'endpoint')}, ${operationCount}, ${typeCount}, ${count(counts.notes, 'note')}`,
    ...(choice === undefined ? [] : [`chosen in tolmach.yaml: ${choice.only.join(', ')}`]),
    '',
  ]
  const branches = shown.services.flatMap((service): Branch[] => {
    const parts: Branch[] = [
      {
        text: pc.bold('endpoints'),
        below: inColumns(
          service.endpoints.map(({ name, protocol, address, preferred }) => ({
            words: [name, pc.dim(protocol), address],
            remark: preferred ? '(calls go here)' : '',
          })),
        ),
      },
      operationsOf(service, shown, full),
    ]
    return shown.services.length > 1 ? [{ text: pc.bold(service.name), below: parts }] : parts
  })
  const left = choice?.operations.left ?? []
  if (left.length > 0)
    branches.push({
      text: pc.bold('left out'),
      below: [{ text: names(left, full), wrapped: true }],
    })
  branches.push({ text: pc.bold('types'), below: typeBranches(shown, full) })
  return [...head, ...lines(branches, '')].join('\n')
}

/** The operations of a contract alone, as a tree. */
export function operationsText(shown: Overview): string {
  const branches = shown.services.map((service) => ({
    ...operationsOf(service, shown, false),
    ...(shown.services.length > 1 ? { text: pc.bold(service.name) } : {}),
  }))
  return lines(branches, '').join('\n')
}

function operationsOf(
  { groups }: Overview['services'][number],
  { counts }: Overview,
  full: boolean,
): Branch {
  const isMany = !full && counts.operations > manyLines
  const grouped = groups.some(({ name }) => name !== '')
  return {
    text: pc.bold('operations'),
    below: grouped
      ? groups.flatMap((group) => groupBranches(group, full, isMany))
      : few(groups[0]?.operations ?? [], full),
  }
}

/** A group with what every such group has in one line, and the rest below it. */
function groupBranches(group: GroupSummary, full: boolean, isMany: boolean): Branch[] {
  if (group.name === '') return few(group.operations, full)
  const title = `${pc.bold(group.name)}${group.holds === undefined ? '' : `  ${pc.dim(group.holds)}`}`
  const remark = group.documentation ?? ''
  const own = group.operations
  if (isMany && group.standard.length === 0)
    return [
      {
        text: `${title}  ${count(own.length, 'operation')}`,
        remark,
        below: [
          {
            text: names(
              own.map((each) => each.name.slice(each.name.indexOf('.') + 1)),
              false,
              12,
            ),
            wrapped: true,
          },
        ],
      },
    ]
  const standard: Branch[] =
    group.standard.length === 0 ? [] : [{ text: group.standard.join(', '), wrapped: true }]
  return [{ text: title, remark, below: [...standard, ...few(own, full)] }]
}

/** Operations one by one; of very many in one place only the first. */
function few(operations: readonly OperationSummary[], full: boolean): Branch[] {
  const shown = full || operations.length <= manyLines ? operations : operations.slice(0, manyLines)
  const more = operations.length - shown.length
  return [
    ...shown.map((each) => ({
      text: `${pc.bold(each.name)}(${each.inputs}) ${pc.dim('→')} ${each.outcome}`,
      remark: each.documentation ?? '',
    })),
    ...(more === 0
      ? []
      : [
          {
            text: pc.dim(`… and ${more} more: --full lists them all, --find <text> looks for some`),
          },
        ]),
  ]
}

function typeBranches({ types }: Overview, full: boolean): Branch[] {
  if (full || types.length <= manyLines)
    return inColumns(
      types.map(({ name, what, documentation = '' }) => ({
        words: [name, pc.dim(what)],
        remark: documentation,
      })),
    )
  const kinds = new Map<string, string[]>()
  for (const { kind, name } of types) addTo(kinds, kind, name)
  return [...kinds].map(([kind, members]) => ({
    text: pc.dim(`${count(members.length, kindWords[kind] ?? kind)}`),
    below: [{ text: names(members, false, manyNames), wrapped: true }],
  }))
}

/** Words that are longer than this push nothing away that stands below them. */
const longestWord = 32

/** Lines whose words stand below each other. */
function inColumns(
  lines: readonly { readonly words: readonly string[]; readonly remark: string }[],
): Branch[] {
  const widths = (lines[0]?.words ?? []).map((_, at) =>
    largest(
      lines.map(({ words }) => widthOf(words[at] ?? '')).filter((width) => width <= longestWord),
      0,
    ),
  )
  return lines.map(({ words, remark }) => ({
    text: words
      .map((word, at) => {
        const isLast = at === words.length - 1
        return isLast ? word : word + ' '.repeat(Math.max(0, (widths[at] ?? 0) - widthOf(word)))
      })
      .join('  '),
    remark,
  }))
}

const kindWords: Readonly<Record<string, string>> = {
  record: 'record',
  enumeration: 'enumeration',
  scalar: 'simple value',
  union: 'union',
  intersection: 'intersection',
  list: 'list',
  map: 'map',
  reference: 'alias',
  anything: 'open value',
  fragment: 'open value',
  tuple: 'tuple',
  literal: 'literal',
  nothing: 'empty type',
}

function names(all: readonly string[], full: boolean, most = manyLines): string {
  return full || all.length <= most
    ? all.join(', ')
    : `${all.slice(0, most).join(', ')} … and ${all.length - most} more`
}

function lines(branches: readonly Branch[], indent: string): string[] {
  // Remarks stand below each other, unless a long text would push them all away.
  const column = largest(
    branches
      .filter((each) => each.wrapped !== true)
      .map(({ text }) => widthOf(text))
      .filter((width) => width <= 48),
    0,
  )
  return branches.flatMap(({ text, remark = '', below = [], wrapped }, at) => {
    const isLast = at === branches.length - 1
    const [elbow, rail] = isLast ? ['└─ ', '   '] : ['├─ ', '│  ']
    const inner = lines(below, indent + rail)
    if (wrapped === true) {
      const rows = inLines(text, Math.max(30, terminalWidth() - indent.length - elbow.length))
      return [...rows.map((row, index) => `${indent}${index === 0 ? elbow : rail}${row}`), ...inner]
    }
    const line = `${indent}${elbow}${text}`
    const padded = line + ' '.repeat(Math.max(0, column - widthOf(text)))
    const room = terminalWidth() - widthOf(padded) - 2
    if (remark === '') return [line, ...inner]
    if (room >= leastRemark) return [`${padded}  ${pc.dim(cut(remark, room))}`, ...inner]
    // Where there is no room behind it, a remark stands below.
    const margin = `${indent}${rail}${below.length > 0 ? '│ ' : '  '}`
    return [line, `${margin}${pc.dim(cut(remark, terminalWidth() - widthOf(margin)))}`, ...inner]
  })
}

function cut(text: string, room: number): string {
  return text.length > room ? `${text.slice(0, Math.max(1, room - 1))}…` : text
}

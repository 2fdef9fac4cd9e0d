import { special } from '../special-members.js'
import type { Violation } from '../failures.js'
import type { Edm } from './edm.js'
import { unknownName } from './checking.js'
import {
  edmOf,
  isOpen,
  isStructure,
  kindNames,
  kindOf,
  membersOf,
  resolvedType,
  type EnumType,
  type AnyProperty,
  type AnyStructure,
  structureOf,
} from './model.js'
import type { Condition, Conditions } from './terms.js'

/** What differs between the versions of OData in a filter. */
export interface FilterWords {
  contains(text: string, part: string): string
  enumeration(type: EnumType, names: readonly string[]): string
  /** The name of a type, as functions take it. */
  typeName(name: string): string
  /** Does it know the operator `in` (4.01)? */
  readonly hasIn: boolean
}

/** A filter named a property that there is not. */
export class UnknownProperty extends Error {}

/** All of these must be true. */
export function allOf(...conditions: readonly Condition[]): Condition {
  return joined(conditions, 'and')
}

/** At least one of these must be true. */
export function anyOf(...conditions: readonly Condition[]): Condition {
  return joined(conditions, 'or')
}

/** This must not be true. */
export function not(condition: Condition): Condition {
  return { text: `not (${condition.text})`, joined: 'nothing' }
}

function joined(conditions: readonly Condition[], word: 'and' | 'or'): Condition {
  const [first] = conditions
  if (first === undefined) return { text: word === 'and' ? 'true' : 'false', joined: 'nothing' }
  if (conditions.length === 1) return first
  // `and` binds closer than `or` (URL Conventions, section 5.1.1.17): only an `or` inside an `and`
  // needs brackets.
  return {
    text: conditions
      .map((each) => (word === 'and' && each.joined === 'or' ? `(${each.text})` : each.text))
      .join(` ${word} `),
    joined: word,
  }
}

/** The text of a filter: as it was given, or as its function says. */
export function filterText(
  filter: string | ((terms: never) => Conditions),
  structure: AnyStructure,
  words: FilterWords,
): string {
  if (typeof filter === 'string') return filter
  return together(filter(termsOf(structure, '', words, 0) as never)).text
}

function together(conditions: Conditions): Condition {
  return 'text' in conditions ? conditions : joined(conditions, 'and')
}

/**
 * The terms of a structure's properties; made when they are asked for, because structures can be
 * recursive.
 */
function termsOf(
  structure: AnyStructure,
  path: string,
  words: FilterWords,
  depth: number,
): unknown {
  const members = membersOf(structure)
  return new Proxy(members, {
    get(_, name) {
      if (typeof name !== 'string') return undefined
      if (name === special.is)
        return (kind: string): Condition => ({
          text: `isof(${path === '' ? '' : `${path},`}${words.typeName(kindNamed(structure, kind).type)})`,
          joined: 'nothing',
        })
      if (name === '$as') {
        return (kind: string): unknown => {
          const wanted = kindNamed(structure, kind)
          return termsOf(wanted, `${path === '' ? '' : `${path}/`}${wanted.type}`, words, depth)
        }
      }
      const property = Object.hasOwn(members, name) ? members[name] : undefined
      if (property === undefined) throw new UnknownProperty(unknownName(name, Object.keys(members)))
      return termOf(property, path === '' ? name : `${path}/${name}`, words, depth)
    },
  })
}

/** A kind of a structure by the name that `$is` has for it. */
function kindNamed(structure: AnyStructure, kind: string): AnyStructure {
  const found = kindOf(structure, (each) => each.is === kind)
  if (found === undefined)
    throw new UnknownProperty(
      `"${kind}" is no kind of ${structure.type}; there are ${kindNames(structure).join(', ') || 'none'}`,
    )
  return found
}

function termOf(property: AnyProperty, path: string, words: FilterWords, depth: number): unknown {
  const type = resolvedType(property.is)
  const single = (at: string, within: number): unknown =>
    'members' in type
      ? termsOf(type, at, words, within)
      : new Term(at, 'enumeration' in type ? type : edmOf(type), words)
  if (property.many !== true) return single(path, depth)
  const inside = (word: string, condition: (each: never) => Conditions): Condition => {
    const variable = depth === 0 ? 'each' : `each${String(depth + 1)}`
    return {
      text: `${path}/${word}(${variable}:${together(condition(single(variable, depth + 1) as never)).text})`,
      joined: 'nothing',
    }
  }
  return {
    any: (condition?: (each: never) => Conditions) =>
      condition === undefined
        ? { text: `${path}/any()`, joined: 'nothing' }
        : inside('any', condition),
    all: (condition: (each: never) => Conditions) => inside('all', condition),
    count: () => new Term(`${path}/$count`, wholeNumber, words),
  }
}

/** Values that stand in addresses as they are. */
const wholeNumber: Pick<Edm, 'literal'> = { literal: String }
const plainText: Pick<Edm, 'literal'> = {
  literal: (value: string) => `'${value.replaceAll("'", "''")}'`,
}

/** A value in a filter: a property, or what a function makes of one. */
class Term {
  readonly text: string
  private readonly type: Pick<Edm, 'literal'> | EnumType
  private readonly words: FilterWords

  constructor(text: string, type: Pick<Edm, 'literal'> | EnumType, words: FilterWords) {
    this.text = text
    this.type = type
    this.words = words
  }

  private literal(value: unknown): string {
    if (value instanceof Term) return value.text
    if (value === null) return 'null'
    return 'enumeration' in this.type
      ? this.words.enumeration(this.type, [value].flat() as string[])
      : this.type.literal(value as never)
  }

  private compared(word: string, value: unknown): Condition {
    return { text: `${this.text} ${word} ${this.literal(value)}`, joined: 'nothing' }
  }

  private made(name: string, ...others: readonly string[]): Term {
    return new Term(`${name}(${[this.text, ...others].join(',')})`, this.type, this.words)
  }

  private counted(name: string, ...others: readonly string[]): Term {
    return new Term(`${name}(${[this.text, ...others].join(',')})`, wholeNumber, this.words)
  }

  private reckoned(word: string, value: unknown): Term {
    return new Term(`(${this.text} ${word} ${this.literal(value)})`, this.type, this.words)
  }

  private told(name: string, value: unknown): Condition {
    return { text: `${name}(${this.text},${this.literal(value)})`, joined: 'nothing' }
  }

  eq(value: unknown): Condition {
    return this.compared('eq', value)
  }
  ne(value: unknown): Condition {
    return this.compared('ne', value)
  }
  gt(value: unknown): Condition {
    return this.compared('gt', value)
  }
  ge(value: unknown): Condition {
    return this.compared('ge', value)
  }
  lt(value: unknown): Condition {
    return this.compared('lt', value)
  }
  le(value: unknown): Condition {
    return this.compared('le', value)
  }
  has(values: unknown): Condition {
    return this.compared('has', values)
  }
  in(values: readonly unknown[]): Condition {
    if (values.length > 0 && this.words.hasIn)
      return {
        text: `${this.text} in (${values.map((each) => this.literal(each)).join(',')})`,
        joined: 'nothing',
      }
    return joined(
      values.map((each) => this.eq(each)),
      'or',
    )
  }
  contains(text: unknown): Condition {
    return { text: this.words.contains(this.text, this.literal(text)), joined: 'nothing' }
  }
  startsWith(text: unknown): Condition {
    return this.told('startswith', text)
  }
  endsWith(text: unknown): Condition {
    return this.told('endswith', text)
  }
  length(): Term {
    return this.counted('length')
  }
  indexOf(text: unknown): Term {
    return this.counted('indexof', this.literal(text))
  }
  substring(from: number, length?: number): Term {
    return this.made('substring', String(from), ...(length === undefined ? [] : [String(length)]))
  }
  toLower(): Term {
    return this.made('tolower')
  }
  toUpper(): Term {
    return this.made('toupper')
  }
  trim(): Term {
    return this.made('trim')
  }
  concat(text: unknown): Term {
    return new Term(`concat(${this.text},${this.literal(text)})`, plainText, this.words)
  }
  plus(value: unknown): Term {
    return this.reckoned('add', value)
  }
  minus(value: unknown): Term {
    return this.reckoned('sub', value)
  }
  times(value: unknown): Term {
    return this.reckoned('mul', value)
  }
  dividedBy(value: unknown): Term {
    return this.reckoned('div', value)
  }
  modulo(value: unknown): Term {
    return this.reckoned('mod', value)
  }
  round(): Term {
    return this.made('round')
  }
  floor(): Term {
    return this.made('floor')
  }
  ceiling(): Term {
    return this.made('ceiling')
  }
  year(): Term {
    return this.counted('year')
  }
  month(): Term {
    return this.counted('month')
  }
  day(): Term {
    return this.counted('day')
  }
  hour(): Term {
    return this.counted('hour')
  }
  minute(): Term {
    return this.counted('minute')
  }
  second(): Term {
    return this.counted('second')
  }
  fractionalSeconds(): Term {
    return new Term(`fractionalseconds(${this.text})`, wholeNumber, this.words)
  }
  totalOffsetMinutes(): Term {
    return this.counted('totaloffsetminutes')
  }
  totalSeconds(): Term {
    return new Term(`totalseconds(${this.text})`, wholeNumber, this.words)
  }
  date(): Term {
    return new Term(`date(${this.text})`, wholeNumber, this.words)
  }
  time(): Term {
    return new Term(`time(${this.text})`, wholeNumber, this.words)
  }
  matches(pattern: unknown): Condition {
    return this.told('matchesPattern', pattern)
  }
}

const words = new Set(
  'and or not eq ne gt ge lt le in has add sub mul div divby mod true false null INF NaN asc desc'.split(
    ' ',
  ),
)
/**
 * Literals and names of a filter: texts (with the name of their type before them), GUIDs, numbers
 * and dates, names and paths, everything else.
 */
const token =
  /(?:[\p{L}_][\p{L}\p{N}_.]*)?'(?:[^']|'')*'|[\da-fA-F]{8}-(?:[\da-fA-F]{4}-){3}[\da-fA-F]{12}|\d[\w.:]*(?:[+-]\d[\w:.]*)*|[@$]?[\p{L}_][\p{L}\p{N}_.]*(?:\/\$?[\p{L}_][\p{L}\p{N}_.]*)*|\S/gu

/**
 * Checks that a filter which was written as text names properties that there are. Its grammar is
 * the service's to judge.
 */
export function checkFilterText(
  text: string,
  structure: AnyStructure,
  path: string,
  violations: Violation[],
): void {
  paths(text, structure, path, violations, () => undefined)
}

/** The names of properties that a filter speaks of, of the structure itself. */
export function namesInFilter(text: string, structure: AnyStructure): string[] {
  const found = new Set<string>()
  paths(text, structure, '', [], (steps, isVariable) => {
    const [first = ''] = steps[0] === '$it' ? steps.slice(1) : steps
    if (!isVariable) found.add(first)
  })
  return [...found]
}

function paths(
  text: string,
  structure: AnyStructure,
  path: string,
  violations: Violation[],
  told: (steps: readonly string[], isVariable: boolean) => void,
): void {
  const variables = new Map<string, AnyStructure>()
  const found = [...text.matchAll(token)].map(([each]) => each)
  found.forEach((each, at) => {
    if (!/^[\p{L}_$]/u.test(each) || /['-]/.test(each) || words.has(each)) return
    const next = found[at + 1]
    const isCall = next === '('
    const steps = each.split('/')
    const lambda = isCall && ['any', 'all'].includes(steps.at(-1) ?? '')
    if ((isCall && !lambda && steps.length === 1) || next === ':') return
    told(steps, variables.has(steps[0] ?? ''))
    const end = walk(isCall ? steps.slice(0, -1) : steps, structure, variables, path, violations)
    const variable = found[at + 2]
    if (lambda && end !== undefined && found[at + 3] === ':' && variable !== undefined)
      variables.set(variable, end)
  })
}

/** Follows a path as far as the contract knows it; gives the structure that it ends in. */
export function walk(
  steps: readonly string[],
  root: AnyStructure,
  variables: ReadonlyMap<string, AnyStructure>,
  path: string,
  violations: Violation[],
): AnyStructure | undefined {
  const [first = ''] = steps
  const start = variables.get(first) ?? (first === '$it' ? root : undefined)
  let structure: AnyStructure | undefined = start ?? root
  for (const step of start === undefined ? steps : steps.slice(1)) {
    // Counts, aliases, and names with a dot, which are types and functions, are the service's to
    // judge.
    if (/^[$@*]|\./.test(step)) return undefined
    const members: Readonly<Record<string, AnyProperty>> = membersOf(structure)
    const property = Object.hasOwn(members, step) ? members[step] : undefined
    if (property === undefined) {
      if (!isOpen(structure))
        violations.push({ path, message: `"${step}" ${unknownName(step, Object.keys(members))}` })
      return undefined
    }
    if (!isStructure(property.is)) return undefined
    structure = structureOf(property)
  }
  return structure
}

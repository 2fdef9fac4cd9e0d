import type { Violation } from '../failures.js'
import { isObject } from '../json/values.js'
import { expected, join } from '../violations.js'
import { unknownName } from './checking.js'
import { checkFilterText, filterText, UnknownProperty, walk, type FilterWords } from './filter.js'
import { isStructure, membersOf, type AnyStructure, structureOf } from './model.js'
import type { Conditions } from './terms.js'

/**
 * What a query asks for, typed by what the entity has.
 *
 * @typeParam Terms the terms of the entity's properties, for `filter`
 * @typeParam Name the names of its properties
 * @typeParam Expansions the queries of what hangs off it, by the names of its navigation properties
 */
export interface Query<Terms, Name extends string, Expansions> {
  /**
   * Which entities: a function that says it, or text in the standard's own language, like `Length
   * gt 100`.
   */
  readonly filter?: string | ((entity: Terms) => Conditions)
  /** Only these properties; as text `Name,Flag`. */
  readonly select?: string | readonly Name[]
  /** What hangs off it comes along: names, or names with a query of their own. */
  readonly expand?: string | readonly Expand<Expansions>[]
  /** In which order: names of properties, with ` desc` for the greatest first. */
  readonly orderBy?: string | readonly Order<Name>[]
  /** At most so many. */
  readonly top?: number
  /** Without the first ones. */
  readonly skip?: number
  /** What to look for, in the service's own way. */
  readonly search?: string
  /** Count all that fit, whatever `top` and `skip` say. */
  readonly count?: boolean
  /** Properties that the service reckons out, as text: `Length mul 2 as Twice`. */
  readonly compute?: string
  /** Options of the service's own, by name: they go into the address as they are. */
  readonly custom?: Readonly<Record<string, string>>
  /** Inside an expansion: how often what hangs off is followed to more of its kind. */
  readonly levels?: number | 'max'
}

/** A type without members would take anything. */
export type Expand<Expansions> =
  | Extract<keyof Expansions, string>
  | (keyof Expansions extends never
      ? never
      : { readonly [Name in keyof Expansions]?: Expansions[Name] })
export type Order<Name extends string> =
  Name | `${Name} asc` | `${Name} desc` | `${string}/${string}`

/**
 * What comes back of an entity when a query asks for a part of it: the properties that were
 * selected, and what was expanded.
 */
export type Asked<Entity, Asking> = Entity extends unknown
  ? {
      [
        Name in keyof Entity as Name extends Exclude<Selected<Entity, Asking>, Expanded<Asking>>
          ? Name
          : never
      ]: Entity[Name]
    } & {
      [Name in Extract<keyof Entity, Expanded<Asking>>]-?: AskedInside<
        Exclude<Entity[Name], undefined>,
        Within<Asking, Name>
      >
    }
  : never

/** Properties that always come: those that no query names. */
type Own = `$${string}`

type Selected<Entity, Asking> = Asking extends { readonly select: readonly (infer Name)[] }
  ? Extract<keyof Entity, Name | Own>
  : keyof Entity

type Expanded<Asking> = Asking extends { readonly expand: readonly (infer Each)[] }
  ? Each extends string
    ? Each
    : keyof Each
  : never

type Within<Asking, Name> = Asking extends { readonly expand: readonly (infer Each)[] }
  ? Each extends { readonly [Inner in Name & string]: infer Query }
    ? Query
    : never
  : never

type AskedInside<Value, Asking> = [Asking] extends [never]
  ? Value
  : Value extends readonly (infer Item)[]
    ? Asked<Item, Asking>[]
    : Value extends null
      ? null
      : Asked<Value, Asking>

/** What comes of an entity whose version the caller has already: nothing, where that was said. */
export type Unchanged<Asking> = Asking extends { readonly ifNoneMatch: string } ? undefined : never

/** A query as it is looked at here. */
export interface AnyQuery {
  readonly filter?: string | ((entity: never) => Conditions)
  readonly select?: string | readonly string[]
  readonly expand?: string | readonly AnyExpand[]
  readonly orderBy?: string | readonly string[]
  readonly top?: number
  readonly skip?: number
  readonly search?: string
  readonly count?: boolean
  readonly compute?: string
  readonly custom?: Readonly<Record<string, string>>
  readonly levels?: number | 'max'
}

export type AnyExpand = string | Readonly<Record<string, AnyQuery | undefined>>

/** A query option of the address: its name and its text, not yet percent-encoded. */
export type Option = readonly [name: string, text: string]

/** An option as a list of none or one: not at all where it is not asked for. */
export function option<Value>(
  name: string,
  value: Value | undefined,
  text: (value: Value) => string,
): Option[] {
  return value === undefined ? [] : [[name, text(value)]]
}

/** Query options as the part of an address after `?`; empty when there are none. */
export function queryString(options: readonly Option[]): string {
  return options.length === 0
    ? ''
    : `?${options.map(([name, text]) => `${encodeQuery(name)}=${encodeQuery(text)}`).join('&')}`
}

const inTexts = /%(?:2C|3A|3B|3D|40|24)/g
const inOptions = /%(?:2C|2F|3A|3B|3D|40|24)/g

/**
 * Percent-encodes a query option, keeping what RFC 3986, section 3.4, and the ABNF of OData allow
 * there for the sake of readers: slashes in paths, but not in texts.
 */
export function encodeQuery(text: string): string {
  return encodeURIComponent(text).replace(/'(?:[^']|'')*'|[^']+|'/g, (piece) =>
    piece.replace(
      piece.length > 1 && piece.startsWith("'") ? inTexts : inOptions,
      decodeURIComponent,
    ),
  )
}

export function listed(names: string | readonly string[]): string {
  return typeof names === 'string' ? names : names.join(',')
}

/** The structure that a navigation property leads to. */
export function targetOf(structure: AnyStructure, name: string): AnyStructure | undefined {
  const members = membersOf(structure)
  const property = Object.hasOwn(members, name) ? members[name] : undefined
  return property !== undefined && isStructure(property.is) ? structureOf(property) : undefined
}

/** What a version of OData admits in a query. */
export interface QueryRules {
  readonly words: FilterWords
  /** The options of expanded navigation properties. */
  readonly nested: readonly string[]
}

const known = [
  'filter',
  'select',
  'expand',
  'orderBy',
  'top',
  'skip',
  'search',
  'count',
  'compute',
  'custom',
  'levels',
]

/**
 * Finds every place of a query that names what there is not, or has a value of the wrong kind.
 *
 * @param options the options that are admitted
 * @param others further members that the input has
 */
export function checkQuery(
  query: Readonly<Record<string, unknown>>,
  structure: AnyStructure,
  rules: QueryRules,
  options: readonly string[],
  others: readonly string[],
  path: string,
  violations: Violation[],
): void {
  const wrong = (name: string, message: string): void =>
    void violations.push({ path: join(path, name), message })
  for (const [name, value] of Object.entries(query)) {
    if (value === undefined || others.includes(name)) continue
    if (!options.includes(name))
      wrong(
        name,
        known.includes(name)
          ? "can't be asked for here"
          : unknownName(name, [...others, ...options]),
      )
    else if (name === 'top' || name === 'skip') {
      if (typeof value !== 'number' || !Number.isInteger(value) || value < 0)
        wrong(name, expected('a whole number from 0 on', value))
    } else if (name === 'count') {
      if (typeof value !== 'boolean') wrong(name, expected('true or false', value))
    } else if (name === 'levels') {
      if (value !== 'max' && (typeof value !== 'number' || !Number.isInteger(value) || value < 1))
        wrong(name, expected('a whole number from 1 on, or "max"', value))
    } else if (name === 'custom') checkCustom(value, join(path, name), violations)
    else if (name === 'search' || name === 'compute') {
      if (typeof value !== 'string') wrong(name, expected('text', value))
    } else if (name === 'filter')
      checkFilter(value, structure, rules.words, join(path, name), violations)
    else if (name === 'expand') checkExpand(value, structure, rules, join(path, name), violations)
    else if (
      typeof value !== 'string' &&
      !(Array.isArray(value) && value.every((each) => typeof each === 'string'))
    )
      wrong(name, expected('text or a list of names', value))
    else
      for (const each of listed(value as string | readonly string[]).split(','))
        checkPath(
          each.trim().replace(/ (?:asc|desc)$/, ''),
          structure,
          join(path, name),
          violations,
        )
  }
}

/** Names that begin with $ or @ are the standard's own (URL Conventions, section 5.2). */
function checkCustom(value: unknown, path: string, violations: Violation[]): void {
  if (!isObject(value)) violations.push({ path, message: expected('an object with texts', value) })
  else {
    for (const [name, text] of Object.entries(value)) {
      if (typeof text !== 'string')
        violations.push({ path: join(path, name), message: expected('text', text) })
      if (/^[$@]|^$/.test(name))
        violations.push({
          path: join(path, name),
          message: "is no name for an option of a service's own: those don't begin with $ or @",
        })
    }
  }
}

/** Options of the service's own, as they stand in the address. */
export function customOptions({ custom }: AnyQuery): Option[] {
  return Object.entries(custom ?? {})
}

function checkFilter(
  value: unknown,
  structure: AnyStructure,
  words: FilterWords,
  path: string,
  violations: Violation[],
): void {
  if (typeof value === 'string') {
    checkFilterText(value, structure, path, violations)
    return
  }
  if (typeof value !== 'function') {
    violations.push({ path, message: expected('text or a function', value) })
    return
  }
  try {
    filterText(value as (entity: never) => Conditions, structure, words)
  } catch (error) {
    if (!(error instanceof UnknownProperty)) throw error
    violations.push({ path, message: error.message })
  }
}

function checkPath(
  text: string,
  structure: AnyStructure,
  path: string,
  violations: Violation[],
): void {
  if (text !== '' && !text.includes('('))
    walk(text.split('/'), structure, new Map(), path, violations)
}

function checkExpand(
  value: unknown,
  structure: AnyStructure,
  rules: QueryRules,
  path: string,
  violations: Violation[],
): void {
  if (typeof value === 'string') {
    for (const each of topLevel(value))
      checkPath(each.replace(/\(.*$/s, '').trim(), structure, path, violations)
    return
  }
  if (!Array.isArray(value)) {
    violations.push({ path, message: expected('text or a list', value) })
    return
  }
  for (const each of value as readonly unknown[]) {
    if (typeof each === 'string') checkPath(each.replace(/\(.*$/s, ''), structure, path, violations)
    else if (!isObject(each))
      violations.push({ path, message: expected('a name, or a name with a query', each) })
    else {
      for (const [name, query] of Object.entries(each)) {
        const target = targetOf(structure, name)
        if (target === undefined) checkPath(name, structure, path, violations)
        else if (!isObject(query))
          violations.push({ path: join(path, name), message: expected('a query', query) })
        else checkQuery(query, target, rules, rules.nested, [], join(path, name), violations)
      }
    }
  }
}

/** A text split at its commas, those inside brackets and quotes left alone. */
export function topLevel(text: string, separator = ','): string[] {
  const parts: string[] = []
  let depth = 0
  let inside = false
  let start = 0
  for (let at = 0; at < text.length; at += 1) {
    const c = text[at]
    if (c === "'") inside = !inside
    else if (inside) continue
    else if (c === '(') depth += 1
    else if (c === ')') depth -= 1
    else if (c === separator && depth === 0) {
      parts.push(text.slice(start, at))
      start = at + 1
    }
  }
  return [...parts, text.slice(start)].filter((part) => part.trim() !== '')
}

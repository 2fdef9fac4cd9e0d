import { addressOf } from '../addresses.js'
import type { Connection, ThisCall } from '../connection.js'
import type { Violation } from '../failures.js'
import { isObject, show } from '../json/values.js'
import { listingOf } from '../listing.js'
import { present } from '../present.js'
import { onOurHost } from '../service-links.js'
import { expected, join } from '../violations.js'
import { resourcePath } from './addresses.js'
import { unknownName } from './checking.js'
import { double } from './edm4.js'
import { filterText } from './filter.js'
import { checked, checkWithin, type EntityOperation } from './input-checks.js'
import { membersOf, type AnyProperty, type AnyStructure } from './model.js'
import { fetchPage, readPage, reading } from './pages.js'
import { checkQuery, queryString, type AnyQuery } from './query.js'

/**
 * What is reckoned out of many entities: how many there are, or a property of theirs by a method.
 */
export type Measure<Name extends string> =
  'count' | { readonly of: Name; readonly by: 'sum' | 'min' | 'max' | 'average' | 'countdistinct' }

/** What is asked of many entities together. */
export interface Aggregation<Terms, Name extends string> {
  /** Of which entities: a function that says it, or text. */
  readonly filter?:
    string | ((entity: Terms) => readonly { readonly text: string }[] | { readonly text: string })
  /** One row for each combination of values of these properties; without them one row for all. */
  readonly groupBy?: readonly Name[]
  /** What is reckoned out, by the name that it gets. */
  readonly measures: Readonly<Record<string, Measure<Name>>>
}

/** A row of an aggregation, by what was asked. */
export type Aggregated<Entity, Asking> = {
  [
    Name in Asking extends { readonly groupBy: readonly (infer Each)[] }
      ? Extract<keyof Entity, Each>
      : never
  ]: Entity[Name]
} & (Asking extends { readonly measures: infer Measures }
  ? {
      [Name in keyof Measures]: Measures[Name] extends {
        readonly of: infer Of
        readonly by: infer By
      }
        ? | (By extends 'average' | 'countdistinct'
              ? number
              : Of extends keyof Entity
                ? Entity[Of]
                : unknown)
          | null
        : number
    }
  : unknown)

interface AnyAggregation {
  readonly filter?: AnyQuery['filter']
  readonly groupBy?: string | readonly string[]
  readonly measures: Readonly<Record<string, Measure<string>>>
}

/** Reckons over many entities (OData Extension for Data Aggregation 4.0, sections 3.2 to 3.4). */
export async function aggregate<Row>(
  connection: Connection,
  operation: EntityOperation,
  input: object,
  thisCall: ThisCall = {},
): Promise<Row[]> {
  const { protocol, of } = operation
  const asked = input as AnyAggregation
  checkAggregation(connection, operation, asked)
  const start = `${addressOf(connection)}/${resourcePath(operation, input, protocol)}${queryString([['$apply', applyText(asked, of, operation)]])}`
  const listing = listingOf<Row>((next) => {
    const url = next === undefined ? start : onOurHost(connection, next)
    const outgoing = { method: 'GET', url }
    return fetchPage(connection, operation, outgoing, thisCall, (json, hear) => {
      const rows = { is: rowOf(of, asked), many: true }
      return readPage<Row>(operation, rows, json, url, reading(protocol, true, hear))
    })
  })
  return listing.all()
}

/** The text of `$apply`. */
export function applyText(
  { filter, groupBy, measures }: AnyAggregation,
  structure: AnyStructure,
  { protocol }: Pick<EntityOperation, 'protocol'>,
): string {
  const measured = Object.entries(measures).map(([name, measure]) =>
    measure === 'count' ? `$count as ${name}` : `${measure.of} with ${measure.by} as ${name}`,
  )
  const sums = measured.length === 0 ? '' : `aggregate(${measured.join(',')})`
  const groups = namesOf(groupBy)
  const grouped =
    groups.length === 0 ? sums : `groupby((${groups.join(',')})${sums === '' ? '' : `,${sums}`})`
  return [
    ...(filter === undefined ? [] : [`filter(${filterText(filter, structure, protocol.words)})`]),
    grouped,
  ].join('/')
}

/** Names in a list, or in a text with commas. */
function namesOf(names: AnyAggregation['groupBy']): readonly string[] {
  return typeof names === 'string' ? names.split(',').map((each) => each.trim()) : (names ?? [])
}

/** A row: an entity of which the names that were asked for are there, and what was reckoned out. */
function rowOf(structure: AnyStructure, { measures }: AnyAggregation): AnyStructure {
  const members = membersOf(structure)
  const measured = Object.entries(measures).map(([name, measure]): [string, AnyProperty] => {
    const property =
      measure === 'count' || measure.by === 'average' || measure.by === 'countdistinct'
        ? undefined
        : members[measure.of]
    return [name, { is: property?.is ?? double, nullable: true }]
  })
  return { type: structure.type, members: { ...members, ...Object.fromEntries(measured) } }
}

const methods = ['sum', 'min', 'max', 'average', 'countdistinct']

function checkAggregation(
  connection: Connection,
  operation: EntityOperation,
  input: AnyAggregation,
): void {
  const { of, protocol } = operation
  checked(connection, operation, input, (violations) => {
    const { filter, groupBy, measures, ...others } = input
    const outer = checkWithin(operation, input, violations)
    checkQuery(present({ filter }), of, protocol, ['filter'], [], '', violations)
    checkQuery({ ...others }, of, protocol, [], outer, '', violations)
    const names = Object.keys(membersOf(of))
    checkGroups(groupBy, names, violations)
    if (!isObject(measures))
      violations.push({ path: 'measures', message: expected('an object', measures) })
    else if (Object.keys(measures).length === 0 && namesOf(groupBy).length === 0)
      violations.push({ path: 'measures', message: 'is empty, and nothing is grouped' })
    else
      for (const [name, measure] of Object.entries(measures))
        checkMeasure(name, measure, names, violations)
  })
}

function checkGroups(groupBy: unknown, names: readonly string[], violations: Violation[]): void {
  if (typeof groupBy === 'string' || groupBy === undefined)
    for (const name of namesOf(groupBy)) checkName(name, 'groupBy', names, violations)
  else if (!Array.isArray(groupBy))
    violations.push({ path: 'groupBy', message: expected('a list of names', groupBy) })
  else groupBy.forEach((name, at) => checkName(name, `groupBy[${String(at)}]`, names, violations))
}

function checkMeasure(
  name: string,
  measure: unknown,
  names: readonly string[],
  violations: Violation[],
): void {
  const path = join('measures', name)
  if (!/^[\p{L}_][\p{L}\p{N}_]*$/u.test(name))
    violations.push({ path, message: 'is no name that OData can give (letters, digits and _)' })
  else if (names.includes(name))
    violations.push({ path, message: 'is the name of a property already' })
  if (measure === 'count') return
  if (!isObject(measure)) {
    const message = expected('"count", or an object with "of" and "by"', measure)
    violations.push({ path, message })
    return
  }
  const { of, by } = measure
  checkName(of, join(path, 'of'), names, violations)
  if (typeof by === 'string' && methods.includes(by)) return
  const message = expected(`one of ${methods.map(show).join(', ')}`, by)
  violations.push({ path: join(path, 'by'), message })
}

/** Is it a property, or a path that begins with one? */
function checkName(
  name: unknown,
  path: string,
  names: readonly string[],
  violations: Violation[],
): void {
  const [first = ''] = String(name).split('/')
  if (typeof name !== 'string')
    violations.push({ path, message: expected('the name of a property', name) })
  else if (!names.includes(first))
    violations.push({ path, message: `"${first}" ${unknownName(first, names)}` })
}

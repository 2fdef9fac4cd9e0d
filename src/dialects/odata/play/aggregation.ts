import { addTo } from '../../../contract/lists.js'
import { topLevel } from '../../../runtime/odata/query.js'
import { compare, isTrue, evaluate, type Scope } from './evaluate.js'
import { NotAnExpression, NumberValue, parseExpression, type Value } from './expression.js'
import type { Entity } from './tables.js'

/** A row of an aggregation: values by name, as expressions have them. */
export type AggregatedRow = Readonly<Record<string, Value>>

/**
 * Evaluates `$apply`: filters, then groups and reckons (OData Extension for Data Aggregation 4.0,
 * sections 3.2 to 3.4).
 *
 * @throws NotAnExpression when it says something else
 */
export function aggregated(
  text: string,
  entities: readonly Entity[],
  scopeOf: (entity: Entity) => Scope,
): AggregatedRow[] {
  let rows = entities
  let made: AggregatedRow[] | undefined
  for (const step of topLevel(text, '/').map((each) => each.trim())) {
    const [, name = '', inside = ''] = /^(\w+)\((.*)\)$/s.exec(step) ?? []
    if (made !== undefined)
      throw new NotAnExpression(`"${step}" after a grouping is not played here`)
    if (name === 'filter') {
      const condition = parseExpression(inside)
      rows = rows.filter((entity) => isTrue(condition, scopeOf(entity)))
    } else if (name === 'aggregate') made = [reckoned(inside, rows, scopeOf)]
    else if (name === 'groupby') made = grouped(inside, rows, scopeOf)
    else throw new NotAnExpression(`the transformation "${step}" is not played here`)
  }
  return made ?? []
}

function grouped(
  inside: string,
  entities: readonly Entity[],
  scopeOf: (entity: Entity) => Scope,
): AggregatedRow[] {
  const [listed = '', then] = topLevel(inside)
  const [, names = ''] = /^\s*\((.*)\)\s*$/s.exec(listed) ?? []
  const by = topLevel(names).map((each) => each.trim())
  if (by.length === 0) throw new NotAnExpression(`"groupby(${inside})" names no properties`)
  const [, measures] = then === undefined ? [] : (/^\s*aggregate\((.*)\)\s*$/s.exec(then) ?? [])
  if (then !== undefined && measures === undefined)
    throw new NotAnExpression(`"${then}" inside groupby is not played here`)
  const groups = new Map<string, Entity[]>()
  for (const entity of entities) {
    const key = JSON.stringify(
      by.map((name) => text(evaluate(parseExpression(name), scopeOf(entity)))),
    )
    addTo(groups, key, entity)
  }
  return [...groups.values()].map((members) => {
    const [first] = members
    const values =
      first === undefined
        ? {}
        : Object.fromEntries(
            by.map((name) => [name, evaluate(parseExpression(name), scopeOf(first))]),
          )
    return { ...values, ...(measures === undefined ? {} : reckoned(measures, members, scopeOf)) }
  })
}

function reckoned(
  measures: string,
  entities: readonly Entity[],
  scopeOf: (entity: Entity) => Scope,
): AggregatedRow {
  return Object.fromEntries(
    topLevel(measures).map((measure): [string, Value] => {
      const [, counted] = /^\s*\$count as (\w+)\s*$/u.exec(measure) ?? []
      if (counted !== undefined) return [counted, new NumberValue(String(entities.length))]
      const [, of, method, name] = /^\s*(.+?) with (\w+) as (\w+)\s*$/u.exec(measure) ?? []
      if (of === undefined || method === undefined || name === undefined)
        throw new NotAnExpression(
          `"${measure}" is no measure: it reads like "Length with sum as Total"`,
        )
      const values = entities
        .map((entity) => evaluate(parseExpression(of), scopeOf(entity)))
        .filter((value) => value !== null)
      return [name, byMethod(method, values)]
    }),
  )
}

function byMethod(method: string, values: readonly Value[]): Value {
  const sum = (): number => values.reduce<number>((total, value) => total + Number(text(value)), 0)
  const number = (value: number): Value => new NumberValue(String(Number(value.toPrecision(15))))
  if (method === 'countdistinct') return number(new Set(values.map(text)).size)
  if (values.length === 0) return null
  if (method === 'sum') return number(sum())
  if (method === 'average') return number(sum() / values.length)
  const ordered = [...values].sort(compare)
  if (method === 'min') return ordered[0] ?? null
  if (method === 'max') return ordered.at(-1) ?? null
  throw new NotAnExpression(`the method "${method}" is not played here`)
}

function text(value: Value): string {
  return value instanceof NumberValue ? value.digits : String(value as string)
}

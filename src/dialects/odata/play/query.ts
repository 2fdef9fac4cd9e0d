import { topLevel } from '../../../runtime/odata/query.js'
import { membersOf } from '../../../runtime/odata/model.js'
import { writeStructure } from '../../../runtime/odata/structure.js'
import { compare, evaluate, isTrue, type Scope } from './evaluate.js'
import {
  NotAnExpression,
  NumberValue,
  parseExpression,
  parseOrder,
  type Expression,
  type Value,
} from './expression.js'
import type { ServiceSide } from './protocol-side.js'
import type { Entity } from './tables.js'

/** Query options as they came, without `$`. */
export type Options = Readonly<Record<string, string>>

/** What answering a query needs of the stand-in. */
export interface Answering {
  readonly side: ServiceSide
  related(entity: Entity, navigation: string): readonly Entity[] | undefined
  /** The address of an entity. */
  url(entity: Entity): string
  etag(entity: Entity): string
}

/**
 * Options inside the brackets of an expanded property, or behind the question mark of an address.
 */
export function readOptions(pairs: readonly string[]): Options {
  const found: Record<string, string> = {}
  for (const pair of pairs) {
    const equals = pair.indexOf('=')
    const name = (equals === -1 ? pair : pair.slice(0, equals)).trim()
    found[name.replace(/^\$/, '').toLowerCase()] = equals === -1 ? '' : pair.slice(equals + 1)
  }
  return found
}

/** Where expressions about an entity are evaluated. */
export function scopeOf(entity: Entity, answering: Answering): Scope {
  return {
    row: entity,
    variables: new Map(),
    related: (row, navigation) =>
      'table' in row ? answering.related(row as Entity, navigation) : undefined,
  }
}

/** The entities that fit, in order: filter, search, order. */
export function selected(
  entities: readonly Entity[],
  options: Options,
  answering: Answering,
): Entity[] {
  const condition = options['filter'] === undefined ? undefined : parseExpression(options['filter'])
  const words = (options['search'] ?? '')
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word !== '')
  const found = entities.filter((entity) => {
    if (condition !== undefined && !isTrue(condition, scopeOf(entity, answering))) return false
    const texts = Object.values(entity.values)
      .filter((value) => typeof value === 'string')
      .join('\n')
      .toLowerCase()
    return words.every((word) => texts.includes(word))
  })
  const orders = options['orderby'] === undefined ? [] : parseOrder(options['orderby'])
  return orders.length === 0
    ? found
    : [...found].sort((a, b) => {
        for (const { by, descending } of orders) {
          const order = compare(
            evaluate(by, scopeOf(a, answering)),
            evaluate(by, scopeOf(b, answering)),
          )
          if (order !== 0) return descending ? -order : order
        }
        return 0
      })
}

/** A number of rows from an option. */
export function countOf(options: Options, name: string): number | undefined {
  const text = options[name]
  if (text === undefined) return undefined
  if (!/^\d+$/.test(text)) throw new NotAnExpression(`$${name} must be a number, not "${text}"`)
  return Number(text)
}

/** An entity as JSON: what was selected of it, and what was expanded. */
export function shown(
  entity: Entity,
  options: Options,
  answering: Answering,
  declaredType: string,
): Record<string, unknown> {
  const { side } = answering
  const members = membersOf(entity.structure)
  const select =
    options['select'] === undefined || options['select'].trim() === ''
      ? undefined
      : topLevel(options['select']).map((each) => each.trim())
  const expansions = expansionsOf(options['expand'] ?? '', side.isNew)
  for (const name of [...(select ?? []), ...expansions.keys()].map(
    (each) => each.split('/')[0] ?? '',
  )) {
    if (name !== '*' && !name.includes('.') && !Object.hasOwn(members, name))
      throw new NotAnExpression(`"${entity.structure.type}" has no property "${name}"`)
  }
  const isWanted = (name: string): boolean =>
    select === undefined ||
    select.includes('*') ||
    select.some((each) => each === name || each.startsWith(`${name}/`))
  const own = Object.fromEntries(
    Object.entries(entity.values).filter(
      ([name]) => isWanted(name) && members[name]?.navigation !== true,
    ),
  )
  const navigations = Object.entries(members)
    .filter(([, property]) => property.navigation === true)
    .map(([name]) => name)
  const json: Record<string, unknown> = {
    ...side.about({
      type: entity.structure.type,
      isSubtype: entity.structure.type !== declaredType,
      etag: answering.etag(entity),
      url: answering.url(entity),
      links: navigations.filter((name) => !expansions.has(name)),
    }),
    ...writeStructure(entity.structure, own, side.protocol),
  }
  for (const [name, expression] of computed(options['compute']))
    json[name] = plainValue(evaluate(expression, scopeOf(entity, answering)))
  for (const [name, inner] of expansions) {
    const property = members[name]
    if (property?.navigation !== true) continue
    // In version 2 what is selected inside stands outside, as a path.
    const inside = side.isNew ? inner : { ...inner, ...innerSelection(select, name) }
    const all = answering.related(entity, name) ?? []
    const rows = page(selected(all, inside, answering), inside)
    const target = (typeof property.is === 'function' ? property.is() : property.is) as {
      type: string
    }
    const shownRows = rows.map((each) => shown(each, inside, answering, target.type))
    json[name] = property.many === true ? side.expanded(shownRows) : (shownRows[0] ?? null)
    if (inside['count'] === 'true')
      json[`${name}@odata.count`] = String(selected(all, inside, answering).length)
  }
  return json
}

/** Properties that are reckoned out, by name (URL Conventions, section 5.1.3.1). */
function computed(text: string | undefined): [name: string, expression: Expression][] {
  return topLevel(text ?? '').map((each) => {
    const [, expression = '', name] = /^(.*) as (\w+)\s*$/su.exec(each) ?? []
    if (name === undefined)
      throw new NotAnExpression(`"${each}" computes nothing: it reads like "Length mul 2 as Twice"`)
    return [name, parseExpression(expression)]
  })
}

function plainValue(value: Value): unknown {
  return value instanceof NumberValue ? Number(value.digits) : value
}

function innerSelection(select: readonly string[] | undefined, name: string): Options {
  const inside = (select ?? [])
    .filter((each) => each.startsWith(`${name}/`))
    .map((each) => each.slice(name.length + 1))
  return inside.length === 0 ? {} : { select: inside.join(',') }
}

/** The rows between `$skip` and `$top`. */
export function page<T>(rows: readonly T[], options: Options): T[] {
  const skip = countOf(options, 'skip') ?? 0
  const top = countOf(options, 'top')
  return rows.slice(skip, top === undefined ? undefined : skip + top)
}

/**
 * What is expanded, each with its own options: in brackets (version 4), or as paths (version 2).
 */
function expansionsOf(text: string, isNew: boolean): Map<string, Options> {
  const found = new Map<string, Options>()
  for (const item of topLevel(text).map((each) => each.trim())) {
    if (isNew) {
      const [, name = '', inside = ''] = /^([^(]*)(?:\((.*)\))?$/s.exec(item) ?? []
      found.set(name.trim(), readOptions(topLevel(inside, ';')))
    } else {
      const [name = '', ...rest] = item.split('/')
      const before = found.get(name)?.['expand']
      const below = [
        ...(before === undefined ? [] : [before]),
        ...(rest.length === 0 ? [] : [rest.join('/')]),
      ]
      found.set(name, below.length === 0 ? {} : { expand: below.join(',') })
    }
  }
  return found
}

import { membersOf } from '../../../runtime/odata/model.js'
import { topLevel } from '../../../runtime/odata/query.js'
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
  const select = selectionOf(options['select'])
  const expansions = expansionsOf(options['expand'] ?? '', side.isNew)
  checkNames(entity, [...(select ?? []), ...expansions.keys()])
  const isWanted = (name: string): boolean =>
    select === undefined ||
    select.includes('*') ||
    select.some((each) => each === name || each.startsWith(`${name}/`))
  const isNavigation = (name: string): boolean => members[name]?.navigation === true
  const own = Object.entries(entity.values).filter(
    ([name]) => isWanted(name) && !isNavigation(name),
  )
  const json: Record<string, unknown> = {
    ...side.about({
      type: entity.structure.type,
      isSubtype: entity.structure.type !== declaredType,
      etag: answering.etag(entity),
      url: answering.url(entity),
      links: Object.keys(members).filter((name) => isNavigation(name) && !expansions.has(name)),
    }),
    ...writeStructure(entity.structure, Object.fromEntries(own), side.protocol),
  }
  for (const [name, expression] of computed(options['compute']))
    json[name] = plainValue(evaluate(expression, scopeOf(entity, answering)))
  for (const [name, inner] of expansions) {
    // In version 2 what is selected inside stands outside, as a path.
    const inside = side.isNew ? inner : { ...inner, ...innerSelection(select, name) }
    if (isNavigation(name)) Object.assign(json, expanded(entity, name, inside, answering))
  }
  return json
}

/** The names that are selected; undefined where all are. */
function selectionOf(text: string | undefined): string[] | undefined {
  if (text === undefined || text.trim() === '') return undefined
  return topLevel(text).map((each) => each.trim())
}

/** Refuses names of properties that an entity does not have. */
function checkNames({ structure }: Entity, paths: readonly string[]): void {
  const members = membersOf(structure)
  for (const [name = ''] of paths.map((path) => path.split('/')))
    if (name !== '*' && !name.includes('.') && !Object.hasOwn(members, name))
      throw new NotAnExpression(`"${structure.type}" has no property "${name}"`)
}

/** What hangs off an entity: as one of its members, and how many there are where that is asked. */
function expanded(
  entity: Entity,
  name: string,
  options: Options,
  answering: Answering,
): Record<string, unknown> {
  const property = membersOf(entity.structure)[name]
  const target = (typeof property?.is === 'function' ? property.is() : property?.is) as {
    type: string
  }
  const fitting = selected(answering.related(entity, name) ?? [], options, answering)
  const rows = page(fitting, options).map((each) => shown(each, options, answering, target.type))
  const value = property?.many === true ? answering.side.expanded(rows) : (rows[0] ?? null)
  return {
    [name]: value,
    ...(options['count'] === 'true' ? { [`${name}@odata.count`]: String(fitting.length) } : {}),
  }
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

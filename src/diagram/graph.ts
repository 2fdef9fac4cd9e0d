import { special } from '../contract/special-members.js'
import type { Contract, Field, ListType, NamedType, Type, TypeId } from '../contract/contract.js'
import { present } from '../contract/present.js'
import {
  countedTypes,
  namedType,
  operationsOf,
  pathOf,
  resolve,
  typesOfOperation,
  partsOf,
} from '../contract/queries.js'

/** With more boxes than this their rows are left out of pictures. */
export const mostWithRows = 80

/** What a box stands for. */
export type BoxKind = 'entity' | 'record' | 'enumeration' | 'union'

/** A line inside a box: a field, or a value of an enumeration. */
export interface Row {
  readonly name: string
  /** The type in words; nothing for values. */
  readonly type: string
  readonly key: boolean
  readonly documentation: string | undefined
}

export interface Box {
  readonly id: TypeId
  readonly name: string
  readonly kind: BoxKind
  readonly abstract: boolean
  /** Where its name belongs to; empty where names belong to nothing. */
  readonly namespace: string
  readonly rows: readonly Row[]
  readonly documentation: string | undefined
}

/**
 * One end of a link: what the things at this end are called from the other end, and how many there
 * are.
 */
export interface End {
  readonly name?: string
  readonly multiplicity?: string
}

/**
 * How two types hang together. `leadsTo`: a field of `from` has values of `to`; `contains`: they
 * are parts of it; `extends`: `from` is a kind of `to`; `oneOf`: `to` is an alternative of the
 * union `from`; `uses`: a field of `from` has values of the enumeration `to`.
 */
export interface Link {
  readonly kind: 'leadsTo' | 'contains' | 'extends' | 'oneOf' | 'uses'
  readonly from: TypeId
  readonly to: TypeId
  readonly source: End
  readonly target: End
  /** What the metadata calls it. */
  readonly association?: string
  readonly documentation: string | undefined
}

/** What is listed beside the boxes: entity sets, operations. */
export interface Listing {
  readonly title: string
  readonly entries: readonly string[]
}

/** The types of a contract, or some of them, and how they hang together. */
export interface Graph {
  readonly title: string
  readonly boxes: readonly Box[]
  readonly links: readonly Link[]
  readonly listings: readonly Listing[]
  /** How many boxes there are when nothing is left away. */
  readonly whole: number
}

/**
 * The types that have boxes: records, enumerations and unions of them. Others are written where
 * they stand.
 */
export function drawnTypes(contract: Contract): NamedType[] {
  return countedTypes(contract, operationsOf(contract)).filter(
    (type) => kindOfBox(contract, type) !== undefined,
  )
}

/**
 * The graph of some types of a contract.
 *
 * @param shown ids of the types to draw; all that have boxes when left out. Fields that lead to
 *   others stay in their boxes as rows
 */
export function graphOf(contract: Contract, shown?: ReadonlySet<TypeId>): Graph {
  const all = drawnTypes(contract)
  const types = shown === undefined ? all : all.filter(({ id }) => shown.has(id))
  const drawn = new Map(types.map((type) => [type.id, type]))
  const links = linksOf(contract, drawn)
  const byField = new Set(links.flatMap(({ fields }) => fields))
  const boxes = types.map((type): Box => {
    const kind = kindOfBox(contract, type) ?? 'record'
    return {
      id: type.id,
      name: type.name,
      kind,
      abstract: type.kind === 'record' && type.abstract === true,
      namespace: namespaceOf(type),
      rows: rowsOf(contract, type, byField),
      documentation: type.documentation,
    }
  })
  return {
    title: contract.title,
    boxes,
    links: links.map(({ fields: _fields, ...link }) => link),
    listings: listingsOf(contract, drawn, shown === undefined),
    whole: all.length,
  }
}

/** For each type with a box: those that it hangs together with, in either direction. */
export function neighboursOf(contract: Contract): ReadonlyMap<TypeId, ReadonlySet<TypeId>> {
  const types = new Map(drawnTypes(contract).map((type) => [type.id, type]))
  const found = new Map<TypeId, Set<TypeId>>([...types.keys()].map((id) => [id, new Set<TypeId>()]))
  for (const { from, to } of linksOf(contract, types)) {
    found.get(from)?.add(to)
    found.get(to)?.add(from)
  }
  return found
}

interface FoundLink extends Link {
  /** The fields that it stands for, and that need no rows. */
  readonly fields: readonly Field[]
}

function kindOfBox(contract: Contract, type: NamedType): BoxKind | undefined {
  switch (type.kind) {
    case 'record':
      if (type.variantOf !== undefined) return undefined
      if (type.keys !== undefined || isEntity(contract, type)) return 'entity'
      return 'record'

    case 'enumeration':
      return 'enumeration'
    case 'intersection':
      return type.parts.some((part) => resolve(contract, part).kind === 'record')
        ? 'record'
        : undefined
    case 'union':
      return type.alternatives.some((each) => isBoxed(contract, each)) ? 'union' : undefined
    default:
      return undefined
  }
}

/** Has it a key, or does one of what it extends? */
function isEntity(contract: Contract, type: Type): boolean {
  return (
    type.kind === 'record' &&
    (type.keys !== undefined ||
      (type.base !== undefined && isEntity(contract, resolve(contract, type.base))))
  )
}

function isBoxed(contract: Contract, type: Type): boolean {
  if (type.kind !== 'reference') return false
  const target = resolve(contract, type)
  return (
    target.kind === 'record' ||
    target.kind === 'intersection' ||
    (target.kind === 'union' &&
      target.alternatives.some(
        (each) => each.kind === 'reference' && resolve(contract, each).kind === 'record',
      ))
  )
}

/** The fields that a type declares itself. */
function ownFields(contract: Contract, type: Type): readonly Field[] {
  if (type.kind === 'record')
    return type.fields.filter((field) => !field.name.startsWith(special.etag))
  if (type.kind === 'intersection') return type.parts.flatMap((part) => ownFields(contract, part))
  return []
}

/**
 * What is written in a box: the values of an enumeration, the alternatives of a union that have no
 * boxes, fields that no link stands for.
 */
function rowsOf(contract: Contract, type: NamedType, byLink: ReadonlySet<Field>): Row[] {
  if (type.kind === 'enumeration')
    return type.members.map(({ value, documentation }) => ({
      name: value,
      type: '',
      key: false,
      documentation,
    }))
  if (type.kind === 'union')
    return type.alternatives
      .filter((each) => !isBoxed(contract, each))
      .map((each) => ({
        name: shortType(contract, each),
        type: '',
        key: false,
        documentation: each.documentation,
      }))
  return ownFields(contract, type)
    .filter((field) => !byLink.has(field))
    .map((field) => rowOf(contract, type, field))
}

function rowOf(contract: Contract, type: NamedType, field: Field): Row {
  const text = shortType(contract, field.type)
  return {
    name: field.name,
    type: field.optional || field.nullable ? `${/[|&]/.test(text) ? `(${text})` : text}?` : text,
    key: type.kind === 'record' && type.keys?.includes(field.name) === true,
    documentation: field.documentation,
  }
}

/** A type in one or two words. Lists can be made of themselves. */
function shortType(contract: Contract, type: Type, depth = 0): string {
  if (depth > 6) return '…'
  const inside = (part: Type): string => shortType(contract, part, depth + 1)
  switch (type.kind) {
    case 'reference': {
      const named = namedType(contract, type.to)
      return named.kind === 'list' || named.kind === 'map' ? inside(named) : named.name
    }
    case 'scalar':
      return type.base
    case 'list':
      return `${inside(type.item)}[]`
    case 'map':
      return `${inside(type.value)} by name`
    case 'literal':
      return JSON.stringify(type.value)
    case 'enumeration':
      return type.members.length <= 3
        ? type.members.map(({ value }) => value).join(' | ')
        : `${type.members.length} values`
    case 'union': {
      const parts = [...new Set(type.alternatives.map((each) => inside(each)))]
      return parts.length <= 3 ? parts.join(' | ') : `${parts.slice(0, 2).join(' | ')} | …`
    }
    case 'intersection':
      return type.parts.map((each) => inside(each)).join(' & ')
    case 'record':
      return '{ … }'
    case 'tuple':
      return `[${type.items.map((each) => inside(each)).join(', ')}]`
    case 'fragment':
      return 'any'
    default:
      return type.kind
  }
}

/** Where a field's type leads, and how often. */
interface Way {
  readonly to: TypeId
  readonly multiplicity: string
}

/** The boxes that a value of this type has, through lists and whatever has no box of its own. */
function waysOf(
  contract: Contract,
  type: Type,
  drawn: ReadonlyMap<TypeId, NamedType>,
  multiplicity: string,
  within: readonly Type[] = [],
): Way[] {
  if (within.includes(type)) return []
  const inside = (part: Type, times: string): Way[] =>
    waysOf(contract, part, drawn, times, [...within, type])
  switch (type.kind) {
    case 'reference':
      if (drawn.has(type.to)) return [{ to: type.to, multiplicity }]
      if (isBoxless(contract, type.to)) return inside(namedType(contract, type.to), multiplicity)
      return []

    case 'list':
      return inside(type.item, listMultiplicity(type, multiplicity))
    case 'map':
      return inside(type.value, '*')
    case 'union':
      return type.alternatives.flatMap((each) =>
        inside(each, type.alternatives.length > 1 ? sometimes(multiplicity) : multiplicity),
      )
    default:
      return partsOf(type).flatMap((part) => inside(part, multiplicity))
  }
}

/** Does a type have no box in any diagram? What it leads to is then led to by what names it. */
function isBoxless(contract: Contract, id: TypeId): boolean {
  return kindOfBox(contract, namedType(contract, id)) === undefined
}

function listMultiplicity({ minItems = 0, maxItems }: ListType, outside: string): string {
  if (outside === '*') return '*'
  const least = outside === '1' ? minItems : 0
  if (maxItems === undefined) {
    if (least === 0) return '*'
    return `${least}..*`
  }
  if (least === maxItems) return `${least}`
  return `${least}..${maxItems}`
}

function sometimes(multiplicity: string): string {
  return multiplicity === '1' ? '0..1' : multiplicity.replace(/^[1-9]\d*\.\./, '0..')
}

function linksOf(contract: Contract, drawn: ReadonlyMap<TypeId, NamedType>): FoundLink[] {
  const links: FoundLink[] = []
  const told = new Set<Field>()
  for (const type of drawn.values()) {
    for (const [kind, to] of kindredOf(contract, type, drawn))
      links.push({
        kind,
        from: type.id,
        to,
        source: {},
        target: {},
        fields: [],
        documentation: undefined,
      })
    for (const field of ownFields(contract, type)) {
      if (told.has(field)) continue
      const outside = field.optional || field.nullable ? '0..1' : '1'
      for (const way of distinct(waysOf(contract, field.type, drawn, outside))) {
        const link = linkOf(contract, type.id, field, way, drawn)
        for (const each of link.fields) if (each !== field) told.add(each)
        links.push(link)
      }
    }
  }
  return onceEach(links)
}

/** What a type is a kind of, and what it is one of. */
function kindredOf(
  contract: Contract,
  type: NamedType,
  drawn: ReadonlyMap<TypeId, NamedType>,
): (readonly [Link['kind'], TypeId])[] {
  const all = (types: readonly Type[], kind: Link['kind']): (readonly [Link['kind'], TypeId])[] =>
    types.flatMap((each) => waysOf(contract, each, drawn, '1').map(({ to }) => [kind, to] as const))
  switch (type.kind) {
    case 'record':
      return type.base !== undefined && drawn.has(type.base.to) ? [['extends', type.base.to]] : []
    case 'intersection':
      return all(
        type.parts.filter((part) => part.kind === 'reference'),
        'extends',
      )
    case 'union':
      return all(type.alternatives, 'oneOf')
    default:
      return []
  }
}

/** The link that a field is. */
function linkOf(
  contract: Contract,
  from: TypeId,
  field: Field,
  { to, multiplicity: usual }: Way,
  drawn: ReadonlyMap<TypeId, NamedType>,
): FoundLink {
  const { name, relation, documentation } = field
  if (drawn.get(to)?.kind === 'enumeration')
    return { kind: 'uses', from, to, source: {}, target: { name }, fields: [], documentation }
  const partner = relation?.partner
  const other = partner === undefined ? undefined : fieldNamed(contract, to, partner)
  const here: End = {
    ...present({
      name: other?.name,
      multiplicity: other?.relation?.multiplicity ?? relation?.opposite,
    }),
  }
  const there: End = { name, multiplicity: relation?.multiplicity ?? usual }
  // What contains something is the end that it belongs to, whichever end tells of it first.
  if (other?.relation?.contained === true)
    return {
      kind: 'contains',
      from: to,
      to: from,
      source: there,
      target: here,
      ...present({ association: relation?.association }),
      fields: [field, other],
      documentation: other.documentation,
    }
  return {
    kind: relation?.contained === true ? 'contains' : 'leadsTo',
    from,
    to,
    source: here,
    target: there,
    ...present({ association: relation?.association }),
    fields: other === undefined ? [field] : [field, other],
    documentation,
  }
}

/** One way to each box. */
function distinct(ways: readonly Way[]): Way[] {
  return [...new Map(ways.map((way) => [way.to, way])).values()]
}

/** An enumeration that several fields of a type use is led to once. */
function onceEach(links: readonly FoundLink[]): FoundLink[] {
  const uses = new Map<string, FoundLink>()
  const others: FoundLink[] = []
  for (const link of links) {
    const key = JSON.stringify([link.from, link.to])
    const known = uses.get(key)
    if (link.kind !== 'uses') others.push(link)
    else
      uses.set(
        key,
        known === undefined
          ? link
          : { ...known, target: { name: `${known.target.name ?? ''}, ${link.target.name ?? ''}` } },
      )
  }
  return [...others, ...uses.values()]
}

/** A field of a type, or of what it extends. */
function fieldNamed(contract: Contract, id: TypeId, name: string): Field | undefined {
  const type = namedType(contract, id)
  return (
    ownFields(contract, type).find((field) => field.name === name) ??
    (type.kind === 'record' && type.base !== undefined
      ? fieldNamed(contract, type.base.to, name)
      : undefined)
  )
}

/** `{urn:x}Name` -> `urn:x`; `A.B.Name` -> `A.B`; what has no such thing -> nothing. */
function namespaceOf({ id, name }: NamedType): string {
  const inBraces = /^\{(.*?)\}/.exec(id)?.[1]
  if (inBraces !== undefined) return inBraces
  return id.endsWith(`.${name}`) ? id.slice(0, -name.length - 1) : ''
}

/** Sets, singletons, and operations that are about the types that are drawn. */
function listingsOf(
  contract: Contract,
  drawn: ReadonlyMap<TypeId, NamedType>,
  whole: boolean,
): Listing[] {
  const groups = contract.services
    .flatMap(({ groups: all = [] }) => all)
    .flatMap(({ name, holds }) =>
      holds === undefined || !drawn.has(holds.type)
        ? []
        : [{ name, many: holds.many, type: namedType(contract, holds.type).name }],
    )
  const isAbout = (type: Type): boolean =>
    type.kind === 'reference' ? drawn.has(type.to) : partsOf(type).some(isAbout)
  const operations = operationsOf(contract).filter(
    (operation) =>
      operation.standard !== true && (whole || typesOfOperation(operation).some(isAbout)),
  )
  return [
    {
      title: 'sets',
      entries: groups.filter(({ many }) => many).map(({ name, type }) => `${name}: ${type}[]`),
    },
    {
      title: 'singletons',
      entries: groups.filter(({ many }) => !many).map(({ name, type }) => `${name}: ${type}`),
    },
    {
      title: 'operations',
      entries: operations.map(
        (operation) =>
          `${pathOf(operation)}(${operation.inputs
            .filter(({ optional }) => !optional)
            .map(({ name }) => name)
            .join(', ')})`,
      ),
    },
  ].filter(({ entries }) => entries.length > 0)
}

import type {
  Contract,
  Field,
  NamedType,
  RecordType,
  ScalarType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { once } from '../../contract/once.js'
import { compareTexts } from '../../contract/ordering.js'
import {
  directSubtypes,
  endpointsOf,
  fieldsOf,
  namedType,
  operationsOf,
  recordType,
} from '../../contract/queries.js'
import type { Names } from '../../naming/names.js'
import { docComment, identifier, propertyName, quoted } from '../../printing/escaping.js'
import { Page } from '../../printing/page.js'
import { code, joined, type Code } from '../../printing/safe-text.js'
import {
  fieldSpecifics,
  isFlags,
  operationSpecifics,
  type EndpointSpecifics,
  type RecordSpecifics,
  type Version,
} from './specifics.js'

const termsModule = 'runtime/odata/terms'
const queryModule = 'runtime/odata/query'

/** What queries.ts calls the things of an entity. */
interface QueryNames {
  readonly terms: Code
  readonly expansions: Code
  readonly query: Code
  readonly properties: Code
}

export function queryNames(name: string): QueryNames {
  return {
    terms: identifier(`${name}Terms`),
    expansions: identifier(`${name}Expansions`),
    query: identifier(`${name}Query`),
    properties: identifier(`${name}Properties`),
  }
}

/**
 * queries.ts: for each entity what a filter can say of it, what it can bring along, and what can be
 * asked of it.
 */
export function queriesPage(contract: Contract, names: Names): Page | undefined {
  const version = versionOf(contract)
  const records = Object.values(contract.types).filter(
    (type) => type.kind === 'record' && type.variantOf === undefined,
  ) as (RecordType & NamedType)[]
  if (records.length === 0) return undefined
  const page = new Page('queries')
  const nameOf = (type: NamedType): string => names.types[type.id] ?? type.name
  for (const record of records)
    Object.values(queryNames(nameOf(record))).forEach((name) => page.declare(name))
  const subtypes = directSubtypes(contract)
  const printer = new TermPrinter(contract, names, page, version)
  for (const record of records.sort((a, b) => compareTexts(nameOf(a), nameOf(b)))) {
    const name = nameOf(record)
    const base =
      record.base === undefined ? undefined : queryNames(names.types[record.base.to] ?? '')
    page.print(code``, ...termLines(record, name, base, printer))
    if ((record.specifics as RecordSpecifics | undefined)?.entity !== true) continue
    const properties = propertiesOf(record, base)
    // Those that extend it have them from here.
    const isExtended = subtypes.has(record.id)
    if (isExtended)
      page.print(
        code``,
        ...docComment([`What can be selected of ${name}.`]),
        code`export type ${queryNames(name).properties} = ${properties}`,
      )
    page.print(code``, ...expansionLines(record, name, base, printer))
    const { query, terms, expansions, properties: all } = queryNames(name)
    const asked = code`${page.useType(queryModule, 'Query')}<${terms}, ${isExtended ? all : properties}, ${expansions}>`
    page.print(
      code``,
      ...docComment([`What can be asked of ${name}.`]),
      code`export type ${query} = ${withoutOptions(asked, leftOut(contract, record, version))}`,
    )
  }
  return page
}

/** What a filter can say of a type. */
function termLines(
  record: RecordType & NamedType,
  name: string,
  base: QueryNames | undefined,
  printer: TermPrinter,
): Code[] {
  const inherited = base === undefined ? code`` : code` extends ${base.terms}`
  return [
    ...docComment([`What a filter can say of ${name}.`]),
    code`export interface ${queryNames(name).terms}${inherited} {`,
    ...ownFields(record).flatMap((field) => {
      const term = printer.term(field)
      return term === undefined ? [] : [code`  ${propertyName(field.name)}: ${term}`]
    }),
    ...printer.kinds(record),
    code`}`,
  ]
}

/** What hangs off an entity. */
function expansionLines(
  record: RecordType,
  name: string,
  base: QueryNames | undefined,
  printer: TermPrinter,
): Code[] {
  const inherited = base === undefined ? code`` : code` extends ${base.expansions}`
  const head = code`export interface ${queryNames(name).expansions}${inherited} {`
  const members = ownFields(record)
    .filter(isNavigation)
    .map((field) => code`  ${propertyName(field.name)}: ${printer.expansion(field)}`)
  return [
    ...docComment([`What hangs off ${name}, and what can be asked of that.`]),
    ...(members.length === 0 ? [code`${head}}`] : [head, ...members, code`}`]),
  ]
}

/** The fields of a type itself that are no facts about it. */
function ownFields({ fields }: RecordType): Field[] {
  return fields.filter((field) => fieldSpecifics(field).about !== true)
}

function isNavigation(field: Field): boolean {
  return fieldSpecifics(field).navigation !== undefined
}

/** The names of what can be selected, as a union. */
function propertiesOf(record: RecordType, base: QueryNames | undefined): Code {
  const plain = ownFields(record).filter((field) => !isNavigation(field))
  const own = plain.map((field) => quoted(field.name))
  const all = base === undefined ? own : [base.properties, ...own]
  return all.length === 0 ? code`never` : joined(all, ' | ')
}

/** Options that the version of a service does not have. */
function leftOut(contract: Contract, { id }: NamedType, version: Version): string[] {
  if (version === '4.01') return []
  if (version.startsWith('4')) return ['compute']
  return ['compute', 'levels', ...(searchable(contract, id) ? [] : ['search'])]
}

function withoutOptions(query: Code, left: readonly string[]): Code {
  return left.length === 0 ? query : code`Omit<${query}, ${joined(left.map(quoted), ' | ')}>`
}

function versionOf(contract: Contract): Version {
  return (endpointsOf(contract)[0]?.specifics as EndpointSpecifics).version
}

/** The names of an entity's properties that do not lead to other entities. */
export function propertyNames(contract: Contract, id: TypeId): string[] {
  return fieldsOf(contract, recordType(contract, id))
    .filter(
      (field) =>
        fieldSpecifics(field).about !== true && fieldSpecifics(field).navigation === undefined,
    )
    .map((field) => field.name)
}

const searchables = new WeakMap<Contract, ReadonlySet<TypeId>>()

/** Can entities of this type be searched for in some set? Version 2 has no search of its own. */
function searchable(contract: Contract, id: TypeId): boolean {
  const lists = (): TypeId[] =>
    operationsOf(contract).flatMap((operation) => {
      const specifics = operationSpecifics(operation)
      return specifics.kind === 'list' && operation.inputs.some((field) => field.name === 'search')
        ? [specifics.entity]
        : []
    })
  return once(searchables, contract, () => new Set(lists())).has(id)
}

/**
 * The options that the query of an entity has, as queries.ts types them: those that its operations
 * can have at most.
 */
export function queryOptions(contract: Contract, id: TypeId): string[] {
  const version = versionOf(contract)
  const hasNavigations = fieldsOf(contract, recordType(contract, id)).some(
    (field) => fieldSpecifics(field).navigation !== undefined,
  )
  return [
    code`filter`,
    code`select`,
    ...(hasNavigations ? [code`expand`] : []),
    code`orderBy`,
    code`top`,
    code`skip`,
    ...(version.startsWith('4') || searchable(contract, id) ? [code`search`] : []),
    code`count`,
    ...(version === '4.01' ? [code`compute`] : []),
    code`custom`,
  ]
}

/** Prints the term of a property: what a filter can say of it, by its type. */
class TermPrinter {
  private readonly contract: Contract
  private readonly names: Names
  private readonly page: Page
  private readonly version: Version
  private readonly isNew: boolean

  constructor(contract: Contract, names: Names, page: Page, version: Version) {
    this.contract = contract
    this.names = names
    this.page = page
    this.version = version
    this.isNew = version.startsWith('4')
  }

  term(field: Field): Code | undefined {
    return this.ofType(field.type)
  }

  /**
   * What can be said of the kinds of a record: whether it is one, and in version 4 of their own
   * properties.
   */
  kinds(record: RecordType & NamedType): Code[] {
    // Those that extend others have it from them.
    const below = record.base === undefined ? this.below(record.id) : []
    const name = (type: NamedType): string => this.names.types[type.id] ?? type.name
    if (below.length === 0) return []
    const all = [record as NamedType, ...below]
    return [
      code`  /** Is it of this kind, or of one that extends it? */`,
      code`  $is(kind: ${joined(
        all.map((type) => quoted(name(type))),
        ' | ',
      )}): ${this.page.useType(termsModule, 'Condition')}`,
      ...(this.isNew
        ? [
            code`  /** As this kind, with its own properties. */`,
            code`  $as<Kind extends ${joined(
              below.map((type) => quoted(name(type))),
              ' | ',
            )}>(kind: Kind): { ${joined(
              below.map(
                (type) => code`${propertyName(name(type))}: ${queryNames(name(type)).terms}`,
              ),
              '; ',
            )} }[Kind]`,
          ]
        : []),
    ]
  }

  private below(id: TypeId): NamedType[] {
    return (directSubtypes(this.contract).get(id) ?? []).flatMap((each) => {
      const type = namedType(this.contract, each)
      return type.kind === 'record' && type.variantOf === undefined
        ? [type, ...this.below(each)]
        : []
    })
  }

  expansion(field: Field): Code {
    const target = field.type.kind === 'list' ? field.type.item : field.type
    const { query } = queryNames(
      target.kind === 'reference' ? (this.names.types[target.to] ?? '') : '',
    )
    // Version 2 knows no more inside an expansion.
    return this.isNew ? query : code`Pick<${query}, 'select' | 'expand'>`
  }

  private ofType(type: Type): Code | undefined {
    switch (type.kind) {
      case 'list': {
        if (isFlags(type)) return this.use('FlagsTerm', this.enumeration(type.item))
        // Version 2 has no way of speaking of many.
        const item = this.isNew ? this.ofType(type.item) : undefined
        return item === undefined ? undefined : this.use('ListTerm', item)
      }
      case 'reference': {
        const named = namedType(this.contract, type.to)
        if (named.kind === 'record') return queryNames(this.names.types[named.id] ?? '').terms
        return named.kind === 'enumeration'
          ? this.use('EnumTerm', this.enumeration(type))
          : this.ofType(named)
      }
      case 'scalar':
        return this.ofScalar(type)
      default:
        return this.use('Comparable', code`unknown`)
    }
  }

  private enumeration(type: Type): Code {
    return type.kind === 'reference'
      ? this.page.useType('types', this.names.types[type.to] ?? '')
      : code`string`
  }

  private ofScalar({ base, format }: ScalarType): Code {
    switch (base) {
      case 'boolean':
        return this.use('BooleanTerm')
      case 'int64':
        return this.use('NumberTerm', code`bigint`)
      case 'decimal':
        return this.use('NumberTerm', this.page.useType('types', 'DecimalText'))
      case 'date':
        return this.use('DateTerm')
      case 'dateTime':
        return this.use(this.isNew ? 'MomentTerm' : 'DateTimeTerm')
      case 'time':
        return this.use('TimeTerm')
      case 'duration':
        return format === 'Edm.Time' ? this.use('TimeTerm') : this.use('DurationTerm')
      case 'bytes':
        return this.use('Comparable', code`Uint8Array`)
      case 'text':
        return format === 'Edm.String'
          ? this.use(this.version === '4.01' ? 'PatternTextTerm' : 'TextTerm')
          : this.use('Ordered', code`string`)
      default:
        return this.use('NumberTerm', code`number`)
    }
  }

  private use(name: string, inside?: Code): Code {
    const local = this.page.useType(termsModule, name)
    return inside === undefined ? local : code`${local}<${inside}>`
  }
}

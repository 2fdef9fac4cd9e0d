import type { Contract, Field, NamedType, RecordType, ScalarType, Type } from '../../contract/contract.js'
import { fieldsOf, namedType } from '../../contract/queries.js'
import type { Names } from '../../naming/names.js'
import { docComment, propertyName, quoted } from '../../typescript/escaping.js'
import { Page } from '../../typescript/page.js'
import { fieldLayout, isFlags, type RecordLayout } from './layout.js'

const termsModule = 'runtime/odata/terms'
const queryModule = 'runtime/odata/query'

/** What queries.ts calls the things of an entity. */
export function queryNames(name: string): { terms: string; expansions: string; query: string } {
  return { terms: `${name}Terms`, expansions: `${name}Expansions`, query: `${name}Query` }
}

/** queries.ts: for each entity what a filter can say of it, what it can bring along, and what can be asked of it. */
export function queriesPage(contract: Contract, names: Names, isNew: boolean): Page | undefined {
  const records = Object.values(contract.types).filter((type) => type.kind === 'record' && type.variantOf === undefined) as (RecordType & NamedType)[]
  if (records.length === 0) return undefined
  const page = new Page('queries')
  const nameOf = (type: NamedType): string => names.types[type.id] ?? type.name
  for (const record of records) Object.values(queryNames(nameOf(record))).forEach((name) => page.declare(name))
  const printer = new TermPrinter(contract, names, page, isNew)
  for (const record of records.sort((a, b) => (nameOf(a) < nameOf(b) ? -1 : 1))) {
    const name = nameOf(record)
    const { terms, expansions, query } = queryNames(name)
    const base = record.base === undefined ? undefined : queryNames(names.types[record.base.to] ?? '')
    const own = record.fields.filter((field) => fieldLayout(field).about !== true)
    const navigations = own.filter((field) => fieldLayout(field).navigation !== undefined)
    const all = fieldsOf(contract, record).filter((field) => fieldLayout(field).about !== true && fieldLayout(field).navigation === undefined)
    page.print(
      '',
      ...docComment([`What a filter can say of ${name}.`]),
      `export interface ${terms}${base === undefined ? '' : ` extends ${base.terms}`} {`,
      ...own.flatMap((field) => {
        const term = printer.term(field)
        return term === undefined ? [] : [`  ${propertyName(field.name)}: ${term}`]
      }),
      '}',
    )
    if ((record.layout as RecordLayout | undefined)?.entity !== true) continue
    const inherited = base === undefined ? '' : ` extends ${base.expansions}`
    page.print(
      '',
      ...docComment([`What hangs off ${name}, and what can be asked of that.`]),
      ...(navigations.length === 0 ? [`export interface ${expansions}${inherited} {}`] : [`export interface ${expansions}${inherited} {`, ...navigations.map((field) => `  ${propertyName(field.name)}: ${printer.expansion(field)}`), '}']),
      '',
      ...docComment([`What can be asked of ${name}.`]),
      `export type ${query} = ${isNew ? '' : 'Omit<'}${page.useType(queryModule, 'Query')}<${terms}, ${all.map((field) => quoted(field.name)).join(' | ') || 'never'}, ${expansions}>${isNew ? '' : ', \'search\'>'}`,
    )
  }
  return page
}

/** Prints the term of a property: what a filter can say of it, by its type. */
class TermPrinter {
  private readonly contract: Contract
  private readonly names: Names
  private readonly page: Page
  private readonly isNew: boolean

  constructor(contract: Contract, names: Names, page: Page, isNew: boolean) {
    this.contract = contract
    this.names = names
    this.page = page
    this.isNew = isNew
  }

  term(field: Field): string | undefined {
    return this.ofType(field.type)
  }

  expansion(field: Field): string {
    const target = field.type.kind === 'list' ? field.type.item : field.type
    const { query } = queryNames(target.kind === 'reference' ? (this.names.types[target.to] ?? '') : '')
    // Version 2 knows no more inside an expansion.
    return this.isNew ? query : `Pick<${query}, 'select' | 'expand'>`
  }

  private ofType(type: Type): string | undefined {
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
        return named.kind === 'enumeration' ? this.use('EnumTerm', this.enumeration(type)) : this.ofType(named)
      }
      case 'scalar':
        return this.ofScalar(type)
      default:
        return this.use('Comparable', 'unknown')
    }
  }

  private enumeration(type: Type): string {
    return type.kind === 'reference' ? this.page.useType('types', this.names.types[type.to] ?? '') : 'string'
  }

  private ofScalar({ base, format }: ScalarType): string {
    switch (base) {
      case 'boolean':
        return this.use('BooleanTerm')
      case 'int64':
        return this.use('NumberTerm', 'bigint')
      case 'decimal':
        return this.use('NumberTerm', this.page.useType('types', 'DecimalText'))
      case 'date':
        return this.use('DateTerm')
      case 'dateTime':
        return this.use('DateTimeTerm')
      case 'time':
        return this.use('TimeTerm')
      case 'duration':
        return format === 'Edm.Time' ? this.use('TimeTerm') : this.use('Ordered', 'string')
      case 'bytes':
        return this.use('Comparable', 'Uint8Array')
      case 'text':
        return format === 'Edm.String' ? this.use('TextTerm') : this.use('Ordered', 'string')
      default:
        return this.use('NumberTerm', 'number')
    }
  }

  private use(name: string, inside?: string): string {
    const local = this.page.useType(termsModule, name)
    return inside === undefined ? local : `${local}<${inside}>`
  }
}

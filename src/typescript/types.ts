import type { Choice, Constraints, Contract, Field, NamedType, RecordType, ScalarBase, ScalarType, TupleType, Type, TypeId, UnionType } from '../contract/contract.js'
import { directSubtypes, namedType } from '../contract/queries.js'
import type { OpenTypes } from '../dialects/dialect.js'
import { camelCase } from '../naming/identifiers.js'
import type { Names } from '../naming/names.js'
import { docComment, propertyName, quoted } from './escaping.js'
import { Page } from './page.js'

/** Aliases for texts with a meaning; types.ts declares those that are used. */
const textAliases: Readonly<Record<string, string>> = {
  DecimalText: 'An exact decimal number as text, for example `"1250.50"`.',
  DateText: 'A calendar day as text, `2026-11-23`, with a zone where the sender gave one.',
  TimeText: 'A time of day as text, `14:30:00`, with a zone where the sender gave one.',
  DateTimeText: 'A date with a time as text, `2026-11-23T14:30:00`, with a zone where the sender gave one.',
  DurationText: 'A duration as text, `P1DT2H30M`.',
  YearMonthText: 'A month of a year as text, `2026-11`.',
  YearText: 'A year as text, `2026`.',
  MonthDayText: 'A day of any year as text, `--11-23`.',
  MonthText: 'A month of any year as text, `--11`.',
  DayText: 'A day of any month as text, `---23`.',
  QualifiedNameText: 'A qualified name as text, `{urn:example}name`.',
}

const scalarTypes: Readonly<Record<ScalarBase, string>> = {
  text: 'string',
  boolean: 'boolean',
  int8: 'number',
  int16: 'number',
  int32: 'number',
  uint8: 'number',
  uint16: 'number',
  uint32: 'number',
  int64: 'bigint',
  uint64: 'bigint',
  integer: 'bigint',
  decimal: 'DecimalText',
  float: 'number',
  double: 'number',
  bytes: 'Uint8Array',
  dateTime: 'DateTimeText',
  date: 'DateText',
  time: 'TimeText',
  duration: 'DurationText',
  yearMonth: 'YearMonthText',
  year: 'YearText',
  monthDay: 'MonthDayText',
  month: 'MonthText',
  day: 'DayText',
  qualifiedName: 'QualifiedNameText',
}

/** How a contract's types are called in TypeScript. */
export class TypeTexts {
  readonly contract: Contract
  readonly names: Names
  private readonly subtypes: ReadonlyMap<TypeId, readonly TypeId[]>

  readonly open: OpenTypes

  constructor(contract: Contract, names: Names, open: OpenTypes) {
    this.open = open
    this.contract = contract
    this.names = names
    this.subtypes = directSubtypes(contract)
  }

  /** The type as it is written on a page. Named types are imported from types.ts. */
  of(type: Type, page: Page): string {
    switch (type.kind) {
      case 'reference':
        return this.ofReference(type.to, page)
      case 'scalar':
        return this.ofScalar(type, page)
      case 'enumeration':
        return type.members.map((member) => quoted(member.value)).join(' | ')
      case 'list': {
        const item = this.of(type.item, page) + (type.itemNullable === true ? ' | null' : '')
        return /[|&]/.test(item) ? `(${item})[]` : `${item}[]`
      }
      case 'fragment':
        return this.open.fragment(page)
      case 'record':
        return `{ ${type.fields.map((field) => this.property(field, page)).join('; ')} }`
      case 'literal':
        return typeof type.value === 'string' ? quoted(type.value) : String(type.value)
      case 'union':
        return [...new Set(type.alternatives.map((each) => this.ofAlternative(type, each, page)))].join(' | ')
      case 'intersection':
        return type.parts.map((each) => bracketed(this.of(each, page))).join(' & ')
      case 'tuple':
        return this.ofTuple(type, page)
      case 'map':
        // An alias may only refer to itself inside braces.
        return type.value.kind === 'reference' || type.value.kind === 'union' ? `{ [name: string]: ${this.of(type.value, page)} }` : `Record<string, ${this.of(type.value, page)}>`
      case 'anything':
        return 'unknown'
      case 'nothing':
        return 'undefined'
    }
  }

  private ofTuple(type: TupleType, page: Page): string {
    const texts = type.items.map((each) => this.of(each, page))
    const items = texts.map((text, at) => (at < type.minItems ? text : `${/[|&]/.test(text) ? `(${text})` : text}?`))
    const rest = type.rest === undefined ? undefined : this.of(type.rest, page)
    return `[${[...items, ...(rest === undefined ? [] : [`...${/[|&]/.test(rest) ? `(${rest})` : rest}[]`])].join(', ')}]`
  }

  /** An alternative of a union, with the value of the discriminator that tells it, so that TypeScript can narrow by it. */
  private ofAlternative(union: UnionType, alternative: Type, page: Page): string {
    const text = this.of(alternative, page)
    const { discriminator } = union
    if (discriminator === undefined || alternative.kind !== 'reference') return text
    const values = Object.entries(discriminator.mapping).filter(([, id]) => id === alternative.to).map(([value]) => quoted(value))
    return values.length === 0 ? text : `(${bracketed(text)} & { ${propertyName(discriminator.field)}: ${values.join(' | ')} })`
  }

  /** A field as a property of an interface or an object type. */
  property(field: Field, page: Page): string {
    return `${propertyName(field.name)}${field.optional ? '?' : ''}: ${this.of(field.type, page)}${field.nullable ? ' | null' : ''}`
  }

  /** A field with its documentation, as lines of an interface. */
  propertyLines(field: Field, page: Page, indent = '  '): string[] {
    return [...docComment([field.documentation, this.rulesOf(field)], indent), `${indent}${this.property(field, page)}`]
  }

  hasSubtypes(id: TypeId): boolean {
    return this.subtypes.has(id)
  }

  /** Is the record told apart from others by `$is`? */
  isOneOfSeveral(type: NamedType): boolean {
    return type.kind === 'record' && (type.base !== undefined || this.subtypes.has(type.id))
  }

  subtypesOf(id: TypeId): readonly TypeId[] {
    return this.subtypes.get(id) ?? []
  }

  private ofReference(id: TypeId, page: Page): string {
    const type = namedType(this.contract, id)
    if (type.kind === 'list') return this.of(type, page)
    const name = this.names.types[id] ?? id
    return page.useType('types', this.subtypes.has(id) ? `Any${name}` : name)
  }

  private ofScalar(type: ScalarType, page: Page): string {
    const text = scalarTypes[type.base]
    return text in textAliases ? page.useType('types', text) : text
  }

  private rulesOf(field: Field): string | undefined {
    const { type } = field
    const constraints = type.kind === 'scalar' ? type.constraints : undefined
    const rules = [
      ...(constraints === undefined ? [] : constraintTexts(constraints)),
      ...(hasDefault(field) ? [`\`${String(field.default)}\` when left out`] : []),
      ...(typeof field.fixed === 'string' ? [`always \`${field.fixed}\``] : []),
      ...(type.kind === 'list' && type.maxItems !== undefined ? [`at most ${type.maxItems}`] : []),
      ...(type.kind === 'list' && (type.minItems ?? 0) > 0 ? [`at least ${type.minItems ?? 0}`] : []),
    ]
    const text = rules.join(', ')
    return text === '' ? undefined : `${text.charAt(0).toUpperCase()}${text.slice(1)}.`
  }
}

/** Is there a value to tell that is assumed when the field is left out? */
export function hasDefault(field: Field): boolean {
  return ['string', 'number', 'boolean'].includes(typeof field.default) && field.default !== ''
}

/** Constraints in words. */
export function constraintTexts(constraints: Constraints): string[] {
  const { minimum, maximum, exclusiveMinimum, exclusiveMaximum, minLength, maxLength, multipleOf, totalDigits, fractionDigits, patterns } = constraints
  return [
    ...(minimum !== undefined && maximum !== undefined ? [`${minimum} to ${maximum}`] : minimum !== undefined ? [`at least ${minimum}`] : maximum !== undefined ? [`at most ${maximum}`] : []),
    ...(exclusiveMinimum === undefined ? [] : [`more than ${exclusiveMinimum}`]),
    ...(exclusiveMaximum === undefined ? [] : [`less than ${exclusiveMaximum}`]),
    ...(minLength !== undefined && minLength === maxLength
      ? [`exactly ${minLength} long`]
      : [...(minLength === undefined ? [] : [`at least ${minLength} long`]), ...(maxLength === undefined ? [] : [`at most ${maxLength} long`])]),
    ...(multipleOf === undefined ? [] : [`a multiple of ${multipleOf}`]),
    ...(totalDigits === undefined ? [] : [`at most ${totalDigits} digits`]),
    ...(fractionDigits === undefined ? [] : [`at most ${fractionDigits} digits after the point`]),
    ...(patterns ?? []).map((group) => `matching ${group.map((pattern) => `\`${pattern.replaceAll('\\p{Nd}', '\\d')}\``).join(' or ')}`),
  ]
}

/**
 * types.ts: every type that the operations need, in the order of their names.
 *
 * @param used ids of the types to declare
 * @param others pages that import from types.ts, so that the aliases they use are declared
 */
export function typesPage(texts: TypeTexts, used: readonly TypeId[], others: readonly Page[]): Page {
  const page = new Page('types')
  const ids = [...used].sort((a, b) => compare(texts.names.types[a] ?? a, texts.names.types[b] ?? b))
  const body = ids.flatMap((id) => ['', ...declaration(texts, namedType(texts.contract, id), page)])
  const wanted = new Set([page, ...others].flatMap((each) => each.usesOf('types')))
  for (const [alias, meaning] of Object.entries(textAliases)) {
    if (wanted.has(alias)) page.print('', ...docComment([meaning]), `export type ${alias} = string`)
  }
  for (const line of body) page.print(line)
  return page
}

/** The declaration of a type, as lines of types.ts; none for lists, which are written as arrays where they stand. */
export function declaration(texts: TypeTexts, type: NamedType, page: Page): string[] {
  const name = texts.names.types[type.id] ?? type.id
  switch (type.kind) {
    case 'record':
      return recordDeclaration(texts, type, name, page)
    case 'enumeration': {
      const members = enumerationKeys(type.members.map((member) => member.value))
      return [
        ...docComment([type.documentation, memberDocumentation(type)]),
        `export type ${name} = ${type.members.map((member) => quoted(member.value)).join(' | ')}`,
        `export const ${name} = { ${members.map(({ key, value }) => `${propertyName(key)}: ${quoted(value)}`).join(', ')} } as const`,
      ]
    }
    case 'list':
      // Lists are written as arrays where they stand.
      return []
    default: {
      const rules = type.kind === 'scalar' && type.constraints !== undefined ? constraintTexts(type.constraints).join(', ') : ''
      return [...docComment([type.documentation, rules === '' ? undefined : `${rules.charAt(0).toUpperCase()}${rules.slice(1)}.`]), `export type ${name} = ${texts.of(type, page)}`]
    }
  }
}

function memberDocumentation(type: NamedType): string | undefined {
  if (type.kind !== 'enumeration') return undefined
  const documented = type.members.filter((member) => member.documentation !== undefined)
  return documented.length === 0 ? undefined : documented.map((member) => `- \`${member.value}\`: ${(member.documentation ?? '').replace(/\s+/g, ' ')}`).join('\n')
}

function recordDeclaration(texts: TypeTexts, type: RecordType & NamedType, name: string, page: Page): string[] {
  const several = texts.isOneOfSeveral(type)
  const base = type.base === undefined || type.restricts === true ? '' : ` extends Omit<${texts.names.types[type.base.to] ?? ''}, '$is'>`
  const subtypes = texts.subtypesOf(type.id)
  if (type.choices !== undefined && !several) return [...docComment([type.documentation]), ...choiceDeclaration(texts, name, type.fields, type.choices, type.open === true ? texts.open.recordLines(page) : [], page)]
  const lines = [
    ...docComment([type.documentation, ...(type.choices ?? []).map(choiceText)]),
    `export interface ${name}${base} {`,
    ...(several && type.abstract !== true ? [`  $is${type.base === undefined ? '?' : ''}: ${quoted(texts.names.types[type.variantOf ?? type.id] ?? name)}`] : []),
    ...type.fields.flatMap((field) => texts.propertyLines(field, page)),
    ...(type.open === true ? texts.open.recordLines(page) : []),
    '}',
  ]
  if (subtypes.length === 0) return lines
  const alternatives = [...(type.abstract === true ? [] : [name]), ...subtypes.map((id) => (texts.hasSubtypes(id) ? `Any${texts.names.types[id] ?? ''}` : (texts.names.types[id] ?? '')))]
  return [...lines, '', ...docComment([`${article(name)} of any kind; \`$is\` tells which.`]), `export type Any${name} = ${alternatives.join(' | ')}`]
}

/**
 * An object type whose fields exclude each other in groups: what they have in common, and for each choice a union of its alternatives, in
 * which the fields of the others can't be.
 */
export function choiceDeclaration(texts: TypeTexts, name: string, fields: readonly Field[], choices: readonly Choice[], further: readonly string[], page: Page): string[] {
  const chosen = new Set(choices.flatMap(({ alternatives }) => alternatives.flatMap((each) => each.fields)))
  const common = fields.filter((field) => !chosen.has(field.name))
  // Open content may be an alternative too.
  const open = (own: readonly string[], required: readonly string[]): string[] => (own.includes('$open') ? texts.open.recordLines(page).map((line) => `  ${required.includes('$open') ? line.replace('$open?', '$open') : line}`) : ['    $open?: never'])
  const unions = choices.map(({ alternatives, optional }) => {
    const all = [...new Set(alternatives.flatMap((each) => each.fields))]
    const shape = (own: readonly string[], required: readonly string[]): string[] => {
      const inside = [
        ...fields.filter((field) => all.includes(field.name)).flatMap((field) => (own.includes(field.name) ? texts.propertyLines({ ...field, optional: !required.includes(field.name) }, page, '    ') : [`    ${propertyName(field.name)}?: never`])),
        ...(all.includes('$open') ? open(own, required) : []),
      ]
      const line = `{ ${inside.map((each) => each.trim()).join('; ')} }`
      return inside.some((each) => each.includes('/*')) || line.length > 120 ? ['{', ...inside, '  }'] : [line]
    }
    return [...alternatives.map((each) => shape(each.fields, each.required)), ...(optional === true ? [shape([], [])] : [])].flatMap(([first = '', ...rest]) => [`  | ${first}`, ...rest])
  })
  const members = [...common.flatMap((field) => texts.propertyLines(field, page)), ...(chosen.has('$open') ? [] : further)]
  const [only = []] = unions
  if (members.length === 0 && unions.length === 1) return [`export type ${name} =`, ...only]
  // Each union begins on the line on which what is before it ends.
  return [`export type ${name} = {`, ...members, ...unions.flatMap((lines, at) => [`${at === 0 ? '}' : ')'} & (`, ...lines]), unions.length === 0 ? '}' : ')']
}

/** A choice in words. */
export function choiceText({ alternatives, optional }: Choice): string {
  return `${optional === true ? 'At most' : 'Exactly'} one of these is there: ${alternatives.map((each) => each.fields.map((name) => `\`${name}\``).join(' with ')).join(', or ')}.`
}

/** Keys for the members of an enumeration's constant: camelCase where that keeps them apart, else the values themselves. */
export function enumerationKeys(values: readonly string[]): { key: string; value: string }[] {
  const wished = values.map((value) => (/^[\p{L}_$][\p{L}\p{N}_$]*$/u.test(value) ? value : value === '' ? 'empty' : camelCase(value)))
  const counts = new Map<string, number>()
  for (const key of wished) counts.set(key, (counts.get(key) ?? 0) + 1)
  return values.map((value, at) => ({ key: (counts.get(wished[at] ?? '') ?? 0) > 1 ? value : (wished[at] ?? value), value }))
}

/** A type in brackets, where it needs them beside an ampersand. */
function bracketed(text: string): string {
  return /\|/.test(text) ? `(${text})` : text
}

function article(name: string): string {
  return `${/^[AEIOU]/.test(name) ? 'An' : 'A'} ${name}`
}

function compare(a: string, b: string): number {
  return a < b ? -1 : a > b ? 1 : 0
}

import { special } from '../contract/special-members.js'
import type {
  Choice,
  Contract,
  Field,
  NamedType,
  RecordType,
  ScalarType,
  TupleType,
  Type,
  TypeId,
  UnionType,
} from '../contract/contract.js'
import { constraintTexts } from '../contract/constraint-texts.js'
import { addAll, addTo } from '../contract/lists.js'
import { compareTexts } from '../contract/ordering.js'
import { directSubtypes, membersOf, namedType, resolve } from '../contract/queries.js'
import type { OpenTypes } from '../dialects/dialect.js'
import { camelCase } from '../naming/identifiers.js'
import { scalarTypes } from '../naming/scalar-types.js'
import type { Names } from '../naming/names.js'
import { typeParts } from '../naming/type-parts.js'
import {
  docComment,
  identifier,
  indented,
  plainLiteral,
  propertyName,
  quoted,
  type Indent,
} from '../printing/escaping.js'
import { Page } from '../printing/page.js'
import { code, joined, type Code } from '../printing/safe-text.js'

/** Aliases for texts with a meaning; types.ts declares those that are used. */
const textAliases: Readonly<Record<string, string>> = {
  DecimalText: 'An exact decimal number as text, for example `"1250.50"`.',
  DateText: 'A calendar day as text, `2026-11-23`, with a zone where the sender gave one.',
  TimeText: 'A time of day as text, `14:30:00`, with a zone where the sender gave one.',
  DateTimeText:
    'A date with a time as text, `2026-11-23T14:30:00`, with a zone where the sender gave one.',
  DurationText: 'A duration as text, `P1DT2H30M`.',
  YearMonthText: 'A month of a year as text, `2026-11`.',
  YearText: 'A year as text, `2026`.',
  MonthDayText: 'A day of any year as text, `--11-23`.',
  MonthText: 'A month of any year as text, `--11`.',
  DayText: 'A day of any month as text, `---23`.',
  QualifiedNameText: 'A qualified name as text, `{urn:example}name`.',
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
  of(type: Type, page: Page): Code {
    switch (type.kind) {
      case 'reference':
        return this.ofReference(type.to, page)
      case 'scalar':
        return this.ofScalar(type, page)
      case 'enumeration':
        return joined(
          type.members.map((member) => quoted(member.value)),
          ' | ',
        )
      case 'list':
        return arrayOf(this.itemOf(type, page))
      case 'fragment':
        return this.open.fragment(page)
      case 'record':
        return (
          this.open.known?.(type, page, (inside) => this.of(inside, page)) ??
          code`{ ${joined(
            type.fields.map((field) => this.property(field, page)),
            '; ',
          )} }`
        )
      case 'literal':
        return typeof type.value === 'string' ? quoted(type.value) : plainLiteral(type.value)
      case 'union':
        return joined([...this.alternatives(type, page)], ' | ')
      case 'intersection':
        return joined(
          type.parts.map((each) => bracketed(this.of(each, page))),
          ' & ',
        )
      case 'tuple':
        return this.ofTuple(type, page)
      case 'map':
        // An alias may only refer to itself inside braces.
        return type.value.kind === 'reference' || type.value.kind === 'union'
          ? code`{ [name: string]: ${this.of(type.value, page)} }`
          : code`Record<string, ${this.of(type.value, page)}>`
      case 'anything':
        return code`unknown`
      case 'nothing':
        return code`undefined`
    }
  }

  /** The type of what a list has in it, as it is written on a page. */
  itemOf(type: Type, page: Page): Code {
    const list = resolve(this.contract, type)
    return list.kind === 'list'
      ? this.orNull(list.item, list.itemNullable === true, page)
      : this.of(type, page)
  }

  /** A type that may be null; what is not known may be that anyway. */
  private orNull(type: Type, nullable: boolean, page: Page): Code {
    const text = this.of(type, page)
    const isTold = nullable && resolve(this.contract, type).kind !== 'anything'
    return isTold ? code`${text} | null` : text
  }

  private ofTuple(type: TupleType, page: Page): Code {
    const texts = type.items.map((each) => this.of(each, page))
    const items = texts.map((text, at) =>
      at < type.minItems ? text : code`${isCompound(text) ? code`(${text})` : text}?`,
    )
    const rest = type.rest === undefined ? undefined : this.of(type.rest, page)
    return code`[${joined([...items, ...(rest === undefined ? [] : [code`...${arrayOf(rest)}`])], ', ')}]`
  }

  /**
   * The alternatives of a union, each with the value of the discriminator that tells it, so that
   * TypeScript can narrow by it.
   */
  private alternatives({ alternatives, discriminator }: UnionType, page: Page): ReadonlySet<Code> {
    const values = new Map<TypeId, Code[]>()
    for (const [value, id] of Object.entries(discriminator?.mapping ?? {}))
      addTo(values, id, quoted(value))
    return new Set(
      alternatives.map((each) => {
        const text = this.of(each, page)
        const isText = discriminator !== undefined && this.isToldByText(each, discriminator.field)
        const told = each.kind === 'reference' && isText ? values.get(each.to) : undefined
        return told === undefined || discriminator === undefined
          ? text
          : code`(${bracketed(text)} & { ${propertyName(discriminator.field)}: ${joined(told, ' | ')} })`
      }),
    )
  }

  /** Can the member that tells alternatives apart be one of the texts that do? */
  private isToldByText(type: Type, member: string): boolean {
    const field = membersOf(this.contract, type).find(({ name }) => name === member)
    const told = field === undefined ? undefined : resolve(this.contract, field.type)
    return told?.kind !== 'scalar' || /string|Text$/.test(scalarTypes[told.base])
  }

  /** A field as a property of an interface or an object type. */
  property(field: Field, page: Page): Code {
    return code`${propertyName(field.name)}${field.optional ? code`?` : code``}: ${this.orNull(field.type, field.nullable, page)}`
  }

  /** A field with its documentation, as lines of an interface. */
  propertyLines(field: Field, page: Page, indent: Indent = '  '): Code[] {
    const { type, documentation } = field
    // What a type says of itself is not said again wherever it is used; lists say it nowhere else.
    const named = type.kind === 'reference' ? namedType(this.contract, type.to) : undefined
    const isOfType = named?.kind !== 'list' && named?.documentation === documentation
    return [
      ...docComment([isOfType ? undefined : documentation, this.rulesOf(field)], indent),
      ...indented([this.property(field, page)], indent),
    ]
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

  private ofReference(id: TypeId, page: Page): Code {
    const type = namedType(this.contract, id)
    if (type.kind === 'list') return this.of(type, page)
    const name = this.names.types[id] ?? id
    return page.useType(this.moduleFor(id, page), this.subtypes.has(id) ? `Any${name}` : name)
  }

  /** A record by itself, without its subtypes, as it is written on a page. */
  recordItself(id: TypeId, page: Page): Code {
    return page.useType(this.moduleFor(id, page), this.names.types[id] ?? '')
  }

  /** The module that declares a type; whatever is no part of types.ts goes through that. */
  moduleFor(id: TypeId, page: Page): string {
    const part = page.module.startsWith('types/')
      ? typeParts(this.contract, this.names).get(id)
      : undefined
    return part === undefined ? 'types' : `types/${part}`
  }

  private ofScalar(type: ScalarType, page: Page): Code {
    const text = scalarTypes[type.base]
    return text in textAliases ? page.useType('types', text) : identifier(text)
  }

  private rulesOf(field: Field): string | undefined {
    const { type } = field
    const constraints = type.kind === 'scalar' ? type.constraints : undefined
    const rules = [
      ...(constraints === undefined ? [] : constraintTexts(constraints)),
      ...(hasDefault(field) ? [`\`${String(field.default)}\` when left out`] : []),
      ...(typeof field.fixed === 'string' ? [`always \`${field.fixed}\``] : []),
      ...(type.kind === 'list' && type.maxItems !== undefined ? [`at most ${type.maxItems}`] : []),
      ...(type.kind === 'list' && (type.minItems ?? 0) > 0
        ? [`at least ${type.minItems ?? 0}`]
        : []),
    ]
    const text = rules.join(', ')
    return text === '' ? undefined : `${text.charAt(0).toUpperCase()}${text.slice(1)}.`
  }
}

const kept = new WeakMap<Names, TypeTexts>()

/**
 * The texts of a contract's types under its names: made once, because every operation asks for
 * them.
 */
export function typeTextsOf(contract: Contract, names: Names, open: OpenTypes): TypeTexts {
  let texts = kept.get(names)
  if (texts?.contract !== contract) kept.set(names, (texts = new TypeTexts(contract, names, open)))
  return texts
}

/** Is there a value to tell that is assumed when the field is left out? */
export function hasDefault(field: Field): boolean {
  return (
    field.optional &&
    ['string', 'number', 'boolean'].includes(typeof field.default) &&
    field.default !== ''
  )
}

/**
 * types.ts: every type that the operations need, in the order of their names. In large clients it
 * only brings together what pages of its parts declare.
 *
 * @param used ids of the types to declare
 * @param others pages that import from types.ts, so that the aliases they use are declared
 * @returns types.ts, and the pages of the parts
 */
export function typesPages(
  texts: TypeTexts,
  used: readonly TypeId[],
  others: readonly Page[],
): { readonly page: Page; readonly parts: readonly Page[] } {
  const page = new Page('types')
  const byPart = new Map<string, Page>()
  const parts = typeParts(texts.contract, texts.names)
  const ids = [...used].sort((a, b) =>
    compareTexts(texts.names.types[a] ?? a, texts.names.types[b] ?? b),
  )
  const body: Code[] = []
  for (const id of ids) {
    const part = parts.get(id)
    const own = part === undefined ? page : (byPart.get(part) ?? new Page(`types/${part}`))
    if (part !== undefined) byPart.set(part, own)
    const lines = [code``, ...declaration(texts, namedType(texts.contract, id), own)]
    if (own === page) addAll(body, lines)
    else for (const line of lines) own.print(line)
  }
  const filled = [...byPart.values()].filter((each) => !each.isEmpty())
  const wanted = new Set([page, ...filled, ...others].flatMap((each) => each.usesOf('types')))
  for (const [alias, meaning] of Object.entries(textAliases)) {
    if (wanted.has(alias))
      page.print(code``, ...docComment([meaning]), code`export type ${identifier(alias)} = string`)
  }
  for (const line of body) page.print(line)
  if (filled.length > 0) page.print()
  for (const { module } of filled.sort((a, b) => compareTexts(a.module, b.module)))
    page.reexport(module)
  return { page, parts: filled }
}

/**
 * The declaration of a type, as lines of types.ts; none for lists, which are written as arrays
 * where they stand.
 */
export function declaration(texts: TypeTexts, type: NamedType, page: Page): Code[] {
  const name = identifier(texts.names.types[type.id] ?? type.id)
  switch (type.kind) {
    case 'record':
      return recordDeclaration(texts, type, name, page)
    case 'enumeration': {
      const members = enumerationKeys(type.members.map((member) => member.value))
      return [
        ...docComment([type.documentation, memberDocumentation(type)]),
        code`export type ${name} = ${joined(
          type.members.map((member) => quoted(member.value)),
          ' | ',
        )}`,
        code`export const ${name} = { ${joined(
          members.map(({ key, value }) => code`${propertyName(key)}: ${quoted(value)}`),
          ', ',
        )} } as const`,
      ]
    }
    case 'list':
      // Lists are written as arrays where they stand.
      return []
    default: {
      const rules =
        type.kind === 'scalar' && type.constraints !== undefined
          ? constraintTexts(type.constraints).join(', ')
          : ''
      return [
        ...docComment([
          type.documentation,
          rules === '' ? undefined : `${rules.charAt(0).toUpperCase()}${rules.slice(1)}.`,
        ]),
        code`export type ${name} = ${texts.of(type, page)}`,
      ]
    }
  }
}

function memberDocumentation(type: NamedType): string | undefined {
  if (type.kind !== 'enumeration') return undefined
  const documented = type.members.filter((member) => member.documentation !== undefined)
  return documented.length === 0
    ? undefined
    : documented
        .map(
          (member) => `- \`${member.value}\`: ${(member.documentation ?? '').replace(/\s+/g, ' ')}`,
        )
        .join('\n')
}

/** What `$is` says of a record. */
function kindName(texts: TypeTexts, type: RecordType & NamedType): Code {
  return quoted(texts.names.types[type.variantOf ?? type.id] ?? type.name)
}

/** The records below one in its hierarchy that there can be. */
function concreteBelow(texts: TypeTexts, id: TypeId): (RecordType & NamedType)[] {
  return texts.subtypesOf(id).flatMap((each) => {
    const type = namedType(texts.contract, each)
    const below = concreteBelow(texts, each)
    return type.kind === 'record' && type.abstract !== true ? [type, ...below] : below
  })
}

function recordDeclaration(
  texts: TypeTexts,
  type: RecordType & NamedType,
  name: Code,
  page: Page,
): Code[] {
  const typeName = (id: TypeId): Code => texts.recordItself(id, page)
  const several = texts.isOneOfSeveral(type)
  const base =
    type.base === undefined || type.restricts === true
      ? code``
      : code` extends Omit<${typeName(type.base.to)}, '$is'>`
  const subtypes = texts.subtypesOf(type.id)
  if (type.choices !== undefined && !several)
    return [
      ...docComment([type.documentation]),
      ...choiceDeclaration(
        texts,
        name,
        type.fields,
        type.choices,
        type.open === true ? texts.open.recordLines(page) : [],
        page,
      ),
    ]
  const lines = [
    ...docComment([type.documentation, ...(type.choices ?? []).map(choiceText)]),
    code`export interface ${name}${base} {`,
    ...(several && type.abstract !== true ? [code`  $is?: ${kindName(texts, type)}`] : []),
    ...type.fields.flatMap((field) => texts.propertyLines(field, page)),
    ...(type.open === true ? texts.open.recordLines(page) : []),
    code`}`,
  ]
  if (subtypes.length === 0) return lines
  // Only its own kind may leave out which it is: where a type is named itself, nothing else can
  // stand.
  const alternatives = [
    ...(type.abstract === true ? [] : [name]),
    ...concreteBelow(texts, type.id).map(
      (each) => code`(${typeName(each.id)} & { $is: ${kindName(texts, each)} })`,
    ),
  ]
  return [
    ...lines,
    code``,
    ...docComment([`${article(name)} of any kind; \`$is\` tells which.`]),
    code`export type Any${name} = ${joined(alternatives, ' | ')}`,
  ]
}

/**
 * An object type whose fields exclude each other in groups: what they have in common, and for each
 * choice a union of its alternatives, in which the fields of the others can't be.
 */
export function choiceDeclaration(
  texts: TypeTexts,
  name: Code,
  fields: readonly Field[],
  choices: readonly Choice[],
  further: readonly Code[],
  page: Page,
): Code[] {
  const chosen = new Set(
    choices.flatMap(({ alternatives }) => alternatives.flatMap((each) => each.fields)),
  )
  const common = fields.filter((field) => !chosen.has(field.name))
  const unions = choices.map(({ alternatives, optional }) => {
    const all = [...new Set(alternatives.flatMap((each) => each.fields))]
    const shapes = [
      ...alternatives,
      ...(optional === true ? [{ fields: [], required: [] }] : []),
    ].map((each) => alternativeLines(texts, fields, all, each, page))
    return shapes.flatMap(([first = code``, ...rest]) => [code`  | ${first}`, ...rest])
  })
  const members = [
    ...common.flatMap((field) => texts.propertyLines(field, page)),
    ...(chosen.has(special.open) ? [] : further),
  ]
  const [only = []] = unions
  if (members.length === 0 && unions.length === 1) return [code`export type ${name} =`, ...only]
  // Each union begins on the line on which what is before it ends.
  return [
    code`export type ${name} = {`,
    ...members,
    ...unions.flatMap((lines, at) => [at === 0 ? code`} & (` : code`) & (`, ...lines]),
    unions.length === 0 ? code`}` : code`)`,
  ]
}

/**
 * One alternative of a choice, on one line where that is enough; `all` are the fields that some
 * alternative has. Open content may be one of them.
 */
function alternativeLines(
  texts: TypeTexts,
  fields: readonly Field[],
  all: readonly string[],
  own: Choice['alternatives'][number],
  page: Page,
): Code[] {
  const ofField = (field: Field): Code[] =>
    own.fields.includes(field.name)
      ? texts.propertyLines({ ...field, optional: !own.required.includes(field.name) }, page, '')
      : [code`${propertyName(field.name)}?: never`]
  const open = own.fields.includes(special.open)
    ? texts.open.recordLines(page, own.required.includes(special.open), '')
    : [code`$open?: never`]
  const inside = [
    ...fields.filter((field) => all.includes(field.name)).flatMap(ofField),
    ...(all.includes(special.open) ? open : []),
  ]
  const line = code`{ ${joined(inside, '; ')} }`
  return inside.some((each) => each.includes('/*')) || line.length > 120
    ? [code`{`, ...indented(inside, '    '), code`  }`]
    : [line]
}

/** A choice in words. */
export function choiceText({ alternatives, optional }: Choice): string {
  return `${optional === true ? 'At most' : 'Exactly'} one of these is there: ${alternatives.map((each) => each.fields.map((name) => `\`${name}\``).join(' with ')).join(', or ')}.`
}

/**
 * Keys for the members of an enumeration's constant: camelCase where that keeps them apart, else
 * the values themselves.
 */
export function enumerationKeys(values: readonly string[]): { key: string; value: string }[] {
  const wished = values.map((value) => {
    if (/^[\p{L}_$][\p{L}\p{N}_$]*$/u.test(value)) return value
    if (value === '') return 'empty'
    return camelCase(value)
  })
  const counts = new Map<string, number>()
  for (const key of wished) counts.set(key, (counts.get(key) ?? 0) + 1)
  return values.map((value, at) => ({
    key: (counts.get(wished[at] ?? '') ?? 0) > 1 ? value : (wished[at] ?? value),
    value,
  }))
}

/** Does a type need brackets where something is put behind it? */
function isCompound(text: Code): boolean {
  return /[|&]/.test(text) && /[|&]/.test(withoutInsides(text))
}

/** A type without its texts, and without what stands in brackets. */
function withoutInsides(type: string): string {
  let outside = type.replace(/'(?:[^'\\]|\\.)*'/g, '')
  for (let before = ''; before !== outside;) {
    before = outside
    outside = outside.replace(/[({[<][^(){}[\]<>]*[)}\]>]/g, '')
  }
  return outside
}

function arrayOf(item: Code): Code {
  return isCompound(item) ? code`(${item})[]` : code`${item}[]`
}

/** A type in brackets, where it needs them beside an ampersand. */
function bracketed(text: Code): Code {
  return text.includes('|') && withoutInsides(text).includes('|') ? code`(${text})` : text
}

function article(name: string): string {
  return `${/^[AEIOU]/.test(name) ? 'An' : 'A'} ${name}`
}

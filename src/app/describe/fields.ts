import { special } from '../../contract/special-members.js'
import type { Choice, Contract, Field, NamedType, Type } from '../../contract/contract.js'
import { itemOf, membersOf, resolve } from '../../contract/queries.js'
import { constraintTexts } from '../../contract/constraint-texts.js'
import { typeText } from '../../contract/type-text.js'
import { hasDefault } from '../../typescript/types.js'

/** A field for people: its name, type in words, and what else holds. */
export interface FieldDescription {
  readonly name: string
  readonly type: string
  readonly required: boolean
  readonly rules: string
  readonly documentation: string | undefined
  /** The fields inside, where it is a record or a list of records. */
  readonly fields: readonly FieldDescription[]
  /** It is no field but one of several shapes that the field around it may have. */
  readonly alternative?: true
}

/**
 * A field in words.
 *
 * @param depth how many levels of the fields inside it are told too
 * @param choices the groups of fields beside it that exclude each other
 */
export function describeField(
  contract: Contract,
  field: Field,
  depth = 1,
  choices: readonly Choice[] = [],
): FieldDescription {
  const rules = [
    ...choices.flatMap((choice) => insteadOf(field.name, choice)),
    ...rulesOf(contract, field.type),
    ...(hasDefault(field) ? [`${String(field.default)} when left out`] : []),
    ...(typeof field.fixed === 'string' ? [`always ${field.fixed}`] : []),
    ...(field.relation?.association === undefined
      ? []
      : [`association ${field.relation.association}`]),
  ]
  return {
    name: field.name,
    type:
      field.name === special.open
        ? 'open content'
        : `${typeText(contract, field.type)}${field.nullable ? ' or null' : ''}`,
    required: !field.optional,
    rules: rules.join(', '),
    documentation: (field.documentation ?? itemOf(contract, field.type).documentation)?.replace(
      /\s+/g,
      ' ',
    ),
    // A turn of a group has no name that would tell anything: what is in it is always shown.
    fields:
      depth <= 0 && field.name !== special.items ? [] : insideOf(contract, field.type, depth - 1),
  }
}

/** What is inside a value: its fields; of several shapes that have any, the fields of each. */
function insideOf(contract: Contract, type: Type, depth: number): FieldDescription[] {
  const fieldsOf = (inner: Type): FieldDescription[] =>
    fieldsInside(contract, inner).map((each) =>
      describeField(contract, each, depth, choicesInside(contract, inner)),
    )
  const actual = itemOf(contract, type)
  // Turns of a group are alternatives without names, told by what excludes what.
  const alternatives = actual.kind === 'union' ? actual.alternatives.filter(isMoreThanNull) : []
  const isTold = alternatives.some((each) => fieldsInside(contract, each).length > 0)
  if (!isTold || alternatives.length < 2) return fieldsOf(type)
  return alternatives.map((shape, at) => ({
    name: at === 0 ? 'either' : 'or',
    type: shape.kind === 'record' ? '' : typeText(contract, shape),
    required: false,
    rules: rulesOf(contract, shape).join(', '),
    documentation:
      shape.kind === 'reference'
        ? resolve(contract, shape).documentation?.replace(/\s+/g, ' ')
        : undefined,
    fields: fieldsOf(shape),
    alternative: true,
  }))
}

function isMoreThanNull(type: Type): boolean {
  return type.kind !== 'literal' || type.value !== null
}

/** What holds for a value beyond its type, in words. */
function rulesOf(contract: Contract, type: Type): string[] {
  const item = itemOf(contract, type)
  if (item.kind === 'enumeration') return [item.members.map(({ value }) => value).join(' | ')]
  return item.kind === 'scalar' && item.constraints !== undefined
    ? constraintTexts(item.constraints)
    : []
}

/** What a field excludes in a choice, in words. */
function insteadOf(name: string, { alternatives }: Choice): string[] {
  if (!alternatives.some(({ fields }) => fields.includes(name))) return []
  const others = alternatives
    .filter(({ fields }) => !fields.includes(name))
    .map(({ fields }) => fields.join(' and '))
  return others.length === 0 ? [] : [`instead of ${others.join(' or ')}`]
}

function choicesInside(contract: Contract, type: Type): readonly Choice[] {
  const actual = itemOf(contract, type)
  const records =
    actual.kind === 'union' ? actual.alternatives.map((each) => resolve(contract, each)) : [actual]
  return records.flatMap((each) => (each.kind === 'record' ? (each.choices ?? []) : []))
}

function fieldsInside(contract: Contract, type: Type): readonly Field[] {
  const actual = itemOf(contract, type)
  // Content that the contract leaves open is a member like others to whoever fills it in.
  const isOpen = actual.kind === 'record' && actual.openMember !== undefined
  const open: Field = {
    name: special.open,
    type: { kind: 'fragment' },
    optional: actual.kind !== 'record' || actual.openExample === undefined,
    nullable: false,
    documentation: 'Elements and attributes that the contract leaves open.',
    origin: 'origin' in actual ? (actual as NamedType).origin : 0,
  }
  // Alternatives may have members in common.
  const members = new Map(membersOf(contract, actual).map((field) => [field.name, field]))
  return [...members.values(), ...(isOpen ? [open] : [])]
}

import { special } from '../../contract/special-members.js'
import type { Choice, Field, ListType, Origin, Type } from '../../contract/contract.js'
import { addAll, addTo } from '../../contract/lists.js'
import { marked, present } from '../../contract/present.js'
import {
  type FieldSpecifics,
  type ListSpecifics,
  type OpenSpecifics,
  fieldSpecifics,
  listSpecifics,
} from './specifics.js'

/**
 * Content models (XML Schema part 1, section 3.8) as members of a record: particles put together
 * step by step, from the inside out. What excludes each other becomes choices between groups of
 * fields; a group that repeats becomes the member `$items`.
 */

/**
 * What particles amount to. Open content is the field `$open` for as long as its place among the
 * others matters.
 */
export interface Content {
  readonly fields: readonly Field[]
  readonly choices: readonly Choice[]
  /** Elements may come in any order. */
  readonly anyOrder: boolean
  /** What it is called as a whole, where it has a name: the head of a substitution group. */
  readonly name?: string
}

type Alternative = Choice['alternatives'][number]

/** More combinations of nested choices than this are not told apart. */
const mostAlternatives = 64

export const nothing: Content = { fields: [], choices: [], anyOrder: false }

export function ofField(field: Field): Content {
  return { fields: [field], choices: [], anyOrder: false }
}

/** Open content as a field. */
export function openField(rules: Omit<OpenSpecifics, 'at'>, origin: Origin): Field {
  return {
    name: special.open,
    type: { kind: 'fragment' },
    optional: (rules.min ?? 0) === 0,
    nullable: false,
    origin,
    specifics: { place: 'open', name: ['', ''], open: rules } satisfies FieldSpecifics,
  }
}

function specificsOf(field: Field): FieldSpecifics {
  return fieldSpecifics(field)
}

/** May the field be left out, whatever else is there? */
function canBeMissing(field: Field): boolean {
  return (
    field.optional ||
    (field.type.kind === 'list' &&
      ['repeated', 'turns'].includes(listSpecifics(field.type).written) &&
      (field.type.minItems ?? 0) === 0)
  )
}

/**
 * Contents one after the other. Where two have a field of the same name, the later one's gets a
 * trailing `_`.
 *
 * @param taken names that are not to be had, of fields that come from elsewhere
 */
export function inSequence(
  contents: readonly Content[],
  taken: ReadonlySet<string> = new Set(),
): Content {
  const fields: Field[] = []
  const choices: Choice[] = []
  const names = new Set(taken)
  for (const content of contents) {
    const renamed = new Map<string, string>()
    for (const field of content.fields) {
      const open =
        field.name === special.open ? fields.findIndex((each) => each.name === special.open) : -1
      if (open !== -1) {
        fields[open] = mergedOpen(fields[open] as Field, field)
        continue
      }
      let { name } = field
      while (names.has(name) && name !== special.open) name += '_'
      renamed.set(field.name, name)
      fields.push(name === field.name ? field : { ...field, name })
    }
    for (const name of renamed.values()) names.add(name)
    const known = (name: string): string => renamed.get(name) ?? name
    addAll(
      choices,
      content.choices.map((choice) => ({
        ...choice,
        alternatives: choice.alternatives.map((each) => ({
          fields: each.fields.map(known),
          required: each.required.map(known),
        })),
      })),
    )
  }
  return { fields, choices, anyOrder: contents.some((each) => each.anyOrder) }
}

/** Two places of open content as one, which admits what either does. */
function mergedOpen(first: Field, second: Field): Field {
  const [a, b] = [specificsOf(first).open ?? {}, specificsOf(second).open ?? {}]
  const sum = (left: number | undefined, right: number | undefined): number | undefined =>
    left === undefined || right === undefined ? undefined : left + right
  const max = sum(a.max, b.max)
  const min = sum(a.min ?? 0, b.min ?? 0)
  const namespaces =
    a.namespaces !== undefined && b.namespaces !== undefined
      ? [...new Set([...a.namespaces, ...b.namespaces])]
      : undefined
  const open: Omit<OpenSpecifics, 'at'> = {
    ...present({ max }),
    ...(min === undefined || min === 0 ? {} : { min }),
    ...present({ namespaces }),
    ...(a.except !== undefined && a.except === b.except ? { except: a.except } : {}),
    ...marked({ attributes: a.attributes === true || b.attributes === true }),
  }
  return openField(open, first.origin)
}

/** The field as one that need not be there. */
function madeOptional(field: Field): Field {
  const { min: _, ...rules } = specificsOf(field).open ?? {}
  return specificsOf(field).place === 'open'
    ? openField(rules, field.origin)
    : { ...field, optional: true }
}

/** Content that may be left out as a whole. */
export function optional(content: Content): Content {
  const { fields, choices } = content
  const [only] = fields
  if (only === undefined) return content
  if (choices.length === 0) {
    if (fields.length === 1) return { ...content, fields: [madeOptional(only)] }
    if (fields.every(canBeMissing)) return content
  }
  const single = choices.length === 1 ? choices[0] : undefined
  const chosen = new Set(single?.alternatives.flatMap((each) => each.fields))
  if (single !== undefined && fields.every((field) => chosen.has(field.name)))
    return { ...content, choices: [{ ...single, optional: true }] }
  return oneOf([content], true)
}

/**
 * Content that is one of several (xs:choice).
 *
 * @param isOptional may there be none?
 */
export function oneOf(contents: readonly Content[], isOptional: boolean): Content {
  const merged = new MergedFields()
  const { fields } = merged
  const alternatives: Alternative[] = []
  let canBeEmpty = isOptional
  for (const each of contents) {
    const names = merged.add(each.fields)
    const known = (name: string): string => names.get(name) ?? name
    for (const { fields: own, required } of combinations(each)) {
      if (required.length === 0) canBeEmpty = true
      const named = {
        fields: [...new Set(own.map(known))],
        required: [...new Set(required.map(known))],
      }
      if (named.fields.length > 0) alternatives.push(named)
    }
  }
  const choices =
    alternatives.length > 1 || alternatives.some((each) => each.required.length > 0)
      ? [{ alternatives, ...marked({ optional: canBeEmpty }) }]
      : []
  // Where there is but one field and it must be there, that is no choice.
  const [first] = fields
  if (fields.length === 1 && first !== undefined && !canBeEmpty)
    return { fields: [{ ...first, optional: false }], choices: [], anyOrder: false }
  return {
    fields,
    choices: fields.length === 1 ? [] : choices,
    anyOrder: contents.some((each) => each.anyOrder),
  }
}

/**
 * The fields of several alternatives together: an element that stands in several of them is one
 * field.
 */
class MergedFields {
  readonly fields: Field[] = []
  private readonly names = new Set<string>()
  /** By their elements and how they would be called. */
  private readonly known = new Map<string, Field[]>()

  /**
   * Adds the fields of one alternative. A new one comes before whatever follows it in its own
   * alternative, so that the order of each is kept.
   *
   * @returns the names that fields go by
   */
  add(added: readonly Field[]): Map<string, string> {
    const names = new Map<string, string>()
    let before = this.fields.length
    for (const field of [...added].reverse()) {
      const twin = this.known
        .get(sameElement(field))
        ?.find((each) => sameShape(each.type, field.type))
      if (twin !== undefined) before = this.fields.indexOf(twin)
      const { name } = twin ?? this.insert(field, before)
      names.set(field.name, name)
    }
    return names
  }

  private insert(field: Field, before: number): Field {
    let { name } = field
    while (this.names.has(name)) name += '_'
    const inserted = { ...madeOptional(field), name }
    this.fields.splice(before, 0, inserted)
    this.names.add(name)
    addTo(this.known, sameElement(inserted), inserted)
    return inserted
  }
}

function sameElement(field: Field): string {
  return `${specificsOf(field).name.join(' ')} ${field.name.replace(/_+$/, '')}`
}

/** Every way in which the choices inside content can go. */
function combinations({ fields, choices }: Content): Alternative[] {
  const chosen = new Set(
    choices.flatMap(({ alternatives }) => alternatives.flatMap((each) => each.fields)),
  )
  const common = fields.filter((field) => !chosen.has(field.name))
  let found: Alternative[] = [
    {
      fields: common.map((field) => field.name),
      required: common.filter((field) => !canBeMissing(field)).map((field) => field.name),
    },
  ]
  for (const { alternatives, optional: mayBeNone } of choices) {
    const ways: readonly Alternative[] = [
      ...alternatives,
      ...(mayBeNone === true ? [{ fields: [], required: [] }] : []),
    ]
    found = found.flatMap((each) =>
      ways.map((way) => ({
        fields: [...each.fields, ...way.fields],
        required: [...each.required, ...way.required],
      })),
    )
    if (found.length > mostAlternatives) throw new TooManyCombinations()
  }
  return found
}

/** Nested choices can go more ways than are worth telling apart. */
export class TooManyCombinations extends Error {}

/** Content of which everything may be left out, without a word on what goes together. */
export function loose(contents: readonly Content[]): Content {
  const merged = new MergedFields()
  for (const each of contents) merged.add(each.fields)
  return { fields: merged.fields, choices: [], anyOrder: false }
}

/**
 * Content that repeats: one element as a list; anything more as the member `$items`, or one of its
 * own name, with an item for each turn.
 *
 * @param makeGroup keeps the content of a turn as a type, and gives a reference to it
 */
export function repeated(
  content: Content,
  bounds: { readonly minimum: number; readonly maximum: number | undefined },
  origin: Origin,
  makeGroup: (content: Content) => Type,
): Content {
  const { fields, choices, name = special.items } = content
  const [only] = fields
  if (only === undefined) return content
  const times = (inner: number | undefined): number | undefined =>
    bounds.maximum === undefined || inner === undefined ? undefined : bounds.maximum * inner
  if (fields.length === 1 && choices.length === 0) {
    const specifics = specificsOf(only)
    if (specifics.place === 'open') {
      const max = times(specifics.open?.max)
      const { max: _max, min: _min, ...rules } = specifics.open ?? {}
      const min = bounds.minimum * (specifics.open?.min ?? 0)
      return ofField(
        openField({ ...rules, ...present({ max }), ...(min === 0 ? {} : { min }) }, origin),
      )
    }
    if (specifics.place === 'element')
      return ofField(
        asList(only, {
          minimum: bounds.minimum * (only.optional ? 0 : least(only)),
          maximum: times(most(only)),
        }),
      )
  }
  const item = makeGroup(content)
  const canBeEmpty =
    fields.every(canBeMissing) && choices.every((choice) => choice.optional === true)
  const minimum = canBeEmpty ? 0 : bounds.minimum
  const type: ListType = {
    kind: 'list',
    item,
    ...limits({ minimum, maximum: bounds.maximum }),
    specifics: { written: 'turns' } satisfies ListSpecifics,
  }
  return ofField({
    name,
    type,
    optional: minimum === 0,
    nullable: false,
    origin,
    specifics: { place: 'group', name: ['', ''] } satisfies FieldSpecifics,
  })
}

function least(field: Field): number {
  return specificsOf(field).repeated === true && field.type.kind === 'list'
    ? (field.type.minItems ?? 0)
    : 1
}

function most(field: Field): number | undefined {
  return specificsOf(field).repeated === true && field.type.kind === 'list'
    ? field.type.maxItems
    : 1
}

/** An element as a list of its values. */
export function asList(
  field: Field,
  bounds: { readonly minimum: number; readonly maximum: number | undefined },
): Field {
  const isList = specificsOf(field).repeated === true && field.type.kind === 'list'
  const item = isList ? field.type.item : field.type
  const nullable = isList ? field.type.itemNullable === true : field.nullable
  const type: ListType = {
    kind: 'list',
    item,
    ...marked({ itemNullable: nullable }),
    ...limits(bounds),
    specifics: { written: 'repeated' } satisfies ListSpecifics,
  }
  return {
    ...field,
    type,
    optional: bounds.minimum === 0,
    nullable: false,
    specifics: { ...specificsOf(field), repeated: true } satisfies FieldSpecifics,
  }
}

function limits({
  minimum,
  maximum,
}: {
  readonly minimum: number
  readonly maximum: number | undefined
}): { minItems?: number; maxItems?: number } {
  return {
    ...(minimum === 0 ? {} : { minItems: minimum }),
    ...present({ maxItems: maximum }),
  }
}

/** Do two types look alike, wherever they were declared? */
function sameShape(a: Type, b: Type): boolean {
  const text = (type: Type): string =>
    JSON.stringify(type, (key, value: unknown) =>
      key === 'origin' || key === 'documentation' ? undefined : value,
    )
  return text(a) === text(b)
}

import { setOwn } from '../runtime/plain.js'
import { special } from '../contract/special-members.js'
import randexp from 'randexp'
import type {
  Choice,
  Constraints,
  Contract,
  Field,
  InputField,
  NamedType,
  Operation,
  RecordType,
  ScalarBase,
  ScalarType,
  Type,
  TypeId,
  UnionType,
  ListType,
  TupleType,
} from '../contract/contract.js'
import { alternativeDepth, leastDepth } from '../contract/least-depth.js'
import { largest } from '../contract/lists.js'
import { expression } from '../contract/patterns.js'
import { present } from '../contract/present.js'
import {
  basesOf,
  directSubtypes,
  fieldsOf,
  kindOf,
  namedType,
  resolve,
  partsOf,
} from '../contract/queries.js'
import { compareMoments } from '../runtime/soap/moments.js'

// The package declares a default export that it doesn't have for ES modules: the module is the
// class.
const RandExp = randexp as unknown as typeof randexp.default

export interface SampleOptions {
  /** Fill the optional parts too. */
  readonly full: boolean
  /** What the contract's dialect knows of values beyond their types, where it knows something. */
  readonly rules?: SampleRules | undefined
  /** Hears of values that could not be made to satisfy the contract. */
  readonly onShortfall?: ((shortfall: Shortfall) => void) | undefined
}

/** A value in a sample that does not satisfy its type: somebody has to put one in. */
export interface Shortfall {
  /** Its path in the sample. */
  readonly path: string
  readonly reason: string
}

/**
 * Rules that only a dialect can read: whether a value satisfies a type with all of them, and values
 * to try where the type itself says little.
 */
export interface SampleRules {
  allows(type: Type, plain: unknown): boolean
  candidates(type: Type): readonly unknown[]
  /** What a text of a format looks like, where that is known. */
  ofFormat(format: string): string | undefined
}

/**
 * An input for an operation that satisfies its contract, in plain form: 64-bit integers and
 * decimals as text, bytes as base64. Defaults and fixed values of the metadata come first.
 */
export function sampleInput(
  contract: Contract,
  operation: Operation,
  options: SampleOptions,
): Record<string, unknown> {
  const sampler = new Sampler(contract, options)
  const body = operation.inputs.filter((input) => input.place !== 'messageHeader')
  const headers = operation.inputs.filter(
    (input) => input.place === 'messageHeader' && (options.full || !input.optional),
  )
  const given = sampler.fields(body, operation.choices)
  const sample = {
    ...given,
    ...withoutEmptySteps(contract, body, given, options),
    ...(headers.length === 0
      ? {}
      : {
          headers: sampler.fields(
            headers.map((each: InputField) => ({ ...each, optional: false })),
          ),
        }),
  }
  for (const shortfall of sampler.shortfalls) options.onShortfall?.(shortfall)
  return sample
}

/** Steps of the address that would be empty: filled, since an empty one leads elsewhere. */
function withoutEmptySteps(
  contract: Contract,
  inputs: readonly InputField[],
  sample: Readonly<Record<string, unknown>>,
  options: SampleOptions,
): Record<string, unknown> {
  const isEmpty = (value: unknown): boolean =>
    typeof value === 'object' && value !== null && Object.keys(value).length === 0
  return Object.fromEntries(
    inputs
      .filter(({ place, name }) => place === 'path' && isEmpty(sample[name]))
      .map(({ name, type }) => [
        name,
        sampleValue(contract, type, name, { ...options, full: true }),
      ]),
  )
}

/**
 * A value that satisfies a type, in plain form. `name` is what a text says where nothing better is
 * known.
 */
export function sampleValue(
  contract: Contract,
  type: Type,
  name: string,
  options: SampleOptions,
): unknown {
  return new Sampler(contract, options).value(type, name)
}

/**
 * So many values, and so many levels of types inside each other, are enough for a sample that
 * somebody reads.
 */
const mostValues = 20_000
const mostLevels = 100
/** So many items, and so many characters, of what asks for more. */
const mostItems = 1000
const mostCharacters = 10_000

class Sampler {
  private readonly contract: Contract
  private readonly full: boolean
  /** Ids of the types being filled, so that recursion ends. */
  private readonly within: string[] = []

  private readonly rules: SampleRules | undefined
  private readonly path: string[] = []
  readonly shortfalls: Shortfall[] = []
  /** How many values were made so far. */
  private values = 0
  private isCut = false
  /** How many of the types being filled are filled for the second time. */
  private again = 0
  /** How many records were filled so far. */
  private records = 0

  constructor(contract: Contract, { full, rules }: SampleOptions) {
    this.contract = contract
    this.full = full
    this.rules = rules
  }

  /** What the metadata gives as an example or a default, else a value that its type has. */
  private valueOf(field: Field): unknown {
    const { example, type, name } = field
    if (example !== undefined && this.isFit(field, example)) return example
    const preset = this.preset(field)
    if (preset !== undefined) return preset
    return field.nullable && (this.isLeast() || this.endless(type)) ? null : this.value(type, name)
  }

  /** The one value that a field may have, or its default where that is one. */
  private preset(field: Field): unknown {
    const { fixed, type } = field
    const given = fixed ?? field.default
    if (given === undefined) return undefined
    const value = Array.isArray(given) ? given : this.typed(type, String(given))
    return fixed !== undefined || this.isFit(field, value) ? value : undefined
  }

  /**
   * Examples and defaults are written by people and programs, and may break the type that they are
   * for.
   */
  private isFit({ type, nullable }: Field, example: unknown): boolean {
    return (example === null && nullable) || this.rules?.allows(type, example) !== false
  }

  fields(fields: readonly Field[], choices: readonly Choice[] = []): Record<string, unknown> {
    const sample: Record<string, unknown> = {}
    const excluded = new Set<string>()
    const wanted = new Set<string>()
    const byName = new Map(fields.map((field) => [field.name, field]))
    for (const choice of choices) {
      const chosen = this.alternativeOf(choice, byName)
      for (const name of choice.alternatives.flatMap((each) => each.fields))
        if (chosen?.fields.includes(name) !== true) excluded.add(name)
      for (const name of chosen?.required ?? []) wanted.add(name)
    }
    for (const field of fields) {
      if (excluded.has(field.name)) continue
      if (
        field.optional &&
        !wanted.has(field.name) &&
        (!this.full || this.isLeast() || this.endless(field.type) || this.tooMuch(field.type))
      )
        continue
      this.path.push(field.name)
      const value = this.valueOf(field)
      this.path.pop()
      setOwn(sample, field.name, value)
    }
    return sample
  }

  /**
   * Of a choice the first alternative that comes to an end, or what leads there soonest; nothing
   * where nothing has to be chosen.
   */
  private alternativeOf(
    { alternatives, optional }: Choice,
    fields: ReadonlyMap<string, Field>,
  ): Choice['alternatives'][number] | undefined {
    if (optional === true && (!this.full || this.isLeast())) return undefined
    const named = alternatives.filter(({ required }) => !required.includes(special.open))
    const depth = (each: Choice['alternatives'][number]): number =>
      alternativeDepth(each, fields, (type) => leastDepth(this.contract, type))
    const ends = (each: Choice['alternatives'][number]): boolean =>
      depth(each) < Infinity &&
      each.required.every((name) => {
        const field = fields.get(name)
        return field === undefined || !this.endless(field.type)
      })
    const first = this.isLeast() ? undefined : named.find(ends)
    return first ?? leastOf(named, depth) ?? alternatives[0]
  }

  value(type: Type, name: string): unknown {
    const before = this.shortfalls.length
    const shaped = this.shaped(type, name)
    const value = this.allowed(type, name, shaped)
    // What was put in its place satisfies all rules.
    if (value !== shaped) this.shortfalls.length = before
    return value
  }

  private fallShort(reason: string): void {
    this.shortfalls.push({ path: this.path.join('.'), reason })
  }

  /**
   * A value that satisfies the rules of its type, where the first one does not and another one is
   * found.
   */
  private allowed(type: Type, name: string, value: unknown): unknown {
    const { rules } = this
    if (rules === undefined || type.specifics === undefined || rules.allows(type, value))
      return value
    for (const other of this.variants(type, name, rules))
      if (rules.allows(type, other)) return other
    this.fallShort('no value was found that satisfies all its rules')
    return value
  }

  private *variants(type: Type, name: string, rules: SampleRules): Generator {
    yield* rules.candidates(type)
    const actual = resolve(this.contract, type)
    if (actual.kind === 'list') {
      const [first, second] = [this.value(actual.item, name), this.value(actual.item, `${name}2`)]
      yield* [[], [first], [first, second], ...rules.candidates(type).map((each) => [each])]
    } else if (actual.kind === 'map' && !this.endless(actual.value)) {
      const member = this.value(actual.value, name)
      yield* [
        { [name]: member },
        { a: member },
        { a: member, b: member },
        { name: member, other: member, third: member },
      ]
    } else if (actual.kind === 'anything') yield* untold
    else if (actual.kind === 'union')
      for (const each of actual.alternatives.slice(0, mostAlternatives))
        if (resolve(this.contract, each).kind === 'anything') yield* untold
        else if (!this.endless(each)) yield this.value(each, name)
    if (actual.kind === 'record' || actual.kind === 'intersection' || actual.kind === 'union')
      yield* this.combinations(actual, name)
  }

  /** The value with other ones of its optional members: with few, then with many. */
  private *combinations(type: Type, name: string): Generator {
    const [least, most] = [false, true].map((full) =>
      new Sampler(this.contract, { full, rules: undefined }).value(type, name),
    ) as [Record<string, unknown>, Record<string, unknown>]
    if (typeof most !== 'object' || most === null) return
    const optional = Object.keys(most)
      .filter((member) => !Object.hasOwn(least, member))
      .slice(0, 12)
    const pick = (names: readonly string[]): Record<string, unknown> =>
      Object.fromEntries(
        Object.entries(most).filter(
          ([member]) => !optional.includes(member) || names.includes(member),
        ),
      )
    const pairs = optional.flatMap((first, at) =>
      optional.slice(at + 1).map((second) => [first, second]),
    )
    const without = (left: readonly string[]): string[] =>
      optional.filter((member) => !left.includes(member))
    const sets = [...optional.map((each) => [each]), ...pairs]
    const choices = this.full
      ? [...sets.map(without), ...sets.map((each) => each), []]
      : [[], ...sets, ...sets.map(without)]
    yield* choices.map(pick)
  }

  /**
   * Types can ask for more than there is room for, or for themselves without end: where it is
   * enough, a sample stops, and says so.
   */
  private isEnough(): boolean {
    this.values += 1
    if (this.values <= mostValues && this.within.length <= mostLevels) return false
    if (!this.isCut) this.fallShort('it would go on without end, or for very long')
    this.isCut = true
    return true
  }

  /**
   * Inside of a type that is filled for the second time, everything takes the shortest way to an
   * end: each step leads to a type whose least value is less deep.
   */
  private isLeast(): boolean {
    return this.again > 0
  }

  private items(least: number, make: (at: number) => unknown): unknown[] {
    if (least > mostItems) this.fallShort(`it must have at least ${String(least)} items`)
    const items: unknown[] = []
    for (let at = 0; at < Math.min(least, mostItems) && this.values <= mostValues; at += 1)
      items.push(make(at))
    return items
  }

  private shaped(type: Type, name: string): unknown {
    if (this.isEnough() && partsOf(type).length + Number(type.kind === 'reference') > 0)
      return type.kind === 'list' || type.kind === 'tuple' ? [] : {}
    switch (type.kind) {
      case 'reference':
        return this.referenced(type.to, name)
      case 'record': {
        const fields = this.fields(type.fields, type.choices)
        return { ...fields, ...present({ $open: type.openExample }) }
      }
      case 'enumeration':
        return type.members[0]?.value ?? ''
      case 'scalar':
        return this.scalar(type, name)
      case 'list':
        return this.list(type, name)
      case 'fragment':
        return name
      case 'literal':
        return type.value
      case 'union':
        return this.oneOf(type, name)
      case 'intersection':
        return Object.assign({}, ...type.parts.map((part) => this.value(part, name))) as unknown
      case 'map':
        return {}
      case 'tuple':
        return this.tuple(type, name)
      default:
        return null
    }
  }

  private list(type: ListType, name: string): unknown[] {
    const { item, itemNullable, minItems: least = 0, maxItems = 1 } = type
    const { allowed, patterns } = type.constraints ?? {}
    if (allowed !== undefined || patterns !== undefined)
      return (allowed?.[0] ?? text({ patterns: patterns ?? [] }, name))
        .trim()
        .split(' ')
        .map((each) => this.typed(item, each))
    const isTurning = (each: Type): boolean => each.kind === 'reference' && this.isTurn(each.to)
    if (!this.isLeast() && item.kind === 'union' && item.alternatives.some(isTurning))
      return this.mixedItems(item.alternatives)
    const isShort = this.isLeast() || this.endless(item)
    const count = isShort ? least : Math.max(least, Math.min(1, maxItems))
    return this.items(count, () =>
      isShort && itemNullable === true ? null : this.value(item, name),
    )
  }

  private oneOf(type: UnionType, name: string): unknown {
    const { alternatives, discriminator } = type
    const chosen = this.isLeast() ? this.soonest(alternatives) : this.plainest(type)
    const value = chosen === undefined ? null : this.value(chosen, name)
    if (discriminator === undefined || chosen?.kind !== 'reference') return value
    const [named] =
      Object.entries(discriminator.mapping ?? {}).find(([, id]) => id === chosen.to) ?? []
    return named === undefined ? value : { ...(value as object), [discriminator.field]: named }
  }

  private tuple({ items, minItems, rest }: TupleType, name: string): unknown[] {
    const isWanted = (item: Type, at: number): boolean =>
      at < minItems || (this.full && !this.isLeast() && !this.endless(item))
    const others =
      rest === undefined ? [] : this.items(minItems - items.length, () => this.value(rest, name))
    const own = items.filter(isWanted).map((item, at) => this.value(item, `${name}${at + 1}`))
    return [...own, ...others]
  }

  private referenced(id: string, name: string): unknown {
    const named = namedType(this.contract, id)
    const isAgain = this.within.includes(id)
    if (isAgain && leastDepth(this.contract, referenceTo(named)) === Infinity) {
      this.fallShort(
        `there is no value of ${named.name} that comes to an end: each must have another one in it`,
      )
      return null
    }
    this.within.push(id)
    this.again += Number(isAgain)
    const value =
      named.kind === 'record'
        ? this.allowed(named, name, this.record(named, id))
        : this.value(named, name)
    this.again -= Number(isAgain)
    this.within.pop()
    return value
  }

  /** Of a union the alternative that a reader looks for first, if it comes to an end. */
  private plainest({ alternatives }: UnionType): Type | undefined {
    // Inside of what hangs off something already, the key of another one will do.
    const key =
      this.within.length < 2
        ? undefined
        : alternatives.find((each) => each.kind === 'record' && alternatives.some(leadsOn))
    const ends = (each: Type): boolean =>
      !this.endless(each) && leastDepth(this.contract, each) < Infinity
    return key ?? alternatives.find(ends) ?? this.soonest(alternatives)
  }

  private soonest(alternatives: readonly Type[]): Type | undefined {
    return leastOf(alternatives, (each) => leastDepth(this.contract, each))
  }

  private scalar(type: ScalarType, name: string): unknown {
    const value = this.ofFormat(type) ?? scalar(type, name)
    const limits = type.constraints ?? {}
    this.values += Math.floor(String(value).length / 100)
    if (type.base === 'bytes' && (limits.minLength ?? 0) > mostCharacters)
      this.fallShort(`it must have at least ${String(limits.minLength)} bytes`)
    if (type.base === 'text' && limits.allowed === undefined && !fitsText(limits, String(value)))
      this.fallShort(
        `no text was found that ${(limits.patterns ?? []).length > 0 ? `matches ${(limits.patterns ?? []).map((group) => group.join(' or ')).join(' and ')}` : 'has the right length'}`,
      )
    return value
  }

  /** What texts and moments of a format look like, where the limits leave room for that. */
  private ofFormat({ base, format, example, constraints = {} }: ScalarType): string | undefined {
    const usual = this.rules?.ofFormat(format)
    if (usual === undefined || example !== undefined || constraints.allowed !== undefined)
      return undefined
    if (base === 'dateTime' || base === 'time') return moment(constraints, usual)
    return base === 'text' && fitsText(constraints, usual) ? usual : undefined
  }

  private isTurn(id: string): boolean {
    const named = namedType(this.contract, id)
    return named.kind === 'record' && named.choices !== undefined && !this.within.includes(id)
  }

  /** Texts and elements among each other: a text, and each of the elements once. */
  private mixedItems(alternatives: readonly Type[]): unknown[] {
    return alternatives.flatMap((each) => {
      const named = each.kind === 'reference' ? namedType(this.contract, each.to) : undefined
      if (each.kind !== 'reference' || named?.kind !== 'record') return [this.value(each, 'text')]
      this.within.push(each.to)
      const turns = (named.choices?.[0]?.alternatives ?? []).map(({ fields }) =>
        this.fields(
          named.fields
            .filter((field) => fields.includes(field.name))
            .map((field) => ({ ...field, optional: false })),
        ),
      )
      this.within.pop()
      return turns
    })
  }

  private record(record: RecordType, id: string): unknown {
    this.records += 1
    const all = [...basesOf(this.contract, record), record]
    const mentioned = all.some((each) =>
      each.choices?.some(({ alternatives }) =>
        alternatives.some(({ fields }) => fields.includes(special.open)),
      ),
    )
    const open = mentioned
      ? undefined
      : all.find((each) => each.openExample !== undefined)?.openExample
    if (record.abstract !== true)
      return {
        ...this.fields(
          fieldsOf(this.contract, record),
          all.flatMap((each) => each.choices ?? []),
        ),
        ...present({ $open: open }),
      }
    const subtypes = directSubtypes(this.contract).get(id) ?? []
    const depth = (each: TypeId): number =>
      leastDepth(this.contract, referenceTo(namedType(this.contract, each)))
    const subtype =
      (this.isLeast() ? undefined : subtypes.find((each) => !this.within.includes(each))) ??
      leastOf(subtypes, depth)
    const named = subtype === undefined ? undefined : namedType(this.contract, subtype)
    if (named?.kind !== 'record' || subtype === undefined) {
      this.fallShort('it is abstract, and no type extends it')
      return {}
    }
    return {
      ...(named.abstract === true ? {} : { $is: kindOf(this.contract, named).name }),
      ...(this.record(named, subtype) as object),
    }
  }

  private typed(type: Type, text: string): unknown {
    const actual = resolve(this.contract, type)
    if (actual.kind !== 'scalar') return text
    if (actual.base === 'boolean') return text === 'true' || text === '1'
    return numbers.includes(actual.base) ? Number(text) : text
  }

  /**
   * Types that lead to many others, and those again, would fill a sample that nobody reads: what is
   * optional stays out where it is deep, or too much already.
   */
  private tooMuch(type: Type): boolean {
    const isDeep = this.within.length >= 3 && this.records > 60
    return (isDeep || this.records > 300) && leadsOn(type)
  }

  /** Would filling this type come back to one that is being filled? */
  private endless(type: Type): boolean {
    if (type.kind === 'list') return this.endless(type.item)
    if (type.kind === 'tuple') return type.items.some((item) => this.endless(item))
    if (type.kind === 'union')
      return type.alternatives.length > 0 && type.alternatives.every((each) => this.endless(each))
    return type.kind === 'reference' && this.within.includes(type.to)
  }
}

function referenceTo({ id }: NamedType): Type {
  return { kind: 'reference', to: id }
}

/** The first of those for which a number is least. */
function leastOf<Item>(items: readonly Item[], number: (item: Item) => number): Item | undefined {
  const numbers = items.map(number)
  return items[numbers.indexOf(numbers.reduce((least, each) => Math.min(least, each), Infinity))]
}

/** Is there a named type in it, which may lead to others? */
function leadsOn(type: Type): boolean {
  return type.kind === 'reference' || partsOf(type).some(leadsOn)
}

/** Bases whose values are numbers in plain form. */
const numbers: readonly ScalarBase[] = [
  'int8',
  'int16',
  'int32',
  'uint8',
  'uint16',
  'uint32',
  'float',
  'double',
]

/** A value of a base from its text. */
function valueOf(base: ScalarType['base'], text: string): unknown {
  if (base === 'boolean') return text === 'true'
  return numbers.includes(base) ? Number(text) : text
}

function scalar(type: ScalarType, name: string): unknown {
  const limits = type.constraints ?? {}
  if (type.example !== undefined) return type.example
  const [allowed] = limits.allowed ?? []
  if (allowed !== undefined) return valueOf(type.base, allowed)
  switch (type.base) {
    case 'boolean':
      return true
    case 'int8':
    case 'int16':
    case 'int32':
    case 'uint8':
    case 'uint16':
    case 'uint32':
      return Number(wholeNumber(limits))
    case 'int64':
    case 'uint64':
    case 'integer':
      return wholeNumber(limits)
    case 'decimal':
      return decimal(limits)
    case 'float':
    case 'double':
      if (type.format === 'integer') return Number(wholeNumber(limits))
      if (limits.multipleOf !== undefined && limits.minimum === undefined)
        return Number(limits.multipleOf)
      return Number(decimal(limits))

    case 'bytes':
      return btoa(
        'x'.repeat(
          Math.min(Math.max(limits.minLength ?? 0, 3), limits.maxLength ?? 3, mostCharacters),
        ),
      )
    case 'dateTime':
      return moment(limits, '2026-11-23T14:30:00')
    case 'date':
      return moment(limits, '2026-11-23')
    case 'time':
      return moment(limits, '14:30:00')
    case 'duration':
      return moment(limits, 'P1D')
    case 'yearMonth':
      return moment(limits, '2026-11')
    case 'year':
      return moment(limits, '2026')
    case 'monthDay':
      return moment(limits, '--11-23')
    case 'month':
      return moment(limits, '--11')
    case 'day':
      return moment(limits, '---23')
    case 'qualifiedName':
      return 'name'
    case 'text':
      return text(limits, type.format === 'xs:language' ? 'en' : name)
  }
}

/** A moment or a duration within its bounds: the usual one where that fits. */
function moment(
  { minimum, maximum, exclusiveMinimum, exclusiveMaximum }: Constraints,
  usual: string,
): string {
  const fits = (text: string): boolean => {
    const order = (bound: string | undefined): number =>
      bound === undefined ? Number.NaN : (compareMoments(text, bound) ?? Number.NaN)
    return !(
      order(minimum) < 0 ||
      order(maximum) > 0 ||
      order(exclusiveMinimum) <= 0 ||
      order(exclusiveMaximum) >= 0
    )
  }
  return [usual, minimum, maximum].find((each) => each !== undefined && fits(each)) ?? usual
}

function wholeNumber(limits: Constraints): string {
  if (limits.multipleOf !== undefined && Number.isInteger(Number(limits.multipleOf))) {
    const step = BigInt(limits.multipleOf)
    const least = BigInt(
      integerPart(limits.minimum ?? limits.exclusiveMinimum ?? limits.multipleOf),
    )
    return String(
      (least / step + (least % step > 0n || limits.exclusiveMinimum !== undefined ? 1n : 0n)) *
        step,
    )
  }
  const least =
    limits.minimum ??
    (limits.exclusiveMinimum === undefined
      ? undefined
      : String(BigInt(integerPart(limits.exclusiveMinimum)) + 1n))
  if (least !== undefined)
    return BigInt(integerPart(least)) < 1n && canBe(limits, 1n) ? '1' : integerPart(least)
  const most =
    limits.maximum ??
    (limits.exclusiveMaximum === undefined
      ? undefined
      : String(BigInt(integerPart(limits.exclusiveMaximum)) - 1n))
  return most !== undefined && BigInt(integerPart(most)) < 1n ? integerPart(most) : '1'
}

function canBe(limits: Constraints, value: bigint): boolean {
  return (
    (limits.maximum === undefined || value <= BigInt(integerPart(limits.maximum))) &&
    (limits.exclusiveMaximum === undefined || value < BigInt(integerPart(limits.exclusiveMaximum)))
  )
}

function integerPart(text: string): string {
  return text.replace(/^\+/, '').replace(/\..*$/, '') || '0'
}

function decimal(limits: Constraints): string {
  if (limits.minimum !== undefined && Number(limits.minimum) > 0) return limits.minimum
  if (limits.exclusiveMinimum !== undefined && Number(limits.exclusiveMinimum) >= 0)
    return String(Number(limits.exclusiveMinimum) + 1)
  if (limits.maximum !== undefined && Number(limits.maximum) < 1) return limits.maximum
  if (limits.exclusiveMaximum !== undefined && Number(limits.exclusiveMaximum) <= 1)
    return String(Number(limits.exclusiveMaximum) - 1)
  const fraction = Math.min(limits.fractionDigits ?? 2, (limits.totalDigits ?? 9) - 1, 2)
  return fraction <= 0 ? '1' : `1.${'0'.repeat(fraction)}`
}

function fitsText(
  { minLength = 0, maxLength = Infinity, patterns = [] }: Constraints,
  text: string,
): boolean {
  const length = [...text].length
  return (
    length >= minLength &&
    length <= maxLength &&
    patterns.every((group) => group.some((pattern) => expression(`^(?:${pattern})$`).test(text)))
  )
}

function text(limits: Constraints, name: string): string {
  const least = Math.min(limits.minLength ?? 0, mostCharacters)
  const plain = [...name]
    .slice(0, limits.maxLength ?? 60)
    .join('')
    .padEnd(least, 'x')
  if (fitsText(limits, plain)) return plain
  for (const each of candidates(limits.patterns ?? [], least))
    if (fitsText(limits, each)) return each
  return plain
}

/** Values to try where nothing is said. */
const untold: readonly unknown[] = ['text', 'a', 1, 100, true, [], {}, null, -1]

/** So many alternatives are tried. */
const mostAlternatives = 20

/** Up to this length all of them are tried. */
const mostTried = 80

/** Texts that may match patterns: short ones, long ones, and those between. */
function* candidates(patterns: readonly (readonly string[])[], least: number): Generator<string> {
  const all = patterns.flat().flatMap((pattern) => [pattern, ...aheadIn(pattern)])
  const lengths = [least, least + 1]
  for (let part = least / 1.3; part >= 1; part /= 1.3) lengths.push(Math.ceil(part))
  // Where a text must be just so long, beside what does not repeat, none of these may be it.
  if (least <= mostTried) for (let part = least - 1; part >= 1; part -= 1) lengths.push(part)
  for (const length of lengths)
    for (const pattern of all) {
      yield matching(pattern, length, 'few')
      yield matching(pattern, length, 'many')
    }
  // What must have letters of both sizes, digits and signs somewhere is a password.
  if (all.some((pattern) => pattern.includes('(?=')))
    for (const word of passwords) yield word.padEnd(least, 'x')
}

const passwords = ['Harbour2026!', 'Harbour-2026', 'Harbour2026']

/** What a pattern looks ahead for, which the generator of texts passes over. */
function aheadIn(pattern: string): string[] {
  return [...pattern.matchAll(/\(\?=((?:[^()\\]|\\.)*)\)/g)].map(([, inside = '']) => inside)
}

/**
 * Where nearly any character may stand, the generator knows those from the blank to the tilde: a
 * letter is what a reader expects.
 */
const lastPlace = 0x7e - 0x20
const placeOfLetter = 0x78 - 0x20 - 1

/**
 * A text that matches a pattern; always the same one.
 *
 * @param repeated how often what may repeat does: as seldom as it may, or as often as the length
 *   allows
 */
function matching(pattern: string, length: number, repeated: 'few' | 'many'): string {
  const classes = plainClasses(pattern)
  try {
    const generator = new RandExp(classes)
    generator.max = Math.max(1, length)
    // It is asked for characters of a class, by their places in it, and for repetitions.
    generator.randInt = (from, to) => {
      if (to - from === generator.max) return repeated === 'few' ? from : to
      if (to - from > 1000) return from
      if (from === 0 && to >= placeOfLetter && to <= lastPlace) return placeOfLetter
      if (to - from > 25) return from + 7
      return repeated === 'few' ? from : to
    }
    return longest(Reflect.get(generator, 'tokens') as Token) > mostCharacters
      ? ''
      : generator.gen()
  } catch {
    return ''
  }
}

/**
 * What a pattern is read as: parts one after the other or instead of each other, one that repeats,
 * one that repeats another's text, or one character.
 */
interface Token {
  readonly type: number
  readonly stack?: readonly Token[]
  readonly options?: readonly (readonly Token[])[]
  readonly remember?: boolean
  readonly min?: number
  readonly value?: Token | number
}

/** The type of a part that repeats another's text. */
const reference = 6

/**
 * How many characters a text that is made for a pattern may have; `groups` has those of the groups
 * that a later part may repeat.
 */
function longest(token: Token, groups: number[] = []): number {
  const sum = (tokens: readonly Token[]): number =>
    tokens.reduce((length, each) => length + longest(each, groups), 0)
  if (token.min !== undefined && typeof token.value === 'object')
    return (token.min + 8) * longest(token.value, groups)
  const at = token.remember === true ? groups.push(0) - 1 : undefined
  const repeated =
    typeof token.value === 'number' && token.type === reference ? (groups[token.value - 1] ?? 0) : 1
  const choices = token.options === undefined ? repeated : largest(token.options.map(sum))
  const length = token.stack === undefined ? choices : sum(token.stack)
  if (at !== undefined) groups[at] = length
  return length
}

/**
 * A pattern with Unicode properties replaced by some of what they stand for, which is all that the
 * generator knows.
 */
function plainClasses(pattern: string): string {
  const ranges: Readonly<Record<string, string>> = {
    L: 'A-Za-z',
    Lu: 'A-Z',
    Ll: 'a-z',
    N: '0-9',
    Nd: '0-9',
  }
  let inside = false
  return pattern.replace(/\\p\{(\w+)\}|\\.|[[\]]/g, (found, property: string | undefined) => {
    if (found === '[' || found === ']') inside = found === '['
    if (property === undefined) return found
    const range = ranges[property] ?? ''
    return inside || range === '' ? range : `[${range}]`
  })
}

import { special } from './special-members.js'
import { addAll } from './lists.js'
import { once } from './once.js'
import type {
  Contract,
  Field,
  NamedType,
  RecordType,
  ScalarBase,
  Type,
  UnionType,
} from './contract.js'
import { expression } from './patterns.js'
import { directSubtypes, fieldsOf, kindOf, membersOf, namedType, resolve } from './queries.js'

/**
 * A number as it was written. JSON and YAML files are read with these, so that digits beyond a
 * double's and trailing zeros are not lost before it is known what type they are for.
 */
export class ExactNumber {
  readonly source: string

  constructor(source: string) {
    this.source = source
  }
}

const bigBases: readonly ScalarBase[] = ['int64', 'uint64', 'integer']

/**
 * A plain value (as JSON or YAML have it) in the shapes of the client, by its type: digits to
 * `bigint`, base64 text to bytes. What does not fit is left as it is: the client's own check says
 * what is wrong with it, so there is one judge only.
 */
export function fromPlain(contract: Contract, type: Type, plain: unknown): unknown {
  if (plain === null || plain === undefined || plain instanceof Uint8Array) return plain
  const actual = resolve(contract, type)
  switch (actual.kind) {
    case 'scalar':
      return scalarFromPlain(actual.base, plain)
    case 'enumeration':
      return withoutExactNumbers(plain)
    case 'list':
      return Array.isArray(plain)
        ? plain.map((item) => fromPlain(contract, actual.item, item))
        : withoutExactNumbers(plain)
    case 'tuple':
      return Array.isArray(plain)
        ? plain.map((item, at) =>
            fromPlain(contract, actual.items[at] ?? actual.rest ?? { kind: 'anything' }, item),
          )
        : withoutExactNumbers(plain)
    case 'map':
      return isPlainObject(plain)
        ? Object.fromEntries(
            Object.entries(plain).map(([key, value]) => [
              key,
              fromPlain(contract, actual.value, value),
            ]),
          )
        : withoutExactNumbers(plain)
    case 'intersection':
      return isPlainObject(plain)
        ? fieldsFromPlain(contract, membersOf(contract, actual), plain, othersOf(contract, actual))
        : withoutExactNumbers(plain)
    case 'union':
      return fromPlain(contract, alternativeFor(contract, actual, plain), plain)
    case 'record':
      return isPlainObject(plain)
        ? fieldsFromPlain(
            contract,
            fieldsOf(contract, actualRecord(contract, actual, type, plain)),
            plain,
            othersOf(contract, actual),
          )
        : withoutExactNumbers(plain)
    case 'fragment':
      return actual.mayBeRecord === true
        ? recordsFromPlain(contract, actual, plain)
        : withoutExactNumbers(plain)
    default:
      return withoutExactNumbers(plain)
  }
}

/** What may be any record of the contract: those that say which they are, alone or in lists. */
function recordsFromPlain(contract: Contract, type: Type, plain: unknown): unknown {
  if (Array.isArray(plain)) return plain.map((item) => recordsFromPlain(contract, type, item))
  const record = isPlainObject(plain) ? recordNamed(contract, plain[special.is]) : undefined
  return record === undefined
    ? withoutExactNumbers(plain)
    : fromPlain(contract, { kind: 'reference', to: record.id }, plain)
}

const recordsByName = new WeakMap<Contract, ReadonlyMap<unknown, NamedType>>()

/** The record that goes by a name in `$is`, which may be anything. */
export function recordNamed(contract: Contract, name: unknown): NamedType | undefined {
  const records = once(recordsByName, contract, () => {
    const own = Object.values(contract.types).filter(
      (type) => type.kind === 'record' && type.variantOf === undefined,
    )
    return new Map(own.map((type) => [type.name, type]))
  })
  return records.get(name)
}

/** What members are that a type does not name, by their names. */
function othersOf(contract: Contract, type: Type): (name: string) => Type | undefined {
  const parts =
    type.kind === 'intersection' ? type.parts.map((part) => resolve(contract, part)) : [type]
  return (name) => {
    for (const part of parts) {
      if (part.kind === 'map') return part.value
      if (part.kind !== 'record') continue
      const matching =
        part.patterned?.find(({ pattern }) => expression(pattern).test(name))?.type ?? part.rest
      if (matching !== undefined) return matching
    }
    return undefined
  }
}

/**
 * An object whose members are described by fields, converted member by member. Members that nothing
 * describes stay.
 *
 * @param others what members are that no field names
 */
export function fieldsFromPlain(
  contract: Contract,
  fields: readonly Field[],
  plain: Readonly<Record<string, unknown>>,
  others: (name: string) => Type | undefined = () => undefined,
): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(plain).map(([key, value]) => {
      const field = fields.find((each) => each.name === key)
      const type = field === undefined ? others(key) : field.type
      const isUnknown = type === undefined
      return [key, isUnknown ? withoutExactNumbers(value) : fromPlain(contract, type, value)]
    }),
  )
}

/**
 * A value from a text typed at the prompt, by the type at its place. For records and lists the text
 * is to be parsed first.
 */
export function fromText(contract: Contract, type: Type, text: string): unknown {
  const actual = resolve(contract, type)
  if (actual.kind === 'literal' && String(actual.value) === text) return actual.value
  if (actual.kind !== 'scalar') return text
  if (actual.base === 'boolean') {
    if (text === 'true') return true
    if (text === 'false') return false
    return text
  }
  if (actual.base === 'text' || actual.base === 'bytes') return scalarFromPlain(actual.base, text)
  return /^[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(text)
    ? scalarFromPlain(actual.base, new ExactNumber(text))
    : text
}

/**
 * The alternative of a union that a plain value looks like: by the discriminator, else by its
 * members or its kind.
 */
function alternativeFor(contract: Contract, union: UnionType, plain: unknown): Type {
  const { discriminator, alternatives } = union
  const nothing: Type = { kind: 'anything' }
  // Open content has no plain form: beside it there may be one alternative only.
  const [only, ...others] = alternatives.filter((each) => each.kind !== 'fragment')
  if (only !== undefined && others.length === 0) return only
  if (isPlainObject(plain)) {
    const id =
      discriminator === undefined
        ? undefined
        : discriminator.mapping[String(plain[discriminator.field])]
    if (id !== undefined) return { kind: 'reference', to: id }
    const known = (each: Type): number =>
      membersOf(contract, each).filter((field) => Object.hasOwn(plain, field.name)).length
    return [...alternatives].sort((a, b) => known(b) - known(a))[0] ?? nothing
  }
  if (Array.isArray(plain))
    return alternatives.find((each) => resolve(contract, each).kind === 'list') ?? nothing
  const wanted = basesFor(plain)
  return (
    alternatives.find((each) => {
      const actual = resolve(contract, each)
      return actual.kind === 'scalar' && wanted.includes(actual.base)
    }) ?? nothing
  )
}

/** The record that a value says it is by `$is`: the declared one or one that extends it. */
function actualRecord(
  contract: Contract,
  declared: RecordType,
  type: Type,
  plain: Readonly<Record<string, unknown>>,
): RecordType {
  const which = plain[special.is]
  if (typeof which !== 'string' || type.kind !== 'reference') return declared
  const subtypes = directSubtypes(contract)
  const waiting = [type.to]
  for (let id = waiting.pop(); id !== undefined; id = waiting.pop()) {
    const named = namedType(contract, id)
    if (named.kind === 'record' && kindOf(contract, named).name === which) return named
    addAll(waiting, subtypes.get(id) ?? [])
  }
  return declared
}

function scalarFromPlain(base: ScalarBase, plain: unknown): unknown {
  if (bigBases.includes(base)) {
    const digits = plain instanceof ExactNumber ? plain.source : plain
    if (typeof digits === 'string' && /^[+-]?\d+$/.test(digits))
      return BigInt(digits.replace(/^\+/, ''))
  } else if (base === 'decimal') {
    if (plain instanceof ExactNumber) return plain.source
  } else if (base === 'bytes') {
    if (typeof plain === 'string' && plain.length % 4 === 0 && /^[A-Za-z0-9+/]*={0,2}$/.test(plain))
      return Uint8Array.from(atob(plain), (c) => c.charCodeAt(0))
  } else if ((base === 'float' || base === 'double') && typeof plain === 'string') {
    const special: Readonly<Record<string, number>> = {
      INF: Infinity,
      '-INF': -Infinity,
      NaN: Number.NaN,
    }
    if (Object.hasOwn(special, plain)) return special[plain]
  }
  return withoutExactNumbers(plain)
}

function withoutExactNumbers(plain: unknown): unknown {
  if (plain instanceof ExactNumber) return heldBest(plain.source)
  if (Array.isArray(plain)) return plain.map(withoutExactNumbers)
  if (!isPlainObject(plain)) return plain
  return Object.fromEntries(
    Object.entries(plain).map(([key, value]) => [key, withoutExactNumbers(value)]),
  )
}

/** A number as JavaScript holds it best: whole ones with all their digits. */
function heldBest(digits: string): number | bigint {
  const value = Number(digits)
  if (!/^-?\d+$/.test(digits) || Number.isSafeInteger(value)) return value
  return Number.isFinite(value) && BigInt(digits) === BigInt(value) ? value : BigInt(digits)
}

/** Is it an object with members, and not a list, bytes or an exact number? */
export function isPlainObject(value: unknown): value is Record<string, unknown> {
  return (
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    !(value instanceof Uint8Array) &&
    !(value instanceof ExactNumber)
  )
}

function basesFor(plain: unknown): readonly ScalarBase[] {
  if (plain instanceof ExactNumber) return ['int32', 'int64', 'decimal', 'double', 'float']
  if (typeof plain === 'boolean') return ['boolean']
  return ['text', 'date', 'dateTime', 'time', 'bytes']
}

/** Is a text one of JSON (RFC 8259)? */
export function isJsonText(text: string): boolean {
  try {
    JSON.parse(text.replace(/^\uFEFF/, ''))
    return true
  } catch {
    return false
  }
}

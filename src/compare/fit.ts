import type {
  Contract,
  EnumerationType,
  Field,
  ListType,
  RecordType,
  TupleType,
  Type,
} from '../contract/contract.js'
import { membersOf, resolve } from '../contract/queries.js'
import { scalarTypes } from '../naming/scalar-types.js'
import { worse, type Direction, type Verdict } from './change.js'
import { constraintsFit, scalarFit } from './scalars.js'
import type { Side } from './side.js'

/**
 * Can values that one contract describes be taken for those that another describes? Asked of the
 * wire, where values are written and read, and of TypeScript, where they are assigned. Both answer
 * for types that lead back to themselves: what is being asked already is taken to fit.
 */
abstract class Fit {
  protected readonly from: Side
  protected readonly to: Side
  private readonly asked = new Map<string, Verdict>()

  constructor(from: Side, to: Side) {
    this.from = from
    this.to = to
  }

  /** Does every value of a type of the one contract fit a type of the other? */
  of(from: Type, to: Type): Verdict {
    if (from.kind !== 'reference' && to.kind !== 'reference') return this.inside(from, to)
    // What differs of a type that both have is told where it is declared.
    if (from.kind === 'reference' && to.kind === 'reference' && from.to === to.to) return 'fine'
    const key = `${keyOf(from)} ${keyOf(to)}`
    const before = this.asked.get(key)
    if (before !== undefined) return before
    this.asked.set(key, 'fine')
    const verdict = this.inside(from, to)
    this.asked.set(key, verdict)
    return verdict
  }

  private inside(from: Type, to: Type): Verdict {
    const [mine, other] = [resolve(this.from.contract, from), resolve(this.to.contract, to)]
    if (other.kind === 'anything' || other.kind === 'fragment') return 'fine'
    if (mine.kind === 'anything' || mine.kind === 'fragment') return this.fromAnything()
    if (mine.kind === 'union') return all(mine.alternatives.map((each) => this.of(each, to)))
    // Alternatives are looked for by the name that a type has.
    if (other.kind === 'union') return best(other.alternatives.map((each) => this.of(from, each)))
    if (mine.kind === 'nothing' || other.kind === 'nothing')
      return mine.kind === other.kind ? 'fine' : 'break'
    return this.ofKinds(mine, other)
  }

  protected abstract fromAnything(): Verdict
  protected abstract ofKinds(from: Type, to: Type): Verdict
}

let inlineTypes = 0
const inlineKeys = new WeakMap<Type, string>()

function keyOf(type: Type): string {
  if (type.kind === 'reference') return type.to
  const known = inlineKeys.get(type)
  if (known !== undefined) return known
  const key = `#inline${String((inlineTypes += 1))}`
  inlineKeys.set(type, key)
  return key
}

/** Of alternatives that may all come: fine where all are, broken where none is anything else. */
function all(verdicts: readonly Verdict[]): Verdict {
  if (verdicts.length === 0 || verdicts.every((each) => each === 'fine')) return 'fine'
  return verdicts.every((each) => each === 'break') ? 'break' : 'may break'
}

function best(verdicts: readonly Verdict[]): Verdict {
  if (verdicts.includes('fine')) return 'fine'
  return verdicts.includes('may break') ? 'may break' : 'break'
}

/** What may be missing breaks only those that have it. */
function softened(verdict: Verdict): Verdict {
  return verdict === 'break' ? 'may break' : verdict
}

function literalsOf(type: EnumerationType): string[] {
  return type.members.map(({ value }) => value)
}

/** Fits on the wire: what is written by the one contract is read by the other. */
export class WireFit extends Fit {
  private readonly direction: Direction

  constructor(from: Side, to: Side, direction: Direction) {
    super(from, to)
    this.direction = direction
  }

  protected fromAnything(): Verdict {
    return 'may break'
  }

  protected ofKinds(from: Type, to: Type): Verdict {
    const isList = from.kind === 'list' || to.kind === 'list'
    if (isList && from.kind !== to.kind) return this.oneAndMany(from, to)
    const [written, read] = [this.formOf(this.from, from), this.formOf(this.to, to)]
    const forms = formsFit(written, read)
    if (forms !== 'fine') return forms
    if (from.kind === 'list' && to.kind === 'list') return this.lists(from, to)
    if (to.kind === 'enumeration' || to.kind === 'literal') return valuesFit(from, to)
    if (to.kind === 'scalar')
      return from.kind === 'scalar' ? scalarFit(from, to) : textFit(from, to)
    if (from.kind === 'tuple' && to.kind === 'tuple') return this.tuples(from, to)
    if (to.kind === 'map')
      return all(
        (from.kind === 'map'
          ? [from.value]
          : this.fields(this.from, from).map(({ type }) => type)
        ).map((each) => softened(this.of(each, to.value))),
      )
    return this.records(from, to)
  }

  private formOf({ wire, contract }: Side, type: Type): string {
    return wire.form(contract, type)
  }

  /** A list beside a single value: the same on the wire where items just repeat. */
  private oneAndMany(from: Type, to: Type): Verdict {
    if (this.formOf(this.from, from) !== this.formOf(this.to, to)) return 'break'
    if (to.kind === 'list') return (to.minItems ?? 0) > 1 ? 'break' : this.of(from, to.item)
    return from.kind === 'list' ? softened(worse('may break', this.of(from.item, to))) : 'break'
  }

  private lists(from: ListType, to: ListType): Verdict {
    const fewest = (from.minItems ?? 0) >= (to.minItems ?? 0)
    const most = to.maxItems === undefined || (from.maxItems ?? Infinity) <= to.maxItems
    const nulls = from.itemNullable !== true || to.itemNullable === true
    const texts = constraintsFit(from.constraints ?? {}, to.constraints ?? {})
    const items = this.of(from.item, to.item)
    const inside = (from.minItems ?? 0) > 0 ? items : softened(items)
    return fewest && most && nulls && texts ? inside : worse('may break', inside)
  }

  private tuples(from: TupleType, to: TupleType): Verdict {
    const items = from.items.map((each, at) => {
      const other = to.items[at] ?? to.rest
      return other === undefined ? 'may break' : this.of(each, other)
    })
    return from.minItems >= to.minItems ? all(items) : worse('may break', all(items))
  }

  private records(from: Type, to: Type): Verdict {
    const there = new Map(this.fields(this.from, from).map((field) => [field.name, field]))
    const wanted = this.fields(this.to, to)
    const isClosed = to.kind === 'record' && to.open !== true
    const unknown =
      this.direction === 'sent' && isClosed
        ? [...there.values()].filter(({ name }) => wanted.every((each) => each.name !== name))
        : []
    return [
      ...wanted.map((field) => this.member(there.get(field.name), field)),
      ...unknown.map(({ optional }): Verdict => (optional ? 'may break' : 'break')),
    ].reduce<Verdict>(worse, 'fine')
  }

  private member(from: Field | undefined, to: Field): Verdict {
    if (from === undefined) return to.optional ? 'fine' : 'break'
    const inside = this.of(from.type, to.type)
    const isRisky = (from.optional && !to.optional) || (from.nullable && !to.nullable)
    const known = from.optional || from.nullable ? softened(inside) : inside
    return isRisky ? worse('may break', known) : known
  }

  private fields({ contract }: Side, type: Type): Field[] {
    return membersOf(contract, type)
  }
}

/** Digits that all count are a number on the wire, or a text, as either side likes. */
function formsFit(written: string, read: string): Verdict {
  if (written === read || written === 'any' || read === 'any') return 'fine'
  if (written === 'number' && read === 'digits') return 'fine'
  const isNear = [written, read].every((each) => /^(?:digits|number|string)$/.test(each))
  return isNear && [written, read].includes('digits') ? 'may break' : 'break'
}

/** Values of one type among the only ones that another has. */
function valuesFit(from: Type, to: Type): Verdict {
  const allowed = valuesOf(to)
  const mine = valuesOf(from)
  if (mine === undefined || allowed === undefined) return 'may break'
  return all(mine.map((each) => (allowed.includes(each) ? 'fine' : 'break')))
}

function valuesOf(type: Type): string[] | undefined {
  if (type.kind === 'enumeration') return literalsOf(type).map((each) => JSON.stringify(each))
  return type.kind === 'literal' ? [JSON.stringify(type.value)] : undefined
}

function textFit(from: Type, to: Extract<Type, { kind: 'scalar' }>): Verdict {
  if (from.kind === 'enumeration') return scalarFit(from.base, to)
  return to.base === 'text' || from.kind === 'literal' ? 'fine' : 'may break'
}

/** Fits in TypeScript: what has the one type can stand where the other is wanted. */
export class CodeFit extends Fit {
  protected fromAnything(): Verdict {
    return 'break'
  }

  protected ofKinds(from: Type, to: Type): Verdict {
    const [mine, wanted] = [primitiveOf(from), primitiveOf(to)]
    if (mine !== undefined && wanted !== undefined)
      return mine.every((each) => wanted.includes(each) || wanted.includes(wide(each)))
        ? 'fine'
        : 'break'
    if (mine !== undefined || wanted !== undefined) return 'break'
    if (from.kind === 'list' && to.kind === 'list')
      return from.itemNullable === true && to.itemNullable !== true
        ? 'break'
        : this.of(from.item, to.item)
    if (from.kind === 'tuple' && to.kind === 'tuple')
      return from.items.length === to.items.length && from.minItems >= to.minItems
        ? from.items
            .map((each, at) => this.of(each, to.items[at] ?? { kind: 'anything' }))
            .reduce<Verdict>(worse, 'fine')
        : 'break'
    if (from.kind === 'map' && to.kind === 'map') return this.of(from.value, to.value)
    return this.records(from, to)
  }

  private records(from: Type, to: Type): Verdict {
    if (![from, to].every(({ kind }) => kind === 'record' || kind === 'intersection'))
      return 'break'
    const there = new Map(
      membersOf(this.from.contract, from).map((field) => [field.name, field] as const),
    )
    const { length } = membersOf(this.to.contract, to).filter((field) => {
      const mine = there.get(field.name)
      if (mine === undefined) return !field.optional
      return (
        (mine.optional && !field.optional) ||
        (mine.nullable && !field.nullable) ||
        this.of(mine.type, field.type) !== 'fine'
      )
    })
    return length === 0 ? 'fine' : 'break'
  }
}

/** The primitive types that a simple type is in TypeScript; undefined for others. */
function primitiveOf(type: Type): string[] | undefined {
  if (type.kind === 'enumeration') return literalsOf(type).map((each) => JSON.stringify(each))
  if (type.kind === 'literal') return [JSON.stringify(type.value)]
  if (type.kind !== 'scalar') return undefined
  const text = scalarTypes[type.base]
  return [/Text$/.test(text) ? 'string' : text]
}

/** The primitive that a literal is one of. */
function wide(literal: string): string {
  if (literal.startsWith('"')) return 'string'
  if (literal === 'true' || literal === 'false') return 'boolean'
  return /^-?\d/.test(literal) ? 'number' : literal
}

/** Are two types made of the same, whatever they are called? */
export function isSameShape(before: Contract, a: Type, after: Contract, b: Type): boolean {
  return shapeOf(before, a) === shapeOf(after, b)
}

/** What a type is made of, as a text that is the same for all that are made of the same. */
export function shapeOf(contract: Contract, type: Type): string {
  return shapeText(contract, type, new Map(), 0)
}

/** A type as what it is made of, without names and words; types that lead back are numbered. */
function shapeText(
  contract: Contract,
  type: Type,
  seen: Map<string, number>,
  depth: number,
): string {
  if (type.kind === 'reference') {
    const known = seen.get(type.to)
    if (known !== undefined) return `#${String(known)}`
    seen.set(type.to, seen.size)
    return depth > 4 ? type.to : shapeText(contract, resolve(contract, type), seen, depth + 1)
  }
  const inner = (part: Type): string => shapeText(contract, part, seen, depth + 1)
  switch (type.kind) {
    case 'record':
      return recordShape(contract, type, inner)
    case 'enumeration':
      return literalsOf(type).sort().join('|')
    case 'scalar':
      return `${type.base} ${type.format} ${JSON.stringify(type.constraints ?? {})}`
    case 'list':
      return `[${inner(type.item)}]${type.itemNullable === true ? '?' : ''}${String(type.minItems ?? '')}-${String(type.maxItems ?? '')}`
    case 'map':
      return `<${inner(type.value)}>`
    case 'union':
      return `(${type.alternatives.map(inner).join('|')})`
    case 'intersection':
      return `(${type.parts.map(inner).join('&')})`
    case 'tuple':
      return `[${type.items.map(inner).join(',')}]${type.rest === undefined ? '' : inner(type.rest)}${String(type.minItems)}-${String(type.maxItems ?? '')}`
    case 'literal':
      return JSON.stringify(type.value)
    default:
      return type.kind
  }
}

function recordShape(contract: Contract, type: RecordType, inner: (part: Type) => string): string {
  const fields = membersOf(contract, type).map(
    ({ name, optional, nullable, type: of }) =>
      `${name}${optional ? '?' : ''}${nullable ? '!' : ''}:${inner(of)}`,
  )
  return `{${fields.join(';')}}${type.open === true ? '+' : ''}${JSON.stringify(type.choices ?? [])}`
}

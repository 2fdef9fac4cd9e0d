import type {
  Contract,
  EnumerationType,
  Field,
  ListType,
  ScalarType,
  Type,
  TypeId,
  UnionType,
} from '../contract/contract.js'
import { addAll } from '../contract/lists.js'
import { constraintTexts } from '../contract/constraint-texts.js'
import { namedType, resolve } from '../contract/queries.js'
import { typeText } from '../contract/type-text.js'
import { breaks, fine, mayBreak, type Direction, type Effect, type Verdict } from './change.js'
import { compareFacts, draft, each, inside, type At, type Draft } from './drafts.js'
import { nullEffect } from './effects.js'
import { CodeFit, isSameShape, WireFit } from './fit.js'
import { RecordComparer } from './records.js'
import { constraintsFit } from './scalars.js'
import type { Side, Sides } from './side.js'

/** Compares types of two contracts where they stand, down to the next that has a name. */
export class TypeComparer {
  readonly sides: Sides
  private readonly records: RecordComparer
  private readonly wire: Readonly<Record<Direction, WireFit>>
  private readonly code: Readonly<Record<Direction, CodeFit>>
  /** Inputs that are written as texts, whatever they are. */
  private readonly texts: WireFit

  constructor(sides: Sides) {
    this.sides = sides
    const { before, after } = sides
    this.records = new RecordComparer(this)
    this.wire = {
      sent: new WireFit(before, after, 'sent'),
      received: new WireFit(after, before, 'received'),
    }
    this.texts = new WireFit(asTexts(before), asTexts(after), 'sent')
    this.code = { sent: new CodeFit(before, after), received: new CodeFit(after, before) }
  }

  /** Compares a type that both contracts have under one id. */
  named(id: TypeId, at: At): Draft[] {
    const { before, after } = this.sides
    const [was, is] = [namedType(before.contract, id), namedType(after.contract, id)]
    if (was === is) return []
    // A name for another type says no more than which.
    if (was.kind === 'reference' || is.kind === 'reference') return this.compare(was, is, at)
    return this.ofKinds(was, is, at)
  }

  /** Compares two types that stand in one place. What has a name of its own is compared there. */
  compare(was: Type, is: Type, at: At): Draft[] {
    if (was.kind === 'reference' && is.kind === 'reference' && was.to === is.to) return []
    if (was.kind === 'reference' || is.kind === 'reference') {
      const isSame = isSameShape(this.before, was, this.after, is)
      return isSame ? [] : this.changed(was, is, at)
    }
    return this.ofKinds(was, is, at)
  }

  get before(): Contract {
    return this.sides.before.contract
  }
  get after(): Contract {
    return this.sides.after.contract
  }

  private ofKinds(was: Type, is: Type, at: At): Draft[] {
    return was.kind === is.kind
      ? [...this.facts(was, is, at), ...this.ofKind(was, is, at)]
      : this.changed(was, is, at)
  }

  /** Two types of one kind. */
  private ofKind(was: Type, is: Type, at: At): Draft[] {
    if (was.kind === 'scalar' && is.kind === 'scalar') return this.scalars(was, is, at)
    if (was.kind === 'enumeration' && is.kind === 'enumeration')
      return this.enumerations(was, is, at)
    if (was.kind === 'list' && is.kind === 'list') return this.lists(was, is, at)
    if (was.kind === 'record' && is.kind === 'record') return this.records.compare(was, is, at)
    if (was.kind === 'union' && is.kind === 'union') return this.unions(was, is, at)
    if (was.kind === 'map' && is.kind === 'map')
      return this.compare(was.value, is.value, inside(at, '[name]'))
    if (was.kind === 'intersection' && is.kind === 'intersection')
      return this.parts(was.parts, is.parts, was, is, at)
    return isSameShape(this.before, was, this.after, is) ? [] : this.changed(was, is, at)
  }

  private parts(
    was: readonly Type[],
    is: readonly Type[],
    wholeBefore: Type,
    wholeAfter: Type,
    at: At,
  ): Draft[] {
    if (was.length !== is.length) return this.changed(wholeBefore, wholeAfter, at)
    return was.flatMap((part, index) => this.compare(part, is[index] ?? part, at))
  }

  private facts(was: Type, is: Type, at: At): Draft[] {
    const { before, after } = this.sides
    return compareFacts(at, before.wire.type(was), after.wire.type(is))
  }

  /** The whole type is another one: what that does is asked of the wire and of TypeScript. */
  changed(was: Type, is: Type, at: At): Draft[] {
    const [old, now] = [typeText(this.before, was), typeText(this.after, is)]
    const text =
      old === now
        ? `${at.words}: ${old} is made of something else`
        : `${at.words} was ${old}, is ${now}`
    return [
      draft(
        at,
        'type',
        text,
        each(at, (way) => this.effect(was, is, way, at.isText)),
        { was: old, is: now },
      ),
    ]
  }

  /** What it does that a value of one type travels where one of another did. */
  effect(was: Type, is: Type, direction: Direction, isText = false): Effect {
    const [from, to] = direction === 'sent' ? [was, is] : [is, was]
    return {
      calls: wireReason((isText ? this.texts : this.wire[direction]).of(from, to), direction),
      code:
        this.code[direction].of(from, to) === 'fine'
          ? fine('what it is in TypeScript still fits')
          : breaks('it is another type in TypeScript'),
    }
  }

  private scalars(was: ScalarType, is: ScalarType, at: At): Draft[] {
    const { before, after } = this.sides
    const isOther =
      was.base !== is.base ||
      before.wire.form(this.before, was) !== after.wire.form(this.after, is) ||
      this.effect(withoutLimits(was), withoutLimits(is), 'sent').calls.verdict !== 'fine' ||
      this.effect(withoutLimits(was), withoutLimits(is), 'received').calls.verdict !== 'fine'
    if (isOther) return this.changed(was, is, at)
    const [old, now] = [limitsText(was), limitsText(is)]
    if (old === now) return []
    const effects = each(at, (way) => this.effect(was, is, way, at.isText))
    const text = `${at.words}: was ${old || 'without limits'}, is ${now || 'without limits'}`
    return [draft(at, 'limits', text, effects, { was: old, is: now })]
  }

  private lists(was: ListType, is: ListType, at: At): Draft[] {
    const drafts = this.compare(was.item, is.item, inside(at, '[]'))
    const [old, now] = [countText(was), countText(is)]
    if (old !== now) {
      const effects = each(at, (way): Effect => {
        const [from, to] = way === 'sent' ? [was, is] : [is, was]
        const isWithin =
          (from.minItems ?? 0) >= (to.minItems ?? 0) &&
          (from.maxItems ?? Infinity) <= (to.maxItems ?? Infinity) &&
          constraintsFit(from.constraints ?? {}, to.constraints ?? {})
        return {
          calls: isWithin
            ? fine('whatever was allowed still is')
            : mayBreak(
                way === 'sent' ? 'some lists are refused' : 'some lists are not as promised',
              ),
          code: fine('TypeScript does not count'),
        }
      })
      drafts.push(
        draft(at, 'limits', `${at.words}: was ${old}, is ${now}`, effects, { was: old, is: now }),
      )
    }
    const [hadNull, hasNull] = [was.itemNullable === true, is.itemNullable === true]
    if (hadNull !== hasNull)
      drafts.push(
        draft(
          at,
          'null',
          `${at.words}: its items ${hasNull ? 'may be null' : 'are never null'} now`,
          each(at, (way) => nullEffect(hasNull, way)),
        ),
      )
    return drafts
  }

  private enumerations(was: EnumerationType, is: EnumerationType, at: At): Draft[] {
    const [old, now] = [was, is].map(({ members }) => members.map(({ value }) => value)) as [
      string[],
      string[],
    ]
    const [had, has] = [new Set(old), new Set(now)]
    const base = this.compare(was.base, is.base, at)
    return [
      ...base,
      ...old.filter((value) => !has.has(value)).map((value) => valueGone(at, value)),
      ...is.members
        .filter(({ value }) => !had.has(value))
        .map(({ value, origin }) => valueNew({ ...at, after: origin }, value)),
    ]
  }

  /** Alternatives by what they are; one that has no name is the other contract's of its kind. */
  private unions(was: UnionType, is: UnionType, at: At): Draft[] {
    const key = (contract: Contract, type: Type): string =>
      type.kind === 'reference' ? type.to : typeText(contract, type)
    const [old, now] = [
      new Map(was.alternatives.map((type) => [key(this.before, type), type])),
      new Map(is.alternatives.map((type) => [key(this.after, type), type])),
    ]
    const drafts: Draft[] = []
    for (const [name, type] of old) {
      const other = now.get(name)
      if (other !== undefined) addAll(drafts, this.compare(type, other, at))
    }
    const gone = [...old].filter(([name]) => !now.has(name))
    const come = [...now].filter(([name]) => !old.has(name))
    for (const [, type] of gone) {
      const at2 = come.findIndex(([, other]) => isAlike(type, other))
      const [pair] = at2 === -1 ? [] : come.splice(at2, 1)
      if (pair === undefined) drafts.push(alternativeGone(at, typeText(this.before, type), was))
      else addAll(drafts, this.compare(type, pair[1], at))
    }
    for (const [, type] of come) drafts.push(alternativeNew(at, typeText(this.after, type)))
    return [...drafts, ...this.discriminators(was, is, at), ...patternsOfUnion(was, is, at)]
  }

  private discriminators(was: UnionType, is: UnionType, at: At): Draft[] {
    const [old, now] = [was.discriminator, is.discriminator]
    if (old?.field !== now?.field) {
      const text = `${at.words}: was told apart by ${old?.field ?? 'its shape'}, is by ${now?.field ?? 'its shape'}`
      const effect = {
        calls: mayBreak('running clients tell the kinds apart as before'),
        code:
          old === undefined
            ? mayBreak('it has a member more')
            : breaks('what told the kinds apart is gone'),
      }
      return [draft(at, 'structure', text, [effect])]
    }
    const values = (union: UnionType): Set<string> =>
      new Set(Object.keys(union.discriminator?.mapping ?? {}))
    const [had, has] = [values(was), values(is)]
    const place = inside(at, old?.field ?? '')
    const moved = Object.entries(old?.mapping ?? {}).filter(
      ([value, id]) => has.has(value) && now?.mapping[value] !== id,
    )
    return [
      ...moved.map(([value]) => valueMoved(place, value)),
      ...[...had].filter((value) => !has.has(value)).map((value) => valueGone(place, value)),
      ...[...has].filter((value) => !had.has(value)).map((value) => valueNew(place, value)),
    ]
  }

  /** Is a member of a record there twice, and the same? For members that may have moved. */
  isSameMember(was: Field, is: Field): boolean {
    return (
      was.optional === is.optional &&
      was.nullable === is.nullable &&
      isSameShape(this.before, was.type, this.after, is.type)
    )
  }
}

/**
 * A side on which simple values are all written alike, and lists as their items one by one. Lists
 * of lists can't be: a single value never stands for one.
 */
function asTexts(side: Side): Side {
  const { wire } = side
  const single: Side['wire']['form'] = (contract, type) => {
    const own = wire.form(contract, type)
    return /^(?:string|number|boolean|null|digits)$/.test(own) ? 'text' : own
  }
  const form: Side['wire']['form'] = (contract, type) => {
    const actual = resolve(contract, type)
    return single(contract, actual.kind === 'list' ? actual.item : actual)
  }
  return { ...side, wire: { ...wire, form } }
}

/** Two alternatives without names of which the one has probably become the other. */
function isAlike(was: Type, is: Type): boolean {
  return was.kind === is.kind && was.kind !== 'reference' && was.kind !== 'literal'
}

function withoutLimits(type: ScalarType): ScalarType {
  const { constraints: _constraints, ...rest } = type
  return rest
}

function limitsText({ constraints = {} }: ScalarType): string {
  return [
    ...constraintTexts(constraints),
    ...(constraints.allowed === undefined ? [] : [`one of ${constraints.allowed.join(', ')}`]),
  ].join(', ')
}

function countText({ minItems = 0, maxItems, constraints }: ListType): string {
  const most = maxItems === undefined ? 'any number' : `${String(maxItems)} items`
  const further = constraints === undefined ? '' : `, ${JSON.stringify(constraints)}`
  return `${String(minItems)} to ${most}${further}`
}

function wireReason(verdict: Verdict, direction: Direction): Effect['calls'] {
  const isSent = direction === 'sent'
  if (verdict === 'fine')
    return fine(isSent ? 'what is sent still fits' : 'what comes was allowed before')
  if (verdict === 'break')
    return breaks(isSent ? 'what is sent is refused' : 'what comes is not what was promised')
  return mayBreak(
    isSent ? 'some of what was sent is refused' : 'some of what comes was not promised',
  )
}

function valueGone(at: At, value: string): Draft {
  const text = `${at.words} has no value "${value}" any more`
  const code = breaks('code that names the value does not compile')
  return draft(
    { ...at, names: at.names.map(({ name }) => ({ name, member: value })) },
    'value gone',
    text,
    each(at, (way) => ({
      calls:
        way === 'sent' ? mayBreak('who sends it is refused') : fine('it does not come any more'),
      code,
    })),
    { was: value },
  )
}

function valueNew(at: At, value: string): Draft {
  return draft(
    at,
    'value new',
    `${at.words} has a new value "${value}"`,
    each(at, (way) =>
      way === 'sent'
        ? { calls: fine('nobody has to send it'), code: fine('nobody has to send it') }
        : {
            calls: mayBreak('running clients hand it on, and report a deviation'),
            code: mayBreak('code that covers all cases stops compiling'),
          },
    ),
    { is: value },
  )
}

function valueMoved(at: At, value: string): Draft {
  return draft(at, 'structure', `${at.words}: "${value}" stands for another kind`, [
    {
      calls: mayBreak('running clients take it for what it stood for'),
      code: mayBreak('who asks for the value gets another type'),
    },
  ])
}

/** What the text of a value must match, whichever alternative it is. */
function patternsOfUnion(was: UnionType, is: UnionType, at: At): Draft[] {
  const [old, now] = [was, is].map(({ constraints = {} }) =>
    constraintTexts(constraints).join(', '),
  )
  if (old === now) return []
  const text = `${at.words}: was ${old || 'without limits'}, is ${now || 'without limits'}`
  const effect = {
    calls: mayBreak('some values do not match'),
    code: fine('TypeScript does not know patterns'),
  }
  return [draft(at, 'limits', text, [effect], { was: old, is: now })]
}

function alternativeGone(at: At, words: string, was: UnionType): Draft {
  const isTold = was.discriminator !== undefined
  return draft(
    at,
    'structure',
    `${at.words} is never ${words} any more`,
    each(at, (way) =>
      way === 'sent'
        ? {
            calls: mayBreak('who sends it is refused'),
            code: breaks('it does not compile any more'),
          }
        : {
            calls: fine('it does not come any more'),
            code: isTold
              ? breaks('code that asks for this kind does not compile')
              : fine('there is less to tell apart'),
          },
    ),
    { was: words },
  )
}

function alternativeNew(at: At, words: string): Draft {
  return draft(
    at,
    'structure',
    `${at.words} may be ${words} now`,
    each(at, (way) =>
      way === 'sent'
        ? { calls: fine('nobody has to send it'), code: fine('nobody has to send it') }
        : {
            calls: mayBreak('running clients were not promised it'),
            code: mayBreak('code that covers all cases stops compiling'),
          },
    ),
    { is: words },
  )
}

import type { Contract, Field, Operation, Type } from '../contract/contract.js'
import { isPlainObject } from '../contract/plain.js'
import { fieldsOf, namedType, resolve } from '../contract/queries.js'

/** So many values are remembered of each type. */
const mostRemembered = 100

type Members = Readonly<Record<string, unknown>>

/**
 * Made-up answers that fit what was sent: they repeat it where they have members of the same name
 * and type, and what was made by one call is found by later ones.
 */
export class MadeUp {
  private readonly contract: Contract
  private readonly improvise: (field: Field) => unknown
  private readonly remembered = new Map<string, Members[]>()

  /** @param improvise makes a value of a field from nothing, in the shapes of the client */
  constructor(contract: Contract, improvise: (field: Field) => unknown) {
    this.contract = contract
    this.improvise = improvise
  }

  /** The outcome of a call, in the shapes of the client. */
  outcome({ inputs, outcome }: Operation, input: Members): unknown {
    const sent = this.sentBy(inputs, input)
    const isChange = inputs.some(({ place, name }) => place === 'body' && name === 'body')
    if (outcome.kind === 'nothing') return undefined
    if (outcome.kind === 'value') return this.value(outcome.field, sent, isChange)
    return Object.fromEntries(
      outcome.fields.map((field) => [field.name, this.value(field, sent, isChange)]),
    )
  }

  private value(field: Field, sent: Sent, isChange: boolean): unknown {
    const known = isChange ? undefined : this.recalled(field.type, sent)
    if (known !== undefined) return known
    const made = this.repeating(field.type, this.improvise(field), sent)
    if (isChange && isPlainObject(made)) this.remember(field.type, made)
    return made
  }

  /** What was sent: the inputs, and the members of those that are records. */
  private sentBy(inputs: Operation['inputs'], input: Members): Sent {
    const sent: Sent = new Map()
    for (const { name, type } of inputs) {
      const value = Object.hasOwn(input, name) ? input[name] : undefined
      if (value === undefined) continue
      sent.set(name, { type, value })
      const actual = resolve(this.contract, type)
      if (actual.kind !== 'record' || !isPlainObject(value)) continue
      for (const field of fieldsOf(this.contract, actual))
        if (Object.hasOwn(value, field.name))
          sent.set(field.name, { type: field.type, value: value[field.name] })
    }
    return sent
  }

  /** A made-up record with the members that were sent. */
  private repeating(type: Type, made: unknown, sent: Sent): unknown {
    const actual = resolve(this.contract, type)
    if (actual.kind !== 'record' || !isPlainObject(made)) return made
    const repeated = fieldsOf(this.contract, actual).flatMap(({ name, type: own }) => {
      const given = sent.get(name)
      const fits = given?.value !== undefined && this.isAlike(own, given.type)
      return fits ? [[name, given.value] as const] : []
    })
    return { ...made, ...Object.fromEntries(repeated) }
  }

  private remember(type: Type, value: Members): void {
    if (type.kind !== 'reference') return
    const all = this.remembered.get(type.to) ?? []
    if (all.length < mostRemembered) this.remembered.set(type.to, [...all, value])
  }

  /** What an earlier call made and this one asks for, by whatever both of them name. */
  private recalled(type: Type, sent: Sent): unknown {
    const actual = resolve(this.contract, type)
    const of = actual.kind === 'list' ? actual.item : type
    const all = of.kind === 'reference' ? (this.remembered.get(of.to) ?? []) : []
    const fitting = all.filter((value) =>
      [...sent].every(
        ([name, given]) => !Object.hasOwn(value, name) || isSame(value[name], given.value),
      ),
    )
    if (fitting.length === 0) return undefined
    return actual.kind === 'list' ? fitting : fitting.at(-1)
  }

  private isAlike(one: Type, other: Type): boolean {
    const [a, b] = [resolve(this.contract, one), resolve(this.contract, other)]
    if (a.kind === 'scalar') return b.kind === 'scalar' && a.base === b.base
    if (a.kind === 'list') return b.kind === 'list' && this.isAlike(a.item, b.item)
    return this.idOf(one) !== undefined && this.idOf(one) === this.idOf(other)
  }

  /** The id of a named type; of a shape for sending that of the type itself. */
  private idOf(type: Type): string | undefined {
    if (type.kind !== 'reference') return undefined
    const named = namedType(this.contract, type.to)
    return named.kind === 'record' ? (named.variantOf ?? named.id) : named.id
  }
}

/** Are two values the same single one? Objects are none. */
function isSame(one: unknown, other: unknown): boolean {
  return typeof one !== 'object' && typeof other !== 'object' && String(one) === String(other)
}

type Sent = Map<string, { readonly type: Type; readonly value: unknown }>

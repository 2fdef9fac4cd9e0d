import { brokenFacet } from '../facets.js'
import { isObject, unsized, type SimpleJson } from '../json/values.js'
import { factsOf, type AnyJsonRef, type JsonFacts } from './json-codec.js'

/**
 * Most of what comes is exactly what was promised. Then looking through it once is all there is to
 * do: texts, truth values and numbers that a double holds mean themselves, and only what has
 * another value in JavaScript makes a copy of what it stands in.
 */

/** What JSON means that is exactly as promised; {@link odd} when it is not. */
export type Straight = (json: unknown) => unknown

/** Something of it is not as promised. */
export const odd: unique symbol = /* @__PURE__ */ Symbol('odd')

const known: WeakMap<object, Straight | false> = /* @__PURE__ */ new WeakMap()

/**
 * How to read JSON that is as a codec promises; undefined where a codec has more to say than that.
 */
export function straightOf(reference: AnyJsonRef): Straight | undefined {
  const codec = factsOf(reference)
  let found = known.get(codec)
  if (found === undefined) {
    found = isStraight(codec, new Set()) && compiled(codec)
    known.set(codec, found)
  }
  return found === false ? undefined : found
}

/**
 * Is what a codec promises told by its shape alone? What was seen already does not tell against it.
 */
function isStraight(codec: JsonFacts, seen: Set<JsonFacts>): boolean {
  if (seen.has(codec)) return true
  seen.add(codec)
  const inner = (reference: AnyJsonRef): boolean => isStraight(factsOf(reference), seen)
  if (codec.simple !== undefined || codec.restricts !== undefined || codec.literals !== undefined)
    return true
  if (codec.items !== undefined) return inner(codec.items)
  if (codec.values !== undefined) return inner(codec.values)
  if (codec.members !== undefined)
    return (
      codec.patterned === undefined &&
      codec.rest === undefined &&
      codec.open !== true &&
      Object.values(codec.members).every(({ is }) => inner(is))
    )
  return false
}

/** A reader as a chain of functions, made once; what is inside is made when it is met. */
function compiled(codec: JsonFacts): Straight {
  if (codec.simple !== undefined) return ofSimple(codec as unknown as SimpleJson<unknown>)
  if (codec.restricts !== undefined) {
    const read = ofSimple(codec.restricts)
    return (json) => {
      const value = read(json)
      return value === odd || brokenFacet(codec, value) === undefined ? value : odd
    }
  }
  if (codec.literals !== undefined) {
    const { literals } = codec
    return (json) => (literals.includes(json) ? json : odd)
  }
  if (codec.items !== undefined) return ofList(later(codec.items), codec.nullable === true)
  if (codec.values !== undefined) return ofMap(later(codec.values))
  return ofObject(codec.members ?? {})
}

function ofSimple(simple: SimpleJson<unknown>): Straight {
  const { asIs } = simple
  // What may be anything, and whole numbers of any size, have more to tell.
  const isPlain = simple.simple === 'any value' || simple.simple === unsized
  return (json) => {
    if (asIs?.(json) === true) return json
    const value = isPlain ? undefined : simple.read(json)
    return value === undefined ? odd : value
  }
}

function ofList(item: Straight, nullable: boolean): Straight {
  return (json) => {
    if (!Array.isArray(json)) return odd
    const list = json as readonly unknown[]
    let made: unknown[] | undefined
    for (let at = 0; at < list.length; at += 1) {
      const each = list[at]
      if (each === null && nullable) continue
      const value = each === null ? odd : item(each)
      if (value === odd) return odd
      if (value !== each) (made ??= [...list])[at] = value
    }
    return made ?? json
  }
}

function ofMap(member: Straight): Straight {
  return (json) => {
    if (!isObject(json)) return odd
    let made: Record<string, unknown> | undefined
    for (const [name, each] of Object.entries(json)) {
      const value = each === null ? null : member(each)
      if (value === odd || (value !== each && name === '__proto__')) return odd
      if (value !== each) (made ??= { ...json })[name] = value
    }
    return made ?? json
  }
}

function ofObject(members: NonNullable<JsonFacts['members']>): Straight {
  // Lists side by side: this is the loop that most of the time goes to.
  const all = Object.entries(members)
  const names = all.map(([name]) => name)
  const readers = all.map(([, { is }]) => later(is))
  const optional = all.map(([, member]) => member.optional === true)
  const nullable = all.map(([, member]) => member.nullable === true)
  // Every object has something of these names, which is not its own.
  const inherited = names.map((name) => name in {})
  return (json) => {
    if (!isObject(json)) return odd
    let made: Record<string, unknown> | undefined
    let present = 0
    for (let at = 0; at < names.length; at += 1) {
      const name = names[at] as string
      const each = inherited[at] === true && !Object.hasOwn(json, name) ? undefined : json[name]
      if (each === undefined) {
        if (optional[at] === false) return odd
        continue
      }
      present += 1
      if (each === null) {
        if (nullable[at] === false) return odd
        continue
      }
      const value = (readers[at] as Straight)(each)
      if (value === each) continue
      if (value === odd || name === '__proto__') return odd
      ;(made ??= { ...json })[name] = value
    }
    // Whatever else there is has to be told.
    for (const _ in json) present -= 1
    return present === 0 ? (made ?? json) : odd
  }
}

function later(reference: AnyJsonRef): Straight {
  // What refers back to what it is inside of is a function; anything else can be made at once.
  if (typeof reference !== 'function') return straightOf(reference) ?? (() => odd)
  let read: Straight = (json) => {
    read = straightOf(reference) ?? (() => odd)
    return read(json)
  }
  return (json) => read(json)
}

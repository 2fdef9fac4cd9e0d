import { checkLimits, isObject, type SimpleJson } from '../json/values.js'
import { factsOf, type AnyJsonRef, type JsonFacts } from './json-codec.js'

/**
 * Most of what comes is exactly what was promised, and means itself: texts, truth values, numbers
 * that a double holds, in lists and objects. Then there is nothing to make of it, and looking
 * through it once is all there is to do.
 */

/** Is a JSON value exactly as promised, and already what the caller is to get? */
export type AsIs = (json: unknown) => boolean

const known: WeakMap<object, AsIs | false> = /* @__PURE__ */ new WeakMap()

/**
 * How to see whether JSON is as a codec promises and needs no change; undefined where something may
 * always have to be changed.
 */
export function asIsOf(reference: AnyJsonRef): AsIs | undefined {
  const codec = factsOf(reference)
  let found = known.get(codec)
  if (found === undefined) {
    found = meansItself(codec, new Set()) && compiled(codec)
    known.set(codec, found)
  }
  return found === false ? undefined : found
}

/** Do all values of a codec mean themselves? What was seen already does not tell against it. */
function meansItself(codec: JsonFacts, seen: Set<JsonFacts>): boolean {
  if (seen.has(codec)) return true
  seen.add(codec)
  const inner = (reference: AnyJsonRef): boolean => meansItself(factsOf(reference), seen)
  if (codec.simple !== undefined)
    return (codec as unknown as SimpleJson<unknown>).asIs !== undefined
  if (codec.restricts !== undefined) return codec.restricts.asIs !== undefined
  if (codec.literals !== undefined) return true
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

/** A check as a chain of functions, made once; what is inside is made when it is met. */
function compiled(codec: JsonFacts): AsIs {
  if (codec.simple !== undefined) return (codec as unknown as { readonly asIs: AsIs }).asIs
  if (codec.restricts !== undefined) {
    const { asIs } = codec.restricts as { readonly asIs: AsIs }
    return (json) => asIs(json) && checkLimits(codec, json as never) === undefined
  }
  if (codec.literals !== undefined) {
    const { literals } = codec
    return (json) => literals.includes(json)
  }
  if (codec.items !== undefined) {
    const item = later(codec.items)
    const { nullable } = codec
    return (json) =>
      Array.isArray(json) && json.every((each) => (each === null ? nullable === true : item(each)))
  }
  if (codec.values !== undefined) {
    const value = later(codec.values)
    return (json) =>
      isObject(json) && Object.values(json).every((each) => each === null || value(each))
  }
  // Lists side by side: this is the loop that most of the time goes to.
  const all = Object.entries(codec.members ?? {})
  const names = all.map(([name]) => name)
  const checks = all.map(([, { is }]) => later(is))
  const optional = all.map(([, member]) => member.optional === true)
  const nullable = all.map(([, member]) => member.nullable === true)
  // Every object has something of these names, which is not its own.
  const inherited = names.map((name) => name in {})
  return (json) => {
    if (!isObject(json)) return false
    let present = 0
    for (let at = 0; at < names.length; at += 1) {
      const name = names[at] as string
      const value = inherited[at] === true && !Object.hasOwn(json, name) ? undefined : json[name]
      if (value === undefined) {
        if (optional[at] === false) return false
        continue
      }
      present += 1
      if (value === null ? nullable[at] === false : !(checks[at] as AsIs)(value)) return false
    }
    // Whatever else there is has to be told.
    for (const _ in json) present -= 1
    return present === 0
  }
}

function later(reference: AnyJsonRef): AsIs {
  // What refers back to what it is inside of is a function; anything else can be made at once.
  if (typeof reference !== 'function') return asIsOf(reference) ?? (() => false)
  let check: AsIs = (json) => {
    check = asIsOf(reference) ?? (() => false)
    return check(json)
  }
  return (json) => check(json)
}

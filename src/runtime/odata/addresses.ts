import { special } from '../special-members.js'
import { isObject } from '../json/values.js'
import { keyProperty, keysOf, type AnyStructure, type Holder, type Wire } from './model.js'

/** Addresses of entity sets and entities (URL Conventions, section 4). */

type Input = Readonly<Record<string, unknown>>

/** An entity set, a singleton, or the entities inside another one: of entities of a type. */
export interface Resource<Entity = unknown> {
  /** Its name in the address. */
  readonly path: string
  readonly of: AnyStructure & Holder<Entity>
  readonly singleton?: boolean
  /** What it is contained in, the outermost first. */
  readonly within?: readonly {
    readonly path: string
    readonly of: AnyStructure
    readonly singleton?: boolean
  }[]
}

/** An entity that another call of the same batch makes, before it has a key. */
export class Reference {
  readonly id: string

  constructor(id: string) {
    this.id = id
  }
}

/**
 * An entity that is there already, where a new one could stand: by its key, or by the call that
 * makes it.
 */
export interface Bound<Key> {
  $bind: Key | Reference
}

/** Is a value an entity that is there already? */
export function isBinding(value: unknown): value is { readonly $bind: unknown } {
  return isObject(value) && Object.hasOwn(value, special.bind)
}

/** A key as a predicate: `(7)`, `(Vessel=7,Number=2)` (URL Conventions, section 4.3.1). */
export function keyText(
  structure: AnyStructure,
  key: unknown,
  wire: Pick<Wire, 'literal'>,
): string {
  const names = keysOf(structure)
  const literal = (name: string, value: unknown): string => {
    const property = keyProperty(structure, name)
    return encodeSegment(property === undefined ? String(value) : wire.literal(property, value))
  }
  const [only] = names
  if (names.length === 1 && only !== undefined) return `(${literal(only, key)})`
  return `(${names.map((name) => `${name}=${literal(name, (key as Input)[name])}`).join(',')})`
}

/**
 * The address of an entity below the service root; of one that a batch makes, what stands for it
 * there (Protocol, section 11.7.3.1).
 */
export function entityAddress(
  set: string,
  structure: AnyStructure,
  key: unknown,
  wire: Pick<Wire, 'literal'>,
): string {
  return key instanceof Reference ? `$${key.id}` : set + keyText(structure, key, wire)
}

/** The steps that have a key, of those that a resource lies in. */
export function keyedSteps({
  within = [],
}: Pick<Resource, 'within'>): readonly { readonly path: string; readonly of: AnyStructure }[] {
  return within.filter(({ singleton }) => singleton !== true)
}

/**
 * The path of a resource below the service root. `input.of` is the key of what it lies in, or keys
 * by the names of what it lies in.
 */
export function resourcePath(
  resource: Resource,
  input: object,
  wire: Pick<Wire, 'literal'>,
): string {
  const { of } = input as { readonly of?: unknown }
  const several = keyedSteps(resource).length > 1
  let path = ''
  for (const step of resource.within ?? []) {
    const key = several ? (of as Input)[step.path] : of
    if (step.singleton === true) path += `${step.path}/`
    // What a batch makes stands for the whole path to it.
    else if (key instanceof Reference) path = `$${key.id}/`
    else path += `${step.path}${keyText(step.of, key, wire)}/`
  }
  return path + resource.path
}

/** The path of an entity, or of a singleton. `input.key` is its key. */
export function entityPath(resource: Resource, input: object, wire: Pick<Wire, 'literal'>): string {
  const { key } = input as { readonly key?: unknown }
  if (key instanceof Reference) return `$${key.id}`
  return (
    resourcePath(resource, input, wire) +
    (resource.singleton === true ? '' : keyText(resource.of, key, wire))
  )
}

/** Percent-encodes a piece of a path, keeping what RFC 3986, section 3.3, allows in it. */
export function encodeSegment(text: string): string {
  return encodeURIComponent(text).replace(/%(?:2C|3A|3B|3D|40|24)/g, decodeURIComponent)
}

import type { Deviation } from '../failures.js'
import { isObject, type JsonLimits } from '../json/values.js'
import type { Edm } from './edm.js'

/** What is known of entities and complex types: plain data, printed into the client. */

/**
 * An enumeration; its values are the names of its members. With `flags` a value is a list of them.
 */
export interface EnumType {
  /** The qualified name. */
  readonly enumeration: string
  readonly values: readonly string[]
  readonly flags?: boolean
}

export type RestrictedEdm = JsonLimits & { readonly restricts: Edm }

export type ValueType = Edm | RestrictedEdm | EnumType | Structure

/** A property, a parameter, or what an operation returns. */
export interface Property {
  readonly is: ValueType | (() => Structure)
  /** A collection. */
  readonly many?: boolean
  readonly nullable?: boolean
  /**
   * May be left out when an entity is created: it has a default, or is a key that the service may
   * make.
   */
  readonly optional?: boolean
  /** Comes only when it is expanded. */
  readonly navigation?: boolean
  /** Made by the service; never sent. */
  readonly computed?: boolean
  /** Given when an entity is created and not changed later. */
  readonly immutable?: boolean
  /** Not given when an entity is created, but it may be changed later. */
  readonly later?: boolean
  /** The entity set whose entities it leads to: it can be bound to one that is there by its key. */
  readonly binds?: string
}

/** An entity type or a complex type. */
export interface Structure {
  /** The qualified name. */
  readonly type: string
  /** The value of `$is`, where it has subtypes or is one. */
  readonly is?: string
  readonly abstract?: boolean
  readonly open?: boolean
  /**
   * The key: names of properties. Where one lies inside a complex property, its path, and the name
   * that it goes by.
   */
  readonly keys?: readonly string[]
  readonly keyPaths?: Readonly<Record<string, readonly string[]>>
  readonly members: Readonly<Record<string, Property>>
  readonly base?: () => Structure
  readonly subtypes?: () => readonly Structure[]
}

export interface About {
  readonly etag?: string
  readonly cut?: string
}

/** What differs between the versions of OData where values stand in JSON. */
export interface Wire {
  /** The name of the type that an object says it is of. */
  typeOf(json: Readonly<Record<string, unknown>>): string | undefined
  /** Is only the beginning of a collection inside an object there? */
  isCut(json: unknown): boolean
  /**
   * What a member of an object says about it, when it is none of its properties: its ETag, the name
   * of a property of which only the beginning is there, or nothing that matters here. Undefined for
   * properties.
   */
  about(name: string, value: unknown): About | undefined
  /** What tells the type of an object that is sent. */
  typed(name: string): Readonly<Record<string, unknown>>
  /** The rows of a collection inside an object, however it is wrapped. */
  rows(json: unknown): unknown
  /**
   * What binds a navigation property to entities that are there, by their addresses below the
   * service root.
   */
  bound(
    name: string,
    addresses: readonly string[],
    many: boolean,
  ): Readonly<Record<string, unknown>>
  /** May changes to an entity carry what hangs off it? */
  readonly deepUpdates: boolean
  /** A value as it stands in an address: of a key, of a parameter. */
  literal(property: Property, value: unknown): string
}

export interface Reading {
  readonly wire: Wire
  /** Was a part of the properties asked for? Then none is promised. */
  readonly partial: boolean
  readonly onDeviation: (deviation: Deviation) => void
}

/** What an object is sent for: a new entity, changes to one, or a value of its own. */
export type Purpose = 'create' | 'change' | 'value'

export function isStructure(type: Property['is']): type is Structure | (() => Structure) {
  return typeof type === 'function' || 'members' in type
}

export function settled(type: Property['is']): ValueType {
  return typeof type === 'function' ? type() : type
}

export function edmOf(type: Edm | RestrictedEdm): Edm {
  return 'restricts' in type ? type.restricts : type
}

const known = new WeakMap<Structure, Readonly<Record<string, Property>>>()

/** All properties, those of the bases first. */
export function membersOf(structure: Structure): Readonly<Record<string, Property>> {
  if (structure.base === undefined) return structure.members
  let members = known.get(structure)
  if (members === undefined)
    known.set(structure, (members = { ...membersOf(structure.base()), ...structure.members }))
  return members
}

/** The names of the key's properties, which may stand in a base. */
export function keysOf(structure: Structure): readonly string[] {
  return structure.keys ?? (structure.base === undefined ? [] : keysOf(structure.base()))
}

/** The property that a name of the key stands for, perhaps inside complex ones. */
export function keyProperty(structure: Structure, name: string): Property | undefined {
  const path = keyPath(structure, name)
  let inside: Structure | undefined = structure
  let found: Property | undefined
  for (const step of path) {
    const members: Readonly<Record<string, Property>> =
      inside === undefined ? {} : membersOf(inside)
    found = Object.hasOwn(members, step) ? members[step] : undefined
    inside =
      found !== undefined && isStructure(found.is) ? (settled(found.is) as Structure) : undefined
  }
  return found
}

function keyPath(structure: Structure, name: string): readonly string[] {
  const { keyPaths, base } = structure
  if (keyPaths === undefined) return base === undefined ? [name] : keyPath(base(), name)
  return (Object.hasOwn(keyPaths, name) ? keyPaths[name] : undefined) ?? [name]
}

/** The key of an entity: the plain value, or values by name. */
export function keyOf(structure: Structure, entity: Readonly<Record<string, unknown>>): unknown {
  const names = keysOf(structure)
  const value = (name: string): unknown =>
    keyPath(structure, name).reduce<unknown>(
      (inside, step) => (isObject(inside) ? inside[step] : undefined),
      entity,
    )
  return names.length === 1
    ? value(names[0] ?? '')
    : Object.fromEntries(names.map((name) => [name, value(name)]))
}

export function isOpen(structure: Structure): boolean {
  return structure.open === true || (structure.base !== undefined && isOpen(structure.base()))
}

/** The structure itself or the subtype for which a condition holds. */
export function kindOf(
  structure: Structure,
  holds: (each: Structure) => boolean,
): Structure | undefined {
  if (holds(structure)) return structure
  for (const each of structure.subtypes?.() ?? []) {
    const found = kindOf(each, holds)
    if (found !== undefined) return found
  }
  return undefined
}

/** The names of all kinds that `$is` may say. */
export function kindNames(structure: Structure): string[] {
  return [
    ...(structure.abstract === true || structure.is === undefined ? [] : [structure.is]),
    ...(structure.subtypes?.() ?? []).flatMap(kindNames),
  ]
}

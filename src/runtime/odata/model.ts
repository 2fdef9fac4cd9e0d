import type { Deviation } from '../failures.js'
import type { Facets } from '../facets.js'
import { isObject, type Present } from '../json/values.js'
import type { Edm } from './edm.js'

/** What is known of entities and complex types: plain data, printed into the client. */

/**
 * An enumeration; its values are the names of its members. With `flags` a value is a list of them.
 */
export interface EnumType<T = string> {
  /** The qualified name. */
  readonly enumeration: string
  readonly values: readonly T[]
  readonly flags?: boolean
}

export type RestrictedEdm = Facets & { readonly restricts: Edm }

export type ValueType = Edm | RestrictedEdm | EnumType | AnyStructure

/**
 * A value as its codec is written down: one of the kinds of {@link ValueType}, told by what it has.
 * What a function gives is not looked into: compilers would follow it through all the types of a
 * client.
 */
export interface AnyValue extends Facets {
  readonly simple?: string
  read?(json: unknown): unknown
  write?(value: never): unknown
  check?(value: unknown): boolean
  readonly term?: string
  literal?(value: never): string
  readonly restricts?: Edm
  readonly enumeration?: string
  readonly values?: readonly unknown[]
  readonly flags?: boolean
  readonly members?: object
}

/** A codec of values of a type: one of its own primitive type, restricted, or an enumeration. */
export interface ValueCodec<T> extends AnyValue {
  readonly read?: (json: unknown) => T | undefined
  readonly write?: (value: T) => unknown
  readonly restricts?: Edm<T>
  readonly values?: readonly T[]
}

/** What tells of a structure the values that it stands for. It is never there. */
export interface Holder<T> {
  readonly holds?: T
}

/** A property, a parameter, or what an operation returns, as the compiler knows it by its type. */
export interface Property<T> extends PropertyFacts {
  readonly is: ValueCodec<Single<T>> | (() => Holder<Single<T>>)
}

/** One whose type is not known to the compiler. */
export interface AnyProperty extends PropertyFacts {
  readonly is: AnyValue | (() => object)
}

/** Of a list what is in it. */
export type Single<T> = [Present<T>] extends [readonly (infer Item)[]] ? Present<Item> : Present<T>

interface PropertyFacts {
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

/**
 * An entity type or a complex type: its members are those that the type has beside those of its
 * base.
 *
 * @typeParam Any what may stand in its place: it, or one of its subtypes
 */
export interface Structure<T, Base = unknown, Any = T> extends AnyStructure, Holder<Any> {
  readonly members: {
    readonly [Name in keyof T as Named<Name, keyof Base | '$is' | '$etag'>]-?: Property<T[Name]>
  }
}

/** A name, unless it is one of those, or stands for all names. */
type Named<Name, Others> = Name extends Others ? never : string extends Name ? never : Name

/** An entity type or a complex type whose members are not known to the compiler. */
export interface AnyStructure {
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
  readonly members: Readonly<Record<string, AnyProperty>>
  readonly base?: () => AnyStructure
  readonly subtypes?: () => readonly AnyStructure[]
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
  literal(property: AnyProperty, value: unknown): string
}

export interface Reading {
  readonly wire: Wire
  /** Was a part of the properties asked for? Then none is promised. */
  readonly partial: boolean
  readonly onDeviation: (deviation: Deviation) => void
}

/** What an object is sent for: a new entity, changes to one, or a value of its own. */
export type Purpose = 'create' | 'change' | 'value'

/** The structure that a property is of; it must be one. */
export function structureOf({ is }: AnyProperty): AnyStructure {
  return resolvedType(is) as AnyStructure
}

export function isStructure(type: AnyProperty['is']): boolean {
  return typeof type === 'function' || 'members' in type
}

export function resolvedType(type: AnyProperty['is']): ValueType {
  return (typeof type === 'function' ? type() : type) as ValueType
}

export function edmOf(type: Edm | RestrictedEdm): Edm {
  return 'restricts' in type ? type.restricts : type
}

const known = new WeakMap<AnyStructure, Readonly<Record<string, AnyProperty>>>()

/** All properties, those of the bases first. */
export function membersOf(structure: AnyStructure): Readonly<Record<string, AnyProperty>> {
  if (structure.base === undefined) return structure.members
  let members = known.get(structure)
  if (members === undefined)
    known.set(structure, (members = { ...membersOf(structure.base()), ...structure.members }))
  return members
}

/** The names of the key's properties, which may stand in a base. */
export function keysOf(structure: AnyStructure): readonly string[] {
  return structure.keys ?? (structure.base === undefined ? [] : keysOf(structure.base()))
}

/** The property that a name of the key stands for, perhaps inside complex ones. */
export function keyProperty(structure: AnyStructure, name: string): AnyProperty | undefined {
  const path = keyPath(structure, name)
  let inside: AnyStructure | undefined = structure
  let found: AnyProperty | undefined
  for (const step of path) {
    const members: Readonly<Record<string, AnyProperty>> =
      inside === undefined ? {} : membersOf(inside)
    found = Object.hasOwn(members, step) ? members[step] : undefined
    inside = found !== undefined && isStructure(found.is) ? structureOf(found) : undefined
  }
  return found
}

function keyPath(structure: AnyStructure, name: string): readonly string[] {
  const { keyPaths, base } = structure
  if (keyPaths === undefined) return base === undefined ? [name] : keyPath(base(), name)
  return (Object.hasOwn(keyPaths, name) ? keyPaths[name] : undefined) ?? [name]
}

/** The key of an entity: the plain value, or values by name. */
export function keyOf(structure: AnyStructure, entity: Readonly<Record<string, unknown>>): unknown {
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

export function isOpen(structure: AnyStructure): boolean {
  return structure.open === true || (structure.base !== undefined && isOpen(structure.base()))
}

/** The structure itself or the subtype for which a condition holds. */
export function kindOf(
  structure: AnyStructure,
  holds: (each: AnyStructure) => boolean,
): AnyStructure | undefined {
  if (holds(structure)) return structure
  for (const each of structure.subtypes?.() ?? []) {
    const found = kindOf(each, holds)
    if (found !== undefined) return found
  }
  return undefined
}

/** The names of all kinds that `$is` may say. */
export function kindNames(structure: AnyStructure): string[] {
  return [
    ...(structure.abstract === true || structure.is === undefined ? [] : [structure.is]),
    ...(structure.subtypes?.() ?? []).flatMap(kindNames),
  ]
}

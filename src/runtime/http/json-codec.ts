import type { Violation } from '../failures.js'
import type { Facets } from '../facets.js'
import type { Present, SimpleJson } from '../json/values.js'

/**
 * What codecs of JSON are, as the compiler sees them: each knows the type of its values, so that a
 * wrong member, or a codec of something else, does not compile.
 */

/** A codec of values of a type, or a function that gives it: for those that refer to each other. */
export type JsonRef<T> = JsonCodec<T> | (() => JsonCodec<T>)

/**
 * A codec whose values are not known to the compiler. What a function gives is not looked into:
 * compilers would follow it through all the types of a client.
 */
export type AnyJsonRef = AnyJsonCodec | (() => object)

/** A member of an object, or a parameter, as the compiler knows it by its type. */
export interface JsonMember<T> extends MemberFacts {
  readonly is: PresentRef<T>
}

/** A member whose type is not known to the compiler. */
export interface AnyJsonMember extends MemberFacts {
  readonly is: AnyJsonRef
}

interface MemberFacts {
  readonly optional?: boolean
  readonly nullable?: boolean
}

/**
 * A codec as it is written down: one of the kinds of {@link SettledCodec}, told by what it has.
 * Compilers check one type with members that may be missing in a fraction of the time that a union
 * takes them, and there are thousands of codecs in a client.
 */
export interface AnyJsonCodec extends Facets {
  readonly simple?: string
  read?(json: unknown): unknown
  write?(value: never): unknown
  check?(value: unknown): boolean
  readonly restricts?: AnySimple
  readonly literals?: readonly unknown[]
  readonly items?: AnyJsonRef
  readonly nullable?: boolean
  readonly min?: number
  readonly max?: number
  readonly tuple?: readonly AnyJsonRef[]
  readonly values?: AnyJsonRef
  readonly members?: Readonly<Record<string, AnyJsonMember | undefined>>
  readonly open?: boolean
  readonly patterned?: JsonObject['patterned']
  readonly rest?: AnyJsonRef
  readonly oneOf?: readonly AnyJsonRef[]
  readonly by?: JsonAlternatives['by']
  readonly exactly?: boolean
  readonly allOf?: readonly AnyJsonRef[]
  readonly apart?: boolean
  readonly is?: AnyJsonRef
  readonly obeys?: Obeyed
}

/**
 * A codec of values of a type: what it has in it must be codecs of what the type has in it, else it
 * does not compile. Of alternatives and of parts each has to fit the type, as far as it goes.
 */
export interface JsonCodec<T> extends AnyJsonCodec {
  /** Of simple values; of others never there: with `write` it tells the compiler what this is. */
  readonly read?: (json: unknown) => T | undefined
  readonly write?: (value: T) => unknown
  readonly restricts?: SimpleJson<T>
  readonly literals?: readonly (T | null)[]
  readonly items?: PresentRef<ItemOf<T>>
  readonly values?: JsonRef<ValueOf<T>>
  readonly members?: MembersOf<T>
  readonly oneOf?: readonly (JsonWriter<Each<T>> | (() => Writer<Each<T>> | Reader<T>))[]
  readonly allOf?: readonly (JsonPart<T> | (() => Writer<(value: T) => unknown>))[]
  readonly is?: JsonRef<T>
}

/** What tells of a codec the values that it writes. */
interface Writer<Writes> {
  readonly write?: Writes
}

/** What tells of a codec the values that it reads. */
interface Reader<T> {
  readonly read?: (json: unknown) => T | undefined
}

/** A codec of one of the alternatives of a type. */
interface JsonWriter<Writes> extends AnyJsonCodec {
  readonly write?: Writes & ((value: never) => unknown)
}

/**
 * A codec of a part of a type: of some of its members. Only their names are checked: what members
 * are of a type with several parts takes compilers long.
 */
interface JsonPart<T> extends AnyJsonCodec {
  readonly write?: (value: T) => unknown
  readonly members?: T extends Memberless ? never : { readonly [Name in keyof T]?: AnyJsonMember }
}

/** What writes one of the alternatives of a type. */
type Each<T> = unknown extends T
  ? (value: never) => unknown
  : T extends unknown
    ? (value: T) => unknown
    : never

/** A codec of values that are there; of what is only ever null, any. */
type PresentRef<T> = [T] extends [never]
  ? JsonRef<never>
  : [T] extends [null | undefined]
    ? AnyJsonRef
    : JsonRef<Present<T>>

type ItemOf<T> = unknown extends T ? unknown : T extends readonly (infer Item)[] ? Item : never

type ValueOf<T> = unknown extends T
  ? unknown
  : T extends { readonly [name: string]: infer Value }
    ? Value
    : never

type MembersOf<T> = unknown extends T
  ? Readonly<Record<string, AnyJsonMember>>
  : T extends Memberless
    ? never
    : { readonly [Name in keyof T as string extends Name ? never : Name]-?: JsonMember<T[Name]> }

/** What is no object of JSON. */
type Memberless =
  string | number | bigint | boolean | readonly unknown[] | Uint8Array | null | undefined | void

export type SettledCodec =
  | AnySimple
  | (Facets & { readonly restricts: AnySimple })
  | { readonly literals: readonly unknown[] }
  | {
      readonly items: AnyJsonRef
      readonly nullable?: boolean
      readonly min?: number
      readonly max?: number
    }
  | {
      readonly tuple: readonly AnyJsonRef[]
      readonly rest?: AnyJsonRef
      readonly min?: number
      readonly max?: number
    }
  | { readonly values: AnyJsonRef }
  | JsonObject
  | JsonAlternatives
  | JsonParts
  | { readonly is: AnyJsonRef; readonly obeys: Obeyed }

/** An object of several parts. */
export interface JsonParts {
  readonly allOf: readonly AnyJsonRef[]
  /** What one part names is none of the others of another part. */
  readonly apart?: boolean
}

/**
 * What is left to check when the shape is right. `broken` says what of the JSON breaks the rule.
 */
export interface Obeyed {
  readonly rule: unknown
  broken(rule: never, json: unknown, path: string): Violation | undefined
}

export interface JsonObject {
  readonly members: Readonly<Record<string, AnyJsonMember>>
  /** There may be others. */
  readonly open?: boolean
  /** What the others are: by a pattern of their names, else whatever `rest` says. */
  readonly patterned?: readonly (readonly [pattern: string, is: AnyJsonRef])[]
  readonly rest?: AnyJsonRef
}

export interface JsonAlternatives {
  readonly oneOf: readonly AnyJsonRef[]
  /**
   * The member that tells which it is: position of the alternative by the member's value, and the
   * one for all other values.
   */
  readonly by?: {
    readonly member: string
    readonly when: Readonly<Record<string, number>>
    readonly otherwise?: number
  }
  /** Not more than one of them may fit. */
  readonly exactly?: boolean
}

export type AnySimple = SimpleJson<unknown>

/** What a codec has, to be looked at. */
export interface JsonFacts extends Omit<AnyJsonCodec, 'members'> {
  readonly members?: Readonly<Record<string, AnyJsonMember>>
}

/** A codec, whatever kind it is of. */
export function factsOf(reference: AnyJsonRef): JsonFacts {
  return resolvedCodec(reference) as JsonFacts
}

/** The codec that a reference stands for. */
export function resolvedCodec(reference: AnyJsonRef): SettledCodec {
  return (typeof reference === 'function' ? reference() : reference) as SettledCodec
}

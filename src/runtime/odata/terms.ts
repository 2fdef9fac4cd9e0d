/**
 * What a filter can say of an entity, as types: each property offers only what OData has for its
 * type (URL Conventions 4.01, section 5.1.1). The generated `…Terms` are made of these; filter.ts
 * brings them to life.
 */

/**
 * Something that is true of an entity or not. Made with the terms of its properties; several in a
 * list must all be true.
 */
export interface Condition {
  /** As it stands in the address, not yet percent-encoded. */
  readonly text: string
  /** What binds it together outermost, so that brackets are put where they are needed. */
  readonly joined: 'and' | 'or' | 'nothing'
}

/** A condition, or several that must all be true. */
export type Conditions = Condition | readonly Condition[]

/** A value that another one of the same type can be compared with. */
export interface Comparable<T> {
  eq(value: T | Comparable<T> | null): Condition
  ne(value: T | Comparable<T> | null): Condition
  /** Is it one of these? */
  in(values: readonly T[]): Condition
}

export interface Ordered<T> extends Comparable<T> {
  gt(value: T | Comparable<T>): Condition
  ge(value: T | Comparable<T>): Condition
  lt(value: T | Comparable<T>): Condition
  le(value: T | Comparable<T>): Condition
}

export interface TextTerm extends Ordered<string> {
  contains(text: string | TextTerm): Condition
  startsWith(text: string | TextTerm): Condition
  endsWith(text: string | TextTerm): Condition
  length(): NumberTerm<number>
  indexOf(text: string | TextTerm): NumberTerm<number>
  substring(from: number, length?: number): TextTerm
  toLower(): TextTerm
  toUpper(): TextTerm
  trim(): TextTerm
  concat(text: string | TextTerm): TextTerm
}

/** Text in version 4.01. */
export interface PatternTextTerm extends TextTerm {
  /** Does it match a regular expression of ECMAScript? */
  matches(pattern: string): Condition
}

export interface NumberTerm<T> extends Ordered<T> {
  plus(value: T | NumberTerm<T>): NumberTerm<T>
  minus(value: T | NumberTerm<T>): NumberTerm<T>
  times(value: T | NumberTerm<T>): NumberTerm<T>
  dividedBy(value: T | NumberTerm<T>): NumberTerm<T>
  modulo(value: T | NumberTerm<T>): NumberTerm<T>
  round(): NumberTerm<T>
  floor(): NumberTerm<T>
  ceiling(): NumberTerm<T>
}

export interface DateTerm extends Ordered<string> {
  year(): NumberTerm<number>
  month(): NumberTerm<number>
  day(): NumberTerm<number>
}

export interface TimeTerm extends Ordered<string> {
  hour(): NumberTerm<number>
  minute(): NumberTerm<number>
  second(): NumberTerm<number>
}

export interface DateTimeTerm extends DateTerm, TimeTerm {}

/** A point in time in version 4. */
export interface MomentTerm extends DateTimeTerm {
  date(): DateTerm
  time(): TimeTerm
  fractionalSeconds(): NumberTerm<number>
  totalOffsetMinutes(): NumberTerm<number>
}

/** A duration in version 4. */
export interface DurationTerm extends Ordered<string> {
  totalSeconds(): NumberTerm<number>
}

export type BooleanTerm = Comparable<boolean>

export type EnumTerm<T> = Ordered<T>

/** An enumeration whose values combine. */
export interface FlagsTerm<T> extends Comparable<readonly T[]> {
  /** Are all of these set? */
  has(values: readonly T[]): Condition
}

/** A collection: of values, of complex values, or of the entities that hang off this one. */
export interface ListTerm<Terms> {
  /** Is there one of which this is true? Without a condition: is there any? */
  any(condition?: (each: Terms) => Conditions): Condition
  /** Is this true of every one? */
  all(condition: (each: Terms) => Conditions): Condition
  count(): NumberTerm<number>
}

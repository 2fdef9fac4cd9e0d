/**
 * Codecs: plain data that says how a type stands in XML. The same data serves to write, to read and to check; it is compiled to
 * what that needs on first use. Being plain data, unused ones vanish from a bundle.
 */

/** Namespace and local name; `''` is no namespace. */
export type QName = readonly [namespace: string, local: string]

/** What reading a text needs to know of where it stands. */
export interface ReadContext {
  /** The namespace a prefix is bound to here. */
  resolve(prefix: string): string | undefined
}

/** What writing a text may need. */
export interface WriteContext {
  /** A prefix bound to the namespace in what is being written. */
  prefix(namespace: string): string
}

/** A simple type of XML Schema. */
export interface SimpleCodec<T> {
  /** Its name, for messages: `a whole number`. */
  readonly simple: string
  /** What its text means; throws when it means nothing. */
  read(text: string, context: ReadContext): T
  write(value: T, context: WriteContext): string
  /** What is wrong with a value as one of this type, or undefined. */
  check(value: unknown): string | undefined
}

/** One of several texts. */
export interface LiteralsCodec<T> {
  readonly literals: readonly T[]
}

/** A simple type whose values must satisfy more. Bounds are exact decimal texts; patterns are sources for the `u` flag. */
export interface RestrictedCodec<T> extends Limits {
  readonly restricts: SimpleCodec<T>
}

/** Each group of `patterns` must match; within a group any one is enough. */
export interface Limits {
  readonly minimum?: string
  readonly maximum?: string
  readonly exclusiveMinimum?: string
  readonly exclusiveMaximum?: string
  readonly minLength?: number
  readonly maxLength?: number
  readonly totalDigits?: number
  readonly fractionDigits?: number
  readonly patterns?: readonly (readonly string[])[]
}

/** A list in one text, its items separated by spaces (xs:list). */
export interface SpacedCodec<T> extends Bounds {
  readonly spaced: T extends readonly (infer Item)[] ? TextCodec<Item> : never
}

/** What can stand in a text or an attribute. */
export type TextCodec<T> = SimpleCodec<T> | LiteralsCodec<T> | RestrictedCodec<T> | SpacedCodec<T>

/** A list as an element around its items. */
export interface ItemsCodec<T> extends Bounds {
  readonly items: QName
  readonly encoded?: QName
  readonly of: T extends readonly (infer Item)[] ? CodecRef<Present<Item>> : never
  /** Items may be null. */
  readonly nillable?: true
}

/** How many there may be. */
export interface Bounds {
  readonly min?: number
  readonly max?: number
}

/** A record: an element with members. */
export interface RecordCodec<T, Base = unknown> extends AnyRecordCodec {
  /** Never there: tells the compiler what it is a codec of, also where its base has some of the members. */
  readonly value?: T
  readonly members: { readonly [K in Exclude<keyof T, keyof Base | '$is' | '$open'>]: Member<T[K]> }
}

/** A record codec whose members are not known to the compiler. */
export interface AnyRecordCodec {
  /** The type's name in XML Schema; anonymous types have none. */
  readonly type?: QName
  /** The value of `$is`, where the type is one of several that may stand in the same place. */
  readonly is?: string
  /** It is never written itself, only its subtypes. */
  readonly abstract?: true
  readonly base?: () => AnyRecordCodec
  readonly subtypes?: () => readonly AnyRecordCodec[]
  /** The namespace of member elements; that of the type when left out. */
  readonly namespace?: string
  readonly members: Readonly<Record<string, AnyMember>>
  readonly choices?: readonly MemberChoice[]
}

/** Groups of members of which exactly one is there; with `optional` perhaps none. All of a group must be there, unless it says which. */
export interface MemberChoice {
  readonly of: readonly { readonly members: readonly string[]; readonly required?: readonly string[] }[]
  readonly optional?: true
}

/** Any element, with its content as it is. */
export interface FragmentCodec {
  readonly fragment: true
}

export type Codec<T> = TextCodec<T> | ItemsCodec<T> | Pick<RecordCodec<T>, 'members'> | (AnyRecordCodec & { readonly value?: T }) | FragmentCodec

/** A codec, or a function that gives it: for those that refer to each other. */
export type CodecRef<T> = Codec<T> | (() => Codec<T>)

export type Present<T> = Exclude<T, null | undefined>

type ItemOf<T> = [Present<T>] extends [readonly (infer Item)[]] ? Present<Item> : never

/** A member of a record: an element, an attribute, or the text of the record's element. */
export type Member<T> =
  | (ElementFacts & { readonly element: CodecRef<Present<T>>; readonly repeated?: never })
  | (ElementFacts & Bounds & { readonly element: CodecRef<ItemOf<T>>; readonly repeated: true })
  | { readonly attribute: TextCodec<Present<T>>; readonly optional?: true; readonly name?: string; readonly namespace?: string; readonly fixed?: string }
  | { readonly text: TextCodec<Present<T>> }

interface ElementFacts {
  /** The type that the element says, in SOAP's own encoding. */
  readonly type?: QName
  readonly optional?: true
  readonly nillable?: true
  /** The name on the wire, where it is not that of the member. */
  readonly name?: string
  /** The namespace, where it is not that of the record. */
  readonly namespace?: string
  readonly fixed?: string
}

/** A member whose type is not known to the compiler. */
export interface AnyMember extends Bounds {
  readonly type?: QName
  readonly element?: unknown
  readonly attribute?: unknown
  readonly text?: unknown
  readonly repeated?: boolean
  readonly optional?: boolean
  readonly nillable?: boolean
  readonly name?: string
  readonly namespace?: string
  readonly fixed?: string
}

/** An element of open content, kept as it came. */
export interface OpenElement {
  /** `{namespace}local`, or just `local` where there is no namespace. */
  readonly name: string
  readonly attributes?: Readonly<Record<string, string>>
  readonly content?: readonly (OpenElement | string)[]
}

/** Content that the contract leaves open. */
export interface OpenContent {
  readonly elements?: readonly OpenElement[]
  /** By `{namespace}local`, or just `local`. */
  readonly attributes?: Readonly<Record<string, string>>
}

/** A codec of unknown kind, for the machinery. */
export type AnyCodec = SimpleCodec<unknown> | LiteralsCodec<unknown> | RestrictedCodec<unknown> | AnySpaced | AnyItems | AnyRecordCodec | FragmentCodec
export type AnyTextCodec = SimpleCodec<unknown> | LiteralsCodec<unknown> | RestrictedCodec<unknown> | AnySpaced
export interface AnySpaced extends Bounds {
  readonly spaced: AnyTextCodec
}
export interface AnyItems extends Bounds {
  readonly items: QName
  /** Of an array in SOAP's own encoding: the type of its items, which may be called anything. */
  readonly encoded?: QName
  readonly of: AnyCodec | (() => AnyCodec)
  readonly nillable?: true
}

/** The codec itself, where a function may stand for it. */
export function settled(reference: unknown): AnyCodec {
  return (typeof reference === 'function' ? (reference as () => AnyCodec)() : reference) as AnyCodec
}

/** A member of a record, with what its record and its bases say about it worked out. */
export interface Entry {
  /** The member's name in the value. */
  readonly key: string
  readonly place: 'element' | 'attribute' | 'text'
  readonly name: QName
  readonly codec: () => AnyCodec
  readonly member: AnyMember
}

const known = new WeakMap<AnyRecordCodec, readonly Entry[]>()

/** All members of a record, those of its bases first. */
export function entriesOf(record: AnyRecordCodec): readonly Entry[] {
  let entries = known.get(record)
  if (entries === undefined) {
    const own = Object.entries(record.members).map(([key, member]): Entry => {
      const place = member.element !== undefined ? 'element' : member.attribute !== undefined ? 'attribute' : 'text'
      const namespace = member.namespace ?? (place === 'element' ? (record.namespace ?? record.type?.[0] ?? '') : '')
      const reference = member.element ?? member.attribute ?? member.text
      return { key, place, name: [namespace, member.name ?? key], codec: () => settled(reference), member }
    })
    entries = [...(record.base === undefined ? [] : entriesOf(record.base())), ...own]
    known.set(record, entries)
  }
  return entries
}

/** All choices of a record, those of its bases first. */
export function choicesOf(record: AnyRecordCodec): readonly MemberChoice[] {
  const own = record.choices ?? []
  return record.base === undefined ? own : [...choicesOf(record.base()), ...own]
}

/** The record among `record` and everything that extends it for which `accept` holds. */
export function findSubtype(record: AnyRecordCodec, accept: (candidate: AnyRecordCodec) => boolean): AnyRecordCodec | undefined {
  if (accept(record)) return record
  for (const subtype of record.subtypes?.() ?? []) {
    const found = findSubtype(subtype, accept)
    if (found !== undefined) return found
  }
  return undefined
}

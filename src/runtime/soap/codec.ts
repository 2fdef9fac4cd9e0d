import type { Facets } from '../facets.js'
import type { StartTag } from './start-tag.js'
import type { Violation } from '../failures.js'
import type { Frame, Reading } from './xml-reader.js'
import type { XmlWriter } from './xml-writer.js'

/**
 * Codecs: plain data that says how a type stands in XML. The same data serves to write, to read and
 * to check; it is compiled to what that needs on first use. Being plain data, unused ones vanish
 * from a bundle.
 */

/** Namespace and local name; `''` is no namespace. */
export type QName = readonly [namespace: string, local: string]

/** What reading a text needs to know of where it stands. */
export interface ReadContext {
  /** The namespace a prefix is bound to here. */
  resolve(prefix: string): string | undefined
  /** The content of what came beside the message under this address. */
  attached?(address: string): Uint8Array | undefined
}

/** What writing a text may need. */
export interface WriteContext {
  /** A prefix bound to the namespace in what is being written. */
  prefix(namespace: string): string
  /** Sends bytes beside the message, and gives the address to refer to them. */
  attach?(content: Uint8Array): string
}

/** A simple type of XML Schema. */
export interface SimpleCodec<T> {
  /** Its name, for messages: `a whole number`. */
  readonly simple: string
  /** Its bytes may travel beside the message instead of in it. */
  readonly canTravelBeside?: true
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

/**
 * A simple type whose values must satisfy more. Bounds are exact decimal texts; patterns are
 * sources for the `u` flag.
 */
export interface RestrictedCodec<T> extends Facets {
  readonly restricts: SimpleCodec<T>
}

/** Each group of `patterns` must match; within a group any one is enough. */
/**
 * One of several simple types: what a text means is what the first of them makes of it (xs:union).
 */
export interface UnionCodec<T> {
  readonly union: readonly TextCodec<T>[]
  readonly patterns?: readonly (readonly string[])[]
}

/** A list in one text, its items separated by spaces (xs:list). */
export interface SpacedCodec<T> extends Bounds {
  readonly spaced: T extends readonly (infer Item)[] ? TextCodec<Item> : never
  /** What the whole text must match, as in Facets, and what it may be. */
  readonly patterns?: readonly (readonly string[])[]
  readonly allowed?: readonly string[]
}

/** What can stand in a text or an attribute. */
export type TextCodec<T> =
  SimpleCodec<T> | LiteralsCodec<T> | RestrictedCodec<T> | UnionCodec<T> | SpacedCodec<T>

/** A list as an element around its items. */
export interface ItemsCodec<T> extends Bounds {
  readonly items: QName
  readonly encoded?: QName
  /** Of an encoded array of several dimensions: how many. It holds lists of lists. */
  readonly dimensions?: number
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
export interface RecordCodec<T, Base = unknown, Any = T> extends AnyRecordCodec {
  /**
   * Never there: tells the compiler what it is a codec of (with its subtypes), also where its base
   * has some of the members.
   */
  readonly value?: Any
  readonly members: {
    readonly [K in Exclude<keyof T, keyof Base | '$is' | '$open'>]: Member<T[K]>
  } & { readonly $open?: OpenMember }
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
  /** Its members are all that it has: those of its base are not added, which it restricts. */
  readonly narrows?: true
  readonly subtypes?: () => readonly AnyRecordCodec[]
  /** The namespace of member elements; that of the type when left out. */
  readonly namespace?: string
  readonly members: Readonly<Record<string, AnyMember>>
  readonly choices?: readonly MemberChoice[]
  /** Elements may come in any order (xs:all). */
  readonly anyOrder?: true
}

/**
 * Groups of members of which exactly one is there; with `optional` perhaps none. All of a group
 * must be there, unless it says which.
 */
export interface MemberChoice {
  readonly of: readonly {
    readonly members: readonly string[]
    readonly required?: readonly string[]
  }[]
  readonly optional?: true
}

/** A value of any type at all, which the message names (xs:anyType). */
export interface AnythingCodec {
  /**
   * What reads, writes and checks such values: `anyValue` of anything.ts, which only those clients
   * carry that have them.
   */
  readonly anything: AnythingHandler
  /** Records that it may be; none where it must be simple. */
  readonly records?: () => readonly AnyRecordCodec[]
}

/** Reads, writes and checks values of any type, among them these records. */
export interface AnythingHandler {
  frame(
    records: readonly AnyRecordCodec[],
    tag: StartTag,
    reading: Reading,
    deliver: (value: unknown) => void,
  ): Frame
  /** @param element the element that it stands in */
  write(records: readonly AnyRecordCodec[], writer: XmlWriter, value: unknown, element: QName): void
  check(
    records: readonly AnyRecordCodec[],
    value: unknown,
    path: string,
    violations: Violation[],
  ): void
}

/** Content that is read and written as a whole, as an element that is kept as it came. */
export interface WholeCodec<T> {
  readonly whole: {
    /** Its name, for messages. */
    readonly name: string
    read(element: OpenElement): T
    write(value: T): OpenElement
    /** What is wrong with a value, or undefined. */
    check(value: unknown): string | undefined
  }
}

/** A value of a simple type that TypeScript has no values of its own for. */
export interface TypedText {
  /** Which type, for example `xs:date`. */
  readonly $is: string
  readonly $text: string
}

/** A record that says which one it is. */
export interface TypedRecord {
  readonly $is: string
  readonly [member: string]: unknown
}

/**
 * A value of any type: texts, booleans, numbers (xs:int, xs:double), `bigint` (xs:long), bytes
 * (xs:base64Binary), other simple types as `{ $is: 'xs:date', $text: '2026-11-23' }`, records of
 * the contract with `$is`, lists in SOAP's own encoding, anything else as an element.
 */
export type AnyValue =
  | string
  | boolean
  | number
  | bigint
  | Uint8Array
  | TypedText
  | TypedRecord
  | OpenElement
  | readonly (AnyValue | null)[]

export type Codec<T> =
  | TextCodec<T>
  | ItemsCodec<T>
  | Pick<RecordCodec<T>, 'members'>
  | (AnyRecordCodec & { readonly value?: T })
  | AnythingCodec
  | WholeCodec<T>

/** A codec, or a function that gives it: for those that refer to each other. */
export type CodecRef<T> = Codec<T> | (() => Codec<T>)

export type Present<T> = Exclude<T, null | undefined>

type ItemOf<T> = [Present<T>] extends [readonly (infer Item)[]] ? Present<Item> : never

/**
 * A member of a record: an element, an attribute, the text of the record's element, or turns of a
 * group of members that repeats without an element around each; with `mixed` there may be texts
 * among them.
 */
export type Member<T> =
  | (Bounds & {
      readonly group: CodecRef<Exclude<ItemOf<T>, string>>
      readonly optional?: true
      readonly mixed?: true
    })
  | (ElementFacts & { readonly element: CodecRef<Present<T>>; readonly repeated?: never })
  | (ElementFacts & Bounds & { readonly element: CodecRef<ItemOf<T>>; readonly repeated: true })
  | {
      readonly attribute: TextCodec<Present<T>>
      readonly optional?: true
      readonly name?: string
      readonly namespace?: string
      readonly fixed?: string
    }
  | { readonly text: TextCodec<Present<T>> }

/** Where open content stands among the members, and what it may be. */
export interface OpenMember extends Bounds {
  readonly open: true
  /** Attributes that nobody declared may be there too. */
  readonly attributes?: true
  /** Namespaces that elements may be in, `''` for none; when left out, any. */
  readonly namespaces?: readonly string[]
  /** The one namespace that they may not be in. */
  readonly except?: string
}

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
  readonly group?: unknown
  readonly mixed?: boolean
  readonly open?: boolean
  readonly attributes?: boolean
  readonly namespaces?: readonly string[]
  readonly except?: string
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
export type AnyCodec =
  AnyTextCodec | AnyItems | AnyRecordCodec | AnythingCodec | WholeCodec<unknown>
export type AnyTextCodec =
  | SimpleCodec<unknown>
  | LiteralsCodec<unknown>
  | RestrictedCodec<unknown>
  | UnionCodec<unknown>
  | AnySpaced
export interface AnySpaced extends Bounds {
  readonly spaced: AnyTextCodec
  readonly patterns?: readonly (readonly string[])[]
  readonly allowed?: readonly string[]
}
export interface AnyItems extends Bounds {
  readonly items: QName
  /** Of an array in SOAP's own encoding: the type of its items, which may be called anything. */
  readonly encoded?: QName
  readonly dimensions?: number
  readonly of: AnyCodec | (() => AnyCodec)
  readonly nillable?: true
}

/** The codec itself, where a function may stand for it. */
export function settled(reference: unknown): AnyCodec {
  return (typeof reference === 'function' ? (reference as () => AnyCodec)() : reference) as AnyCodec
}

/** The codec of what travels as an item: in arrays of several dimensions those of the innermost. */
export function itemCodec({ of, dimensions = 1 }: AnyItems): AnyCodec {
  const inner = settled(of)
  return dimensions > 1 && 'items' in inner
    ? itemCodec({ ...inner, dimensions: dimensions - 1 })
    : inner
}

/** A member of a record, with what its record and its bases say about it worked out. */
export interface Entry {
  /** The member's name in the value. */
  readonly key: string
  readonly place: 'element' | 'attribute' | 'text' | 'group' | 'open'
  readonly name: QName
  /** Its codec; of a repeated element that of one of them, of a group that of one turn. */
  readonly codec: () => AnyCodec
  /** The codec, where it is one of a text. */
  readonly textCodec: () => AnyTextCodec | undefined
  /** The simple type that writes it, where it is one. */
  readonly simpleCodec: () => SimpleCodec<unknown> | undefined
  readonly member: AnyMember
}

/** All members of a record, those of its bases first, and what follows from them. */
export interface Shape {
  readonly entries: readonly Entry[]
  readonly attributes: readonly Entry[]
  readonly textEntry: Entry | undefined
  /** The group among whose turns texts may stand. */
  readonly mixedEntry: Entry | undefined
  /** The places of the entries that must be there in an answer, but for the text. */
  readonly promised: readonly number[]
  /** Where open content stands among the entries. */
  readonly openEntry: Entry | undefined
  /**
   * The entries that an element of this local name may belong to, by their place in `entries`: its
   * own, or groups it may be in.
   */
  readonly places: ReadonlyMap<string, readonly number[]>
  /** The members' names, and the places of their entries. */
  readonly keys: ReadonlyMap<string, number>
  readonly choices: readonly MemberChoice[]
  readonly anyOrder: boolean
  /**
   * An object for a value of it, with room for its members: one written as a literal has little,
   * and grows bit by bit.
   */
  readonly blank: () => Record<string, unknown>
}

const shapes = new WeakMap<AnyRecordCodec, Shape>()

/** What a record is made of, worked out once. */
export function shapeOf(record: AnyRecordCodec): Shape {
  let shape = shapes.get(record)
  if (shape === undefined) {
    const base =
      record.base === undefined || record.narrows === true ? undefined : shapeOf(record.base())
    const own = Object.entries(record.members).map(([key, member]) => entryOf(record, key, member))
    const entries = [...(base?.entries ?? []), ...own]
    const places = new Map<string, number[]>()
    entries.forEach((entry, at) => {
      for (const local of localNames(entry, []))
        places.set(local, [...(places.get(local) ?? []), at])
    })
    shape = {
      entries,
      places,
      attributes: entries.filter(({ place }) => place === 'attribute'),
      textEntry: entries.find(({ place }) => place === 'text'),
      mixedEntry: entries.find(({ member }) => member.mixed === true),
      promised: entries.flatMap((entry, at) => (isPromised(entry) ? [at] : [])),
      openEntry: entries.find(({ place }) => place === 'open'),
      keys: new Map(entries.map(({ key }, at) => [key, at])),
      choices: [...(base?.choices ?? []), ...(record.choices ?? [])],
      anyOrder: record.anyOrder === true || base?.anyOrder === true,
      blank: blanks(),
    }
    shapes.set(record, shape)
  }
  return shape
}

/**
 * Engines learn from the first objects of a constructor how much room the others need; what it
 * makes are plain objects all the same.
 */
function blanks(): () => Record<string, unknown> {
  const Blank = function (): void {
    // Members come later.
  } as unknown as { new (): Record<string, unknown>; prototype: object }
  Blank.prototype = Object.prototype
  return () => new Blank()
}

/** Must it be there in an answer? */
function isPromised({ place, member }: Entry): boolean {
  return (
    place !== 'text' &&
    member.optional !== true &&
    (place === 'open' || place === 'group' || member.repeated === true
      ? (member.min ?? 0) > 0
      : true)
  )
}

function entryOf(record: AnyRecordCodec, key: string, member: AnyMember): Entry {
  const place = placeOf(member)
  const namespace =
    member.namespace ?? (place === 'element' ? (record.namespace ?? record.type?.[0] ?? '') : '')
  const reference = member.element ?? member.attribute ?? member.text ?? member.group
  let known: AnyCodec | undefined
  let knownText: AnyTextCodec | undefined
  const codec = (): AnyCodec => {
    if (known === undefined) {
      known = settled(reference)
      knownText = isText(known) ? known : undefined
    }
    return known
  }
  const textCodec = (): AnyTextCodec | undefined => {
    if (known === undefined) codec()
    return knownText
  }
  const simpleCodec = (): SimpleCodec<unknown> | undefined => {
    const text = textCodec()
    if (text === undefined) return undefined
    if ('restricts' in text) return text.restricts
    if ('read' in text) return text
    return undefined
  }
  return {
    key,
    place,
    name: [namespace, member.name ?? key],
    codec,
    textCodec,
    simpleCodec,
    member,
  }
}

/** The names of the elements that an entry stands for: its own, or all that its group may hold. */
function localNames(entry: Entry, within: readonly AnyCodec[]): string[] {
  if (entry.place === 'element') return [entry.name[1]]
  const codec = entry.place === 'group' ? entry.codec() : undefined
  if (codec === undefined || !('members' in codec) || within.includes(codec)) return []
  return [
    ...new Set(
      Object.entries(codec.members).flatMap(([key, member]) =>
        localNames(entryOf(codec, key, member), [...within, codec]),
      ),
    ),
  ]
}

/** Does a codec make sense of a text, and not of elements? */
export function isText(codec: AnyCodec): codec is AnyTextCodec {
  return !('members' in codec || 'items' in codec || 'anything' in codec || 'whole' in codec)
}

/** What a record says of itself by `$is` where it may be any. */
export function kindOf(record: AnyRecordCodec): string {
  return record.is ?? record.type?.[1] ?? ''
}

/** The record among `record` and everything that extends it for which `accept` holds. */
export function findSubtype(
  record: AnyRecordCodec,
  accept: (candidate: AnyRecordCodec) => boolean,
): AnyRecordCodec | undefined {
  if (accept(record)) return record
  for (const subtype of record.subtypes?.() ?? []) {
    const found = findSubtype(subtype, accept)
    if (found !== undefined) return found
  }
  return undefined
}

function placeOf(member: AnyMember): Entry['place'] {
  if (member.open === true) return 'open'
  if (member.element !== undefined) return 'element'
  if (member.attribute !== undefined) return 'attribute'
  return member.group !== undefined ? 'group' : 'text'
}

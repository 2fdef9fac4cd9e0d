/**
 * The contract: one imported description of a service, whatever its dialect. A plain,
 * JSON-serialisable, read-only value. docs/contract.md shows how it carries the hard cases of the
 * three dialects.
 */

import type { MessageCode } from './messages.js'

/**
 * Where something was declared: its document, and the offset of its first character there, as one
 * number (origin.ts). documents/places.ts makes a line and a column of it when somebody asks.
 */
export type Origin = number

/**
 * A place in a document: the document's label in its snapshot, and the 1-based line and column of a
 * character.
 */
export interface PlaceInDocument {
  readonly document: string
  readonly line: number
  readonly column: number
}

/** What everything in a contract has that bears a name. */
export interface Node {
  readonly documentation?: string
  readonly origin: Origin
}

/** The dialect a contract comes from, by the name that it is registered under. */
export type DialectName = string

export interface Contract extends Node {
  /** The short name this contract goes by in a project. */
  readonly name: string
  readonly dialect: DialectName
  /** The service's own name for itself. */
  readonly title: string
  readonly services: readonly Service[]
  /** Every named type, by its stable id (for XML Schema `{namespace}name`). */
  readonly types: Readonly<Record<TypeId, NamedType>>
  readonly security: readonly SecurityScheme[]
  /** What the service sends of its own accord (webhooks). */
  readonly incoming?: readonly Incoming[]
  readonly notes: readonly Note[]
  /**
   * Operations that the service says itself that it does not offer, by the paths that they would
   * have.
   */
  readonly notOffered?: readonly string[]
  /** Operations that can't be had, because their metadata or that of their types is broken. */
  readonly broken?: readonly BrokenOperation[]
  /** Facts only the contract's own dialect looks into. */
  readonly specifics?: unknown
}

/** An operation that the metadata has, and that can't be read. */
export interface BrokenOperation {
  readonly path: readonly string[]
  readonly tags?: readonly string[]
  /** The name of the service that offers it, where there may be several. */
  readonly service?: string
  /** What is wrong, where, and what to do, as a Problem says it. */
  readonly reason: {
    readonly code: MessageCode
    readonly message: string
    readonly advice: string
    readonly details: readonly string[]
    readonly place?: KnownPlace
  }
}

/** A place in a document, as far as it is known. */
export type KnownPlace = Pick<PlaceInDocument, 'document'> &
  Partial<Omit<PlaceInDocument, 'document'>> & {
    /** The same as a JSON Pointer, where the line is too long to be counted in. */
    readonly pointer?: string
  }

export interface Service extends Node {
  readonly name: string
  readonly endpoints: readonly Endpoint[]
  readonly operations: readonly Operation[]
  /** What the metadata says of groups of its operations, where it says something. */
  readonly groups?: readonly OperationGroup[]
}

/** Operations that belong together: an entity set, a tag. */
export interface OperationGroup extends Node {
  /** The first step of their paths. */
  readonly name: string
  /** The type of the things that the group stands for, and whether there are many of them. */
  readonly holds?: { readonly type: TypeId; readonly many: boolean }
}

/** An address with a protocol on which operations can be called. */
export interface Endpoint extends Node {
  readonly name: string
  readonly address: string
  /** As shown to people, for example `SOAP 1.2`. */
  readonly protocol: string
  readonly specifics?: unknown
}

/** A message that the service sends: a webhook, or the callback of an operation. */
export interface Incoming extends Node {
  readonly name: string
  /** What it carries; undefined when that is nothing, or nothing that is known. */
  readonly type?: Type
}

export interface Operation extends Node {
  /** Its path in the client: `['listBerths']`, `['bookings', 'create']`. Unique in the contract. */
  readonly path: readonly string[]
  /** Its path leaves out what its group says: outside of the group it goes by both. */
  readonly shortened?: true
  /**
   * What it is called on the wire, where that is surer than its path: names that were given are
   * found again by it.
   */
  readonly key?: string
  /** What the metadata calls it now, where its path is one that was given before. */
  readonly calledNow?: string
  /** The fields of its one input object. */
  readonly inputs: readonly InputField[]
  /** Groups of inputs that exclude each other. */
  readonly choices?: readonly Choice[]
  readonly outcome: Outcome
  readonly faults: readonly Fault[]
  readonly deprecated?: boolean
  /** Every group of its kind has one like it: what it does is said by the dialect's standard. */
  readonly standard?: true
  /** Groups that the metadata puts it in, by their names there. */
  readonly tags?: readonly string[]
  /** Types that it needs beside those that its inputs, outcome and faults name. */
  readonly needs?: readonly TypeId[]
  /** Things that it only tells apart: of their types these fields are needed, and nothing else. */
  readonly identifies?: readonly { readonly type: TypeId; readonly fields: readonly string[] }[]
  /** What the service sends back later, to an address that the caller gave (callbacks). */
  readonly incoming?: readonly Incoming[]
  /** What an answer leads to: other operations, in words. */
  readonly leadsTo?: readonly string[]
  /**
   * Names of the security schemes that it wants: all of one list. An empty list stands for none at
   * all.
   */
  readonly security?: readonly (readonly string[])[]
  /**
   * The dialect's facts, by the name of the endpoint they hold for. An operation is on offer at
   * exactly these endpoints.
   */
  readonly wire: Readonly<Record<string, unknown>>
  /** Facts of the dialect that hold at every endpoint. */
  readonly specifics?: unknown
}

/**
 * Where an input travels. A message header belongs to the message and not to HTTP; the caller
 * writes it under `headers`. An attachment travels beside the message.
 */
export type Place = 'body' | 'messageHeader' | 'attachment' | 'header' | 'path' | 'query' | 'cookie'

export interface InputField extends Field {
  readonly place: Place
  /** A client fills it with the key of its settings: never said of a contract that is stored. */
  readonly isKey?: true
}

/**
 * What an operation answers: `nothing`; `value`, one value of a type; or `record`, several values
 * by name (the outputs of a SOAP operation that returns more than one part). With `iterable`, the
 * value is a list whose items a client fetches as they are looked at; with `stream`, one whose
 * items are sent one by one over a single answer, which may have no end. `headers` are those that
 * the answer is promised to have. Where the metadata doesn't say whether anything comes, it is
 * `undeclared`.
 */
export type Outcome =
  | {
      readonly kind: 'nothing'
      readonly undeclared?: true
      readonly headers?: readonly Field[]
    }
  | {
      readonly kind: 'value'
      readonly field: Field
      readonly iterable?: true
      readonly stream?: true
      readonly headers?: readonly Field[]
    }
  | { readonly kind: 'record'; readonly fields: readonly Field[] }

/** A failure that an operation declares. `type` is the shape of its detail. */
export interface Fault extends Node {
  readonly name: string
  readonly type: Type
  readonly specifics?: unknown
}

export type TypeId = string

/** A member of a record, an input, or an output. */
export interface Field extends Node {
  /**
   * The name a caller writes. The wire's own name, with a trailing `_` where that would clash with
   * one of ours.
   */
  readonly name: string
  readonly type: Type
  /** May it be left out? */
  readonly optional: boolean
  /** May it be null? */
  readonly nullable: boolean
  readonly readOnly?: boolean
  readonly writeOnly?: boolean
  readonly deprecated?: boolean
  /** The value a receiver assumes when it is left out, in its plain form. */
  readonly default?: unknown
  /** The only value it may have. */
  readonly fixed?: unknown
  /** A value that shows how it is written, in its plain form. */
  readonly example?: unknown
  /** How it leads to other things, where the metadata says more of that than the type does. */
  readonly relation?: Relation
  /** Facts only the dialect looks into: where it stands on the wire. */
  readonly specifics?: unknown
}

/** How many there are at an end of a relation. */
export type Multiplicity = '1' | '0..1' | '*'

/** What a field that leads to other things says of the way there and back. */
export interface Relation {
  /** What the metadata calls the way there and back: an association of OData before version 4. */
  readonly association?: string
  /** How many it leads to. */
  readonly multiplicity: Multiplicity
  /** The field of the other type that leads back. */
  readonly partner?: string
  /** How many lead to the same one; unknown when left out. */
  readonly opposite?: Multiplicity
  /** What it leads to is a part of what it belongs to. */
  readonly contained?: true
}

/**
 * Groups of fields of which exactly one is present; with `optional` perhaps none. The fields
 * themselves say that they may be left out; `required` are those of an alternative that must be
 * there when it is the one.
 */
export interface Choice {
  readonly alternatives: readonly {
    readonly fields: readonly string[]
    readonly required: readonly string[]
  }[]
  readonly optional?: true
}

/** The kinds of type. Those marked as such in docs/contract.md are used by some dialects only. */
export type Type =
  | RecordType
  | EnumerationType
  | ScalarType
  | LiteralType
  | UnionType
  | IntersectionType
  | TupleType
  | ListType
  | MapType
  | FragmentType
  | AnythingType
  | NothingType
  | ReferenceType

/** What every type has. Only those with a name say where they were declared. */
export interface TypeNode {
  readonly documentation?: string
  /**
   * Facts only the contract's own dialect looks into: how it is written, and what a value must
   * satisfy beyond its shape.
   */
  readonly specifics?: unknown
}

/** A type that stands in `Contract.types` under its id. */
export type NamedType = Type & {
  readonly id: TypeId
  /** The name in the metadata, or for an anonymous type one made of where it stands. */
  readonly name: string
  readonly origin: Origin
}

export interface RecordType extends TypeNode {
  readonly kind: 'record'
  readonly fields: readonly Field[]
  /** Groups of its fields that exclude each other. */
  readonly choices?: readonly Choice[]
  /** The type it extends; its own fields come after those of its base. */
  readonly base?: ReferenceType
  /** Its fields are all it has: it does not extend its base but narrows it. */
  readonly restricts?: true
  readonly abstract?: boolean
  /** May it carry content that no field declares? */
  readonly open?: boolean
  /**
   * What members are that no field names: by a pattern of their names, and all the others. Only
   * where `open`.
   */
  readonly patterned?: readonly { readonly pattern: string; readonly type: Type }[]
  readonly rest?: Type
  /** The member that holds its open content, where that is not simply further members. */
  readonly openMember?: '$open'
  /** What its open content may be, where some must be there: `$open` in plain form. */
  readonly openExample?: unknown
  /** Names of the fields that identify it. */
  readonly keys?: readonly string[]
  /** No message can name it. */
  readonly anonymous?: true
  /** It is the wrapper of a message, and no value of its own. */
  readonly wrapper?: true
  /**
   * The type that this is a shape of: what is sent to create or to change something lacks what the
   * service makes itself. On the wire, and in `$is`, it goes by that type's name.
   */
  readonly variantOf?: TypeId
}

export interface EnumerationType extends TypeNode {
  readonly kind: 'enumeration'
  readonly members: readonly EnumerationMember[]
  /** What its values are on the wire. */
  readonly base: ScalarType
}

export interface EnumerationMember extends Node {
  readonly value: string
}

/**
 * The neutral bases of simple values; docs/contract.md says how each is written in TypeScript and
 * at the prompt.
 */
export type ScalarBase =
  | 'text'
  | 'boolean'
  | 'int8'
  | 'int16'
  | 'int32'
  | 'uint8'
  | 'uint16'
  | 'uint32'
  | 'int64'
  | 'uint64'
  | 'integer'
  | 'decimal'
  | 'float'
  | 'double'
  | 'bytes'
  | 'dateTime'
  | 'date'
  | 'time'
  | 'duration'
  | 'yearMonth'
  | 'year'
  | 'monthDay'
  | 'month'
  | 'day'
  | 'qualifiedName'

export interface ScalarType extends TypeNode {
  readonly kind: 'scalar'
  readonly base: ScalarBase
  /** The wire's own name of the type, for people and for the dialect's codec: `xs:token`. */
  readonly format: string
  readonly constraints?: Constraints
  /** A value that shows how it is written, in its plain form, where the base does not say it. */
  readonly example?: string
}

/** What a scalar must satisfy beyond its base. Bounds are exact decimal or lexical texts. */
export interface Constraints {
  readonly minimum?: string
  readonly maximum?: string
  readonly exclusiveMinimum?: string
  readonly exclusiveMaximum?: string
  readonly minLength?: number
  readonly maxLength?: number
  readonly multipleOf?: string
  readonly totalDigits?: number
  readonly fractionDigits?: number
  /**
   * Each group must match; within a group any one pattern is enough. ECMAScript sources, anchored,
   * for the `u` flag.
   */
  readonly patterns?: readonly (readonly string[])[]
  /** The only values there may be, as texts; equal values may be spelled otherwise. */
  readonly allowed?: readonly string[]
}

export interface LiteralType extends TypeNode {
  readonly kind: 'literal'
  readonly value: string | number | boolean | null
}

export interface UnionType extends TypeNode {
  readonly kind: 'union'
  readonly alternatives: readonly Type[]
  readonly discriminator?: {
    readonly field: string
    readonly mapping: Readonly<Record<string, TypeId>>
  }
  /** What its text on the wire must match, whichever alternative it is. */
  readonly constraints?: Pick<Constraints, 'patterns'>
}

export interface IntersectionType extends TypeNode {
  readonly kind: 'intersection'
  readonly parts: readonly Type[]
}

export interface TupleType extends TypeNode {
  readonly kind: 'tuple'
  readonly items: readonly Type[]
  /** What comes after them; when left out, nothing may. */
  readonly rest?: Type
  /** How many of the items must be there. */
  readonly minItems: number
  readonly maxItems?: number
}

export interface ListType extends TypeNode {
  readonly kind: 'list'
  readonly item: Type
  readonly itemNullable?: boolean
  readonly minItems?: number
  readonly maxItems?: number
  /** Of lists that are one text on the wire: what the whole text must match, or be. */
  readonly constraints?: Pick<Constraints, 'patterns' | 'allowed'>
}

export interface MapType extends TypeNode {
  readonly kind: 'map'
  readonly value: Type
}

/** Open content: whatever elements or members a sender puts there. */
export interface FragmentType extends TypeNode {
  readonly kind: 'fragment'
  /** It may be any record of the contract, which then says what it is by `$is`. */
  readonly mayBeRecord?: true
}

export interface AnythingType extends TypeNode {
  readonly kind: 'anything'
}

export interface NothingType extends TypeNode {
  readonly kind: 'nothing'
}

export interface ReferenceType extends TypeNode {
  readonly kind: 'reference'
  readonly to: TypeId
}

/** A way of proving who calls. */
export interface SecurityScheme extends Node {
  readonly name: string
  readonly scheme:
    | 'basic'
    | 'bearer'
    | 'digest'
    | 'key'
    | 'usernameToken'
    | 'oauth2'
    | 'certificate'
    | 'unsupported'
  /** Facts only the dialect looks into: where a key goes, where tokens are had. */
  readonly specifics?: unknown
}

/**
 * Something in the metadata that was approximated, ignored or refused, said openly with its place.
 */
export interface Note {
  readonly code: string
  readonly effect: 'approximated' | 'ignored' | 'refused'
  readonly message: string
  readonly origin: PlaceInDocument
  /** The same place as a JSON Pointer, where its line is too long to be counted in. */
  readonly pointer?: string
}

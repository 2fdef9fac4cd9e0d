import type { Field, ListType, Operation, TypeId } from '../../contract/contract.js'
import type { Restrictions } from '../../runtime/odata/restrictions.js'

/** The facts of OData that the neutral contract can't say; only this dialect looks into them. */

export type Version = '2.0' | '3.0' | '4.0' | '4.01'

export interface EndpointSpecifics {
  readonly version: Version
}

/** Where a navigation property leads, beyond what `Field.relation` says. */
export interface Navigation {
  /** Pairs of a property here and the property there that has the same value. */
  readonly constraints?: readonly (readonly [string, string])[]
  /** The set that its entities are in: it can be bound to one of them. */
  readonly set?: string
  /** Of version 2: the association it came from, and the role of the end that it leads to. */
  readonly association?: string
  readonly role?: string
}

/** Of a record that is an entity type, and no complex type. */
export interface RecordSpecifics {
  readonly entity: true
  /** It stands for bytes, which have their own address. */
  readonly media?: true
  /** Its properties that are streams. */
  readonly streams?: readonly string[]
  /** Where parts of the key lie that are no properties of its own, by the names that they go by. */
  readonly keyPaths?: Readonly<Record<string, readonly string[]>>
}

export interface FieldSpecifics {
  readonly navigation?: Navigation
  readonly computed?: boolean
  readonly immutable?: boolean
  /** Left out when an entity is created; it may be changed later. */
  readonly later?: boolean
  /** The service makes a value when none is given. */
  readonly madeWhenMissing?: boolean
  /** `$etag`, which is said about an entity and is none of its properties. */
  readonly about?: true
  /** The name of a parameter on the wire, where the input calls it otherwise. */
  readonly wire?: string
  /** Of a parameter of a function: it is said also where it is null. */
  readonly always?: true
}

/**
 * An entity set, a singleton, or the entities inside another one: its name in the address, and what
 * lies around it, the outermost first.
 */
export interface ResourceSpecifics {
  readonly path: string
  readonly entity: TypeId
  readonly singleton?: true
  readonly within?: readonly {
    readonly path: string
    readonly entity: TypeId
    readonly singleton?: true
  }[]
}

/** What is done to entities. */
export interface EntitySpecifics extends ResourceSpecifics {
  readonly kind:
    | 'list'
    | 'get'
    | 'count'
    | 'create'
    | 'createMedia'
    | 'update'
    | 'replace'
    | 'upsert'
    | 'delete'
    | 'changes'
    | 'aggregate'
    | 'download'
    | 'upload'
    | 'clear'
    | 'link'
    | 'unlink'
  readonly restricted?: Restrictions
  /** Of streams: which there are, and whether the entity itself is one. */
  readonly streams?: readonly string[]
  readonly media?: true
  /** Of links: what they lead to, by the name of the input. */
  readonly targets?: Readonly<
    Record<
      string,
      {
        readonly name?: string
        readonly set: string
        readonly entity: TypeId
        readonly many?: true
      }
    >
  >
}

/** A call of a function or an action. */
export interface InvocationSpecifics {
  readonly kind: 'invoke'
  readonly call: string
  readonly method: 'GET' | 'POST'
  readonly passing: 'inline' | 'body' | 'query'
  readonly on?: ResourceSpecifics & { readonly many?: true; readonly cast?: string }
  /** Of functions that return entities: their type, and what a query can ask of them. */
  readonly asks?: { readonly entity: TypeId; readonly options: readonly string[] }
}

/** What an operation does, and to what. */
export type OperationSpecifics = EntitySpecifics | InvocationSpecifics

/** The address of a resource below the service root, with `(…)` where a key goes. */
export function addressOf({ path, within = [] }: ResourceSpecifics): string {
  return (
    within.map((step) => `${step.path}${step.singleton === true ? '' : '(…)'}/`).join('') + path
  )
}

export function operationSpecifics(operation: Operation): OperationSpecifics {
  return operation.specifics as OperationSpecifics
}

export function fieldSpecifics(field: Field): FieldSpecifics {
  return (field.specifics ?? {}) as FieldSpecifics
}

/** Is the list the value of an enumeration whose members combine? */
export function isFlags(list: ListType): boolean {
  return (list.specifics as { flags?: boolean } | undefined)?.flags === true
}

/** Ids of the shapes of a type for sending. */
export function newId(id: TypeId): TypeId {
  return `${id}#new`
}
export function changesId(id: TypeId): TypeId {
  return `${id}#changes`
}

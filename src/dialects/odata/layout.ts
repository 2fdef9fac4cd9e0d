import type { Field, ListType, Operation, TypeId } from '../../contract/contract.js'

/** The facts of OData that the neutral contract can't say; only this dialect looks into them. */

export type Version = '2.0' | '3.0' | '4.0' | '4.01'

export interface EndpointLayout {
  readonly version: Version
}

/** Where a navigation property leads, and how many there are. */
export interface Navigation {
  readonly multiplicity: '1' | '0..1' | '*'
  /** The property of the other type that leads back. */
  readonly partner?: string
  /** Pairs of a property here and the property there that has the same value. */
  readonly constraints?: readonly (readonly [string, string])[]
  readonly contained?: boolean
  /** Of version 2: the association it came from. */
  readonly association?: string
}

/** Of a record: is it an entity type, and no complex type? */
export interface RecordLayout {
  readonly entity: true
}

export interface FieldLayout {
  readonly navigation?: Navigation
  readonly computed?: boolean
  readonly immutable?: boolean
  /** The service makes a value when none is given. */
  readonly madeWhenMissing?: boolean
  /** `$etag`, which is said about an entity and is none of its properties. */
  readonly about?: true
  /** The name of a parameter on the wire, where the input calls it otherwise. */
  readonly wire?: string
}

/** What an operation does, and to what. */
export type OperationLayout =
  | { readonly kind: 'list' | 'get' | 'count' | 'create' | 'update' | 'replace' | 'delete'; readonly path: string; readonly entity: TypeId; readonly singleton?: true }
  | {
      readonly kind: 'invoke'
      readonly call: string
      readonly method: 'GET' | 'POST'
      readonly passing: 'inline' | 'body' | 'query'
      readonly on?: { readonly path: string; readonly entity: TypeId; readonly singleton?: true; readonly many?: true; readonly cast?: string }
    }

export function operationLayout(operation: Operation): OperationLayout {
  return operation.layout as OperationLayout
}

export function fieldLayout(field: Field): FieldLayout {
  return (field.layout ?? {}) as FieldLayout
}

/** Is the list the value of an enumeration whose members combine? */
export function isFlags(list: ListType): boolean {
  return (list.layout as { flags?: boolean } | undefined)?.flags === true
}

/** Ids of the shapes of a type for sending. */
export function newId(id: TypeId): TypeId {
  return `${id}#new`
}
export function changesId(id: TypeId): TypeId {
  return `${id}#changes`
}

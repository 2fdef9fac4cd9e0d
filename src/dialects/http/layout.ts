import type { Field, Operation } from '../../contract/contract.js'
import type { Style } from '../../runtime/http/parameters.js'

/** The facts of HTTP and JSON that the neutral contract can't say; only this dialect looks into them. */

/** How a parameter is written. The name is the wire's. */
export interface ParameterLayout {
  readonly name: string
  readonly style?: Style
  readonly explode?: boolean
  readonly allowReserved?: boolean
  /** It is written as JSON. */
  readonly json?: true
}

/** The input `body`: its media type. */
export interface BodyLayout {
  readonly mediaType: string
}

/** What an answer or a fault of one status carries. The type is in the field of that name. */
export interface ContentLayout {
  readonly mediaType?: string
}

export interface OperationLayout {
  readonly method: string
  readonly path: string
  /** Media types of the answers, by status. */
  readonly answers: Readonly<Record<string, ContentLayout>>
  /** The outcome is a union of `{ status, body }`. */
  readonly byStatus?: true
  /** Where an API key goes. */
  readonly key?: { readonly in: 'header' | 'query' | 'cookie'; readonly name: string }
}

export function parameterLayout(field: Field): ParameterLayout {
  return field.layout as ParameterLayout
}
export function bodyLayout(field: Field): BodyLayout {
  return field.layout as BodyLayout
}
export function operationLayout(operation: Operation): OperationLayout {
  return operation.layout as OperationLayout
}

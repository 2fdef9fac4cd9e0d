import type {
  Contract,
  Endpoint,
  Fault,
  Field,
  Operation,
  SecurityScheme,
  Type,
  TypeId,
} from '../../contract/contract.js'
import type { Paging } from '../../runtime/http/pages.js'
import type { Style } from '../../runtime/http/parameters.js'
import type { ContentKind } from './media-types.js'
import type { Rule } from './rules.js'
import type { XmlLayout } from './xml-layout.js'

/**
 * The facts of HTTP and JSON that the neutral contract can't say; only this dialect looks into
 * them.
 */

/** How a parameter is written. The name is the wire's. */
export interface ParameterLayout {
  readonly name: string
  readonly style?: Style
  readonly explode?: boolean
  readonly allowReserved?: boolean
  /** It is written as JSON. */
  readonly json?: true
  /** It is the whole query, as a form or as JSON (3.2). */
  readonly whole?: 'form' | 'json'
  /** It is no parameter, but chooses between media types. */
  readonly choice?: true
}

/** What travels in a body or an answer. */
export interface ContentLayout {
  readonly mediaType: string
  readonly kind: ContentKind
  /** Which of the types it has, where the field's type is a union of those of all contents. */
  readonly at: number
  readonly encoding?: Readonly<Record<string, EncodingLayout>>
  /** How the whole stands in XML. */
  readonly xml?: XmlLayout
}

/** How a part of a form is written (OpenAPI 3.1, section 4.8.15). */
export interface EncodingLayout {
  readonly contentType?: string
  readonly style?: Style
  readonly explode?: boolean
  readonly allowReserved?: true
  readonly headers?: Readonly<Record<string, string>>
}

/**
 * The input `body`: the ways to send it, the usual one first. With `several`, its type is a union
 * of what each takes.
 */
export interface BodyLayout {
  readonly contents: readonly ContentLayout[]
  readonly several?: true
}

/** A fault: what it carries, if anything. */
export interface FaultLayout {
  readonly content?: ContentLayout
}

/** The outcome's type, where it differs by media type. */
export interface OutcomeLayout {
  readonly several?: true
}

/** A header of an answer. The name is the wire's. */
export interface HeaderLayout {
  readonly name: string
  readonly explode?: true
  readonly json?: true
}

export interface EndpointLayout {
  /** The address with the variables in it, and what they may be. */
  readonly template: string
  readonly variables: Readonly<
    Record<string, { readonly default: string; readonly values?: readonly string[] }>
  >
}

/** Where a key goes, and where tokens are had. */
export interface SchemeLayout {
  readonly key?: { readonly in: 'header' | 'query' | 'cookie'; readonly name: string }
  readonly tokenUrl?: string
  readonly refreshUrl?: string
  /** The address of an OpenID Connect discovery document. */
  readonly discovery?: string
}

/** How the pages of a list are had. */
export interface PagesLayout extends Paging {
  /** The type of a whole answer, which the outcome is a part of; the outcome's own when left out. */
  readonly answer?: TypeId
}

export interface OperationLayout {
  readonly method: string
  readonly path: string
  /**
   * What answers carry, by status; the preferred media type first, none where there is no content.
   */
  readonly answers: Readonly<Record<string, readonly ContentLayout[]>>
  /** The outcome is a union of `{ status, body }`. */
  readonly byStatus?: true
  readonly pages?: PagesLayout
  /** The scopes that it needs, by the name of the security scheme. */
  readonly scopes?: Readonly<Record<string, readonly string[]>>
}

/** What of a type, or of a member, types have no place for. */
export interface TypeLayout {
  /** What its values must satisfy beyond their shape. */
  readonly rule?: Rule
  /** Not more than one of the alternatives of this union may fit. */
  readonly exactlyOne?: true
  /** What one part of this object names is none of the others of another part. */
  readonly apart?: true
  /** The alternative that is meant where the discriminator says nothing that is known. */
  readonly otherwise?: TypeId
  readonly xml?: XmlLayout
}

export interface ContractLayout {
  /** Rules that others refer to, by id. */
  readonly rules?: Readonly<Record<string, Rule>>
}

export function typeLayout(type: Type | Field): TypeLayout {
  return (type.layout ?? {}) as TypeLayout
}
export function contractLayout(contract: Contract): ContractLayout {
  return (contract.layout ?? {}) as ContractLayout
}
export function parameterLayout(field: Field): ParameterLayout {
  return field.layout as ParameterLayout
}
export function bodyLayout(field: Field): BodyLayout {
  return field.layout as BodyLayout
}
export function faultLayout(fault: Fault): FaultLayout {
  return (fault.layout ?? {}) as FaultLayout
}
export function endpointLayout(endpoint: Endpoint): EndpointLayout | undefined {
  return endpoint.layout as EndpointLayout | undefined
}
export function schemeLayout(scheme: SecurityScheme): SchemeLayout {
  return (scheme.layout ?? {}) as SchemeLayout
}
export function operationLayout(operation: Operation): OperationLayout {
  return operation.layout as OperationLayout
}
/** The type of a whole answer, of which the outcome may be a part. */
export function typeOfAnswer(operation: Operation, { type }: Field): Type {
  const { answer } = operationLayout(operation).pages ?? {}
  return answer === undefined ? type : { kind: 'reference', to: answer }
}

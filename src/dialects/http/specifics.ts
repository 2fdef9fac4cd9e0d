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
import type { XmlSpecifics } from './xml-specifics.js'

/**
 * The facts of HTTP and JSON that the neutral contract can't say; only this dialect looks into
 * them.
 */

/** How a parameter is written. The name is the wire's. */
export interface ParameterSpecifics {
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
export interface ContentSpecifics {
  readonly mediaType: string
  readonly kind: ContentKind
  /** Which of the types it has, where the field's type is a union of those of all contents. */
  readonly at: number
  readonly encoding?: Readonly<Record<string, EncodingSpecifics>>
  /** How the whole stands in XML. */
  readonly xml?: XmlSpecifics
}

/** How a part of a form is written (OpenAPI 3.1, section 4.8.15). */
export interface EncodingSpecifics {
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
export interface BodySpecifics {
  readonly contents: readonly ContentSpecifics[]
  readonly several?: true
}

/** A fault: what it carries, if anything. */
export interface FaultSpecifics {
  readonly content?: ContentSpecifics
}

/** The outcome's type, where it differs by media type. */
export interface OutcomeSpecifics {
  readonly several?: true
}

/** A header of an answer. The name is the wire's. */
export interface HeaderSpecifics {
  readonly name: string
  readonly explode?: true
  readonly json?: true
}

export interface EndpointSpecifics {
  /** The address with the variables in it, and what they may be. */
  readonly template: string
  readonly variables: Readonly<
    Record<string, { readonly default: string; readonly values?: readonly string[] }>
  >
}

/** Where a key goes, and where tokens are had. */
export interface SchemeSpecifics {
  readonly key?: { readonly in: 'header' | 'query' | 'cookie'; readonly name: string }
  readonly tokenUrl?: string
  readonly refreshUrl?: string
  /** The address of an OpenID Connect discovery document. */
  readonly discovery?: string
}

/** How the pages of a list are had. */
export interface PagesSpecifics extends Paging {
  /**
   * The type of a whole answer, which the outcome is a part of; the outcome's own when left out.
   */
  readonly answer?: TypeId
}

export interface OperationSpecifics {
  readonly method: string
  readonly path: string
  /**
   * What answers carry, by status; the preferred media type first, none where there is no content.
   */
  readonly answers: Readonly<Record<string, readonly ContentSpecifics[]>>
  /** The outcome is a union of `{ status, body }`. */
  readonly byStatus?: true
  readonly pages?: PagesSpecifics
  /** The scopes that it needs, by the name of the security scheme. */
  readonly scopes?: Readonly<Record<string, readonly string[]>>
}

/** What of a type, or of a member, types have no place for. */
export interface TypeSpecifics {
  /** What its values must satisfy beyond their shape. */
  readonly rule?: Rule
  /** Not more than one of the alternatives of this union may fit. */
  readonly exactlyOne?: true
  /** What one part of this object names is none of the others of another part. */
  readonly apart?: true
  /** The alternative that is meant where the discriminator says nothing that is known. */
  readonly otherwise?: TypeId
  readonly xml?: XmlSpecifics
  /** How the items of a list stand in XML, where that is not how their type does. */
  readonly itemXml?: XmlSpecifics
}

export interface ContractSpecifics {
  /** Rules that others refer to, by id. */
  readonly rules?: Readonly<Record<string, Rule>>
}

export function typeSpecifics(type: Type | Field): TypeSpecifics {
  return (type.specifics ?? {}) as TypeSpecifics
}
export function contractSpecifics(contract: Contract): ContractSpecifics {
  return (contract.specifics ?? {}) as ContractSpecifics
}
export function parameterSpecifics(field: Field): ParameterSpecifics {
  return field.specifics as ParameterSpecifics
}
export function bodySpecifics(field: Field): BodySpecifics {
  return field.specifics as BodySpecifics
}
export function faultSpecifics(fault: Fault): FaultSpecifics {
  return (fault.specifics ?? {}) as FaultSpecifics
}
export function endpointSpecifics(endpoint: Endpoint): EndpointSpecifics | undefined {
  return endpoint.specifics as EndpointSpecifics | undefined
}
export function schemeSpecifics(scheme: SecurityScheme): SchemeSpecifics {
  return (scheme.specifics ?? {}) as SchemeSpecifics
}
export function operationSpecifics(operation: Operation): OperationSpecifics {
  return operation.specifics as OperationSpecifics
}
/** The type of a whole answer, of which the outcome may be a part. */
export function typeOfAnswer(operation: Operation, { type }: Field): Type {
  const { answer } = operationSpecifics(operation).pages ?? {}
  return answer === undefined ? type : { kind: 'reference', to: answer }
}

import type { AnyQuery, Option, QueryRules } from './query.js'
import type { AnyStructure, Wire } from './model.js'

/** Everything in which the versions of OData differ: v4.ts and v2.ts are the two there are. */
export interface Protocol extends Wire, QueryRules {
  /** The method that changes some properties of an entity. */
  readonly change: 'PATCH' | 'MERGE'
  /** The options that a query may have. */
  readonly options: readonly string[]
  /** A query as options of the address. */
  query(query: AnyQuery, structure: AnyStructure): Option[]
  /** Headers of every request; `wantsBack` asks for the entity as it is afterwards. */
  headers(facts: { readonly hasBody: boolean; readonly wantsBack: boolean }): Record<string, string>
  /** The answer's object or value, out of its wrapping. */
  single(json: unknown): unknown
  /** What an operation of this name returned: an object, or another value. */
  result(json: unknown, name: string, isObject: boolean): unknown
  /** A page of a list. */
  page(json: unknown): {
    readonly rows: unknown
    readonly total: unknown
    readonly next: unknown
    readonly changes: unknown
  }
  /** The service's words for a failure. */
  failure(json: unknown): { readonly code: string; readonly message: string } | undefined
  /**
   * The address below that of an entity at which what it is linked to stands, and what says a
   * target there.
   */
  links(navigation: string): string
  linkTo(address: string): unknown
  /** The address of a link to one of many: by the key of its target, or by its address. */
  oneOfMany(navigation: string, key: string, address: string): string
  /** Can a long query travel in a body (`$query`)? */
  readonly asksInBody: boolean
}

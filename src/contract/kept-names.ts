import type { TypeId } from './contract.js'

/**
 * The identifiers given to a contract's operations and types. Kept from one generation to the next.
 */
export interface KeptNames {
  readonly class?: string
  /** By type id: what it is called in types.ts; its codec is called the same in camelCase. */
  readonly types: Readonly<Record<TypeId, string>>
  readonly codecs: Readonly<Record<TypeId, string>>
  /** By path: the exported function. */
  readonly operations: Readonly<Record<string, string>>
  /** By group of operations: the class that holds them. */
  readonly groups: Readonly<Record<string, string>>
  /** By what an operation is on the wire: its path. */
  readonly paths: Readonly<Record<string, string>>
}

export const noNames: KeptNames = { types: {}, codecs: {}, operations: {}, groups: {}, paths: {} }

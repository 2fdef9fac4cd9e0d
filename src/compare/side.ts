import type { Contract } from '../contract/contract.js'
import type { Names } from '../naming/names.js'
import type { WireFacts } from '../dialects/dialect.js'

/** One of the two contracts: what it has, what that is called, and how it stands on the wire. */
export interface Side {
  readonly contract: Contract
  readonly names: Names
  readonly wire: WireFacts
}

/** The contracts as they were and as they are. */
export interface Sides {
  readonly before: Side
  readonly after: Side
}

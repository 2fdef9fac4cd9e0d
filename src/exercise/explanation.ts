import type { Problem } from '../contract/problem.js'
import type { Exchange } from '../runtime/connection.js'

/**
 * What a person wants to know of a failed call beside what happened: whose side it is on, and what
 * to try.
 */
export interface Explanation {
  readonly side: NonNullable<Problem['side']>
  readonly advice: string
}

/** What is known of a call beside what came of it. */
export interface CallContext {
  /**
   * The name that the contract goes by, and whether it is in a project, where settings have a
   * place.
   */
  readonly contract: string
  readonly isKept: boolean
  readonly address: string
  /** What the dialect says that a status means, and what helps. */
  adviceOn(status: number): { readonly words: string; readonly advice: string } | undefined
  /** The kinds of credentials that the contract declares. */
  readonly declared: readonly string[]
  /** The kinds of credentials that were configured. */
  readonly kinds: readonly string[]
  /**
   * The host in the metadata's own address looks like one that only the service's own network
   * knows.
   */
  readonly isInternal: boolean
}

/** The answer that a call had last, where it had one. */
export type LastAnswer = Exchange['response'] | undefined

/**
 * @param of whose side it is on
 * @param because what happened, as a sentence
 * @param advice what to try
 */
export function explained(
  of: Explanation['side']['of'],
  because: string,
  advice: string,
): Explanation {
  const whose = {
    caller: 'On your side',
    service: "On the service's side",
    between: 'Between you and the service',
  }[of]
  return {
    side: { of, because: `${whose}: ${because.charAt(0).toLowerCase()}${because.slice(1)}` },
    advice,
  }
}

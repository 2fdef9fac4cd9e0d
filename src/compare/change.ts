import type { Origin } from '../contract/contract.js'

/** What a change does to somebody, the worst first. */
export const verdicts = ['break', 'may break', 'fine'] as const
export type Verdict = (typeof verdicts)[number]

/** A verdict, and why. */
export interface Judgement {
  readonly verdict: Verdict
  readonly because: string
}

/** What a change does to the two kinds of people who ask. */
export interface Effect {
  /** To clients that were built before and run against the service as it is now. */
  readonly calls: Judgement
  /** To the caller's source when it is compiled against a client as it would be made now. */
  readonly code: Judgement
}

/** Which way something travels, as the caller sees it. */
export type Direction = 'sent' | 'received'

/** What kind of thing a change happened to. */
export type SubjectKind = 'contract' | 'endpoint' | 'login' | 'operation' | 'type'

/** The thing that changed: what it is called in the client, and the part of it. */
export interface Subject {
  readonly kind: SubjectKind
  /** The path of an operation, the identifier of a type, the name of an endpoint or a login. */
  readonly name: string
  /** The path of the part: a member, an input. Left out where the whole is meant. */
  readonly part?: string
}

/** What happened to the thing. */
export type ChangeKind =
  | 'gone'
  | 'new'
  | 'renamed'
  | 'type'
  | 'limits'
  | 'presence'
  | 'null'
  | 'value gone'
  | 'value new'
  | 'structure'
  | 'wire'
  | 'login'
  | 'address'
  | 'deprecated'
  | 'default'
  | 'words'

/** A name in the generated client, and the member of it that is meant. */
export interface GeneratedName {
  readonly name: string
  readonly member?: string
}

/** One difference between two contracts, and what it does to callers. */
export interface Change extends Effect {
  readonly kind: ChangeKind
  readonly subject: Subject
  /** What it is, in one line of plain words with the names that the caller knows. */
  readonly text: string
  readonly was?: string
  readonly is?: string
  /** Which way it travels, where that matters. */
  readonly travels?: Direction | 'both'
  /** Where it stands in the metadata as it was, and as it is. */
  readonly before?: Origin
  readonly after?: Origin
  /** Paths of the operations that it reaches, in order. */
  readonly operations: readonly string[]
  /** Of those the ones whose running calls it does something to. */
  readonly callers: readonly string[]
  /** What it touches in the generated client. */
  readonly names: readonly GeneratedName[]
  /** What something that is gone is probably called now: a hint, no verdict. */
  readonly probably?: string
  /** It does nothing to anybody, and is told only to who asks for all. */
  readonly quiet?: true
}

/** The worse of two verdicts. */
export function worse(a: Verdict, b: Verdict): Verdict {
  return verdicts.indexOf(a) <= verdicts.indexOf(b) ? a : b
}

/** The worst verdict of changes: `fine` where there are none. */
export function worstOf(changes: readonly Effect[]): { calls: Verdict; code: Verdict } {
  return changes.reduce<{ calls: Verdict; code: Verdict }>(
    (worst, { calls, code }) => ({
      calls: worse(worst.calls, calls.verdict),
      code: worse(worst.code, code.verdict),
    }),
    { calls: 'fine', code: 'fine' },
  )
}

/** Two effects of the same change as one: of each verdict the worse, with its reason. */
export function together(a: Effect, b: Effect): Effect {
  const one = (first: Judgement, second: Judgement): Judgement =>
    verdicts.indexOf(second.verdict) < verdicts.indexOf(first.verdict) ? second : first
  return { calls: one(a.calls, b.calls), code: one(a.code, b.code) }
}

export function breaks(because: string): Judgement {
  return { verdict: 'break', because }
}
export function mayBreak(because: string): Judgement {
  return { verdict: 'may break', because }
}
export function fine(because: string): Judgement {
  return { verdict: 'fine', because }
}

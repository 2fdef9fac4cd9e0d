import { messages, type MessageCode } from './messages.js'
import type { BrokenOperation, KnownPlace } from './contract.js'
import { visible } from './visible.js'

/** What went wrong, as scripts see it (`failure.kind`) and as the exit code tells. */
export type ProblemKind =
  | 'fault'
  | 'input'
  | 'metadata'
  | 'unreachable'
  | 'timeout'
  | 'login'
  | 'breach'
  | 'difference'
  | 'defect'

/** The exit code for each kind; docs/reference.md shows the table. */
export const exitCodes: Readonly<Record<ProblemKind, number>> = {
  fault: 1,
  input: 2,
  metadata: 3,
  unreachable: 4,
  timeout: 4,
  login: 4,
  breach: 5,
  difference: 6,
  defect: 70,
}

/**
 * Where the cause of a failed call lies: with whoever calls, with the service, or on the way
 * between the two.
 */
export type Side = 'caller' | 'service' | 'between'

/**
 * A problem told to the user: what happened, where, what it means, what to try. Made with {@link
 * problem}.
 */
export class Problem extends Error {
  readonly code: MessageCode
  readonly kind: ProblemKind
  readonly place: KnownPlace | undefined
  readonly advice: string
  /** Further lines, one for each single finding (for example every wrong place of an input). */
  readonly details: readonly string[]
  /** Of a failed call: whose side it is on, with a sentence that says why. */
  readonly side: { readonly of: Side; readonly because: string } | undefined

  constructor(code: MessageCode, text: string, advice: string, options: ProblemOptions) {
    super(text, options.cause === undefined ? undefined : { cause: options.cause })
    this.name = 'Problem'
    this.code = code
    this.kind = options.kind ?? messages[code].kind
    this.place = options.place
    this.advice = advice
    this.details = options.details ?? []
    this.side = options.side
  }
}

export interface ProblemOptions {
  readonly place?: KnownPlace | undefined
  readonly details?: readonly string[]
  readonly cause?: unknown
  /** Where one message serves several causes, which one it is this time. */
  readonly kind?: ProblemKind | undefined
  readonly side?: Problem['side']
  /** What to try, where more is known than the catalogue says. */
  readonly advice?: string | undefined
}

/**
 * Makes a {@link Problem} from the catalogue in messages.ts.
 *
 * @param code the message's stable code
 * @param values what fills the template's `{placeholders}`, as text; hidden characters are made
 *   visible
 */
export function problem(
  code: MessageCode,
  values: Readonly<Record<string, string | number>> = {},
  options: ProblemOptions = {},
): Problem {
  const { text, advice } = messages[code]
  return new Problem(code, fill(text, values), options.advice ?? fill(advice, values), options)
}

/** So many of the other things that are wrong are told with a problem. */
const mostOthers = 4

/**
 * Why operations can't be had, to be thrown where they are wanted: what is wrong with the first,
 * with what else is.
 *
 * @param more to be told besides
 */
export function problemOfBroken(
  [first, ...others]: readonly [BrokenOperation, ...BrokenOperation[]],
  ...more: readonly string[]
): Problem {
  const { code, message, advice, details, place } = first.reason
  const also = [...new Set(others.map(({ reason }) => reason.message))].filter(
    (each) => each !== message,
  )
  const left = also.length - mostOthers
  return new Problem(code, message, advice, {
    place,
    details: [
      ...details,
      ...also.slice(0, mostOthers),
      ...(left > 0 ? [`and ${String(left)} more of the kind`] : []),
      ...more,
    ],
  })
}

/** The same problem at a place that more is known of. */
export function withPlace(
  { code, message, advice, details, kind, cause, side }: Problem,
  place: KnownPlace,
): Problem {
  return new Problem(code, message, advice, { place, details, kind, cause, side })
}

/**
 * The text of a catalogue entry with its placeholders filled: for notes, which are told and not
 * thrown.
 */
export function messageText(
  code: MessageCode,
  values: Readonly<Record<string, string | number>> = {},
): string {
  return fill(messages[code].text, values)
}

function fill(template: string, values: Readonly<Record<string, string | number>>): string {
  return template.replace(/\{(\w+)\}/g, (whole, name: string) =>
    name in values ? printable(String(values[name])) : whole,
  )
}

/**
 * Text from a document, safe to print on a terminal: control characters are shown as escapes, and
 * what is very long is cut.
 */
export function printable(text: string, longest = 2000): string {
  const cut =
    text.length > longest ? `${text.slice(0, longest)}… (${text.length} characters)` : text
  return visible(cut)
}

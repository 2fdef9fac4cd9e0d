import type { Field, Origin } from '../contract/contract.js'
import { present } from '../contract/present.js'
import type { WireFact, WireWeight } from '../dialects/dialect.js'
import {
  fine,
  together,
  type Change,
  type ChangeKind,
  type Direction,
  type Effect,
  type GeneratedName,
  type Judgement,
  type Subject,
} from './change.js'

/** A place in the contracts that is being compared, in the words of whoever calls. */
export interface At {
  readonly subject: Subject
  /** What it is in a sentence: `Reservation.Nights`, `the input Nights of quoteDues`. */
  readonly words: string
  readonly directions: readonly Direction[]
  /** Values there are written as texts, whatever they are. */
  readonly isText?: boolean
  readonly before?: Origin
  readonly after?: Origin
  readonly names: readonly GeneratedName[]
}

/** A part of a place: a member of a type, an input inside of an input. */
export function inside(at: At, name: string, before?: Field, after?: Field): At {
  const part = at.subject.part === undefined ? name : `${at.subject.part}.${name}`
  const isType = at.subject.kind === 'type'
  const owner = at.names[0]
  const { before: _before, after: _after, ...rest } = at
  return {
    ...rest,
    subject: { ...at.subject, part },
    words: isType ? `${at.words}.${name}` : `${name} in ${at.words}`,
    names:
      owner === undefined || owner.member !== undefined
        ? at.names
        : [{ name: owner.name, member: name }],
    ...placesOf(at, before, after),
  }
}

/** What only one contract has, stands in that one alone; what is no field stands where it is in. */
function placesOf(at: At, before?: Field, after?: Field): Pick<At, 'before' | 'after'> {
  return before === undefined && after === undefined
    ? present({ before: at.before, after: at.after })
    : present({ before: before?.origin, after: after?.origin })
}

/** What is known of a change before it is known which operations it reaches. */
export interface Draft extends Omit<Change, 'operations' | 'callers'> {
  /** The ways to travel in which it does something to running calls. */
  readonly hurts: readonly Direction[]
}

export interface DraftFacts {
  readonly was?: string | undefined
  readonly is?: string | undefined
  readonly probably?: string | undefined
  readonly quiet?: boolean
}

/**
 * Makes a change of what was found at a place, with the worst that it does in any direction.
 *
 * @param effects one for each direction of the place, or one for all of them
 */
export function draft(
  at: At,
  kind: ChangeKind,
  text: string,
  effects: readonly Effect[],
  { was, is, probably, quiet = false }: DraftFacts = {},
): Draft {
  const { subject, directions, before, after, names } = at
  const [only, ...more] = directions
  return {
    kind,
    subject,
    text,
    ...effects.reduce(together),
    ...present({
      was,
      is,
      probably,
      before,
      after,
      travels: more.length > 0 ? ('both' as const) : only,
    }),
    names,
    hurts: directions.filter(
      (_, index) => (effects[index] ?? effects[0])?.calls.verdict !== 'fine',
    ),
    ...(quiet ? { quiet: true } : {}),
  }
}

/** A change of which it is known which operations it reaches. */
export function settled(
  { hurts, ...made }: Draft,
  operations: readonly string[],
  callers: (hurts: readonly Direction[]) => readonly string[],
): Change {
  return {
    ...made,
    operations,
    callers: made.calls.verdict === 'fine' ? [] : callers(hurts),
  }
}

/** An effect for each direction in which something travels. */
export function each(at: At, effect: (direction: Direction) => Effect): Effect[] {
  return at.directions.map(effect)
}

const nothingInCode = fine('nothing of it is seen in TypeScript')

/** Facts of the wire that differ, by their labels. */
export function compareFacts(
  at: At,
  before: readonly WireFact[],
  after: readonly WireFact[],
): Draft[] {
  const [old, now] = [byLabel(before), byLabel(after)]
  return [...new Set([...old.keys(), ...now.keys()])].flatMap((label) => {
    const [was, is] = [old.get(label), now.get(label)]
    if (was?.value === is?.value) return []
    const weight = weightOf(was, is)
    const when = was?.when ?? is?.when
    const effects = (at.directions.length === 0 ? [undefined] : at.directions).map((way) => ({
      calls: when === undefined || way === undefined || way === when ? weight : unconcerned,
      code: nothingInCode,
    }))
    return [
      draft(at, 'wire', factText(at, label, was, is), effects, {
        was: was?.value,
        is: is?.value,
      }),
    ]
  })
}

const unconcerned = fine('it does not matter to what travels this way')

function byLabel(facts: readonly WireFact[]): Map<string, WireFact> {
  return new Map(facts.map((fact) => [fact.label, fact]))
}

function weightOf(was: WireFact | undefined, is: WireFact | undefined): Judgement {
  const chosen = (): WireWeight | undefined => {
    if (was === undefined) return is?.come
    return is === undefined ? was.gone : is.changed
  }
  const verdict = chosen() ?? 'break'
  return { verdict, because: wireReasons[verdict] }
}

const wireReasons: Readonly<Record<WireWeight, string>> = {
  break: 'running clients go on as it was',
  'may break': 'running clients go on as it was, which matters to some calls',
  fine: 'running clients are still understood',
}

function factText(
  at: At,
  label: string,
  was: WireFact | undefined,
  is: WireFact | undefined,
): string {
  if (was === undefined) return `${at.words}: ${label} is new, ${is?.value ?? ''}`
  if (is === undefined) return `${at.words}: ${label} is gone, it was ${was.value}`
  return `${at.words}: ${label} was ${was.value}, is ${is.value}`
}

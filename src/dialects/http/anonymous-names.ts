import type { NamedType, TypeId } from '../../contract/contract.js'
import { addAll, addTo } from '../../contract/lists.js'
import { compareTexts } from '../../contract/ordering.js'
import { pascalCase, wordsOf } from '../../naming/identifiers.js'

/** Where a type without a name stands. */
export interface PlaceOfType {
  /** From what has a name (an operation, a schema on a shelf) to the type, step by step. */
  readonly steps: readonly string[]
  /** What the description calls it there. */
  readonly title: string | undefined
}

/**
 * Names of more letters than this are read with effort: what is in the middle of a place may go.
 */
const comfortable = 40

/** Words that lead from one to the next: nothing ends with them. */
const leading: ReadonlySet<string> = new Set([
  'by',
  'for',
  'from',
  'in',
  'of',
  'on',
  'to',
  'with',
  'and',
  'or',
  'the',
  'a',
  'an',
])

/** Words that tell nothing of what it is. */
const empty: ReadonlySet<string> = new Set([
  ...leading,
  ...['add', 'create', 'delete', 'do', 'find', 'get', 'list', 'new', 'patch', 'post', 'put'],
  ...['read', 'remove', 'retrieve', 'search', 'set', 'update'],
  ...['all', 'answer', 'base', 'body', 'code', 'data', 'event', 'fault', 'id', 'item', 'items'],
  ...['kind', 'message', 'name', 'object', 'options', 'part', 'request', 'response', 'result'],
  ...['results', 'state', 'status', 'type', 'value', 'values', 'api', 'v1', 'v2', 'v3'],
])

/** Roles of what operations send and answer. */
const isRole = /^(?:Answer|Body|Fault)\d*$/

/**
 * Names for types that a description gives none: their title, or words of where they stand; of what
 * stands in several places what those have in common. Where several would be called the same, each
 * says more of its place.
 *
 * @param types all types of the description; those without places keep their names
 * @returns the names by id
 */
export function namesOfPlaces(
  types: readonly NamedType[],
  places: ReadonlyMap<TypeId, readonly PlaceOfType[]>,
): ReadonlyMap<TypeId, string> {
  const names = new Map<TypeId, string>()
  const taken = new Set<string>()
  for (const type of types) if (!places.has(type.id)) taken.add(pascalCase(type.name).toLowerCase())
  let waiting = types.flatMap((type) => {
    const own = places.get(type.id)
    return own === undefined ? [] : [{ id: type.id, wishes: wishesOf(type, own) }]
  })
  for (let level = 0; waiting.length > 0; level += 1) {
    const byName = new Map<string, typeof waiting>()
    for (const each of waiting)
      addTo(byName, (each.wishes[level] ?? each.wishes.at(-1) ?? '').toLowerCase(), each)
    const still: typeof waiting = []
    for (const [name, wishing] of byName) {
      const isLast = wishing.every(({ wishes }) => level >= wishes.length - 1)
      const isFree = wishing.length === 1 && !taken.has(name)
      for (const each of wishing) {
        // What nothing tells apart keeps the longest: numbers come when clients get their names.
        if (isFree || isLast) names.set(each.id, each.wishes[level] ?? each.wishes.at(-1) ?? '')
        else still.push(each)
      }
      if (isFree || isLast) taken.add(name)
    }
    waiting = still
  }
  return names
}

/** What a type may be called, the best first. */
function wishesOf(type: NamedType, places: readonly PlaceOfType[]): string[] {
  const sorted = [...places].sort((a, b) => shorterFirst(a.steps.join(' '), b.steps.join(' ')))
  const [first] = sorted
  const steps = first?.steps ?? [type.name]
  const title = sorted.find((each) => each.title !== undefined)?.title
  // A part of something named that bears the same title says nothing by it.
  if (title !== undefined && !steps.includes(title))
    return [pascalCase(title), ...placeNames([...steps.slice(0, -1), title]), ...placeNames(steps)]
  const common = commonName(type, sorted)
  return [...(common === undefined ? [] : [common]), ...placeNames(steps)]
}

/**
 * Names made of a place: the whole of it where that is short, else its ends with ever more of what
 * is between.
 */
function placeNames(steps: readonly string[]): string[] {
  const whole = joinedSteps(steps)
  if (whole.length <= comfortable || steps.length < 3) return [whole]
  const [root = '', ...inner] = steps
  const names = inner.map((_, at) => joinedSteps([root, ...inner.slice(-at - 1)]))
  return [...new Set(names)]
}

/** Steps as one name, in which none begins with what stands before it already. */
function joinedSteps(steps: readonly string[]): string {
  const words: string[] = []
  for (const step of steps) {
    const own = wordsOf(step)
    addAll(words, own.slice(overlapOf(words, own)))
  }
  return pascalCase(words.join(' '))
}

/** With how many words others end that these begin with; some are always left. */
function overlapOf(words: readonly string[], own: readonly string[]): number {
  for (let count = Math.min(words.length, own.length - 1); count > 0; count -= 1)
    if (words.slice(-count).every((word, at) => isSame(word, own[at]))) return count
  return 0
}

function isSame(one: string | undefined, other: string | undefined): boolean {
  return one?.toLowerCase() === other?.toLowerCase()
}

/** What the places of a type have in common, where that tells something. */
function commonName(type: NamedType, places: readonly PlaceOfType[]): string | undefined {
  const texts = new Map(places.map(({ steps }) => [steps.join(' '), steps]))
  const [first, ...others] = texts.values()
  if (first === undefined || others.length === 0) return undefined
  const common = others.reduce(
    (words, steps) => shared(words, steps.flatMap(wordsOf)),
    first.flatMap(wordsOf),
  )
  const role = isRole.test(common.at(-1) ?? '') ? common.at(-1) : undefined
  const words = [...(role === undefined ? common : common.slice(0, -1))]
  while (leading.has(words.at(-1)?.toLowerCase() ?? '')) words.pop()
  if (words.some((word) => !empty.has(word.toLowerCase()) && !/^\d+$/.test(word)))
    return pascalCase([...words, ...(role === undefined ? [] : [role])].join(' '))
  const lastRole = roleOf(first)
  return lastRole === undefined ? undefined : memberName(type, lastRole)
}

/** What all operations answer alike is called after what is in it. */
function memberName(type: NamedType, role: string): string | undefined {
  if (type.kind !== 'record' || type.fields.length === 0) return undefined
  const members = type.fields.slice(0, type.fields.length > 3 ? 2 : 3).map((field) => field.name)
  return pascalCase([...members, role].join(' '))
}

function roleOf(steps: readonly string[]): string | undefined {
  const last = steps.at(-1) ?? ''
  return isRole.test(last) ? last.replace(/\d+$/, '') : undefined
}

/** The longest run of words, with gaps, that two lists of words have in common. */
function shared(one: readonly string[], other: readonly string[]): string[] {
  const lengths = Array.from({ length: one.length + 1 }, () =>
    new Array<number>(other.length + 1).fill(0),
  )
  const at = (i: number, j: number): number => lengths[i]?.[j] ?? 0
  for (let i = one.length - 1; i >= 0; i -= 1)
    for (let j = other.length - 1; j >= 0; j -= 1) {
      const row = lengths[i]
      if (row !== undefined)
        row[j] = isSame(one[i], other[j])
          ? at(i + 1, j + 1) + 1
          : Math.max(at(i + 1, j), at(i, j + 1))
    }
  const words: string[] = []
  for (let [i, j] = [0, 0]; i < one.length && j < other.length;)
    if (isSame(one[i], other[j])) {
      words.push(one[i] ?? '')
      i += 1
      j += 1
    } else if (at(i + 1, j) >= at(i, j + 1)) i += 1
    else j += 1
  return words
}

/** An order of texts that does not depend on where they come from. */
export function shorterFirst(a: string, b: string): number {
  return a.length - b.length || compareTexts(a, b)
}

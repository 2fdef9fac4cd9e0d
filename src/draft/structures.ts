import { addTo } from '../contract/lists.js'
import { hasForm } from './seen-texts.js'
import { Seen, type JsonRecord } from './seen.js'

/** Records that are told apart by a member of theirs. */
export interface Alternatives {
  /** The member that tells. */
  readonly by: string
  readonly places: ReadonlyMap<string, Seen>
}

/** What became of the places where records stand, once all were looked at together. */
export interface Structures {
  /** Records whose members are keys: what lies under the keys. */
  readonly maps: ReadonlyMap<Seen, Seen>
  readonly alternatives: ReadonlyMap<Seen, Alternatives>
  /** The places of all other records, each once. */
  readonly records: readonly Seen[]
}

/**
 * Looks at all records together: which are maps, which are one of several things, and which are the
 * same wherever they stand. What turns out to be the same may show that more is.
 *
 * @param roots the places of whole requests and answers
 */
export function structuresOf(roots: readonly Seen[]): Structures {
  const split = new Map<Seen, Alternatives & { readonly of: number }>()
  for (;;) {
    const found = lookAt(roots, split)
    if (!joinAlike(found.records)) return found
  }
}

/** @param split what was told apart before, with the number of records that it was made of */
function lookAt(
  roots: readonly Seen[],
  split: Map<Seen, Alternatives & { readonly of: number }>,
): Structures {
  const maps = new Map<Seen, Seen>()
  const alternatives = new Map<Seen, Alternatives>()
  const records: Seen[] = []
  const waiting = [...roots]
  const looked = new Set<Seen>()
  const lookInto = (place: Seen): void => {
    records.push(place)
    for (const { seen } of place.members.values()) waiting.push(seen)
  }
  for (let next = waiting.pop(); next !== undefined; next = waiting.pop()) {
    const place = next.now
    if (looked.has(place)) continue
    looked.add(place)
    if (place.items !== undefined) waiting.push(place.items)
    if (place.records.length === 0) continue
    const before = split.get(place)
    const several = before?.of === place.records.length ? before : severalThings(place)
    const under = several === undefined ? mapOf(place) : undefined
    if (several !== undefined) {
      split.set(place, { ...several, of: place.records.length })
      alternatives.set(place, several)
      for (const each of several.places.values())
        if (!looked.has(each.now)) {
          looked.add(each.now)
          lookInto(each.now)
        }
    } else if (under === undefined) lookInto(place)
    else {
      maps.set(place, under)
      waiting.push(under)
    }
  }
  return { maps, alternatives, records }
}

/** Members that usually say what a record is, the surest first. */
const tellers = /^(?:[@$_]?type|kind|[@$_]?class|category|[a-z]*(?:Type|Kind))$/
const mostThings = 8

/** Records of several kinds in one place, where a member tells which. */
function severalThings(place: Seen): Alternatives | undefined {
  if (place.records.length < 4) return undefined
  const always = [...place.members].filter(
    ([name, { count, seen }]) =>
      tellers.test(name) &&
      count === place.records.length &&
      seen.now.texts.count === seen.now.count &&
      (seen.now.texts.told?.size ?? mostThings + 1) <= mostThings,
  )
  for (const [by] of always) {
    const groups = new Map<string, JsonRecord[]>()
    for (const record of place.records) addTo(groups, String(record[by]), record)
    const names = [...groups.values()].map(
      (group) => new Set(group.flatMap((record) => Object.keys(record))),
    )
    // What has nothing of its own is no thing of its own.
    const own = names.map(
      (each) =>
        [...each].filter((name) => !names.some((other) => other !== each && other.has(name)))
          .length,
    )
    if (groups.size < 2 || own.filter((count) => count > 0).length < groups.size - 1) continue
    return {
      by,
      places: new Map(
        [...groups].map(([tag, group]) => {
          const one = new Seen(place.way, [...place.path, tag], place.isXml)
          one.element = place.element
          for (const record of group) one.see(record)
          return [tag, one]
        }),
      ),
    }
  }
  return undefined
}

/** So many members are evidence that they are keys. */
const leastKeys = 3
/** Names that nobody gives to members: numbers, UUIDs, dates, long hexadecimal ones, codes. */
function isKey(name: string): boolean {
  return (
    /^\d+$/.test(name) ||
    hasForm(name, 'uuid') ||
    hasForm(name, 'date') ||
    hasForm(name, 'dateTime') ||
    /^[\da-f]{8,}$/i.test(name) ||
    /^[A-Z]{1,5}[-_]?\d{2,}$/.test(name)
  )
}

/** What lies under the keys of records whose members are keys; undefined where they are none. */
function mapOf(place: Seen): Seen | undefined {
  const names = [...place.members.keys()]
  const places = [...place.members.values()].map(({ seen }) => seen.now)
  const areKeys = names.length > 0 && names.every(isKey)
  const varies =
    place.records.length >= 3 &&
    names.length >= 2 * leastKeys &&
    [...place.members.values()].every(({ count }) => count <= place.records.length / 2)
  const isMap =
    (areKeys && (names.length >= leastKeys || place.records.length >= leastKeys)) || varies
  if (!isMap || new Set(places.map(kindOf)).size > 1) return undefined
  const [under, ...others] = places
  for (const each of others) under?.now.join(each)
  under?.now.callAfter(place.path, places.length + 1)
  return under?.now
}

/** What stands in a place, in a word. */
function kindOf(place: Seen): string {
  if (place.records.length > 0) return 'record'
  if (place.lists.count > 0) return 'list'
  if (place.texts.count > 0) return 'text'
  if (place.numbers.count > 0) return 'number'
  return place.booleans > 0 ? 'boolean' : 'nothing'
}

/** Records are nearly equal that have so much in common. */
const nearlyEqual = 0.75
const leastInCommon = 2

/** Joins records that are equal or nearly equal. @returns were there any? */
function joinAlike(records: readonly Seen[]): boolean {
  let isAny = false
  while (joinOnce([...new Set(records.map((each) => each.now))])) isAny = true
  return isAny
}

/** Compares each record with those only that have a rare member in common with it. */
function joinOnce(places: readonly Seen[]): boolean {
  let isAny = false
  const having = new Map<string, Seen[]>()
  for (const place of places) for (const name of place.members.keys()) addTo(having, name, place)
  for (const place of places) {
    const rarest = [...place.members.keys()]
      .sort((a, b) => (having.get(a)?.length ?? 0) - (having.get(b)?.length ?? 0))
      .slice(0, 3)
    for (const name of rarest)
      for (const other of (having.get(name) ?? []).slice(0, 50)) {
        if (other.now === place.now || !areAlike(place.now, other.now)) continue
        place.now.join(other.now)
        isAny = true
      }
  }
  return isAny
}

/**
 * Are two records equal or nearly equal, with what lies in them?
 *
 * @param asked pairs that are being compared: what contains itself is alike where all else is
 */
function areAlike(one: Seen, other: Seen, asked: readonly (readonly [Seen, Seen])[] = []): boolean {
  if (one === other || asked.some(([a, b]) => a === one && b === other)) return true
  if (one.isXml !== other.isXml) return false
  const shared = [...one.members.keys()].filter((name) => other.members.has(name))
  const all = one.members.size + other.members.size - shared.length
  const isEqual = shared.length === all
  if (one.way !== other.way && !isEqual) return false
  if (shared.length < leastInCommon && !(isEqual && one.path.at(-1) === other.path.at(-1)))
    return false
  return (
    shared.length / all >= nearlyEqual &&
    shared.every((name) => {
      const [a, b] = [one, other].map((each) => each.members.get(name)?.seen.now)
      return a !== undefined && b !== undefined && holdAlike(a, b, [...asked, [one, other]])
    })
  )
}

/** Do two places hold things that are alike, as far as they hold any? */
function holdAlike(one: Seen, other: Seen, asked: readonly (readonly [Seen, Seen])[]): boolean {
  const kinds = [kindOf(one), kindOf(other)]
  if (kinds.includes('nothing')) return true
  if (kinds[0] !== kinds[1]) return false
  if (kinds[0] === 'record') return areAlike(one, other, asked)
  const [items, others] = [one.items?.now, other.items?.now]
  return (
    kinds[0] !== 'list' ||
    items === undefined ||
    others === undefined ||
    holdAlike(items, others, asked)
  )
}

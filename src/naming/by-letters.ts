import { addTo } from '../contract/lists.js'
import { byName } from '../contract/ordering.js'
import { wordsOf } from './identifiers.js'

/**
 * The things of a part that is too large, by the first letters of their names; words that all of
 * them begin with don't count.
 *
 * @param most so many may be in one part
 */
export function byLetters(
  part: string,
  ids: readonly string[],
  nameOf: (id: string) => string,
  most: number,
): [part: string, ids: readonly string[]][] {
  if (ids.length <= most) return [[part, ids]]
  const words = new Map(ids.map((id) => [id, wordsOf(nameOf(id))]))
  const [first = []] = words.values()
  const shared = first.findIndex((word, at) => [...words.values()].some((own) => own[at] !== word))
  const restOf = (id: string): string =>
    words.get(id)?.slice(Math.max(shared, 0)).join('').toLowerCase() ?? ''
  const stretches = joinedUp(lettered(ids, restOf, 1, most), most)
  return stretches.map(({ from, to, ids: own }) => [
    from === to ? `${part}-${from}` : `${part}-${from}-to-${to}`,
    own,
  ])
}

/** Things whose names begin with letters from one to another. */
interface Stretch {
  readonly from: string
  readonly to: string
  readonly ids: string[]
}

/** Names are not told apart by more letters than these. */
const mostLetters = 12

/** Things by their first letters, by more of them where there are too many. */
function lettered(
  ids: readonly string[],
  restOf: (id: string) => string,
  count: number,
  most: number,
): Stretch[] {
  const byLetter = new Map<string, string[]>()
  for (const id of ids) addTo(byLetter, [...restOf(id)].slice(0, count).join(''), id)
  return byName(byLetter).flatMap(([letters, own]) =>
    own.length <= most || count === mostLetters
      ? [{ from: letters, to: letters, ids: own }]
      : lettered(own, restOf, count + 1, most),
  )
}

/** Neighbours together, as long as there are not too many. */
function joinedUp(stretches: readonly Stretch[], most: number): Stretch[] {
  const joined: Stretch[] = []
  for (const each of stretches) {
    const last = joined.at(-1)
    if (last !== undefined && last.ids.length + each.ids.length <= most)
      joined[joined.length - 1] = { from: last.from, to: each.to, ids: [...last.ids, ...each.ids] }
    else joined.push(each)
  }
  return joined
}

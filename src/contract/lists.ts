/**
 * Adds many things to a list, however many: as arguments of one call they would have to fit on the
 * stack.
 */
export function addAll<Item>(list: Item[], items: Iterable<Item>): void {
  for (const item of items) list.push(item)
}

/** The largest of numbers, however many. @param least what it is where there are none */
export function largest(numbers: Iterable<number>, least = -Infinity): number {
  let found = least
  for (const number of numbers) if (number > found) found = number
  return found
}

/** Adds something to the list that a map has under a key. */
export function addTo<Key, Item>(map: Map<Key, Item[]>, key: Key, item: Item): void {
  const list = map.get(key)
  if (list === undefined) map.set(key, [item])
  else list.push(item)
}

/**
 * Adds many things to the list that a map has under a key, which is there afterwards though there
 * are none.
 */
export function addEach<Key, Item>(map: Map<Key, Item[]>, key: Key, items: Iterable<Item>): void {
  const list = map.get(key)
  if (list === undefined) map.set(key, [...items])
  else addAll(list, items)
}

/** Things by what they have in common; only those that nothing else has it with. */
export function alone<T>(things: readonly T[], key: (thing: T) => string): Map<string, T> {
  const groups = new Map<string, T[]>()
  for (const thing of things) addTo(groups, key(thing), thing)
  return new Map(
    [...groups].flatMap(([name, [first, ...others]]) =>
      first === undefined || others.length > 0 ? [] : [[name, first] as const],
    ),
  )
}

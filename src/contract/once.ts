/** What is found out about something that never changes, found out once. */
export function once<K extends object, V>(known: WeakMap<K, V>, key: K, find: () => V): V {
  let found = known.get(key)
  if (found === undefined) known.set(key, (found = find()))
  return found
}

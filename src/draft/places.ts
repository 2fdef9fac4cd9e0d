import { setOwn } from '../runtime/plain.js'

/** A place of a description: the keys that lead to it. */
export type Place = readonly string[]

/** What is in a place of plain data; undefined where there is none. */
export function valueAt(value: unknown, place: Place): unknown {
  let found = value
  for (const key of place)
    found =
      typeof found === 'object' && found !== null && Object.hasOwn(found, key)
        ? (found as Record<string, unknown>)[key]
        : undefined
  return found
}

/** Puts a value into a place of plain data, which is changed; what leads there is made. */
export function putAt(data: object, place: Place, value: unknown): void {
  let at = data as Record<string, unknown>
  for (const key of place.slice(0, -1)) {
    const next = Object.hasOwn(at, key) ? at[key] : undefined
    const made = typeof next === 'object' && next !== null ? next : {}
    if (made !== next) setOwn(at, key, made)
    at = made as Record<string, unknown>
  }
  setOwn(at, place.at(-1) ?? '', value)
}

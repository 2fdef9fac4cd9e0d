import type { NamedType, TypeId } from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'

/** What a type is beside its name: a text, and the types that it refers to, in order. */
export interface TypeShape {
  readonly text: string
  readonly refersTo: readonly TypeId[]
}

/** What is said of a type for people makes no other type of it. */
const forPeople: ReadonlySet<string> = new Set(['origin', 'documentation', 'example'])

/** Members that hold data, and no types. */
const data: ReadonlySet<string> = new Set(['specifics', 'default', 'fixed', 'openExample'])

/** The shape of a type: equal texts and equal types referred to mean equal types. */
export function shapeOf({ id: _id, name: _name, ...type }: NamedType): TypeShape {
  const pieces: string[] = []
  const refersTo: TypeId[] = []
  const write = (value: unknown): void => {
    if (Array.isArray(value)) {
      pieces.push('[')
      value.forEach(write)
      pieces.push(']')
    } else if (typeof value === 'object' && value !== null) writeMembers(value)
    else pieces.push(JSON.stringify(value) ?? '', ',')
  }
  const writeMembers = (node: object): void => {
    pieces.push('{')
    for (const [key, value] of Object.entries(node) as [string, unknown][]) {
      if (forPeople.has(key)) continue
      pieces.push(key, ':')
      if (key === 'to') refersTo.push(String(value))
      else if (key === 'mapping')
        for (const [word, id] of Object.entries(value as Record<string, TypeId>)) {
          pieces.push(JSON.stringify(word), ',')
          refersTo.push(id)
        }
      else if (data.has(key)) pieces.push(JSON.stringify(value), ',')
      else write(value)
    }
    pieces.push('}')
  }
  writeMembers(type)
  return { text: pieces.join(''), refersTo }
}

/**
 * Numbers for types, the same for those that are the same: equal in what they are (`kinds`), and in
 * what they refer to, down to the last. Circles are equal when they run alike.
 *
 * What is taken for one is split where it turns out to differ, and only what refers to a type that
 * was split off is looked at again: chains of types are as long as they like.
 *
 * @param kinds of each type, what must be equal before anything is compared
 */
export function classesOf(
  kinds: ReadonlyMap<TypeId, string>,
  shapes: ReadonlyMap<TypeId, TypeShape>,
): ReadonlyMap<TypeId, number> {
  const users = new Map<TypeId, TypeId[]>()
  const sizes: number[] = []
  const numbers = new Map<string, number>()
  const classes = new Map<TypeId, number>()
  for (const [id, kind] of kinds) {
    const { text = '', refersTo = [] } = shapes.get(id) ?? {}
    const key = `${kind}\n${text}`
    const number = numbers.get(key) ?? numbers.size
    numbers.set(key, number)
    classes.set(id, number)
    sizes[number] = (sizes[number] ?? 0) + 1
    for (const to of refersTo) addTo(users, to, id)
  }
  const refersTo = (id: TypeId): string =>
    (shapes.get(id)?.refersTo ?? []).map((to) => classes.get(to) ?? to).join('\n')
  for (let waiting = new Set(kinds.keys()); waiting.size > 0;) {
    const groups = new Map<number, Map<string, TypeId[]>>()
    for (const id of waiting) {
      const number = classes.get(id) ?? 0
      const byKey = groups.get(number) ?? new Map<string, TypeId[]>()
      groups.set(number, byKey)
      addTo(byKey, refersTo(id), id)
    }
    waiting = new Set()
    for (const [number, byKey] of groups) {
      const parts = [...byKey.values()].sort((a, b) => b.length - a.length)
      const looked = parts.reduce((sum, part) => sum + part.length, 0)
      // Where all of a class were looked at, the most of them stay what they are.
      for (const part of looked === sizes[number] ? parts.slice(1) : parts) {
        sizes[number] = (sizes[number] ?? 0) - part.length
        const own = sizes.push(part.length) - 1
        for (const id of part) classes.set(id, own)
        for (const id of part) for (const user of users.get(id) ?? []) waiting.add(user)
      }
    }
    // Types that nothing is asked of stay out of it.
    for (const id of waiting) if (!classes.has(id)) waiting.delete(id)
  }
  return classes
}

import type { NamedType, TypeId } from '../../contract/contract.js'

/** What a type is beside its name: a text, and the types that it refers to, in order. */
export interface TypeShape {
  readonly text: string
  readonly refersTo: readonly TypeId[]
}

/** What is said of a type for people makes no other type of it. */
const forPeople: ReadonlySet<string> = new Set(['origin', 'documentation', 'example'])

/** Members that hold data, and no types. */
const data: ReadonlySet<string> = new Set(['layout', 'default', 'fixed', 'openExample'])

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
 * @param kinds of each type, what must be equal before anything is compared
 */
export function classesOf(
  kinds: ReadonlyMap<TypeId, string>,
  shapes: ReadonlyMap<TypeId, TypeShape>,
): ReadonlyMap<TypeId, number> {
  let classes = numbered(
    kinds.keys(),
    (id) => `${kinds.get(id) ?? ''}\n${shapes.get(id)?.text ?? ''}`,
  )
  for (let before = 0, now = new Set(classes.values()).size; now > before;) {
    const last = classes
    classes = numbered(kinds.keys(), (id) =>
      [last.get(id), ...(shapes.get(id)?.refersTo ?? []).map((to) => last.get(to) ?? to)].join(
        '\n',
      ),
    )
    before = now
    now = new Set(classes.values()).size
  }
  return classes
}

function numbered(ids: Iterable<TypeId>, keyOf: (id: TypeId) => string): Map<TypeId, number> {
  const numbers = new Map<string, number>()
  const found = new Map<TypeId, number>()
  for (const id of ids) {
    const key = keyOf(id)
    const number = numbers.get(key) ?? numbers.size
    numbers.set(key, number)
    found.set(id, number)
  }
  return found
}

/** A place in a value: the object or list, and the key or index in it. */
interface Place {
  readonly holder: Record<string, unknown> | unknown[]
  readonly key: string | number
  readonly path: string
}

/**
 * A copy of a value with one mistake, or what may be one: a member left out, one added from another
 * value of the same type, a list made longer or shorter, a text or a number changed. Which it is
 * follows from `seed`.
 */
export function mutantOf(
  value: unknown,
  other: unknown,
  seed: number,
): { value: unknown; mutation: string } {
  const copy = structuredClone(value)
  const places = placesIn(copy, '')
  const random = generator(seed)
  const place = places[Math.floor(random() * places.length)]
  if (place === undefined)
    return { value: { ...(copy as object), surplus: 'x' }, mutation: 'surplus member' }
  const { holder, key, path } = place
  const each = (holder as Record<string | number, unknown>)[key]
  const kind = Math.floor(random() * 4)
  if (kind === 0 || (kind === 1 && Array.isArray(holder))) {
    if (Array.isArray(holder)) holder.splice(Number(key), 1)
    else Reflect.deleteProperty(holder, key)
    return { value: copy, mutation: `without ${path}` }
  }
  if (kind === 1) {
    // Members of the same record in another value.
    const twin = at(other, path.split('.').slice(0, -1))
    if (typeof twin === 'object' && twin !== null && !Array.isArray(twin))
      for (const [name, member] of Object.entries(twin))
        if (name !== '$is' && !Object.hasOwn(holder, name))
          (holder as Record<string, unknown>)[name] = member
    return { value: copy, mutation: `with more beside ${path}` }
  }
  const changed =
    Array.isArray(each) && kind === 2
      ? [...(each as unknown[]), ...(each as unknown[])]
      : scalarMutant(each, random)
  ;(holder as Record<string | number, unknown>)[key] = changed
  return { value: copy, mutation: `changed ${path}` }
}

function placesIn(value: unknown, path: string): Place[] {
  if (typeof value !== 'object' || value === null || value instanceof Uint8Array) return []
  const keys = Array.isArray(value)
    ? value.map((_, index) => index)
    : Object.keys(value).filter((key) => key !== '$is')
  return keys.flatMap((key) => {
    const inner = path === '' ? String(key) : `${path}.${String(key)}`
    return [
      { holder: value as Place['holder'], key, path: inner },
      ...placesIn((value as Record<string | number, unknown>)[key], inner),
    ]
  })
}

function at(value: unknown, path: readonly string[]): unknown {
  return path.reduce<unknown>(
    (found, key) =>
      typeof found === 'object' && found !== null
        ? (found as Record<string, unknown>)[key]
        : undefined,
    value,
  )
}

/**
 * Another value of the same kind in JavaScript, so that only the contract can tell whether it is
 * wrong.
 */
function scalarMutant(value: unknown, random: () => number): unknown {
  const pick = <T>(values: readonly T[]): T => values[Math.floor(random() * values.length)] as T
  switch (typeof value) {
    case 'string':
      return pick(['', 'x', value + value, value.slice(1), '2026-02-30', '1.5', 'P1D'])
    case 'number':
      return pick([0, -1, 7, 2 ** 31, 255])
    case 'bigint':
      return pick([0n, -1n, 2n ** 63n, 9007199254740993n])
    case 'object':
      return value instanceof Uint8Array ? new Uint8Array([...value, 1]) : value
    default:
      return value
  }
}

/** Numbers from 0 to 1 that follow from a seed. */
function generator(seed: number): () => number {
  let state = (seed + 1) * 2654435761
  return () => {
    state = (state ^ (state << 13)) >>> 0
    state = (state ^ (state >>> 17)) >>> 0
    state = (state ^ (state << 5)) >>> 0
    return state / 2 ** 32
  }
}

/** What is there of an object's members. */
export type PresentMembers<T> = { [K in keyof T]?: Exclude<T[K], undefined> }

/** An object without the members that are undefined. */
export function present<T extends object>(members: T): PresentMembers<T> {
  const there: Record<string, unknown> = {}
  for (const [name, value] of Object.entries(members)) if (value !== undefined) there[name] = value
  return there as PresentMembers<T>
}

/** Of some facts those that are so. */
export function marked<Name extends string>(
  facts: Readonly<Record<Name, boolean>>,
): {
  readonly [Each in Name]?: true
} {
  const so: Partial<Record<Name, true>> = {}
  for (const name of Object.keys(facts) as Name[]) if (facts[name]) so[name] = true
  return so
}

/** Of lists and records those that are not empty. */
export function filled<T extends Readonly<Record<string, object>>>(members: T): Partial<T> {
  const there: Record<string, object> = {}
  for (const [name, value] of Object.entries(members))
    if (Object.keys(value).length > 0) there[name] = value
  return there as Partial<T>
}

/** A value of the drafted description with a reason, which stands as a comment beside it. */
export class Remarked {
  readonly value: unknown
  readonly remark: string

  constructor(value: unknown, remark: string) {
    this.value = value
    this.remark = remark
  }
}

/** A value without the reasons in it. */
export function plainOf(value: unknown): unknown {
  if (value instanceof Remarked) return plainOf(value.value)
  if (Array.isArray(value)) return value.map(plainOf)
  if (typeof value !== 'object' || value === null) return value
  return Object.fromEntries(Object.entries(value).map(([name, each]) => [name, plainOf(each)]))
}

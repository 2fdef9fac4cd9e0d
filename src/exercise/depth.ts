/** Values that are nested more deeply than this are shown by nothing. */
export const deepest = 1000

/**
 * Is a value nested more deeply than that? Looked at level by level, since it may be much deeper.
 */
export function isTooDeeplyNested(value: unknown): boolean {
  let level: unknown[] = [value]
  for (let depth = 0; level.length > 0; depth += 1) {
    if (depth > deepest) return true
    const next: unknown[] = []
    for (const each of level) {
      if (typeof each !== 'object' || each === null || ArrayBuffer.isView(each)) continue
      for (const inside of Array.isArray(each) ? each : Object.values(each))
        if (typeof inside === 'object' && inside !== null) next.push(inside)
    }
    level = next
  }
  return false
}

import type { Operation } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { camelCase, pascalCase, wordsOf } from './identifiers.js'

/** Last steps of operations' paths, in small letters, that only one of them has. */
export function namesAlone(paths: readonly (readonly string[])[]): ReadonlySet<string> {
  const counts = new Map<string, number>()
  for (const path of paths) {
    const last = lastOf(path)
    counts.set(last, (counts.get(last) ?? 0) + 1)
  }
  return new Set([...counts].filter(([, count]) => count === 1).map(([last]) => last))
}

/**
 * What an operation's function is called when nothing is in the way: `createBooking`. A name that
 * others have as well needs its group outside of that, `createBookings`; and so does a single word
 * that the metadata itself puts beside its group.
 *
 * @param alone the last steps that no other operation has
 */
export function ownName(
  operation: Pick<Operation, 'path' | 'tags' | 'shortened'>,
  alone: ReadonlySet<string>,
): string {
  const last = operation.path.at(-1) ?? ''
  const group = groupOf(operation)
  if (group === undefined) return camelCase(last)
  const names = last.toLowerCase().includes(pascalCase(group).toLowerCase())
  const isWhole =
    operation.shortened === true
      ? wordsOf(last).length > 1
      : operation.tags?.some((tag) => camelCase(tag) === group) === true
  return camelCase(
    names || (isWhole && alone.has(lastOf(operation.path))) ? last : `${last} ${group}`,
  )
}

function lastOf(path: readonly string[]): string {
  return camelCase(path.at(-1) ?? '').toLowerCase()
}

import { addTo } from '../../contract/lists.js'
import type { PlacedChange } from '../compare-contracts.js'

/** A change, and others that are the same but for the thing that they happened to. */
export interface FoldedChange {
  readonly first: PlacedChange
  /** The names of those things. */
  readonly others: readonly string[]
}

/** From so many on the same is told once. */
const fewest = 3

/**
 * Changes of which those that are the same but for the type or operation are told once, in the
 * order of the first of them.
 */
export function foldChanges(changes: readonly PlacedChange[]): FoldedChange[] {
  const alike = new Map<string, PlacedChange[]>()
  for (const change of changes) addTo(alike, likeness(change), change)
  return changes.flatMap((change) => {
    const all = alike.get(likeness(change)) ?? []
    if (all.length < fewest) return [{ first: change, others: [] }]
    return change === all[0]
      ? [{ first: change, others: all.slice(1).map(({ subject }) => subject.name) }]
      : []
  })
}

function likeness({ kind, subject, text, calls, code, uses }: PlacedChange): string {
  // Whoever has lines of his own to look at wants to see them.
  if (uses !== undefined) return JSON.stringify([subject, text])
  const same = text.replaceAll(subject.name, () => '…')
  return JSON.stringify([kind, subject.kind, same, calls.verdict, code.verdict])
}

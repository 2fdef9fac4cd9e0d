import { addTo } from '../../contract/lists.js'
import type { Note } from '../../contract/contract.js'

/** Notes of one kind, as people want to read them: the first of them, and where the others are. */
export interface FoldedNote {
  readonly first: Note
  /** The others; none where it stands alone. */
  readonly others: readonly Note[]
}

/** What a person has to know first. */
const order: readonly Note['effect'][] = ['refused', 'approximated', 'ignored']

/** So many notes of one kind still stand one by one. */
const mostApart = 2

/** Notes with those of one kind as one, refusals first. */
export function foldNotes(notes: readonly Note[]): FoldedNote[] {
  return order.flatMap((effect) => {
    const kinds = new Map<string, Note[]>()
    for (const note of notes) if (note.effect === effect) addTo(kinds, note.code, note)
    return [...kinds.values()].flatMap((kind): FoldedNote[] => {
      const [first, ...others] = kind
      if (first === undefined || kind.length <= mostApart)
        return kind.map((note) => ({ first: note, others: [] }))
      return [{ first, others }]
    })
  })
}

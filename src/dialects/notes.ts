import type { Note, Origin } from '../contract/contract.js'
import type { MessageCode } from '../contract/messages.js'
import { messageText } from '../contract/problem.js'
import type { HearRepair } from '../documents/data-tree.js'

/** Collects the notes of one reading: each once, given back in the order of the documents. */
export class Notes {
  private readonly kept = new Map<string, Note>()

  add(
    effect: Note['effect'],
    code: MessageCode,
    values: Readonly<Record<string, string | number>>,
    origin: Origin,
  ): void {
    const message = messageText(code, values)
    const place = `${origin.document} ${String(origin.line).padStart(9, '0')} ${String(origin.column).padStart(9, '0')}`
    this.kept.set(`${place} ${code} ${message}`, { code, effect, message, origin })
  }

  all(): Note[] {
    return [...this.kept].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, note]) => note)
  }
}

/** Takes note of what was broken in a document of JSON or YAML, and is taken all the same. */
export function repairsInto(notes: Notes): HearRepair {
  return (what, place) => notes.add('approximated', 'TM-2019', { what }, place)
}

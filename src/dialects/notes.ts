import type { Note, Origin } from '../contract/contract.js'
import type { MessageCode } from '../contract/messages.js'
import { byName } from '../contract/ordering.js'
import { messageText } from '../contract/problem.js'
import type { HearRepair } from '../documents/data-tree.js'
import type { Documents } from '../documents/documents.js'
import { placeOf } from '../documents/places.js'

/** Collects the notes of one reading: each once, given back in the order of the documents. */
export class Notes {
  private readonly documents: Pick<Documents, 'all'>
  private readonly kept = new Map<string, Omit<Note, 'origin'> & { readonly origin: Origin }>()

  constructor(documents: Pick<Documents, 'all'>) {
    this.documents = documents
  }

  add(
    effect: Note['effect'],
    code: MessageCode,
    values: Readonly<Record<string, string | number>>,
    origin: Origin,
  ): void {
    const message = messageText(code, values)
    this.kept.set(`${String(origin)} ${code} ${message}`, { code, effect, message, origin })
  }

  all(): Note[] {
    const documents = this.documents.all()
    const notes = [...this.kept.values()].map((note): Note => ({
      ...note,
      origin: placeOf(documents, note.origin),
    }))
    const key = ({ origin, code, message }: Note): string =>
      `${origin.document} ${digits(origin.line)} ${digits(origin.column)} ${code} ${message}`
    return byName(notes.map((note) => [key(note), note])).map(([, note]) => note)
  }
}

function digits(number: number): string {
  return String(number).padStart(9, '0')
}

/** Takes note of what was broken in a document of JSON or YAML, and is taken all the same. */
export function repairsInto(notes: Notes): HearRepair {
  return (what, origin) => notes.add('approximated', 'TM-2019', { what }, origin)
}

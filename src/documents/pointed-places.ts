import type { PlaceInDocument } from '../contract/contract.js'
import type { DataNode } from './data-node.js'

/** Behind so many characters of a line nobody counts: a JSON Pointer says where it is. */
const countable = 200

/** Longer pointers lose what is in their middle. */
const longest = 160

function shortened(pointer: string): string {
  if (pointer.length <= longest) return pointer
  return `${pointer.slice(0, longest - 30)}…${pointer.slice(-28)}`
}

type PlaceInText = Partial<PlaceInDocument> & Pick<PlaceInDocument, 'document'>

/** Is a place so far behind in its line that only a JSON Pointer finds it? */
function needsPointer({ column }: PlaceInText): boolean {
  return (column ?? 0) > countable
}

/**
 * JSON Pointers (RFC 6901) for places that lie far behind in a line: most documents that programs
 * write are one line long.
 *
 * @param roots the trees of the documents
 * @returns for a place its pointer, as the fragment of an address; undefined where none is needed
 */
export function pointersFor(
  roots: readonly DataNode[],
  places: readonly PlaceInText[],
): (place: PlaceInText) => string | undefined {
  const key = ({ document, line, column }: PlaceInText): string =>
    `${document}:${String(line)}:${String(column)}`
  const wanted = new Set(places.filter(needsPointer).map(key))
  const found = new Map<string, string>()
  const waiting = wanted.size === 0 ? [] : [...roots]
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
    const place = key(node.place)
    // Several nodes of a translation stand where one stood: the outermost is meant.
    if (wanted.has(place) && !found.has(place)) found.set(place, shortened(`#${node.pointer}`))
    for (const member of node.members.values()) waiting.push(member)
    for (const item of node.items) waiting.push(item)
  }
  return (place) => found.get(key(place))
}

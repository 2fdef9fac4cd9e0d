import type { DataNode } from '../../documents/data-node.js'
import { camelCase } from '../../naming/identifiers.js'
import type { Notes } from '../notes.js'

/** Gives operations their paths in the client, each once. */
export class OperationNames {
  /** Paths given so far, in small letters. */
  private readonly taken = new Set<string>()
  private readonly notes: Notes

  constructor(notes: Notes) {
    this.notes = notes
  }

  /** By its operationId, under its first tag; an id with dots is a path already; without an id by method and path. */
  pathFor(path: string, method: string, node: DataNode): string[] {
    const id = node.text('operationId')
    const [tag] = node.list('tags').map((each) => camelCase(String(each.value)))
    const words = path.replace(/\{([^}]*)\}/g, ' by $1 ')
    const base = id === undefined || camelCase(id) === 'unnamed' ? camelCase(`${method.toLowerCase()} ${words}`) : id
    const steps = base.includes('.') ? base.split('.').filter((step) => step !== '').map(camelCase) : [camelCase(base)]
    const grouped = steps.length > 1 ? [camelCase(steps.slice(0, -1).join(' ')), steps.at(-1) ?? ''] : tag === undefined ? steps : [tag, ...steps]
    if (this.take(grouped)) return grouped
    const group = grouped.slice(0, -1)
    const last = grouped.at(-1) ?? ''
    let candidate = [...group, last + method.charAt(0).toUpperCase() + method.slice(1).toLowerCase()]
    for (let count = 2; !this.take(candidate); count += 1) candidate = [...group, `${last}${count}`]
    this.notes.add('approximated', 'TM-2307', { id: id ?? base, name: candidate.join('.') }, node.origin)
    return candidate
  }

  private take(path: readonly string[]): boolean {
    const key = path.join('.').toLowerCase()
    if (this.taken.has(key)) return false
    this.taken.add(key)
    return true
  }
}

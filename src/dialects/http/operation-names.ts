import type { DataNode } from '../../documents/data-node.js'
import { camelCase, pascalCase } from '../../naming/identifiers.js'
import type { Notes } from '../notes.js'

/** Gives operations their paths in the client, each once. */
export class OperationNames {
  /** Paths given so far, in small letters. */
  private readonly taken = new Set<string>()
  /** Whether a name at the top is a group or an operation: a client can't have both as members. */
  private readonly tops = new Map<string, 'group' | 'operation'>()
  private readonly notes: Notes
  private readonly kept: ReadonlyMap<string, string>

  /** @param kept paths given before, by {@link operationKey}: they stay, whatever came between */
  constructor(notes: Notes, kept: Readonly<Record<string, string>>) {
    this.notes = notes
    this.kept = new Map(Object.entries(kept))
    for (const path of this.kept.values()) this.take(path.split('.'))
  }

  /**
   * By its operationId, under its first tag; an id with dots is a path already; without an id by
   * method and path.
   */
  pathFor(path: string, method: string, node: DataNode): string[] {
    const id = node.text('operationId')
    const before = this.kept.get(operationKey(path, method))
    const [tag] = node.list('tags').map((each) => camelCase(String(each.value)))
    const words = path.replace(/\{([^}]*)\}/g, ' by $1 ')
    const base =
      id === undefined || camelCase(id) === 'unnamed'
        ? camelCase(`${method.toLowerCase()} ${words}`)
        : id
    const steps = base.includes('.')
      ? base
          .split('.')
          .filter((step) => step !== '')
          .map(camelCase)
      : [camelCase(base)]
    const inGroup = tag === undefined ? steps : [tag, ...steps]
    const wished =
      steps.length > 1 ? [camelCase(steps.slice(0, -1).join(' ')), steps.at(-1) ?? ''] : inGroup
    const [top = '', ...rest] = wished
    const grouped =
      rest.length > 0 && this.tops.get(top.toLowerCase()) === 'operation'
        ? [`${top}Group`, ...rest]
        : wished
    // One that was found under another id since then gets a name by that.
    if (before !== undefined && before.toLowerCase().startsWith(grouped.join('.').toLowerCase()))
      return before.split('.')
    if (this.take(grouped)) return grouped
    const group = grouped.slice(0, -1)
    const last = grouped.at(-1) ?? ''
    // Long names are cut; what tells twins apart may not be cut off.
    const suffixed = (suffix: string): string[] => [
      ...group,
      camelCase([...last].slice(0, 70).join('') + suffix),
    ]
    let candidate = suffixed(pascalCase(method.toLowerCase()))
    const key = grouped.join('.').toLowerCase()
    for (let count = this.twins.get(key) ?? 2; !this.take(candidate); count += 1) {
      candidate = suffixed(String(count))
      this.twins.set(key, count + 1)
    }
    this.notes.add(
      'approximated',
      'TM-2307',
      { id: id ?? base, name: candidate.join('.') },
      node.origin,
    )
    return candidate
  }

  /** Of names that several operations wish for: the number that the next one gets. */
  private readonly twins = new Map<string, number>()

  private take(path: readonly string[]): boolean {
    const key = path.join('.').toLowerCase()
    const kind = path.length > 1 ? 'group' : 'operation'
    const top = path[0]?.toLowerCase() ?? ''
    if (this.taken.has(key) || (this.tops.get(top) ?? kind) !== kind) return false
    this.tops.set(top, kind)
    this.taken.add(key)
    return true
  }
}

/** What an operation is on the wire: its method and its path. */
export function operationKey(path: string, method: string): string {
  return `${method.toUpperCase()} ${path}`
}

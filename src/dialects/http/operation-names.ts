import type { DataNode } from '../../documents/data-node.js'
import { camelCase, pascalCase, wordsOf } from '../../naming/identifiers.js'
import { present } from '../../contract/present.js'
import type { Notes } from '../notes.js'

/** The path that an operation has in the client. */
export interface GivenPath {
  readonly steps: string[]
  /** What the metadata calls it now, where the path was given before. */
  readonly calledNow?: string
}

/** Gives operations their paths in the client, each once. */
export class OperationNames {
  /** Paths given so far, in small letters. */
  private readonly taken = new Set<string>()
  /** Whether a name at the top is a group or an operation: a client can't have both as members. */
  private readonly tops = new Map<string, 'group' | 'operation'>()
  private readonly notes: Notes
  private readonly kept: ReadonlyMap<string, string>

  /** So many first segments are the same in all paths, and say nothing of an operation. */
  private readonly shared: number
  /** Of names that several operations wish for: the number that the next one gets. */
  private readonly twins = new Map<string, number>()

  /**
   * @param kept paths given before, by {@link operationKey}: they stay, whatever came between
   * @param paths all path keys of the document
   */
  constructor(notes: Notes, kept: Readonly<Record<string, string>>, paths: readonly string[]) {
    this.notes = notes
    this.kept = new Map(Object.entries(kept).map(([key, given]) => [sameOnTheWire(key), given]))
    this.shared = sharedSegments(paths)
    for (const path of this.kept.values()) this.take(path.split('.'))
  }

  /**
   * By its operationId, under its first tag, which it does not say once more; an id with dots is a
   * path already; without an id by method and path. A path that was given before stays, whatever
   * the metadata calls the operation by now.
   */
  pathFor(path: string, method: string, node: DataNode): GivenPath {
    const id = idOf(node)
    const base = id ?? this.described(path, method)
    const [tag] = node.list('tags').map((each) => camelCase(String(each.value)))
    const wishes = [withoutGroup(base, tag), stepsOf(base, tag)].map((wish) => this.inGroup(wish))
    const before = this.kept.get(sameOnTheWire(operationKey(path, method)))
    if (before !== undefined) {
      // Twins have a number behind what they are called.
      const isStill = (wish: readonly string[]): boolean =>
        before.toLowerCase().startsWith(wish.join('.').toLowerCase())
      const calledNow = wishes.some(isStill) ? undefined : wishes[0]?.join('.')
      return { steps: before.split('.'), ...present({ calledNow }) }
    }
    const free = wishes.find((wish) => this.take(wish))
    if (free !== undefined) return { steps: free }
    const candidate = this.numbered(wishes.at(-1) ?? [], method)
    this.notes.add(
      'approximated',
      'TM-2307',
      { id: id ?? base, name: candidate.join('.') },
      node.origin,
    )
    return { steps: candidate }
  }

  /** What an operation without an id is called. */
  private described(path: string, method: string): string {
    const words = segmentsOf(path)
      .slice(this.shared)
      .join('/')
      .replace(/\{([^}]*)\}/g, ' by $1 ')
    return camelCase(`${method.toLowerCase()} ${words}`)
  }

  /** A group that goes by the name of an operation gets another one. */
  private inGroup(wished: string[]): string[] {
    const [top = '', ...rest] = wished
    return rest.length > 0 && this.tops.get(top.toLowerCase()) === 'operation'
      ? [`${top}Group`, ...rest]
      : wished
  }

  /** A path that is taken already, told apart by its method or a number. */
  private numbered(taken: readonly string[], method: string): string[] {
    const group = taken.slice(0, -1)
    const last = taken.at(-1) ?? ''
    // Long names are cut; what tells twins apart may not be cut off.
    const suffixed = (suffix: string): string[] => [
      ...group,
      camelCase([...last].slice(0, 70).join('') + suffix),
    ]
    let candidate = suffixed(pascalCase(method.toLowerCase()))
    const key = taken.join('.').toLowerCase()
    for (let count = this.twins.get(key) ?? 2; !this.take(candidate); count += 1) {
      candidate = suffixed(String(count))
      this.twins.set(key, count + 1)
    }
    return candidate
  }

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

/** The operationId, where it has letters or digits. */
function idOf(node: DataNode): string | undefined {
  const id = node.text('operationId')
  return id === undefined || camelCase(id) === 'unnamed' ? undefined : id
}

/** The steps of a path in the client, for an id and a tag. */
function stepsOf(id: string, tag: string | undefined): string[] {
  if (!id.includes('.')) return [...(tag === undefined ? [] : [tag]), camelCase(id)]
  const steps = id
    .split('.')
    .filter((step) => step !== '')
    .map(camelCase)
  if (steps.length === 1) return [...(tag === undefined ? [] : [tag]), ...steps]
  return [camelCase(steps.slice(0, -1).join(' ')), steps.at(-1) ?? '']
}

/** The same, without the tag where the id begins with it: `Zones_List` is `zones.list`. */
function withoutGroup(id: string, tag: string | undefined): string[] {
  const whole = stepsOf(id, tag)
  if (tag === undefined || id.includes('.')) return whole
  const [group, words] = [wordsOf(tag), wordsOf(id)]
  const isSaidTwice =
    words.length > group.length &&
    group.every((word, at) => word.toLowerCase() === words[at]?.toLowerCase())
  return isSaidTwice ? [tag, camelCase(words.slice(group.length).join(' '))] : whole
}

/**
 * Does a path leave out what its group says, so that the operationId is both together?
 */
export function isShortened(path: readonly string[], node: DataNode): boolean {
  const id = idOf(node)
  const [group, last] = path
  if (id === undefined || group === undefined || last === undefined) return false
  return camelCase(id).toLowerCase() === camelCase(`${group} ${last}`).toLowerCase()
}

/** The segments of a path; some are written without the slash before it. */
function segmentsOf(path: string): string[] {
  return path.replace(/^\//, '').split('/')
}

/** How many first segments all paths have in common, each path having others besides. */
function sharedSegments(paths: readonly string[]): number {
  const [first = [], ...others] = paths.map(segmentsOf)
  if (others.length === 0) return 0
  let shared = first.length - 1
  for (const segments of others) {
    const differs = segments.findIndex((segment, at) => segment !== first[at])
    shared = Math.min(shared, differs === -1 ? segments.length - 1 : differs, segments.length - 1)
  }
  return Math.max(0, shared)
}

/** What an operation is on the wire: its method and its path. */
export function operationKey(path: string, method: string): string {
  return `${method.toUpperCase()} ${path}`
}

/** The names of parameters in a path are nobody's business but ours. */
function sameOnTheWire(key: string): string {
  return key.replace(/\{[^}]*\}/g, '{}')
}

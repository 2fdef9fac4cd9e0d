import type { Contract, TypeId } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { addAll, addTo } from '../contract/lists.js'
import { operationsOf, partsOf, typesOfOperation } from '../contract/queries.js'
import { camelCase, wordsOf } from './identifiers.js'
import { byLetters } from './by-letters.js'
import { isDevice } from './reserved.js'
import type { Names } from './names.js'

/**
 * So many types go into one file. Nobody reads longer ones, and compilers take a time that grows
 * with the square of a file's constants, because each of them may have narrowed what comes after
 * it.
 */
const most = 250

/** Parts of fewer types are not worth a file. */
const fewest = 10

/** Where types are that several groups need, or none. */
const common = 'common'

const kept = new WeakMap<
  Names,
  { readonly contract: Contract; readonly parts: ReadonlyMap<TypeId, string> }
>()

/**
 * The part of a large client that each of its types is in, by the namespace of the type, or else by
 * the group of operations that alone needs it, and then by letters: what is in a part, its name
 * says. Of clients that are not large there are no parts.
 *
 * @returns by type id the name of its part, which can be that of a file
 */
export function typeParts(contract: Contract, names: Names): ReadonlyMap<TypeId, string> {
  const known = kept.get(names)
  if (known?.contract === contract) return known.parts
  const parts = workedOut(contract, names)
  kept.set(names, { contract, parts })
  return parts
}

function workedOut(contract: Contract, names: Names): ReadonlyMap<TypeId, string> {
  const ids = Object.keys(contract.types).sort()
  if (ids.length <= most) return new Map()
  const groups = groupsOfTypes(contract)
  const byPart = new Map<string, TypeId[]>()
  // Files that differ by their letters' case alone are one on some disks.
  const words = new Map<string, string>()
  for (const id of ids) {
    const word = fileWord(namespaceOf(id) ?? groups.get(id) ?? common)
    const known = words.get(word.toLowerCase()) ?? word
    words.set(word.toLowerCase(), known)
    addTo(byPart, known, id)
  }
  const small = [...byPart].filter(([part, own]) => part !== common && own.length < fewest)
  for (const [part, own] of small) {
    byPart.delete(part)
    for (const id of own) addTo(byPart, common, id)
  }
  const parts = new Map<TypeId, string>()
  for (const [part, own] of byPart)
    for (const [name, types] of byLetters(part, own, (id) => names.types[id] ?? '', most))
      for (const id of types) parts.set(id, name)
  return parts
}

/** Of each type the group of operations that alone needs it. */
function groupsOfTypes(contract: Contract): ReadonlyMap<TypeId, string> {
  const found = new Map<TypeId, string>()
  for (const operation of operationsOf(contract)) {
    const group = groupOf(operation) ?? common
    const waiting = typesOfOperation(operation)
    for (let type = waiting.pop(); type !== undefined; type = waiting.pop()) {
      if (type.kind === 'reference') {
        const before = found.get(type.to)
        // What is needed once more by others is common: each type is gone into twice at the most.
        if (before === group || before === common) continue
        found.set(type.to, before === undefined ? group : common)
        const target = contract.types[type.to]
        if (target !== undefined) addAll(waiting, partsOf(target))
      } else addAll(waiting, partsOf(type))
    }
  }
  return found
}

/** The last telling word of a type's namespace, where it has one. */
function namespaceOf(id: TypeId): string | undefined {
  const namespace = /^\{(.*?)\}/.exec(id)?.[1]
  return namespace?.split(/[/:#?]+/).findLast((word) => /\p{L}/u.test(word))
}

function fileWord(name: string): string {
  const word = camelCase(wordsOf(name).slice(0, 6).join(' '))
  return isDevice(word) ? `${word}Types` : word
}

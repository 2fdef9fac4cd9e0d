import type { Contract, Operation } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { addTo } from '../contract/lists.js'
import { operationsOf, pathOf } from '../contract/queries.js'
import { byLetters } from './by-letters.js'
import { camelCase, pascalCase } from './identifiers.js'
import type { Names } from './names.js'
import { isDevice } from './reserved.js'

/** Of more operations than these the ones of a group share a file. */
const mostAlone = 50

/** So many operations go into one file. */
const mostTogether = 60

const kept = new WeakMap<
  Names,
  { readonly contract: Contract; readonly modules: ReadonlyMap<string, string> }
>()

/**
 * The module of a client that an operation is in: one of its own, `operations/quoteDues`, and in a
 * client of many operations one of its group, `operations/vessels`; where a group has very many, of
 * a stretch of the alphabet.
 */
export function moduleOfOperation(contract: Contract, names: Names, operation: Operation): string {
  let known = kept.get(names)
  if (known?.contract !== contract)
    kept.set(names, (known = { contract, modules: workedOut(contract, names) }))
  return known.modules.get(pathOf(operation)) ?? alone(names, pathOf(operation))
}

/** What the class of a group of operations is called. */
export function groupClassName(names: Names, group: string): string {
  return names.groups[group] ?? `${names.class}${pascalCase(group)}`
}

/** What the file of a group is called: as its class is, without the name of the client's class. */
export function groupFileName(names: Names, group: string): string {
  const name = groupClassName(names, group)
  const short = camelCase(name.startsWith(names.class) ? name.slice(names.class.length) : name)
  return isDevice(short) ? camelCase(name) : short
}

function alone(names: Names, path: string): string {
  return `operations/${names.operations[path] ?? ''}`
}

function workedOut(contract: Contract, names: Names): ReadonlyMap<string, string> {
  const modules = new Map<string, string>()
  const operations = operationsOf(contract)
  if (operations.length <= mostAlone) return modules
  const groups = new Map<string, string[]>()
  for (const operation of operations) addTo(groups, groupOf(operation) ?? '', pathOf(operation))
  const shared = [...groups].filter(([group, own]) => group !== '' && own.length > 1)
  const inGroups = new Set(shared.flatMap(([, own]) => own))
  // Files that differ by their letters' case alone are one on some disks.
  const taken = new Set(
    operations
      .map(pathOf)
      .filter((path) => !inGroups.has(path))
      .map((path) => alone(names, path).toLowerCase()),
  )
  for (const [group, own] of shared)
    for (const [part, paths] of byLetters(
      groupFileName(names, group),
      own,
      (path) => names.operations[path] ?? '',
      mostTogether,
    )) {
      let module = `operations/${part}`
      while (taken.has(module.toLowerCase())) module += 'Operations'
      taken.add(module.toLowerCase())
      for (const path of paths) modules.set(path, module)
    }
  return modules
}

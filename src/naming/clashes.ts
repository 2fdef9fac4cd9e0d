import type { Contract, NamedType } from '../contract/contract.js'
import { neededOf, operationsOf, pathOf } from '../contract/queries.js'
import { pascalCase } from './identifiers.js'
import { operationExports, ownExports, type Names } from './names.js'
import { namesAlone, ownName } from './own-names.js'
import { globals, keywords } from './reserved.js'

/** Something that could not be called as it is in the metadata. */
export interface NameClash {
  readonly what: 'class' | 'operation' | 'type'
  /** What it is called in the metadata. */
  readonly name: string
  /** What it is called in the client. */
  readonly given: string
  /** Why, as half a sentence. */
  readonly reason: string
}

/**
 * What of a client got another name than it would have by itself, and why.
 *
 * @param reserved names that generated files use themselves
 */
export function nameClashes(
  whole: Contract,
  names: Names,
  reserved: readonly string[],
): NameClash[] {
  const contract = neededOf(whole)
  const types = Object.values(contract.types)
  const alone = namesAlone(operationsOf(whole).map(({ path }) => path))
  const clashes: NameClash[] = []
  const reasonFor = (wanted: string, self: string): string => {
    const general = generalReason(wanted, reserved)
    if (general !== undefined) return general
    const lower = wanted.toLowerCase()
    if (names.class.toLowerCase() === lower) return "the client's class has that name"
    const operation = operationsOf(contract).find(
      (each) =>
        pathOf(each) !== self &&
        operationExports(names.operations[pathOf(each)] ?? '').some(
          (name) => name.toLowerCase() === lower,
        ),
    )
    if (operation !== undefined)
      return `the operation ${pathOf(operation)} brings something of that name`
    const type = types.find(
      (each) =>
        each.id !== self &&
        [names.types[each.id], `Any${names.types[each.id] ?? ''}`].some(
          (name) => name?.toLowerCase() === lower,
        ),
    )
    if (type !== undefined)
      return `${type.name === wanted ? 'there is another type of that name' : `the type ${type.name} has that name`}${whereOf(type)}`
    return 'that name was given to something else before'
  }
  const wantedClass = pascalCase(contract.title)
  const isTaken = generalReason(wantedClass, reserved)
  if (names.class !== wantedClass && isTaken !== undefined)
    clashes.push({ what: 'class', name: contract.title, given: names.class, reason: isTaken })
  for (const operation of operationsOf(contract)) {
    const [wanted, path, given] = [
      ownName(operation, alone),
      pathOf(operation),
      names.operations[pathOf(operation)] ?? '',
    ]
    if (given !== wanted)
      clashes.push({ what: 'operation', name: path, given, reason: reasonFor(wanted, path) })
  }
  for (const type of types) {
    const [wanted, given] = [pascalCase(type.name), names.types[type.id] ?? '']
    // Lists have no name in the client.
    if (given !== wanted && type.kind !== 'list')
      clashes.push({ what: 'type', name: type.name, given, reason: reasonFor(wanted, type.id) })
  }
  return clashes
}

/** Why nothing in any client can have a name; undefined when something can. */
export function generalReason(wanted: string, reserved: readonly string[]): string | undefined {
  const lower = wanted.toLowerCase()
  const same = (name: string): boolean => name.toLowerCase() === lower
  if (keywords.has(wanted)) return `"${wanted}" is a word of the language`
  const global = [...globals].find(same)
  if (global !== undefined) return `JavaScript has its own ${global}`
  const own = [...ownExports, ...reserved].find(same)
  return own === undefined ? undefined : `every client has its own ${own}`
}

function whereOf({ id, name }: NamedType): string {
  const namespace =
    /^\{(.+?)\}/.exec(id)?.[1] ??
    (id.endsWith(`.${name}`) ? id.slice(0, -name.length - 1) : undefined)
  return namespace === undefined ? '' : ` (${namespace})`
}

import type { Contract, Operation } from './contract.js'
import { operationsOf, pathOf } from './queries.js'

/**
 * The operations that a person means by a name, of which `*` stands for any characters: the name of
 * one, of a group in the client (an entity set, say), a tag, or a service where there are several.
 * Letter case counts only where something is called exactly so.
 *
 * @returns them in the contract's order; none when nothing is called like that
 */
export function operationsMeant(contract: Contract, wish: string): Operation[] {
  const source = sourceOf(wish)
  const called = (pattern: RegExp): Operation[] => {
    const services = new Set(
      servicesToChoose(contract)
        .filter(({ name }) => pattern.test(name))
        .flatMap(({ operations }) => operations),
    )
    return operationsOf(contract).filter(
      (operation) =>
        services.has(operation) || namesOf(operation).some((name) => pattern.test(name)),
    )
  }
  const exactly = called(new RegExp(source, 'u'))
  return exactly.length > 0 ? exactly : called(new RegExp(source, 'iu'))
}

function sourceOf(wish: string): string {
  return `^${wish
    .trim()
    .split('*')
    .map((part) => part.replace(/[\\^$.+?()[\]{}|]/g, '\\$&'))
    .join('.*')}$`
}

/** Does a person's wish name operations that there were, by their paths or their groups? */
export function wasMeant(paths: readonly string[], wish: string): boolean {
  const pattern = new RegExp(sourceOf(wish), 'iu')
  return paths.some((path) => pattern.test(path) || pattern.test(path.replace(/\.[^.]*$/, '')))
}

/** Everything by which operations can be chosen. */
export function namesForChoice(contract: Contract): string[] {
  return [
    ...new Set([
      ...operationsOf(contract).flatMap(namesOf),
      ...servicesToChoose(contract).map(({ name }) => name),
    ]),
  ]
}

/** The group of an operation in the client; undefined when it stands by itself. */
export function groupOf({ path }: Pick<Operation, 'path'>): string | undefined {
  return path.length > 1 ? path[0] : undefined
}

function namesOf(operation: Operation): string[] {
  const group = groupOf(operation)
  return [
    pathOf(operation),
    ...(group === undefined ? [] : [group]),
    ...(operation.shortened === true ? [operation.path.join('_')] : []),
    ...(operation.tags ?? []),
  ]
}

function servicesToChoose({ services }: Contract): Contract['services'] {
  return services.length > 1 ? services : []
}

import type { BrokenOperation, Contract, Operation } from './contract.js'
import { operationsOf } from './queries.js'

/** Operations of a contract, and those that it would have if they were not broken. */
export interface Meant {
  readonly operations: readonly Operation[]
  readonly broken: readonly BrokenOperation[]
}

/**
 * The operations that a person means by a name, of which `*` stands for any characters: the name of
 * one, of a group in the client (an entity set, say), a tag, or a service where there are several.
 * Letter case counts only where something is called exactly so.
 *
 * @returns them in the contract's order; none when nothing is called like that
 */
export function operationsMeant(contract: Contract, wish: string): Meant {
  const source = sourceOf(wish)
  const called = (pattern: RegExp): Meant => {
    const services = servicesToChoose(contract).filter(({ name }) => pattern.test(name))
    const ofServices = new Set(services.flatMap(({ operations }) => operations))
    const serviceNames = new Set<string | undefined>(services.map(({ name }) => name))
    const isCalled = (operation: Named): boolean =>
      namesOf(operation).some((name) => pattern.test(name))
    return {
      operations: operationsOf(contract).filter(
        (operation) => ofServices.has(operation) || isCalled(operation),
      ),
      broken: (contract.broken ?? []).filter(
        (operation) => serviceNames.has(operation.service) || isCalled(operation),
      ),
    }
  }
  const exactly = called(new RegExp(source, 'u'))
  return isNothing(exactly) ? called(new RegExp(source, 'iu')) : exactly
}

/** Does nothing go by the name, neither sound nor broken? */
export function isNothing({ operations, broken }: Meant): boolean {
  return operations.length === 0 && broken.length === 0
}

type Named = Pick<Operation, 'path' | 'tags' | 'shortened'>

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

function namesOf(operation: Named): string[] {
  const group = groupOf(operation)
  return [
    operation.path.join('.'),
    ...(group === undefined ? [] : [group]),
    ...(operation.shortened === true ? [operation.path.join('_')] : []),
    ...(operation.tags ?? []),
  ]
}

function servicesToChoose({ services }: Contract): Contract['services'] {
  return services.length > 1 ? services : []
}

import type { Operation } from '../contract/contract.js'
import { camelCase } from './identifiers.js'

/**
 * A step of an operation's path as a member of the client: in camelCase; an underscore that was put
 * behind it stays.
 */
export function memberName(step: string): string {
  return camelCase(step) + (/_$/.test(step) ? '_' : '')
}

/** The name of an operation as a method of the class. */
export function methodName(operation: Operation): string {
  const name = memberName(operation.path.at(-1) ?? '')
  return ['constructor', 'connection', 'close'].includes(name) ? `${name}_` : name
}

/**
 * The name of a group of operations as a property of the class: as it is, unless the class has such
 * a member itself.
 */
export function groupName(group: string): string {
  return ['constructor', 'connection', 'close'].includes(group) ? `${group}_` : group
}

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

/** So many code units of a name leave room for a number before it is cut. */
const roomForNumber = 70

/**
 * A step of a path that is taken already, with the first number that makes another member of it.
 * Long names are cut: what tells them apart may not be cut off.
 */
export function numberedStep(step: string, isFree: (candidate: string) => boolean): string {
  const name = memberName(step)
  const stem = name.length < roomForNumber ? step : [...name].slice(0, roomForNumber).join('')
  for (let count = 2; ; count += 1)
    if (isFree(`${stem}${String(count)}`)) return `${stem}${String(count)}`
}

import type { Operation } from '../contract/contract.js'
import { camelCase } from './identifiers.js'

/** The name of an operation as a method of the class. */
export function methodName(operation: Operation): string {
  const name = camelCase(operation.path.at(-1) ?? '')
  return ['constructor', 'connection', 'close'].includes(name) ? `${name}_` : name
}

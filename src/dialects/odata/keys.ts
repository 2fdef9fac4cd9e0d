import type { Field, Type } from '../../contract/contract.js'
import { documented } from './documentation.js'

/** The type of a key: of its one property, or an object of several. */
export function keyType(keys: readonly Field[]): Type {
  const [only, ...others] = keys
  if (only !== undefined && others.length === 0) return only.type
  return {
    kind: 'record',
    fields: keys.map(({ name, type, documentation, origin: declared }): Field => ({
      name,
      type,
      optional: false,
      nullable: false,
      ...documented(documentation),
      origin: declared,
    })),
  }
}

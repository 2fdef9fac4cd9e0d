import type { Contract, Field, RecordType, Type } from './contract.js'
import { isPlainObject } from './plain.js'
import { fieldsOf, resolve } from './queries.js'

/**
 * A value in which members that must be there, may be null, and are not given are null: what leaves
 * them out means that.
 *
 * @param mustBe tells which members must be there; those that are not optional when left out
 */
export function withNulls(
  contract: Contract,
  type: Type,
  value: unknown,
  mustBe: (field: Field) => boolean = ({ optional }) => !optional,
): unknown {
  const actual = resolve(contract, type)
  if (actual.kind === 'list' && Array.isArray(value))
    return value.map((item) => withNulls(contract, actual.item, item, mustBe))
  return actual.kind === 'record' && isPlainObject(value)
    ? recordWithNulls(contract, actual, value, mustBe)
    : value
}

function recordWithNulls(
  contract: Contract,
  record: RecordType,
  value: Readonly<Record<string, unknown>>,
  mustBe: (field: Field) => boolean,
): Record<string, unknown> {
  const fields = fieldsOf(contract, record)
  const types = new Map(fields.map(({ name, type }) => [name, type]))
  const missing = fields.filter(
    (field) => field.nullable && mustBe(field) && !Object.hasOwn(value, field.name),
  )
  return Object.fromEntries([
    ...Object.entries(value).map(([name, each]): [string, unknown] => {
      const type = types.get(name)
      return [name, type === undefined ? each : withNulls(contract, type, each, mustBe)]
    }),
    ...missing.map(({ name }): [string, unknown] => [name, null]),
  ])
}

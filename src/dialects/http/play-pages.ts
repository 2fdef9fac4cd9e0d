import { isPlainObject } from '../../contract/plain.js'
import type { Contract, Operation, Type } from '../../contract/contract.js'
import { operationSpecifics, typeOfAnswer } from './specifics.js'
import { fieldAt } from './paged.js'

/**
 * The whole answer that has some rows in it, as the last page of its list: it names none after it.
 *
 * @param improvise makes a value of a type from nothing, for what the answer has besides
 */
export function wholeAnswer(
  contract: Contract,
  operation: Operation,
  rows: unknown,
  improvise: (type: Type, name: string) => unknown,
): unknown {
  const { outcome } = operation
  const { pages } = operationSpecifics(operation)
  if (pages === undefined || outcome.kind !== 'value') return rows
  const type = typeOfAnswer(operation, outcome.field)
  const { next, total } = pages
  let whole = pages.rows.length === 0 ? rows : improvise(type, 'body')
  if (total !== undefined && 'members' in total && Array.isArray(rows))
    whole = replacedAt(whole, total.members, counted(rows.length))
  if (next !== undefined && 'members' in next)
    whole = replacedAt(whole, next.members, nothingAt(contract, type, next.members))
  return replacedAt(whole, pages.rows, () => rows)
}

/** A number as the type of another one has it. */
function counted(count: number): (before: unknown) => unknown {
  return (before) => {
    if (typeof before === 'bigint') return BigInt(count)
    return typeof before === 'string' ? String(count) : count
  }
}

/** What says that there is nothing more: no member, null, or a text with nothing in it. */
function nothingAt(contract: Contract, type: Type, steps: readonly string[]): () => unknown {
  const found = fieldAt(contract, type, steps)
  if (found?.optional === true) return () => undefined
  return found?.nullable === true ? () => null : () => ''
}

function replacedAt(
  value: unknown,
  [step, ...steps]: readonly string[],
  by: (before: unknown) => unknown,
): unknown {
  if (step === undefined) return by(value)
  const around = isPlainObject(value) ? value : {}
  const inside = replacedAt(around[step], steps, by)
  const { [step]: _, ...others } = around
  return inside === undefined ? others : { ...others, [step]: inside }
}

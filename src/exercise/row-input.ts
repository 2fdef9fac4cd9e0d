import type { Contract, Operation } from '../contract/contract.js'
import { nearestAdvice } from '../contract/nearest.js'
import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { parsePath, typeAt, type Assignment } from './input.js'
import type { Row } from './row-source.js'
import { at } from './tabulate.js'

/** An input that a column fills. */
export interface Filling {
  /** The path of the input, as it was written. */
  readonly input: string
  readonly column: string
}

/**
 * Parses what follows `--fill`: `Vessel=Ship, Nights`.
 *
 * @throws Problem TM-1010 when it can't be understood
 */
export function parseFillings(written: string): Filling[] {
  return written.split(',').map((part) => {
    const [input = '', column = input] = part.split('=').map((each) => each.trim())
    if (input === '' || column === '')
      throw problem('TM-1010', {
        option: '--fill',
        reason: `"${part.trim()}" is not <input>=<column>`,
        remedy: 'Write it like --fill "Vessel=Ship, Nights".',
      })
    return { input, column }
  })
}

/**
 * The input that a row stands for, on top of what holds for all rows: its columns are inputs by
 * their headings, or as the fillings say.
 *
 * @param base what holds for all rows, in plain form
 * @throws Problem TM-1018 when a column is no input, or a column that was named is not there
 */
export function rowInput(
  contract: Contract,
  operation: Operation,
  row: Row,
  base: unknown,
  fillings: readonly Filling[] | undefined,
  file: string,
): { plain: unknown; assignments: Assignment[] } {
  const chosen = fillings ?? Object.keys(row.fields).map((column) => ({ input: column, column }))
  if (!row.isText && fillings === undefined)
    return { plain: merged(base, row.fields), assignments: [] }
  const assignments = chosen.flatMap(({ input, column }): Assignment[] => {
    const value = Object.hasOwn(row.fields, column)
      ? row.fields[column]
      : at(row.fields, parsePath(column))
    const place = { written: input, path: parsePath(input) }
    if (value === undefined) return []
    if (row.isText) return [{ ...place, text: String(value) }]
    return [{ ...place, plain: value }]
  })
  const unknown = assignments.find(
    ({ written, path }) =>
      typeAt(contract, operation, path) === undefined &&
      !operation.inputs.some(({ name }) => name === written || name === String(path[0])),
  )
  if (unknown !== undefined) {
    throw problem(
      'TM-1018',
      {
        file,
        reason: `"${unknown.written}" is no input of the operation. ${nearestAdvice(
          unknown.written,
          operation.inputs.map(({ name }) => name),
        )} Columns that fill inputs are named with --fill`,
      },
      { place: { document: file, line: 1, column: 1 } },
    )
  }
  return { plain: base, assignments }
}

/** One plain value on top of another: objects member by member, anything else replaced. */
function merged(below: unknown, above: unknown): unknown {
  if (!isPlainObject(below) || !isPlainObject(above)) return above
  const members = Object.entries(above).map(([name, value]) => [
    name,
    Object.hasOwn(below, name) ? merged(below[name], value) : value,
  ])
  return { ...below, ...Object.fromEntries(members) }
}

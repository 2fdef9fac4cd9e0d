import type { Operation } from '../contract/contract.js'
import { pathOf } from '../contract/queries.js'
import { operationExports, type Names } from '../naming/names.js'
import { identifier } from '../printing/escaping.js'
import type { Code } from '../printing/safe-text.js'

/** What an operation's file exports, to be printed. */
export function exportedNames(
  names: Names,
  operation: Operation,
): [
  call: Code,
  input: Code,
  outcome: Code,
  fault: Code,
  guard: Code,
  headers: Code,
  outcomes: Code,
] {
  const [call, input, outcome, fault, guard, headers, outcomes] = operationExports(
    names.operations[pathOf(operation)] ?? '',
  )
  return [
    identifier(call),
    identifier(input),
    identifier(outcome),
    identifier(fault),
    identifier(guard),
    identifier(headers),
    identifier(outcomes),
  ]
}

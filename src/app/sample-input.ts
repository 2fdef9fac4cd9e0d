import { dialectNamed } from '../dialects/registry.js'
import { sampleInput } from '../exercise/sample.js'
import { findOperation, openContract, type OpenOptions } from './open-contract.js'

/**
 * A ready-to-edit input for an operation.
 *
 * @returns a plain value that JSON and YAML can carry
 */
export async function sampleFor(reference: string, operation: string, options: OpenOptions & { full?: boolean | undefined } = {}): Promise<Record<string, unknown>> {
  const open = await openContract(reference, options)
  const dialect = await dialectNamed(open.contract.dialect)
  return sampleInput(open.contract, findOperation(open, operation), { full: options.full === true, rules: dialect.rules?.(open.contract) })
}

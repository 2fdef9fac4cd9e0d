import { countTypes, operationsOf } from '../contract/queries.js'
import { problem } from '../contract/problem.js'
import { writeFileSafely } from '../project/safe-writing.js'
import { openContract, type OpenOptions } from './contracts/open-contract.js'

/**
 * Writes a page with everything in a contract, to browse without anything else.
 *
 * @param file where to; it ends in .html
 * @throws Problem TM-3007 for another ending, TM-1008 when the file can't be written; those of
 *   opening a contract
 */
export async function saveReferencePage(
  reference: string,
  file: string,
  options: OpenOptions = {},
): Promise<{ contract: string; file: string; operations: number; types: number }> {
  if (!/\.html?$/i.test(file)) throw problem('TM-3007', { file, endings: '.html' })
  const open = await openContract(reference, options)
  // What draws the diagram is large, and only needed here.
  const { referencePage } = await import('./pages/reference-page.js')
  await writeFileSafely(file, await referencePage(open))
  const operations = operationsOf(open.contract)
  return {
    contract: open.name,
    file,
    operations: operations.length,
    types: countTypes(open.contract, operations),
  }
}

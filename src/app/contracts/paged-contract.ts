import type { Contract, Operation } from '../../contract/contract.js'
import { noNames, type KeptNames } from '../../contract/kept-names.js'
import { matchPath, nearestAdvice } from '../../contract/nearest.js'
import { problem } from '../../contract/problem.js'
import { changedOperations, operationsOf, pathOf } from '../../contract/queries.js'
import { vanishedNote } from './vanished-note.js'
import { projectFileName, type PagesEntry } from '../../project/project-file.js'

/**
 * A contract whose lists come in pages as the project says.
 *
 * @param kept names given before: what is gone since then is told by a note
 * @throws Problem TM-1005 when it names no operation that there ever was, TM-1032 when that can't have pages so
 */
export async function withPages(
  contract: Contract,
  pages: Readonly<Record<string, PagesEntry>>,
  name: string,
  kept: KeptNames = noNames,
): Promise<Contract> {
  if (Object.keys(pages).length === 0) return contract
  const { dialectNamed } = await import('../../dialects/registry.js')
  const dialect = await dialectNamed(contract.dialect)
  const place = { document: projectFileName }
  const operations = operationsOf(contract)
  const paths = operations.map(pathOf)
  const paged = new Map<Operation, Operation>()
  const gone: string[] = []
  for (const [wanted, wish] of Object.entries(pages)) {
    const path = matchPath(wanted, paths)
    const operation = operations.find((each) => pathOf(each) === path)
    if (operation === undefined && matchPath(wanted, Object.keys(kept.operations)) !== undefined) {
      gone.push(wanted)
      continue
    }
    if (operation === undefined) {
      const nearest = nearestAdvice(wanted, paths)
      throw problem(
        'TM-1005',
        { what: 'operation', name: wanted, contract: name, nearest },
        { place },
      )
    }
    const listed = dialect.paged?.(contract, operation, wish)
    if (typeof listed !== 'object')
      throw problem(
        'TM-1032',
        { operation: pathOf(operation), reason: listed ?? 'its metadata says how' },
        { place },
      )
    paged.set(operation, listed)
  }
  const changed = changedOperations(contract, (operation) => paged.get(operation) ?? operation)
  const notes = gone.map((each) => vanishedNote('pages', name, each))
  return notes.length === 0 ? changed : { ...changed, notes: [...changed.notes, ...notes] }
}

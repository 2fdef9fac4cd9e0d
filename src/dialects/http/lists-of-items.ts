import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'

/**
 * Before OpenAPI 3.1 the items of an array have one schema (3.0.4, section 4.7.24.1), so that there
 * are no tuples. Where a list of schemas stands all the same, an item may be any of them: that is
 * put in its place, with a note.
 *
 * @param version of OpenAPI, as the document names it
 */
export function settleItems(array: DataNode, version: string, notes: Notes): void {
  const items = array.members.get('items')
  if (items?.kind !== 'list' || /^3\.[1-9]/.test(version)) return
  notes.add(
    'approximated',
    'TM-2315',
    {
      what: 'A list of schemas for the items of an array',
      as: 'a choice of any of them for each item',
      reason: `OpenAPI ${version} has no tuples`,
    },
    items.origin,
  )
  array.take('items')
  if (items.items.length === 0) return
  const any = array.put('items', array.derive('object', 'items'))
  const alternatives = any.put('anyOf', any.derive('list', 'anyOf'))
  for (const [at, each] of items.items.entries()) alternatives.put(at, each)
}

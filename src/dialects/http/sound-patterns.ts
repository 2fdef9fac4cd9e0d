import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { isLoosePattern } from '../patterns.js'

/**
 * The members of `patternProperties` whose patterns can be looked for; of the others a note tells.
 */
export function soundPatterns(node: DataNode, notes: Notes): (readonly [string, DataNode])[] {
  return node.entries('patternProperties').filter(([pattern, schema]) => {
    if (isLoosePattern(pattern)) return true
    notes.add('approximated', 'TM-2211', { pattern }, schema.origin)
    schema.readWhole()
    return false
  })
}

import type { DataNode } from '../../documents/data-node.js'
import { referenceOf, type References } from './references.js'
import { isShelved } from './schema-facts.js'

/**
 * Does a type travel to the service or from it? Read-only members are left out of the one,
 * write-only ones of the other.
 */
export type Direction = 'in' | 'out'

/**
 * Schemas that have a read-only or write-only member, or refer to one that has, over any number of
 * steps.
 */
export function differingSchemas(references: References): Set<DataNode> {
  const users = new Map<DataNode, Set<DataNode>>()
  const found = new Set<DataNode>()
  const nodes: [node: DataNode, owner: DataNode | undefined][] = references
    .all()
    .map((root) => [root, undefined])
  for (let next = nodes.pop(); next !== undefined; next = nodes.pop()) {
    const [node, around] = next
    const owner = isShelved(node) ? node : around
    if (
      owner !== undefined &&
      (node.members.get('readOnly')?.value === true ||
        node.members.get('writeOnly')?.value === true)
    )
      found.add(owner)
    const target =
      owner === undefined || referenceOf(node) === undefined ? undefined : references.peek(node)
    if (target !== undefined && owner !== undefined) {
      const known = users.get(target)
      if (known === undefined) users.set(target, new Set([owner]))
      else known.add(owner)
    }
    for (const member of node.members.values())
      if (member.kind === 'object' || member.kind === 'list') nodes.push([member, owner])
    for (const item of node.items)
      if (item.kind === 'object' || item.kind === 'list') nodes.push([item, owner])
  }
  const reached = [...found]
  for (let node = reached.pop(); node !== undefined; node = reached.pop()) {
    for (const user of users.get(node) ?? []) {
      if (found.has(user)) continue
      found.add(user)
      reached.push(user)
    }
  }
  return found
}

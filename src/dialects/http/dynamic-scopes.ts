import type { DataNode } from '../../documents/data-node.js'
import { pascalCase } from '../../naming/identifiers.js'
import { referenceOf, type References } from './references.js'
import { isShelved, schemaName } from './schema-facts.js'

/**
 * What `$dynamicRef`s mean while a schema is read: the anchors of the schemas on the way to it, the
 * outermost first.
 */
interface Scope {
  readonly anchors: ReadonlyMap<string, DataNode>
  /**
   * What sets the type apart from the same schema reached on another way: behind its id and its
   * name.
   */
  readonly suffix: string
  readonly name: string
}

/**
 * `$dynamicRef` and `$dynamicAnchor` (JSON Schema 2020-12 Core, section 8.2.3.2): a template is
 * read once for each schema that fills it in. Schemas with an `$id`, and those on a shelf, count as
 * resources of their own.
 */
export class DynamicScopes {
  private readonly references: References
  private current: ReadonlyMap<string, DataNode> = new Map()
  private readonly anchorsOf = new Map<DataNode, Map<string, DataNode>>()
  private readonly used = new Map<DataNode, ReadonlySet<string>>()
  private readonly isUsed: boolean

  constructor(references: References) {
    this.references = references
    let isUsed = false
    const waiting = references.all()
    for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
      if (node.kind === 'object') {
        const name = node.members.get('$dynamicAnchor')?.value
        if (typeof name === 'string') {
          const resource = resourceOf(node)
          const anchors = this.anchorsOf.get(resource) ?? new Map<string, DataNode>()
          anchors.set(name, node)
          this.anchorsOf.set(resource, anchors)
        }
        isUsed ||= node.members.has('$dynamicRef')
      }
      for (const member of node.members.values())
        if (member.kind === 'object' || member.kind === 'list') waiting.push(member)
      for (const item of node.items)
        if (item.kind === 'object' || item.kind === 'list') waiting.push(item)
    }
    this.isUsed = isUsed
  }

  /** The scope in which a schema is read that is reached from here. */
  entering(target: DataNode): Scope {
    if (!this.isUsed) return { anchors: this.current, suffix: '', name: '' }
    const own = this.anchorsOf.get(resourceOf(target)) ?? new Map<string, DataNode>()
    const anchors = new Map([...own, ...this.current])
    // Only what the schema asks for, itself or further on, makes another type of it.
    const bound = [...this.names(target, new Set())].sort().flatMap((name) => {
      const node = anchors.get(name)
      return node === undefined || node === own.get(name) ? [] : [node]
    })
    const words = bound.map((node) => pascalCase(schemaName(this.references.peek(node) ?? node)))
    return {
      anchors,
      suffix: bound.map((node) => `~${this.references.idOf(node)}`).join(''),
      name: words.length === 0 ? '' : `Of${words.join('And')}`,
    }
  }

  /** Reads in a scope. */
  within(scope: Scope, read: () => void): void {
    const before = this.current
    this.current = scope.anchors
    try {
      read()
    } finally {
      this.current = before
    }
  }

  /** What a `$dynamicRef` stands for here. */
  follow(node: DataNode): DataNode | undefined {
    const reference = node.text('$dynamicRef') ?? ''
    const name = reference.split('#')[1] ?? ''
    const initial =
      this.references.lookUp(reference, node) ?? this.anchorsOf.get(resourceOf(node))?.get(name)
    const isDynamic = initial === undefined || initial.members.get('$dynamicAnchor')?.value === name
    const found = isDynamic ? (this.current.get(name) ?? initial) : initial
    if (found === undefined) this.references.tellMissing(reference, node)
    return found === undefined ? undefined : this.references.settle(found)
  }

  /** The names of dynamic anchors that a schema asks for, over any number of references. */
  private names(node: DataNode, within: Set<DataNode>): ReadonlySet<string> {
    const known = this.used.get(node)
    if (known !== undefined) return known
    if (within.has(node)) return new Set()
    within.add(node)
    const found = new Set<string>()
    const waiting = [node]
    for (let each = waiting.pop(); each !== undefined; each = waiting.pop()) {
      const dynamic = each.members.get('$dynamicRef')?.value
      if (typeof dynamic === 'string') found.add(dynamic.split('#')[1] ?? '')
      const target = referenceOf(each) === undefined ? undefined : this.references.peek(each)
      if (target !== undefined) for (const name of this.names(target, within)) found.add(name)
      for (const [key, member] of each.members)
        if ((member.kind === 'object' || member.kind === 'list') && key !== '$defs')
          waiting.push(member)
      for (const item of each.items) waiting.push(item)
    }
    this.used.set(node, found)
    return found
  }
}

function resourceOf(node: DataNode): DataNode {
  let resource = node
  while (
    resource.parent !== undefined &&
    !resource.members.has('$id') &&
    !(isShelved(resource) && resource.parent.key !== '$defs')
  )
    resource = resource.parent
  return resource
}

import type { Contract, Field, Type } from '../../contract/contract.js'
import { membersOf, namedType, resolve } from '../../contract/queries.js'
import { camelCase } from '../../naming/identifiers.js'
import { Elsewhere, type CodecTree } from '../codec-tree.js'
import { typeLayout } from './layout.js'
import type { XmlLayout } from './xml-layout.js'

/** Builds the shapes by which JSON is written as XML and read from it. */
export class XmlTrees {
  private readonly contract: Contract
  /** Names of constants for types that were referred to, by their ids. */
  private readonly names = new Map<string, string>()

  constructor(contract: Contract) {
    this.contract = contract
  }

  /** The shape of a whole body. */
  root(type: Type, xml: XmlLayout): CodecTree {
    return { ...this.inside(type), ...xml }
  }

  /** The constants that were referred to so far, with those that they refer to. */
  *named(): Generator<readonly [name: string, tree: CodecTree]> {
    // The map grows while it is gone through.
    for (const [id, name] of this.names) yield [name, this.ofNamed(id)]
  }

  private ofNamed(id: string): CodecTree {
    const type = namedType(this.contract, id)
    return { ...this.inside(type), ...typeLayout(type).xml }
  }

  private of(type: Type, field?: Field): CodecTree {
    const own = field === undefined ? {} : { ...typeLayout(field).xml }
    if (type.kind !== 'reference' || Object.keys(own).length > 0 || this.isLeaf(type))
      return { ...this.inside(type), ...typeLayout(type).xml, ...own }
    let name = this.names.get(type.to)
    if (name === undefined) {
      const wished = camelCase(`${namedType(this.contract, type.to).name} xml`)
      name = wished
      for (let count = 2; [...this.names.values()].includes(name); count += 1)
        name = `${wished}${count}`
      this.names.set(type.to, name)
    }
    const { to } = type
    return new Elsewhere('xml-shapes', name, () => this.ofNamed(to))
  }

  private isLeaf(type: Type): boolean {
    return ['scalar', 'enumeration', 'literal', 'anything'].includes(
      resolve(this.contract, type).kind,
    )
  }

  private inside(type: Type): { readonly [key: string]: CodecTree } {
    const actual = resolve(this.contract, type)
    switch (actual.kind) {
      case 'list':
        return { items: this.of(actual.item) }
      case 'scalar':
        if (actual.base === 'boolean') return { reads: 'boolean' }
        return ['text', 'bytes', 'date', 'dateTime', 'time', 'duration'].includes(actual.base) ||
          actual.format.startsWith('string:')
          ? {}
          : { reads: 'number' }
      case 'literal':
        if (typeof actual.value === 'number') return { reads: 'number' }
        if (typeof actual.value === 'boolean') return { reads: 'boolean' }
        return {}

      case 'anything':
        return { reads: 'any' }
      case 'map':
        return { members: {} }
      case 'record':
      case 'intersection':
      case 'union': {
        const fields = membersOf(this.contract, actual)
        if (fields.length === 0) return actual.kind === 'union' ? { reads: 'any' } : { members: {} }
        const members: Record<string, CodecTree> = {}
        for (const field of fields)
          if (!Object.hasOwn(members, field.name))
            Object.defineProperty(members, field.name, {
              value: this.of(field.type, field),
              enumerable: true,
              writable: true,
              configurable: true,
            })
        return { members }
      }
      default:
        return {}
    }
  }
}

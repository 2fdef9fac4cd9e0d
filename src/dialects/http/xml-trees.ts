import type { Contract, Type } from '../../contract/contract.js'
import { membersOf, namedType, resolve } from '../../contract/queries.js'
import { camelCase } from '../../naming/identifiers.js'
import { Elsewhere, type CodecTree } from '../codec-tree.js'
import { typeSpecifics } from './specifics.js'
import type { XmlSpecifics } from './xml-specifics.js'

/** Builds the shapes by which JSON is written as XML and read from it. */
export class XmlTrees {
  private readonly contract: Contract
  /** Constants for types that were referred to, by what they are. */
  private readonly constants = new Map<string, { readonly name: string; tree(): CodecTree }>()
  /** Of names of constants, how many wished for each. */
  private readonly wished = new Map<string, number>()

  constructor(contract: Contract) {
    this.contract = contract
  }

  /** The shape of a whole body. */
  root(type: Type, xml: XmlSpecifics): CodecTree {
    return { ...this.inside(type), ...xml }
  }

  /** The constants that were referred to so far, with those that they refer to. */
  *named(): Generator<readonly [name: string, tree: CodecTree]> {
    // The map grows while it is gone through.
    for (const { name, tree } of this.constants.values()) yield [name, tree()]
  }

  /** @param own what is said where it stands, and not of the type */
  private of(type: Type, own: XmlSpecifics = {}): CodecTree {
    if (type.kind !== 'reference' || this.isLeaf(type))
      return { ...this.inside(type), ...typeSpecifics(type).xml, ...own }
    // Types may lead back to themselves: what they are is looked up when it is used.
    const target = namedType(this.contract, type.to)
    const xml = { ...typeSpecifics(target).xml, ...own }
    const key = `${type.to} ${JSON.stringify(Object.entries(xml).sort())}`
    let constant = this.constants.get(key)
    if (constant === undefined) {
      const name = this.nameFor(target.name)
      constant = { name, tree: () => ({ ...this.inside(target), ...xml }) }
      this.constants.set(key, constant)
    }
    return new Elsewhere('xml-shapes', constant.name, constant.tree)
  }

  private nameFor(typeName: string): string {
    const wish = camelCase(`${typeName} xml`)
    const count = (this.wished.get(wish) ?? 0) + 1
    this.wished.set(wish, count)
    return count === 1 ? wish : this.nameFor(`${typeName.slice(0, 60)} ${String(count)}`)
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
        return { items: this.of(actual.item, typeSpecifics(actual).itemXml) }
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
        const members = new Map<string, CodecTree>()
        for (const field of fields)
          if (!members.has(field.name))
            members.set(field.name, this.of(field.type, typeSpecifics(field).xml))
        return { members: Object.fromEntries(members) }
      }
      default:
        return {}
    }
  }
}

import type { NamedType, Type, TypeId } from '../../contract/contract.js'
import { addAll, addTo } from '../../contract/lists.js'
import { partsOf } from '../../contract/queries.js'
import { pascalCase } from '../../naming/identifiers.js'
import { namesOfPlaces, shorterFirst, type PlaceOfType } from './anonymous-names.js'
import { typeSpecifics } from './specifics.js'
import { classesOf, shapeOf, type TypeShape } from './type-shapes.js'

/** Behind the id of a type: what is sent, where that may differ from what is answered. */
export const inRequests = '~in'

/**
 * The types that a description gives no name: those of one shape that stand in the same role are
 * one, and their names are made of where they stand.
 */
export class AnonymousTypes {
  private readonly places = new Map<TypeId, PlaceOfType[]>()

  /** Tells that a type stands at a place, too. */
  add(id: TypeId, place: PlaceOfType): void {
    const known = this.places.get(id)
    if (known === undefined) this.places.set(id, [place])
    else known.push(place)
  }

  has(id: TypeId): boolean {
    return this.places.has(id)
  }

  /**
   * Joins what is the same, and gives names.
   *
   * @param types all types of a description; references in them are put right in place
   * @param roots the types that operations and messages name; the same
   * @returns the types that are left, by id
   */
  settle(
    types: Readonly<Record<TypeId, NamedType>>,
    roots: readonly Type[],
  ): Record<TypeId, NamedType> {
    const joined = this.joined(types)
    const left = Object.values(types).filter(({ id }) => !joined.has(id))
    redirect([...left, ...roots], joined)
    for (const [id, one] of joined)
      for (const place of this.places.get(id) ?? []) if (this.places.has(one)) this.add(one, place)
    const names = namesOfPlaces(left, this.places)
    return Object.fromEntries(
      left.map((type) => [type.id, { ...type, name: names.get(type.id) ?? type.name }]),
    )
  }

  /** Types that are the same as another one, each with that. */
  private joined(types: Readonly<Record<TypeId, NamedType>>): Map<TypeId, TypeId> {
    const kinds = this.kinds(types)
    const shapes = new Map<TypeId, TypeShape>()
    // The texts are long, and compared often: from here on each goes by a number.
    const numbers = new Map<string, string>()
    for (const id of kinds.keys()) {
      const type = types[id]
      if (type === undefined) continue
      const { text, refersTo } = shapeOf(type)
      const number = numbers.get(text) ?? String(numbers.size)
      numbers.set(text, number)
      shapes.set(id, { text: number, refersTo })
    }
    const joined = new Map<TypeId, TypeId>()
    for (;;) {
      const { found, hasNamed } = this.joinedOnce(kinds, shapes, types)
      for (const [id, one] of joined) joined.set(id, found.get(one) ?? one)
      for (const [id, one] of found) {
        joined.set(id, one)
        kinds.delete(id)
      }
      for (const [id, { text, refersTo }] of shapes)
        shapes.set(id, { text, refersTo: refersTo.map((to) => found.get(to) ?? to) })
      // What is the same was found down to the last; only what is the same as a type with a name
      // may make what refers to it the same as another.
      if (!hasNamed) return joined
    }
  }

  /**
   * What types must have in common before they are compared: those without a name their role, those
   * with one their name. Types that can't be the same as another one are left out.
   */
  private kinds(types: Readonly<Record<TypeId, NamedType>>): Map<TypeId, string> {
    const kinds = new Map<TypeId, string>()
    const roles = new Set<string>()
    for (const id of this.places.keys()) {
      if (types[id] === undefined) continue
      const role = this.roleOf(id)
      roles.add(role)
      kinds.set(id, role)
    }
    for (const type of Object.values(types)) {
      if (kinds.has(type.id)) continue
      const sibling = type.id.endsWith(inRequests)
        ? type.id.slice(0, -inRequests.length)
        : undefined
      if (sibling !== undefined && types[sibling] !== undefined) {
        kinds.set(type.id, `@${sibling}`)
        kinds.set(sibling, `@${sibling}`)
      } else if (roles.has(roleText(type.name))) kinds.set(type.id, `@${type.id}`)
    }
    return kinds
  }

  private joinedOnce(
    kinds: ReadonlyMap<TypeId, string>,
    shapes: ReadonlyMap<TypeId, TypeShape>,
    types: Readonly<Record<TypeId, NamedType>>,
  ): { readonly found: ReadonlyMap<TypeId, TypeId>; readonly hasNamed: boolean } {
    const classes = classesOf(kinds, shapes)
    const groups = new Map<number, TypeId[]>()
    for (const [id, number] of classes) addTo(groups, number, id)
    /** Of what has a name, by that and by shape; and the shape of anything. */
    const bare = (id: TypeId, role: string): string => {
      const { text, refersTo } = shapes.get(id) ?? { text: '', refersTo: [] }
      return [role, text, ...refersTo.map((to) => classes.get(to) ?? to)].join('\n')
    }
    const named = new Map<string, TypeId>()
    for (const id of kinds.keys())
      if (!this.has(id) && !id.endsWith(inRequests))
        named.set(bare(id, roleText(types[id]?.name ?? '')), id)
    const found = new Map<TypeId, TypeId>()
    let hasNamed = false
    for (const group of groups.values()) {
      const [first = '', ...others] = group.sort(shorterFirst)
      const name = this.has(first) ? named.get(bare(first, this.roleOf(first))) : undefined
      if (name !== undefined) found.set(first, name)
      for (const other of others) found.set(other, name ?? first)
      hasNamed ||= name !== undefined
    }
    return { found, hasNamed }
  }

  /** In which role a type stands; of several the same one, whichever was read first. */
  private roleOf(id: TypeId): string {
    const roles = (this.places.get(id) ?? []).map(({ title, steps }) =>
      roleText(title ?? steps.at(-1) ?? ''),
    )
    return roles.reduce((least, each) => (each < least ? each : least), roles[0] ?? '')
  }
}

/** A name as a role: numbers behind it and how it is written don't count. */
function roleText(name: string): string {
  const word = pascalCase(name).toLowerCase()
  return word.replace(/\d+$/, '') || word
}

/** Makes every reference to a joined type one to the type that is left. */
function redirect(roots: readonly Type[], joined: ReadonlyMap<TypeId, TypeId>): void {
  const waiting = [...roots]
  for (let type = waiting.pop(); type !== undefined; type = waiting.pop()) {
    if (type.kind === 'reference') Object.assign(type, { to: joined.get(type.to) ?? type.to })
    if (type.kind === 'union' && type.discriminator !== undefined)
      for (const [value, id] of Object.entries(type.discriminator.mapping))
        Object.assign(type.discriminator.mapping, { [value]: joined.get(id) ?? id })
    const { otherwise } = typeSpecifics(type)
    if (otherwise !== undefined)
      Object.assign(typeSpecifics(type), { otherwise: joined.get(otherwise) ?? otherwise })
    addAll(waiting, partsOf(type))
  }
}

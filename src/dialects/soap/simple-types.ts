import type { EnumerationType, ListType, ScalarType, UnionType } from '../../contract/contract.js'
import { present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Notes } from '../notes.js'
import { builtinTypes } from './builtin-types.js'
import { applyFacets } from './facets.js'
import type { ListSpecifics } from './specifics.js'
import { xsd } from './namespaces.js'
import { documentationOf, documented } from './reading.js'

/**
 * A built-in simple type of XML Schema as a contract type, or undefined when there is none of that
 * name.
 */
export function builtinType(local: string, at: XmlElement): ScalarType | ListType | undefined {
  const builtin = Object.hasOwn(builtinTypes, local) ? builtinTypes[local] : undefined
  if (builtin === undefined) return undefined
  if (builtin.listOf !== undefined) {
    const item = builtinType(builtin.listOf, at)
    if (item !== undefined)
      return {
        kind: 'list',
        item,
        minItems: 1,
        ...spaced,
      }
  }
  return {
    kind: 'scalar',
    base: builtin.base,
    format: `xs:${local}`,
    ...present({ constraints: builtin.constraints }),
  }
}

/** What a simple type is made of: its base resolved to the end. */
export type SimpleType = ScalarType | EnumerationType | ListType | UnionType

/**
 * Reads a simpleType definition (XML Schema part 2, section 4.1).
 *
 * @param name for messages
 * @param simpleOf resolves the base or item type that is named or stands inside
 */
export function readSimpleType(
  element: XmlElement,
  name: string,
  notes: Notes,
  simpleOf: SimpleTypeOf,
): SimpleType {
  const documentation = documented(element)
  for (const attribute of ['final', 'id']) element.attribute(attribute)
  const restriction = element.takeOne(xsd, 'restriction')
  if (restriction !== undefined) {
    const base = simpleOf(restriction.attribute('base'), restriction)
    return { ...applyFacets(base, restriction, name, notes), ...documentation }
  }
  const list = element.takeOne(xsd, 'list')
  if (list !== undefined)
    return { ...listOf(list, name, simpleOf, element.place), ...documentation, ...spaced }
  const union = element.takeOne(xsd, 'union')
  if (union !== undefined) return { ...unionOf(union, name, notes, simpleOf), ...documentation }
  throw problem(
    'TM-2104',
    { what: `The simple type "${name}"`, attribute: 'restriction, list or union' },
    { place: element.place },
  )
}

/** Resolves a simple type by the name that refers to it, or by what stands inside an element. */
type SimpleTypeOf = (reference: string | undefined, at: XmlElement) => SimpleType

/** Items of such lists stand in one text, with white space between them. */
const spaced = { specifics: { written: 'spaced' } satisfies ListSpecifics }

function listOf(
  list: XmlElement,
  name: string,
  simpleOf: SimpleTypeOf,
  place: XmlElement['place'],
): ListType {
  documentationOf(list)
  const item = simpleOf(list.attribute('itemType'), list)
  if (item.kind !== 'list') return { kind: 'list', item }
  const what = `The list of lists "${name}"`
  throw problem('TM-2213', { what, reason: 'XML Schema does not allow it' }, { place })
}

function unionOf(union: XmlElement, name: string, notes: Notes, simpleOf: SimpleTypeOf): UnionType {
  documentationOf(union)
  const written = (union.attribute('memberTypes') ?? '').split(/\s+/)
  const named = written.filter((each) => each !== '').map((each) => simpleOf(each, union))
  const inside = union
    .take(xsd, 'simpleType')
    .map((each) => readSimpleType(each, name, notes, simpleOf))
  // The members of a union that is a member are members themselves: each once, or unions of
  // unions double with every step.
  const alternatives = [...named, ...inside].flatMap((each) =>
    each.kind === 'union' ? (each.alternatives as SimpleType[]) : [each],
  )
  if (alternatives.length > 0) return { kind: 'union', alternatives: [...new Set(alternatives)] }
  throw problem(
    'TM-2104',
    { what: `The union "${name}"`, attribute: 'memberTypes' },
    { place: union.place },
  )
}

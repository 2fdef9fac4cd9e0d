import type { Field, InputField, Origin, Type, TypeId } from '../../contract/contract.js'
import { marked } from '../../contract/present.js'
import { input } from './inputs.js'
import { fieldSpecifics, type EntitySpecifics } from './specifics.js'
import { targetOf } from './resources.js'

/** A navigation property whose target can be bound to an entity that is there. */
export interface Link {
  /** What the input is called that says which one. */
  readonly given: string
  /** The property. */
  readonly name: string
  /** The set that the targets are in. */
  readonly set: string
  readonly target: TypeId
  readonly isMany: boolean
  /** There must always be one. */
  readonly isFixed: boolean
}

/** What the other inputs are called. */
const taken = ['key', 'of', 'ifMatch']

/** The links that entities with these fields have. */
export function linksOf(fields: readonly Field[]): Link[] {
  return fields.flatMap((field): Link[] => {
    const { navigation } = fieldSpecifics(field)
    const target = targetOf(field)
    if (navigation?.set === undefined || target === undefined) return []
    return [
      {
        given: taken.includes(field.name) ? `${field.name}_` : field.name,
        name: field.name,
        set: navigation.set,
        target,
        isMany: field.type.kind === 'list',
        isFixed: field.relation?.multiplicity === '1',
      },
    ]
  })
}

/** The input that names the target of a link by its key. */
export function linkInput({ given, set }: Link, key: Type, origin: Origin): InputField {
  const documentation = `The key of an entity of ${set}.`
  return input({ name: given, type: key, place: 'path', documentation }, origin)
}

/** The input that takes a link away, of which there is only one. */
export function unlinkInput({ given }: Link, origin: Origin): InputField {
  const type: Type = { kind: 'literal', value: true }
  const documentation = 'The one that there is.'
  return input({ name: given, type, place: 'path', documentation }, origin)
}

/** What the inputs of links lead to. */
export function linkTargets(links: readonly Link[]): NonNullable<EntitySpecifics['targets']> {
  return Object.fromEntries(
    links.map(({ given, name, set, target, isMany }) => [
      given,
      {
        ...(given === name ? {} : { name }),
        set,
        entity: target,
        ...marked({ many: isMany }),
      },
    ]),
  )
}

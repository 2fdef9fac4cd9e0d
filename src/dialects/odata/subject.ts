import type { Field, InputField, Origin, Type, TypeId } from '../../contract/contract.js'
import { ifMatchInput, keyInput, queryInputs, type PropertyNames } from './inputs.js'
import { keyType } from './keys.js'
import {
  fieldSpecifics,
  type RecordSpecifics,
  type ResourceSpecifics,
  type Version,
} from './specifics.js'
import { linksOf, type Link } from './links.js'
import type { Resource } from './resources.js'
import type { TypeReader } from './types.js'

/** A set or singleton, with what the operations on its entities are made of. */
export interface Subject extends Pick<Resource, 'name' | 'origin' | 'capabilities'> {
  readonly entity: TypeId
  readonly isSingleton: boolean
  /** Versions 4.0 and 4.01. */
  readonly isNew: boolean
  /** One of its entities can be addressed. */
  readonly isAddressed: boolean
  /** Its entities stand for bytes. */
  readonly isMedia: boolean
  /** Its properties that are streams. */
  readonly streams: readonly string[]
  readonly properties: PropertyNames
  readonly links: readonly Link[]
  /** The key of what it lies in. */
  readonly outer: readonly InputField[]
  /** What one of its entities is addressed by: `outer` and its own key. */
  readonly key: readonly InputField[]
  /** What a query can ask of its entities. */
  readonly query: readonly InputField[]
  /** What of that makes sense for one of them, */
  readonly partial: readonly InputField[]
  /** and for what comes back of one that was changed. */
  readonly changed: readonly InputField[]
  readonly ifMatch: InputField
  /** The type of an entity that is to be created, made when it is asked for. */
  newShape(): TypeId
  /** The type of what changes of an entity, made when it is asked for. */
  changesShape(): TypeId
}

/**
 * The filter as an input that must be there, where the service answers only who says which ones.
 *
 * @param filtered the properties that it must speak of; undefined where there need be none
 */
function wantedFilter(filtered: readonly string[] | undefined): (input: InputField) => InputField {
  if (filtered === undefined) return (input) => input
  const example = filtered.map((name) => `${name} ne null`).join(' and ')
  return (input) =>
    input.name === 'filter'
      ? { ...input, optional: false, ...(example === '' ? {} : { example }) }
      : input
}

/** Works out what the operations on a resource are made of. */
export function subjectOf(resource: Resource, types: TypeReader, version: Version): Subject {
  const { name, specifics: place, origin, capabilities, guarded } = resource
  const { entity } = place
  const isSingleton = place.singleton === true
  const isNew = version.startsWith('4')
  const keys = types.keyFields(entity)
  const { media, streams = [] } = (types.record(entity).specifics ?? {}) as Partial<RecordSpecifics>
  const properties = propertyNames(types.allFields(entity))
  const { without = [], has = [], filtered } = capabilities.restricted ?? {}
  const canAsk = ({ name: option }: InputField): boolean =>
    !without.includes(option) && (isNew || option !== 'search' || has.includes('search'))
  const query = types.isEntity(entity)
    ? queryInputs(properties, version, origin).filter(canAsk).map(wantedFilter(filtered))
    : []
  const outer = outerKey(place, types, origin)
  return {
    name,
    origin,
    capabilities,
    entity,
    isSingleton,
    isNew,
    isAddressed: isSingleton || keys.length > 0,
    isMedia: media === true,
    streams,
    properties,
    links: linksOf(types.allFields(entity)),
    outer,
    key: isSingleton ? outer : [...outer, ...keyInput(keys, origin)],
    query,
    partial: named(query, ['select', 'expand', 'custom']),
    changed: named(query, isNew ? ['select', 'expand', 'custom'] : ['custom']),
    ifMatch: ifMatchInput(guarded, origin),
    newShape: () => types.newShape(entity),
    changesShape: () => types.changesShape(entity),
  }
}

/** Those inputs that have one of the names. */
export function named(inputs: readonly InputField[], names: readonly string[]): InputField[] {
  return inputs.filter(({ name }) => names.includes(name))
}

/** The names of an entity's properties, and of those that lead to other entities. */
export function propertyNames(fields: readonly Field[]): PropertyNames {
  const isNavigation = (field: Field): boolean => fieldSpecifics(field).navigation !== undefined
  return {
    names: fields
      .filter((field) => !isNavigation(field) && !field.name.startsWith('$'))
      .map(({ name }) => name),
    navigations: fields.filter(isNavigation).map(({ name }) => name),
  }
}

/** The key of what a resource lies in: the plain one, or keys by the names of several. */
export function outerKey(
  { within = [] }: ResourceSpecifics,
  types: TypeReader,
  origin: Origin,
): InputField[] {
  const steps = within.filter(({ singleton }) => singleton !== true)
  const [only, ...others] = steps
  if (only === undefined) return []
  const isOne = others.length === 0
  const keyOf = (entity: TypeId): Type => keyType(types.keyFields(entity))
  const keyAtEach = (): Type => ({
    kind: 'record',
    fields: steps.map(({ path, entity }) => ({
      name: path,
      type: keyOf(entity),
      optional: false,
      nullable: false,
      origin,
    })),
  })
  return [
    {
      name: 'of',
      type: isOne ? keyOf(only.entity) : keyAtEach(),
      optional: false,
      nullable: false,
      place: 'path',
      documentation: `The key of the entity${isOne ? '' : ' at each step'} that it lies in.`,
      origin,
    },
  ]
}

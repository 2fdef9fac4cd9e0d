import { isPlainObject } from '../../contract/plain.js'
import { isRecord, type JsonValue } from '../json-values.js'
import { keyOf, type Description, type DescribedPlace } from './description.js'

/** What a discriminator says of a value (OpenAPI 3.1, section 4.8.25; 2.0: the name alone). */
function tagIn(
  description: Description,
  place: DescribedPlace,
  value: JsonValue,
): { readonly tag: string; readonly mapped: string } | undefined {
  const { discriminator } = description.objectAt(place)
  const { propertyName, mapping } = isPlainObject(discriminator)
    ? discriminator
    : { propertyName: discriminator }
  const tag = isRecord(value) ? value[String(propertyName)] : undefined
  if (typeof tag !== 'string') return undefined
  const mapped = isPlainObject(mapping) && Object.hasOwn(mapping, tag) ? mapping[tag] : undefined
  return { tag, mapped: typeof mapped === 'string' ? mapped : tag }
}

/** What a record is besides, where the discriminator of a schema without alternatives tells it. */
export function subtypeTold(
  description: Description,
  place: DescribedPlace,
  value: JsonValue,
): DescribedPlace | undefined {
  const { anyOf, oneOf } = description.objectAt(place)
  const told = tagIn(description, place, value)
  if (told === undefined || anyOf !== undefined || oneOf !== undefined) return undefined
  return description.schemaNamed(told.mapped, place)
}

/**
 * The alternative that a discriminator tells.
 *
 * @param places of the alternatives
 */
export function alternativeTold(
  description: Description,
  place: DescribedPlace,
  value: JsonValue,
  places: readonly DescribedPlace[],
): DescribedPlace | undefined {
  const told = tagIn(description, place, value)
  if (told === undefined) return undefined
  const target = /[#/]/.test(told.mapped) ? description.target(told.mapped, place) : undefined
  return places.find((each) => {
    const found = description.settle(each)
    if (found === undefined) return false
    return target === undefined ? found.path.at(-1) === told.mapped : keyOf(found) === keyOf(target)
  })
}

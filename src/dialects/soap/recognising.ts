import { present } from '../../contract/present.js'
import type { TypeId } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { xsd } from './namespaces.js'
import { keyOf, qualifiedName } from './reading.js'
import { redefined } from './schema-set.js'

/** What declarations look like, before they are read. */

/** Is it a schema followed by an instance of it? */
export function isDataSet(type: XmlElement): boolean {
  const [sequence, ...others] = type.children.filter((child) => !child.is(xsd, 'annotation'))
  if (others.length > 0 || sequence?.is(xsd, 'sequence') !== true) return false
  const [first, second, ...more] = sequence.children.filter((child) => !child.is(xsd, 'annotation'))
  const value = (element: XmlElement | undefined, name: string): string =>
    element?.attributes.find((attribute) => attribute.local === name)?.value ?? ''
  if (first === undefined || second?.is(xsd, 'any') !== true || more.length > 0) return false
  const isSchema =
    first.is(xsd, 'element') &&
    value(first, 'ref') !== '' &&
    keyOf(qualifiedName(value(first, 'ref'), first)) === keyOf([xsd, 'schema'])
  return isSchema || (first.is(xsd, 'any') && value(first, 'namespace') === xsd)
}

/** The one repeated element that is all there is in a type: such types are lists. */
export function soleRepeatedElement(type: XmlElement): XmlElement | undefined {
  if (
    type.local !== 'complexType' ||
    type.attributes.some(
      (attribute) =>
        (attribute.local === 'mixed' || attribute.local === 'abstract') && isTrue(attribute.value),
    )
  )
    return undefined
  const content = type.children.filter((child) => !child.is(xsd, 'annotation'))
  const [sequence] = content
  if (sequence === undefined || content.length !== 1 || !sequence.is(xsd, 'sequence'))
    return undefined
  const particles = sequence.children.filter((child) => !child.is(xsd, 'annotation'))
  const [item] = particles
  const plainSequence = sequence.attributes.every(
    (attribute) =>
      (attribute.local !== 'maxOccurs' && attribute.local !== 'minOccurs') ||
      attribute.value === '1',
  )
  const repeated = item?.attributes.some(
    (attribute) =>
      attribute.local === 'maxOccurs' && attribute.value !== '1' && attribute.value !== '0',
  )
  return particles.length === 1 &&
    plainSequence &&
    repeated === true &&
    item?.is(xsd, 'element') === true
    ? item
    : undefined
}

/** How often a particle may occur; without a maximum for ever. */
export function occurrence(particle: XmlElement): { minimum: number; maximum: number | undefined } {
  const count = (attribute: string): number | undefined => {
    const value = particle.attribute(attribute)?.trim() ?? '1'
    if (value === 'unbounded' && attribute === 'maxOccurs') return undefined
    if (!/^\d+$/.test(value))
      throw problem(
        'TM-2220',
        { element: particle.name, attribute, value },
        { place: particle.place },
      )
    return Number(value)
  }
  return { minimum: count('minOccurs') ?? 0, maximum: count('maxOccurs') }
}

/** Is it the type as it was before it was redefined? */
export function isRedefined(id: TypeId): boolean {
  return id.endsWith(redefined)
}

/** The value that is assumed, or the only one allowed. */
export function presets(declaration: XmlElement): { default?: string; fixed?: string } {
  const preset = declaration.attribute('default')
  const fixed = declaration.attribute('fixed')
  return {
    ...present({ default: preset, fixed }),
  }
}

/** With a capital letter first. */
export function capitalised(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

/** Does an attribute of the type xs:boolean say yes? */
export function isTrue(value: string | undefined): boolean {
  return value === 'true' || value === '1'
}

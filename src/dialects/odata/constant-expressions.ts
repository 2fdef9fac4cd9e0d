import type { XmlElement } from '../../documents/xml-tree.js'

/**
 * What an annotation says, as JSON has it: records as objects, collections as lists, enumeration
 * members and paths as texts (CSDL XML 4.01, section 14.3 and 14.4).
 */
export type Constant =
  boolean | number | string | null | readonly Constant[] | { readonly [name: string]: Constant }

const textual = [
  'String',
  'Date',
  'DateTimeOffset',
  'Duration',
  'Guid',
  'TimeOfDay',
  'Binary',
  'EnumMember',
  'Path',
  'PropertyPath',
  'NavigationPropertyPath',
  'AnnotationPath',
  'ModelElementPath',
  'AnyPropertyPath',
]

/**
 * The value of an annotation, or of a value of a property inside one. Without any it is true. What
 * depends on an entity has no value here: undefined.
 */
export function constantOf(element: XmlElement): Constant | undefined {
  for (const { local, value } of element.attributes) {
    const found = simple(local, value)
    if (found !== undefined) return found
  }
  const [inside] = element.children.filter((child) => child.local !== 'Annotation')
  return inside === undefined ? true : valueOf(inside)
}

function valueOf(element: XmlElement): Constant | undefined {
  if (element.local === 'Collection')
    return element.children
      .filter((child) => child.local !== 'Annotation')
      .map(valueOf)
      .filter((each) => each !== undefined)
  if (element.local === 'Null') return null
  if (element.local !== 'Record') return simple(element.local, element.text)
  const members = element.children
    .filter((child) => child.local === 'PropertyValue')
    .map(
      (child) =>
        [
          child.attributes.find(({ local }) => local === 'Property')?.value ?? '',
          constantOf(child),
        ] as const,
    )
  return Object.fromEntries(
    members.filter((each): each is readonly [string, Constant] => each[1] !== undefined),
  )
}

function simple(kind: string, text: string): Constant | undefined {
  if (kind === 'Bool') return text.trim() === 'true'
  if (kind === 'Int' || kind === 'Float' || kind === 'Decimal') return Number(text)
  return textual.includes(kind) ? text.trim() : undefined
}

/** A member of a record. */
export function memberOf(value: Constant | undefined, name: string): Constant | undefined {
  return isRecord(value) && Object.hasOwn(value, name) ? value[name] : undefined
}

/** The names of a record's members. */
export function membersOf(value: Constant | undefined): string[] {
  return isRecord(value) ? Object.keys(value) : []
}

/** The texts of a collection. */
export function textsOf(value: Constant | undefined): string[] {
  return Array.isArray(value) ? value.filter((each) => typeof each === 'string') : []
}

function isRecord(value: Constant | undefined): value is { readonly [name: string]: Constant } {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

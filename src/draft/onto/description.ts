import { isPlainObject } from '../../contract/plain.js'
import { valueAt, type Place } from '../places.js'

/** A description in OpenAPI as plain data, with the documents that it is spread over. */
export interface DescribedDocuments {
  /** The label of the one that is the description itself. */
  readonly root: string
  /** Their contents, by label, overlays applied. */
  readonly documents: ReadonlyMap<string, unknown>
  /** The label of the document that a location means where it stands in another one. */
  follow(location: string, from: string): string | undefined
}

/** A place in one of the documents of a description. */
export interface DescribedPlace {
  readonly document: string
  readonly path: Place
}

/** Which words a description may use. */
export type Version = '2.0' | '3.0' | '3.1'

/** Looks things up in a description, and follows references (RFC 6901, OpenAPI section 4.6). */
export class Description {
  readonly root: string
  readonly version: Version
  readonly documents: ReadonlyMap<string, unknown>
  private readonly described: DescribedDocuments
  private namedSchemas: ReadonlyMap<string, DescribedPlace> | undefined

  constructor(described: DescribedDocuments) {
    this.described = described
    this.root = described.root
    this.documents = described.documents
    const root = described.documents.get(described.root)
    const { openapi, swagger } = isPlainObject(root) ? root : {}
    const said = String(openapi ?? swagger)
    const old = said.startsWith('3.0') ? '3.0' : '3.1'
    this.version = said.startsWith('2') ? '2.0' : old
  }

  at({ document, path }: DescribedPlace): unknown {
    return valueAt(this.documents.get(document), path)
  }

  /** What is in a place of objects; nothing where there is none. */
  objectAt(place: DescribedPlace): Readonly<Record<string, unknown>> {
    const found = this.at(place)
    return isPlainObject(found) ? found : {}
  }

  /**
   * The place that a reference leads to in the end, or the place itself.
   *
   * @returns undefined where a reference leads nowhere, or in a circle
   */
  settle(place: DescribedPlace): DescribedPlace | undefined {
    let found: DescribedPlace | undefined = place
    for (let step = 0; step < mostSteps && found !== undefined; step += 1) {
      const reference = this.objectAt(found)['$ref']
      if (typeof reference !== 'string') return found
      found = this.target(reference, found)
    }
    return undefined
  }

  /** The schema that a value of a discriminator stands for, by reference or by name. */
  schemaNamed(name: string, from: DescribedPlace): DescribedPlace | undefined {
    if (name.includes('#')) return this.target(name, from)
    this.namedSchemas ??= namesOf(this)
    return this.namedSchemas.get(name)
  }

  /** The place that a reference names; undefined where there is none. */
  target(reference: string, from: DescribedPlace): DescribedPlace | undefined {
    const [location = '', fragment = ''] = reference.split('#')
    const document =
      location === '' ? from.document : this.described.follow(location, from.document)
    if (document === undefined || !(fragment === '' || fragment.startsWith('/'))) return undefined
    const path = fragment.split('/').slice(1).map(unescaped)
    const place = { document, path }
    return this.at(place) === undefined ? undefined : place
  }
}

/** Where named schemas are in a version. */
export function schemasPath(version: Version): Place {
  return version === '2.0' ? ['definitions'] : ['components', 'schemas']
}

/** Descriptions before 3.0 say with the schema which value stands for it. */
const saysValue = /^x-(?:\w+-)*discriminator-value$/i

/** The named schemas of a description, by their names and by the values that stand for them. */
function namesOf(description: Description): Map<string, DescribedPlace> {
  const shelf = { document: description.root, path: schemasPath(description.version) }
  const names = new Map<string, DescribedPlace>()
  for (const [name, schema] of Object.entries(description.objectAt(shelf))) {
    const [, value] =
      Object.entries(isPlainObject(schema) ? schema : {}).find(([key]) => saysValue.test(key)) ?? []
    if (typeof value === 'string' && !names.has(value)) names.set(value, inside(shelf, name))
    names.set(name, inside(shelf, name))
  }
  return names
}

/** References lead to references, but not for ever. */
const mostSteps = 100

function unescaped(step: string): string {
  let text = step
  try {
    text = decodeURIComponent(step)
  } catch {
    // It is meant as it stands.
  }
  return text.replaceAll('~1', '/').replaceAll('~0', '~')
}

/** The place of something inside another place. */
export function inside({ document, path }: DescribedPlace, ...steps: string[]): DescribedPlace {
  return { document, path: [...path, ...steps] }
}

/** A list in plain data; an empty one where there is none. */
export function listIn(value: unknown): readonly unknown[] {
  return Array.isArray(value) ? (value as unknown[]) : []
}

export function keyOf({ document, path }: DescribedPlace): string {
  return JSON.stringify([document, ...path])
}

import { isPlainObject } from '../../contract/plain.js'
import { Problem } from '../../contract/problem.js'
import { draftOf } from '../draft.js'
import { isSame } from '../join-schemas.js'
import { withoutNames } from '../paths.js'
import { plainOf } from '../remarked.js'
import { inside, type Description, type DescribedPlace } from './description.js'
import type { RecordedOnto } from './recorded-onto.js'
import { inWordsOf } from './version-words.js'

/** What became of exchanges of operations that a description does not have. */
export interface AddedOperations {
  readonly exchanges: number
  readonly leftOut: ReadonlyMap<string, number>
  readonly troubles: readonly string[]
}

type Members = Readonly<Record<string, unknown>>

export const noneAdded: AddedOperations = { exchanges: 0, leftOut: new Map(), troubles: [] }

/** The description while it is mended. */
export interface Mended {
  at(place: DescribedPlace): unknown
  put(place: DescribedPlace, value: unknown, reason: string): void
}

/** Drafts the operations that a description lacks, with what they need. */
export function addOperations(
  description: Description,
  held: RecordedOnto,
  mended: Mended,
): AddedOperations {
  const { unknown: recordings } = held
  const [first] = recordings
  if (first === undefined) return noneAdded
  if (description.version === '2.0') {
    const trouble = `${String(recordings.length)} exchanges are of operations that the description lacks; to OpenAPI 2.0 none are added: draft them apart`
    return { ...noneAdded, troubles: [trouble] }
  }
  const base = held.operations.paths.bases.find((each) =>
    recordings.some(({ url }) => `${url.pathname}/`.startsWith(`${each}/`)),
  )
  if (base === undefined) {
    const why = 'that are under no address of the description'
    return { ...noneAdded, leftOut: new Map([[why, recordings.length]]) }
  }
  try {
    const only = `${first.url.origin}${base}`
    const taken = { operations: operationIds(description), schemas: [] }
    const drafted = draftOf(recordings, { title: 'drafted', only, taken })
    new Adding(description, held, mended).add(plainOf(drafted.description) as Members)
    const { exchanges, leftOut, troubles } = drafted
    return { exchanges, leftOut, troubles }
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    return { ...noneAdded, troubles: [error.message] }
  }
}

/** Adds a drafted description to one that is mended. */
class Adding {
  private readonly description: Description
  private readonly held: RecordedOnto
  private readonly mended: Mended
  /** The templates of the description, by their form. */
  private readonly known: ReadonlyMap<string, string>
  /** What drafted schemas are called there. */
  private readonly names = new Map<string, string>()

  constructor(description: Description, held: RecordedOnto, mended: Mended) {
    this.description = description
    this.held = held
    this.mended = mended
    const { templates } = held.operations.paths
    this.known = new Map(templates.map((each) => [withoutNames(each), each]))
  }

  add({ paths, components }: Members): void {
    const { schemas, securitySchemes } = components as Members
    const secured = this.isSecured()
    this.nameSchemas(schemas as Members)
    for (const [template, item] of Object.entries(paths as Members))
      for (const [method, operation] of Object.entries(item as Members))
        this.operation(template, method, operation as Members, secured)
    for (const [name, schema] of Object.entries(schemas as Members))
      this.component(['schemas', this.names.get(name) ?? name], this.inWords(schema, true))
    for (const [name, scheme] of Object.entries((securitySchemes ?? {}) as Members))
      if (!secured) this.component(['securitySchemes', name], scheme)
  }

  /** Does the description say itself how somebody proves who calls? */
  private isSecured(): boolean {
    const root = { document: this.description.root, path: [] }
    return (
      this.description.at(inside(root, 'security')) !== undefined ||
      this.description.at(inside(root, 'components', 'securitySchemes')) !== undefined
    )
  }

  /** One of the same name is the same where it says the same; else the new one has another name. */
  private nameSchemas(schemas: Members): void {
    for (const [name, schema] of Object.entries(schemas)) {
      const said = this.inWords(schema, true)
      let given = name
      for (let count = 2; ; count += 1) {
        const there = this.mended.at(this.componentPlace(['schemas', given]))
        if (there === undefined || isSame(there, said)) break
        given = `${name}${String(count)}`
      }
      this.names.set(name, given)
    }
  }

  private operation(template: string, method: string, drafted: Members, secured: boolean): void {
    const known = this.known.get(withoutNames(template))
    const item = known === undefined ? undefined : this.held.operations.pathItem(known)
    const place = item ?? { document: this.description.root, path: ['paths', template] }
    const { security, ...rest } = withNamesOf(known ?? template, template, drafted)
    const operation = secured || security === undefined ? rest : { ...rest, security }
    const reason = 'an operation that nothing described'
    this.mended.put(inside(place, method), this.inWords(operation, false), reason)
  }

  private component(path: readonly string[], value: unknown): void {
    const place = this.componentPlace(path)
    if (this.mended.at(place) === undefined)
      this.mended.put(place, value, 'what new operations need')
  }

  private componentPlace(path: readonly string[]): DescribedPlace {
    return { document: this.description.root, path: ['components', ...path] }
  }

  /** A drafted piece with its schemas in the words of the description's version. */
  private inWords(value: unknown, isSchema: boolean): unknown {
    const { version } = this.description
    if (isSchema) return this.renamed(inWordsOf(version, value))
    if (Array.isArray(value)) return value.map((each) => this.inWords(each, false))
    if (!isPlainObject(value)) return value
    return Object.fromEntries(
      Object.entries(value).map(([key, each]) => [key, this.inWords(each, key === 'schema')]),
    )
  }

  private renamed(value: unknown): unknown {
    if (Array.isArray(value)) return value.map((each) => this.renamed(each))
    if (!isPlainObject(value)) return value
    return Object.fromEntries(
      Object.entries(value).map(([key, each]) => [
        key,
        key === '$ref' && typeof each === 'string' ? this.reference(each) : this.renamed(each),
      ]),
    )
  }

  private reference(drafted: string): string {
    const name = drafted.slice(prefix.length)
    return `${prefix}${this.names.get(name) ?? name}`
  }
}

const prefix = '#/components/schemas/'

function operationIds(description: Description): string[] {
  const paths = description.objectAt({ document: description.root, path: ['paths'] })
  return Object.values(paths).flatMap((item) =>
    Object.values(isPlainObject(item) ? item : {}).flatMap((operation) => {
      const id = isPlainObject(operation) ? operation['operationId'] : undefined
      return typeof id === 'string' ? [id] : []
    }),
  )
}

/** An operation whose parameters of the path are called as in another template of the same form. */
function withNamesOf(template: string, drafted: string, operation: Members): Members {
  if (template === drafted) return operation
  const [names, own] = [template, drafted].map((each) =>
    [...each.matchAll(/\{([^}]*)\}/g)].map(([, name = '']) => name),
  )
  const list = (operation['parameters'] ?? []) as readonly Members[]
  const parameters = list.map((each) => {
    const at = each['in'] === 'path' ? (own ?? []).indexOf(String(each['name'])) : -1
    return at < 0 ? each : { ...each, name: names?.[at] }
  })
  return { ...operation, parameters }
}

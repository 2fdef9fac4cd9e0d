import { isPlainObject } from '../../contract/plain.js'
import { Problem } from '../../contract/problem.js'
import { draftOf } from '../draft.js'
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

/**
 * Drafts the operations that a description lacks, with what they need.
 *
 * @param put puts a value into a place of the description
 */
export function addOperations(
  description: Description,
  held: RecordedOnto,
  put: (place: DescribedPlace, value: unknown, reason: string) => void,
): AddedOperations {
  const { unknown: recordings } = held
  const none = { exchanges: 0, leftOut: new Map<string, number>(), troubles: [] }
  const [first] = recordings
  if (first === undefined) return none
  if (description.version === '2.0') {
    const trouble = `${String(recordings.length)} exchanges are of operations that the description lacks; to OpenAPI 2.0 none are added: draft them apart`
    return { ...none, troubles: [trouble] }
  }
  const base = held.operations.paths.bases.find((each) =>
    recordings.some(({ url }) => `${url.pathname}/`.startsWith(`${each}/`)),
  )
  const root = description.objectAt({ document: description.root, path: [] })
  const components = isPlainObject(root['components']) ? root['components'] : {}
  const schemas = isPlainObject(components['schemas']) ? components['schemas'] : {}
  try {
    const drafted = draftOf(recordings, {
      title: 'drafted',
      only: `${first.url.origin}${base ?? ''}`,
      taken: { operations: operationIds(root), schemas: Object.keys(schemas) },
    })
    const { paths, components: own } = plainOf(drafted.description) as {
      paths: Record<string, Members>
      components: Record<string, Members>
    }
    const keepsSecurity = 'security' in root || 'securitySchemes' in components
    const known = new Map(
      [...held.operations.paths.templates].map((each) => [withoutNames(each), each]),
    )
    for (const [template, item] of Object.entries(paths))
      for (const [method, operation] of Object.entries(item)) {
        const place = placeFor(description, held, known.get(withoutNames(template)), template)
        const named = withNamesOf(place.template, template, operation as Members)
        const { security, ...rest } = named
        put(
          inside(place.item, method),
          inWords(description, keepsSecurity || security === undefined ? rest : named),
          'an operation that nothing described',
        )
      }
    for (const [kind, values] of Object.entries(own))
      for (const [name, value] of Object.entries(values))
        if (kind !== 'securitySchemes' || !keepsSecurity)
          put(
            { document: description.root, path: ['components', kind, name] },
            kind === 'schemas' ? inWordsOf(description.version, value) : value,
            'what new operations need',
          )
    return { exchanges: drafted.exchanges, leftOut: drafted.leftOut, troubles: drafted.troubles }
  } catch (error) {
    if (!(error instanceof Problem)) throw error
    return { ...none, troubles: [error.message] }
  }
}

function operationIds(root: Members): string[] {
  const { paths } = root
  return Object.values(isPlainObject(paths) ? paths : {}).flatMap((item) =>
    Object.values(isPlainObject(item) ? item : {}).flatMap((operation) => {
      const id = isPlainObject(operation) ? operation['operationId'] : undefined
      return typeof id === 'string' ? [id] : []
    }),
  )
}

interface PathPlace {
  readonly item: DescribedPlace
  readonly template: string
}

/** A path that the description has, whatever its parameters are called there; else a new one. */
function placeFor(
  description: Description,
  held: RecordedOnto,
  known: string | undefined,
  template: string,
): PathPlace {
  const item = known === undefined ? undefined : held.operations.pathItem(known)
  return {
    item: item ?? { document: description.root, path: ['paths', template] },
    template: known ?? template,
  }
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

/** A drafted operation with its schemas in the words of the description's version. */
function inWords(description: Description, value: unknown): unknown {
  if (Array.isArray(value)) return value.map((each) => inWords(description, each))
  if (!isPlainObject(value)) return value
  return Object.fromEntries(
    Object.entries(value).map(([key, each]) => [
      key,
      key === 'schema' ? inWordsOf(description.version, each) : inWords(description, each),
    ]),
  )
}

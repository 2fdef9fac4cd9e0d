import { isObject } from '../json/values.js'
import { filterText, type FilterWords } from './filter.js'
import { edmOf, resolvedType, type About, type AnyStructure } from './model.js'
import type { Protocol } from './protocol.js'
import { customOptions, listed, targetOf, type AnyQuery, type Option, option } from './query.js'

/**
 * OData 2.0, and 1.0 and 3.0 as far as they are alike: verbose JSON, where everything is inside
 * `d`.
 */

const words: FilterWords = {
  contains: (text, part) => `substringof(${part},${text})`,
  enumeration: (_, names) => names.map((name) => `'${name}'`).join(','),
  typeName: (name) => `'${name}'`,
  hasIn: false,
}

/** Nested expansions as paths: what is expanded, and what is selected there. */
function paths(
  asked: AnyQuery,
  structure: AnyStructure,
  prefix: string,
): { expand: string[]; select: string[] } {
  const { expand, select } = asked
  const chosen =
    select === undefined
      ? []
      : listed(select)
          .split(',')
          .map((name) => prefix + name.trim())
  if (expand === undefined) return { expand: [], select: chosen }
  if (typeof expand === 'string')
    return { expand: expand.split(',').map((name) => prefix + name.trim()), select: chosen }
  const found = { expand: [] as string[], select: chosen }
  for (const each of expand) {
    for (const [name, inner] of typeof each === 'string'
      ? [[each, {}] as const]
      : Object.entries(each)) {
      const below = paths(inner ?? {}, targetOf(structure, name) ?? structure, `${prefix}${name}/`)
      for (const path of [prefix + name, ...below.expand]) found.expand.push(path)
      for (const path of below.select.length === 0 && select !== undefined
        ? [prefix + name]
        : below.select)
        found.select.push(path)
    }
  }
  return found
}

function etagOf(value: unknown): About {
  return typeof value === 'string' ? { etag: value } : {}
}

function queryOf(asked: AnyQuery, structure: AnyStructure): Option[] {
  const { filter, select, orderBy, top, skip, count, search } = asked
  const { expand, select: chosen } = paths(asked, structure, '')
  // A selection inside an expansion leaves out all else, unless everything is asked for.
  const all = select === undefined && chosen.length > 0 ? ['*', ...chosen] : chosen
  return [
    ...option('$filter', filter, (text) => filterText(text, structure, words)),
    ...option('$select', all.length === 0 ? undefined : all, String),
    ...option('$expand', expand.length === 0 ? undefined : expand, String),
    ...option('$orderby', orderBy, listed),
    ...option('$top', top, String),
    ...option('$skip', skip, String),
    ...option('$inlinecount', count === true ? 'allpages' : undefined, String),
    // The version itself has no search; gateways that have one take it without the sign.
    ...option('search', search, String),
    ...customOptions(asked),
  ]
}

function protocol(version: '2.0' | '3.0'): Protocol {
  // The third version has two kinds of JSON; this is how it says the old one.
  const json = version === '3.0' ? 'application/json;odata=verbose' : 'application/json'
  return {
    words,
    query: queryOf,
    change: 'MERGE',
    options: ['filter', 'select', 'expand', 'orderBy', 'top', 'skip', 'count', 'custom'],
    nested: ['select', 'expand'],
    deepUpdates: false,
    asksInBody: false,
    headers: ({ hasBody }) => ({
      accept: json,
      maxdataserviceversion: version,
      ...(hasBody ? { 'content-type': json, dataserviceversion: version } : {}),
    }),
    typeOf,
    isCut: (answer) => isObject(answer) && typeof answer['__next'] === 'string',
    about,
    typed: (name) => ({ __metadata: { type: name } }),
    bound(name, addresses, many) {
      const links = addresses.map((uri) => ({ __metadata: { uri } }))
      return { [name]: many ? links : links[0] }
    },
    links: (navigation) => `$links/${navigation}`,
    linkTo: (address) => ({ uri: address }),
    oneOfMany: (navigation, key) => `$links/${navigation}${key}`,
    rows: (value) => (isObject(value) && 'results' in value ? value['results'] : value),
    single: insideOf,
    result(answer, name) {
      const inside = insideOf(answer)
      if (!isObject(inside)) return inside
      if ('odata.metadata' in inside && 'value' in inside) return inside['value']
      const isNamed = Object.keys(inside).length === 1 && Object.hasOwn(inside, name)
      return isNamed ? inside[name] : inside
    },
    page: pageOf,
    failure: failureOf,
    literal(property, value) {
      if (value === null) return 'null'
      const type = resolvedType(property.is)
      if ('members' in type || 'enumeration' in type) return String(value as string)
      return edmOf(type).literal(value as never)
    },
  }
}

/** What an answer holds, beside what is said about it. */
function insideOf(answer: unknown): unknown {
  return isObject(answer) && 'd' in answer ? answer['d'] : answer
}

function typeOf(answer: Readonly<Record<string, unknown>>): string | undefined {
  const metadata = answer['__metadata']
  const type = isObject(metadata) ? metadata['type'] : answer['odata.type']
  return typeof type === 'string' ? type : undefined
}

function about(name: string, value: unknown): About | undefined {
  if (name === '__metadata') return isObject(value) ? etagOf(value['etag']) : {}
  // The light JSON of version 3 says what an object is by names that begin with `odata.`.
  if (name.includes('odata.')) {
    if (name === 'odata.etag') return etagOf(value)
    const [, before, term] = /^(.+)@odata\.(.*)$/.exec(name) ?? []
    if (term === 'nextLink' && before !== undefined) return { cut: before }
    return before !== undefined || name.startsWith('odata.') ? {} : undefined
  }
  // What was not expanded is there as a link only; what was may go on elsewhere.
  return isObject(value) && '__deferred' in value ? {} : undefined
}

function pageOf(answer: unknown): ReturnType<Protocol['page']> {
  const inside = insideOf(answer)
  if (!isObject(inside))
    return { rows: inside, total: undefined, next: undefined, changes: undefined }
  if (Array.isArray(inside['value']))
    return {
      rows: inside['value'],
      total: inside['odata.count'],
      next: inside['odata.nextLink'],
      changes: undefined,
    }
  return {
    rows: inside['results'],
    total: inside['__count'],
    next: inside['__next'],
    changes: inside['__delta'],
  }
}

function failureOf(answer: unknown): ReturnType<Protocol['failure']> {
  const error = isObject(answer) ? (answer['error'] ?? answer['odata.error']) : undefined
  if (!isObject(error)) return undefined
  const { code, message: said } = error
  const message = isObject(said) ? said['value'] : said
  return {
    code: typeof code === 'string' ? code : '',
    message: typeof message === 'string' ? message : '',
  }
}

export const v2: Protocol = /* @__PURE__ */ protocol('2.0')
export const v3: Protocol = /* @__PURE__ */ protocol('3.0')

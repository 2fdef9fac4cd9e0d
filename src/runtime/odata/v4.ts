import { isObject, jsonText } from '../json/values.js'
import { filterText, type FilterWords } from './filter.js'
import { edmOf, resolvedType, type AnyStructure, type About } from './model.js'
import type { Protocol } from './protocol.js'
import {
  customOptions,
  encodeQuery,
  listed,
  targetOf,
  type AnyQuery,
  type Option,
  option,
} from './query.js'
import { writeProperty } from './structure.js'

/** OData 4.0 and 4.01 (OASIS: Protocol, URL Conventions, JSON Format). */

type Version = '4.0' | '4.01'

function wordsOf(version: Version): FilterWords {
  return {
    contains: (text, part) => `contains(${text},${part})`,
    enumeration: (type, names) => `${type.enumeration}'${names.join(',')}'`,
    typeName: (name) => name,
    hasIn: version === '4.01',
  }
}

function queryOf(asked: AnyQuery, structure: AnyStructure, words: FilterWords): Option[] {
  const { filter, search, select, expand, orderBy, top, skip, count, compute, levels } = asked
  return [
    ...option('$filter', filter, (text) => filterText(text, structure, words)),
    ...option('$search', search, String),
    ...option('$select', select, listed),
    ...option('$expand', expand, (each) => expandText(each, structure, words)),
    ...option('$orderby', orderBy, listed),
    ...option('$top', top, String),
    ...option('$skip', skip, String),
    ...option('$count', count, String),
    ...option('$compute', compute, String),
    ...option('$levels', levels, String),
    ...customOptions(asked),
  ]
}

function expandText(
  expand: NonNullable<AnyQuery['expand']>,
  structure: AnyStructure,
  words: FilterWords,
): string {
  if (typeof expand === 'string') return expand
  return expand
    .flatMap((each) =>
      typeof each === 'string'
        ? [each]
        : Object.entries(each).map(([name, inner]) => {
            const target = targetOf(structure, name) ?? structure
            return name + nested(queryOf(inner ?? {}, target, words))
          }),
    )
    .join(',')
}

/**
 * The options of an expanded property stand in brackets behind it (URL Conventions, section 5.1.3).
 */
function nested(options: readonly Option[]): string {
  if (options.length === 0) return ''
  return `(${options.map(([name, text]) => `${name}=${text}`).join(';')})`
}

const json = 'application/json;odata.metadata=minimal;IEEE754Compatible=true'

function protocol(version: Version): Protocol {
  const words = wordsOf(version)
  const isNewest = version === '4.01'
  const options = [
    'filter',
    'select',
    'expand',
    'orderBy',
    'top',
    'skip',
    'search',
    'count',
    ...(isNewest ? ['compute'] : []),
  ]
  return {
    words,
    query: (asked, structure) => queryOf(asked, structure, words),
    change: 'PATCH',
    options: [...options, 'custom'],
    nested: [...options, 'levels'],
    deepUpdates: isNewest,
    asksInBody: isNewest,
    headers: ({ hasBody, wantsBack }) => ({
      accept: json,
      'odata-maxversion': version,
      ...(hasBody ? { 'content-type': json, 'odata-version': '4.0' } : {}),
      ...(wantsBack ? { prefer: 'return=representation' } : {}),
    }),
    typeOf,
    isCut: () => false,
    about,
    typed: (name) => ({ '@odata.type': `#${name}` }),
    bound: (name, addresses, many) => ({ [`${name}@odata.bind`]: many ? addresses : addresses[0] }),
    links: (navigation) => `${navigation}/$ref`,
    linkTo: (address) => ({ '@odata.id': address }),
    oneOfMany: (navigation, _, address) => `${navigation}/$ref?$id=${encodeQuery(address)}`,
    rows: (answer) => answer,
    single: (answer) => answer,
    result: (answer, _, wantsObject) =>
      !wantsObject && isObject(answer) && Object.hasOwn(answer, 'value') ? answer['value'] : answer,
    page: pageOf,
    failure: failureOf,
    literal(property, value) {
      if (value === null) return 'null'
      const type = resolvedType(property.is)
      if (property.many === true || 'members' in type)
        return jsonText(writeProperty(property, value, this))
      return 'enumeration' in type
        ? words.enumeration(type, [value].flat() as string[])
        : edmOf(type).literal(value as never)
    },
  }
}

function typeOf(answer: Readonly<Record<string, unknown>>): string | undefined {
  const type = answer['@odata.type'] ?? answer['@type']
  return typeof type === 'string' ? type.replace(/^.*#/, '') : undefined
}

/**
 * What is said by annotations, which version 4.01 writes without `odata.` (JSON Format, section
 * 4.6).
 */
function about(name: string, value: unknown): About | undefined {
  if (!name.includes('@')) return undefined
  const [, before = '', term = ''] = /^([^@]*)@(?:odata\.)?(.*)$/.exec(name) ?? []
  if (!name.includes('@odata.') && term.includes('.')) return undefined
  if (before === '' && term === 'etag') return { etag: String(value) }
  return term === 'nextLink' ? { cut: before } : {}
}

function pageOf(answer: unknown): ReturnType<Protocol['page']> {
  const page = isObject(answer) ? answer : {}
  return {
    rows: page['value'],
    total: page['@odata.count'] ?? page['@count'],
    next: page['@odata.nextLink'] ?? page['@nextLink'],
    changes: page['@odata.deltaLink'] ?? page['@deltaLink'],
  }
}

function failureOf(answer: unknown): ReturnType<Protocol['failure']> {
  const error = isObject(answer) ? answer['error'] : undefined
  if (!isObject(error)) return undefined
  const { code, message } = error
  return {
    code: typeof code === 'string' ? code : '',
    message: typeof message === 'string' ? message : '',
  }
}

export const v4: Protocol = /* @__PURE__ */ protocol('4.0')
/** 4.01 knows the operator `in`. */
export const v401: Protocol = /* @__PURE__ */ protocol('4.01')

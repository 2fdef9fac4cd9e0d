import { isObject, jsonText } from '../json/values.js'
import { filterText, type FilterWords } from './filter.js'
import type { Protocol } from './protocol.js'
import { edmOf, settled, type AnyStructure } from './model.js'
import {
  customOptions,
  encodeQuery,
  listed,
  targetOf,
  type AnyQuery,
  type Option,
} from './query.js'
import { writeProperty } from './structure.js'

/** OData 4.0 and 4.01 (OASIS: Protocol, URL Conventions, JSON Format). */

function protocol(version: '4.0' | '4.01'): Protocol {
  const words: FilterWords = {
    contains: (text, part) => `contains(${text},${part})`,
    enumeration: (type, names) => `${type.enumeration}'${names.join(',')}'`,
    typeName: (name) => name,
    hasIn: version === '4.01',
  }
  const query = (asked: AnyQuery, structure: AnyStructure): Option[] => {
    const { filter, search, select, expand, orderBy, top, skip, count, compute, levels } = asked
    return [
      ...(filter === undefined ? [] : [['$filter', filterText(filter, structure, words)] as const]),
      ...(search === undefined ? [] : [['$search', search] as const]),
      ...(select === undefined ? [] : [['$select', listed(select)] as const]),
      ...(expand === undefined ? [] : [['$expand', expandText(expand, structure)] as const]),
      ...(orderBy === undefined ? [] : [['$orderby', listed(orderBy)] as const]),
      ...(top === undefined ? [] : [['$top', String(top)] as const]),
      ...(skip === undefined ? [] : [['$skip', String(skip)] as const]),
      ...(count === undefined ? [] : [['$count', String(count)] as const]),
      ...(compute === undefined ? [] : [['$compute', compute] as const]),
      ...(levels === undefined ? [] : [['$levels', String(levels)] as const]),
      ...customOptions(asked),
    ]
  }
  // The options of an expanded property stand in brackets behind it (URL Conventions, section
  // 5.1.3).
  const expandText = (expand: NonNullable<AnyQuery['expand']>, structure: AnyStructure): string =>
    typeof expand === 'string'
      ? expand
      : expand
          .flatMap((each) =>
            typeof each === 'string'
              ? [each]
              : Object.entries(each).map(
                  ([name, inner]) =>
                    name + nested(inner ?? {}, targetOf(structure, name) ?? structure),
                ),
          )
          .join(',')
  const nested = (inner: AnyQuery, structure: AnyStructure): string => {
    const options = query(inner, structure)
    return options.length === 0
      ? ''
      : `(${options.map(([name, text]) => `${name}=${text}`).join(';')})`
  }
  const options = [
    'filter',
    'select',
    'expand',
    'orderBy',
    'top',
    'skip',
    'search',
    'count',
    ...(version === '4.01' ? ['compute'] : []),
  ]
  return {
    words,
    query,
    change: 'PATCH',
    options: [...options, 'custom'],
    nested: [...options, 'levels'],
    deepUpdates: version === '4.01',
    asksInBody: version === '4.01',
    headers: ({ hasBody, wantsBack }) => ({
      accept: 'application/json;odata.metadata=minimal;IEEE754Compatible=true',
      'odata-maxversion': version,
      ...(hasBody
        ? {
            'content-type': 'application/json;odata.metadata=minimal;IEEE754Compatible=true',
            'odata-version': '4.0',
          }
        : {}),
      ...(wantsBack ? { prefer: 'return=representation' } : {}),
    }),
    typeOf(json) {
      const type = json['@odata.type'] ?? json['@type']
      return typeof type === 'string' ? type.replace(/^.*#/, '') : undefined
    },
    isCut: () => false,
    about(name, value) {
      if (!name.includes('@')) return undefined
      // Version 4.01 lets the prefix `odata.` go (JSON Format 4.01, section 4.6).
      const [, before = '', term = ''] = /^([^@]*)@(?:odata\.)?(.*)$/.exec(name) ?? []
      if (!name.includes('@odata.') && term.includes('.')) return undefined
      if (before === '' && term === 'etag') return { etag: String(value) }
      return term === 'nextLink' ? { cut: before } : {}
    },
    typed: (name) => ({ '@odata.type': `#${name}` }),
    bound: (name, addresses, many) => ({ [`${name}@odata.bind`]: many ? addresses : addresses[0] }),
    links: (navigation) => `${navigation}/$ref`,
    linkTo: (address) => ({ '@odata.id': address }),
    oneOfMany: (navigation, _, address) => `${navigation}/$ref?$id=${encodeQuery(address)}`,
    rows: (json) => json,
    single: (json) => json,
    result: (json, _, wantsObject) =>
      !wantsObject && isObject(json) && Object.hasOwn(json, 'value') ? json['value'] : json,
    page: (json) =>
      isObject(json)
        ? {
            rows: json['value'],
            total: json['@odata.count'] ?? json['@count'],
            next: json['@odata.nextLink'] ?? json['@nextLink'],
            changes: json['@odata.deltaLink'] ?? json['@deltaLink'],
          }
        : { rows: undefined, total: undefined, next: undefined, changes: undefined },
    failure(json) {
      const error = isObject(json) ? json['error'] : undefined
      return isObject(error)
        ? {
            code: typeof error['code'] === 'string' ? error['code'] : '',
            message: typeof error['message'] === 'string' ? error['message'] : '',
          }
        : undefined
    },
    literal(property, value) {
      if (value === null) return 'null'
      const type = settled(property.is)
      if (property.many === true || 'members' in type)
        return jsonText(writeProperty(property, value, this))
      return 'enumeration' in type
        ? words.enumeration(type, [value].flat() as string[])
        : edmOf(type).literal(value as never)
    },
  }
}

export const v4: Protocol = /* @__PURE__ */ protocol('4.0')
/** 4.01 knows the operator `in`. */
export const v401: Protocol = /* @__PURE__ */ protocol('4.01')

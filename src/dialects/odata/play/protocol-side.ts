import { present } from '../../../contract/present.js'
import { endpointsOf } from '../../../contract/queries.js'
import type { Contract } from '../../../contract/contract.js'
import * as edm2 from '../../../runtime/odata/edm2.js'
import * as edm4 from '../../../runtime/odata/edm4.js'
import type { Protocol } from '../../../runtime/odata/protocol.js'
import { v2, v3 } from '../../../runtime/odata/v2.js'
import { v4, v401 } from '../../../runtime/odata/v4.js'
import { jsonText } from '../../../runtime/json/values.js'
import { LiveCodecs } from '../../codec-tree.js'
import type { PlayResponse } from '../../dialect.js'
import type { EndpointSpecifics, Version } from '../specifics.js'
import { ODataTrees } from '../trees.js'

const protocols: Readonly<Record<Version, Protocol>> = {
  '2.0': v2,
  '3.0': v3,
  '4.0': v4,
  '4.01': v401,
}

/** The service's side of a version: how answers are wrapped. */
export interface ServiceSide {
  readonly protocol: Protocol
  readonly isNew: boolean
  /** A page of a list, or the whole. */
  page(
    rows: readonly unknown[],
    facts: {
      readonly total: number | undefined
      readonly next: string | undefined
      readonly context: string
    },
  ): unknown
  /** One entity. */
  entity(json: unknown, context: string): unknown
  /** What an operation returns: an object, a list, another value. */
  result(json: unknown, name: string): unknown
  /** What an entity is besides its properties. */
  about(facts: {
    readonly type: string
    readonly isSubtype: boolean
    readonly etag: string
    readonly url: string
    readonly links: readonly string[]
  }): Record<string, unknown>
  /** The rows of an expanded navigation property. */
  expanded(rows: readonly unknown[]): unknown
  failure(status: number, message: string, code?: string): PlayResponse
}

/** Brings a contract's codecs to life. */
export function livePieces(contract: Contract): {
  side: ServiceSide
  trees: ODataTrees
  codecs: LiveCodecs
} {
  const { version } = endpointsOf(contract)[0]?.specifics as EndpointSpecifics
  const trees = new ODataTrees(contract, (id) => contract.types[id]?.name ?? id)
  const side = version.startsWith('4') ? side4(protocols[version]) : side2(protocols[version])
  const builtins: Readonly<Record<string, unknown>> = {
    ...(side.isNew ? edm4 : edm2),
    v2,
    v3,
    v4,
    v401,
  }
  const codecs = new LiveCodecs(
    (name) => builtins[name],
    (id) => {
      const type = contract.types[id]
      return type === undefined ? undefined : trees.ofNamed(type)
    },
  )
  return { side, trees, codecs }
}

export function jsonAnswer(
  status: number,
  json: unknown,
  headers: Readonly<Record<string, string>>,
): PlayResponse {
  return {
    status,
    headers: { 'content-type': 'application/json', ...headers },
    body: jsonText(json),
  }
}

const headers4 = {
  'content-type': 'application/json;odata.metadata=minimal;IEEE754Compatible=true',
  'odata-version': '4.0',
}

/** JSON Format 4.01, sections 4.5, 6, 13 and 21. */
function side4(protocol: Protocol): ServiceSide {
  return {
    protocol,
    isNew: true,
    page: (rows, { total, next, context }) => ({
      '@odata.context': context,
      ...(total === undefined ? {} : { '@odata.count': String(total) }),
      value: rows,
      ...(next === undefined ? {} : { '@odata.nextLink': next }),
    }),
    entity: (json, context) => ({ '@odata.context': context, ...(json as object) }),
    result: (json) =>
      typeof json === 'object' && json !== null && !Array.isArray(json) ? json : { value: json },
    about: ({ type, isSubtype, etag }) => ({
      ...(isSubtype ? { '@odata.type': `#${type}` } : {}),
      '@odata.etag': etag,
    }),
    expanded: (rows) => rows,
    failure: (status, message, code) =>
      jsonAnswer(status, { error: { code: code ?? String(status), message } }, headers4),
  }
}

/** OData V2, JSON Format, sections 5 to 7 and 10. */
function side2(protocol: Protocol): ServiceSide {
  return {
    protocol,
    isNew: false,
    page: (rows, { total, next }) => ({
      d: {
        results: rows,
        ...(total === undefined ? {} : { __count: String(total) }),
        ...present({ __next: next }),
      },
    }),
    entity: (json) => ({ d: json }),
    result: (json, name) => ({ d: result2(json, name) }),
    about: ({ type, etag, url, links }) => ({
      __metadata: { uri: url, type, etag },
      ...Object.fromEntries(links.map((name) => [name, { __deferred: { uri: `${url}/${name}` } }])),
    }),
    expanded: (rows) => ({ results: rows }),
    failure: (status, message, code) =>
      jsonAnswer(
        status,
        { error: { code: code ?? String(status), message: { lang: 'en', value: message } } },
        { dataserviceversion: '2.0' },
      ),
  }
}

export function headersOf(side: ServiceSide): Readonly<Record<string, string>> {
  return side.isNew ? headers4 : { 'content-type': 'application/json', dataserviceversion: '2.0' }
}

/** What a function of V2 gives: a list or a record as it is, a value by the function's name. */
function result2(json: unknown, name: string): object {
  if (Array.isArray(json)) return { results: json as unknown[] }
  return typeof json === 'object' && json !== null ? json : { [name]: json }
}

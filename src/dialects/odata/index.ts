import type { Dialect } from '../dialect.js'
import { isJsonMetadata } from './csdl.js'
import { odataEmitter } from './emit.js'
import {
  addressOf,
  operationSpecifics,
  type EndpointSpecifics,
  type EntitySpecifics,
} from './specifics.js'
import { playOData } from './play/player.js'
import { isServiceDocument, readOData } from './reader.js'
import { odataFacts } from './wire-facts.js'

/** CSDL, with the protocols of OData 2 to 4. */
export const odata: Dialect = {
  name: 'odata',
  recognise: (text) =>
    /<(?:\w+:)?Edmx[\s>]/.test(text.slice(0, 5000)) ||
    /<(?:\w+:)?Schema\s[^>]*(?:ado\/\d{4}\/\d\d\/edm|odata\/ns\/edm)"/.test(text.slice(0, 5000)) ||
    isServiceDocument(text) ||
    isJsonMetadata(text),
  metadata: {
    addresses: ['/$metadata'],
    links: /\$metadata$/i,
    mediaTypes: ['application/xml', 'application/json'],
  },
  read: readOData,
  emit: odataEmitter,
  describe(_contract, operation, endpoint) {
    const specifics = operationSpecifics(operation)
    const { version } = endpoint.specifics as EndpointSpecifics
    const key = '(…)'
    if (specifics.kind === 'invoke') {
      const { on } = specifics
      const bound =
        on === undefined
          ? ''
          : `${addressOf(on)}${on.many === true || on.singleton === true ? '' : key}/${on.cast === undefined ? '' : `${on.cast}/`}`
      return [
        [
          'request',
          `${specifics.method} /${bound}${specifics.call}${specifics.passing === 'inline' ? key : ''}`,
        ],
        ['address', endpoint.address],
      ]
    }
    const isNew = version.startsWith('4')
    const one = `/${addressOf(specifics)}${specifics.singleton === true ? '' : key}`
    const all = `/${addressOf(specifics)}`
    const change = isNew ? 'PATCH' : 'MERGE'
    const links = isNew ? '(navigation property)/$ref' : '$links/(navigation property)'
    const own = specifics.media === true ? '$value or its stream' : specifics.streams?.join(' or ')
    const stream = own === undefined || specifics.streams === undefined ? '$value' : own
    const requests = {
      list: `GET ${all}`,
      get: `GET ${one}`,
      count: `GET ${all}/$count`,
      create: `POST ${all}`,
      createMedia: `POST ${all}`,
      update: `${change} ${one}`,
      replace: `PUT ${one}`,
      upsert: `${change} ${one}`,
      delete: `DELETE ${one}`,
      changes: 'GET the address that the service gave',
      aggregate: `GET ${all}?$apply=…`,
      download: `GET ${one}/${stream}`,
      upload: `PUT ${one}/${stream}`,
      clear: `DELETE ${one}/${stream}`,
      link: `POST or PUT ${one}/${links}`,
      unlink: `DELETE ${one}/${links}`,
    }
    return [
      ['request', requests[specifics.kind]],
      ...restrictionsOf(specifics),
      ['address', endpoint.address],
    ]
  },
  wire: odataFacts,
  play: playOData,
}

/**
 * What the service says that it can't do, for people: of what an operation of this kind could ask.
 */
function restrictionsOf({
  kind,
  restricted = {},
}: EntitySpecifics): [label: string, value: string][] {
  const { unfiltered, unsorted, unexpanded, filtered, notCreated, notChanged } = restricted
  const isQuery = kind === 'list' || kind === 'count'
  const sentences = [
    ...(isQuery && filtered !== undefined
      ? [`wants a filter${filtered.length === 0 ? '' : ` by ${filtered.join(' and ')}`}`]
      : []),
    ...(isQuery && unfiltered !== undefined ? [`can't filter by ${unfiltered.join(', ')}`] : []),
    ...(kind === 'list' && unsorted !== undefined ? [`can't sort by ${unsorted.join(', ')}`] : []),
    ...((kind === 'list' || kind === 'get') && unexpanded !== undefined
      ? [`can't expand ${unexpanded.join(', ')}`]
      : []),
    ...(kind === 'create' && notCreated !== undefined
      ? [`does not take ${notCreated.join(', ')}`]
      : []),
    ...((kind === 'update' || kind === 'replace' || kind === 'upsert') && notChanged !== undefined
      ? [`does not take ${notChanged.join(', ')}`]
      : []),
  ]
  return sentences.length === 0 ? [] : [['service', sentences.join('; ')]]
}

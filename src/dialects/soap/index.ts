import type { Endpoint, Operation } from '../../contract/contract.js'
import type { Dialect } from '../dialect.js'
import { soapEmitter } from './emit.js'
import { operationSpecifics, wireAt, type QualifiedName } from './specifics.js'
import { wsdl, wsdl20 } from './namespaces.js'
import { outlineOf } from './outline.js'
import { playSoap } from './play.js'
import { readWsdl } from './reader.js'
import { soapFacts } from './wire-facts.js'

/** WSDL, XML Schema and SOAP. */
export const soap: Dialect = {
  name: 'soap',
  recognise(text) {
    const root = /<(?:([\w.-]+):)?(definitions|description)\b[^>]*>/.exec(text.slice(0, 20_000))
    return root !== null && (root[0].includes(wsdl) || root[0].includes(wsdl20))
  },
  metadata: {
    addresses: ['?wsdl', '?singleWsdl'],
    links: /[?&](?:single)?wsdl\b/i,
    mediaTypes: ['application/wsdl+xml', 'application/xml', 'text/xml'],
  },
  glance: outlineOf,
  read: readWsdl,
  emit: soapEmitter,
  adviceOn: (status, contract) =>
    status === 415
      ? {
          words:
            'It does not take a message in this form: as one document or in parts (MTOM), or of this version of SOAP.',
          advice: `Try --mtom, or --no-mtom, or another --endpoint (tolmach show ${contract} lists them). What helps stands in tolmach.yaml as mtom or endpoint, and in code in the settings.`,
        }
      : undefined,
  describe(_contract, operation, endpoint) {
    const { action } = wireAt(operation, endpoint.name)
    const { plain } = operationSpecifics(operation)
    if (plain !== undefined)
      return [
        ['protocol', endpoint.protocol],
        [
          'address',
          `${endpoint.address.replace(/\/+$/, '')}/${plain.location.replace(/^\/+/, '')}`,
        ],
        ['parameters', parameterPlaces[plain.parameters]],
      ]
    return [
      ['protocol', endpoint.protocol],
      ['address', endpoint.address],
      ['action', action === '' ? '(none)' : action],
      ...elements(operation, endpoint),
    ]
  },
  wire: soapFacts,
  play: playSoap,
}

function elements(operation: Operation, endpoint: Endpoint): (readonly [string, string])[] {
  const { style, encoded, oneWay, ...usual } = operationSpecifics(operation)
  const { request, answer } = { ...usual, ...wireAt(operation, endpoint.name) }
  const use = encoded === true ? 'encoded' : 'literal'
  const text = ([namespace, local]: QualifiedName): string => `${local} (${namespace})`
  return [
    ['style', style === 'rpc' ? `rpc/${use}` : `document/${use}, ${style}`],
    ...(request === undefined ? [] : [['request element', text(request)] as const]),
    ...(answer === undefined ? [] : [['answer element', text(answer)] as const]),
    ...(oneWay === true ? [['answer', 'none: a one-way operation'] as const] : []),
  ]
}

const parameterPlaces = { query: 'in the query', path: 'in the path', form: 'as a form' } as const

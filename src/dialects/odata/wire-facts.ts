import type { Contract, ScalarType, Type } from '../../contract/contract.js'
import { resolve } from '../../contract/queries.js'
import type { WireFact, WireFacts } from '../dialect.js'
import {
  addressOf,
  fieldSpecifics,
  operationSpecifics,
  type EndpointSpecifics,
  type RecordSpecifics,
} from './specifics.js'

/** How OData's requests and values stand on the wire, in facts to compare. */
export const odataFacts: WireFacts = {
  operation(operation) {
    const specifics = operationSpecifics(operation)
    if (specifics.kind === 'invoke') {
      const { method, call, passing, on } = specifics
      return [
        { label: 'request', value: `${method} ${call}, parameters ${passing}` },
        {
          label: 'bound to',
          value: on === undefined ? 'nothing' : `${addressOf(on)} ${on.cast ?? ''}`,
        },
      ]
    }
    const { restricted = {}, targets = {} } = specifics
    return [
      { label: 'address', value: addressOf(specifics) },
      ...Object.entries(targets).map(([name, { set }]) => ({
        label: `set that ${name} leads to`,
        value: set,
        gone: 'fine' as const,
        come: 'fine' as const,
      })),
      ...Object.entries(restricted).map(([what, names]): WireFact => ({
        label: `restriction ${what}`,
        value: [...(names ?? [])].sort().join(', ') || 'yes',
        changed: 'may break',
        gone: what === 'has' ? 'may break' : 'fine',
        come: what === 'has' ? 'fine' : 'may break',
      })),
    ]
  },
  endpoint: (endpoint) => [
    { label: 'version of OData', value: (endpoint.specifics as EndpointSpecifics).version },
  ],
  input: (field) => [{ label: 'name', value: fieldSpecifics(field).wire ?? field.name }],
  member(field) {
    const { navigation } = fieldSpecifics(field)
    return navigation?.set === undefined
      ? []
      : [
          {
            label: 'set it leads to',
            value: navigation.set,
            changed: 'may break',
            gone: 'may break',
            come: 'fine',
            when: 'sent',
          },
        ]
  },
  type(type) {
    const { media } = (type.specifics ?? {}) as Partial<RecordSpecifics>
    return media === true ? [{ label: 'stands for bytes', value: 'yes' }] : []
  },
  login: () => [],
  form: edmForm,
  // Nothing is left out of an answer but what hangs off it.
  isAlwaysThere: (field) =>
    fieldSpecifics(field).navigation === undefined &&
    field.relation === undefined &&
    fieldSpecifics(field).about !== true,
  isText: () => false,
  isOrdered: () => false,
}

function edmForm(contract: Contract, type: Type): string {
  const actual = resolve(contract, type)
  switch (actual.kind) {
    case 'scalar':
      return scalarForm(actual)
    case 'enumeration':
    case 'literal':
      return 'string'
    case 'list':
      return 'array'
    case 'record':
    case 'map':
      return 'object'
    default:
      return 'any'
  }
}

/** What has digits that all count is a number or a text, as the client asks for it. */
function scalarForm({ base }: ScalarType): string {
  if (base === 'boolean') return 'boolean'
  if (/^(?:u?int64|decimal|integer)$/.test(base)) return 'digits'
  return /^(?:u?int\d+|float|double)$/.test(base) ? 'number' : 'string'
}

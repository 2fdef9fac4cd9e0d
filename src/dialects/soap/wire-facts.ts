import type { Contract, Field, Operation, Type } from '../../contract/contract.js'
import { resolve } from '../../contract/queries.js'
import type { WireFact, WireFacts } from '../dialect.js'
import {
  endpointSpecifics,
  fieldSpecifics,
  listSpecifics,
  operationSpecifics,
  recordSpecifics,
  wireAt,
  type QualifiedName,
} from './specifics.js'

/** How SOAP's messages and the values in them stand on the wire, in facts to compare. */
export const soapFacts: WireFacts = {
  operation(operation, endpoint) {
    const { style, encoded, oneWay, plain, ...usual } = operationSpecifics(operation)
    const { action, request, answer, addressedAction } = {
      ...usual,
      ...wireAt(operation, endpoint.name),
    }
    if (plain !== undefined)
      return [
        { label: 'request', value: `${plain.verb} ${plain.location}` },
        { label: 'parameters', value: plain.parameters },
        { label: 'answer', value: named(plain.answer) },
      ]
    return [
      // Most servers go by the element of the message, some by this.
      { label: 'SOAP action', value: action === '' ? '(none)' : action, changed: 'may break' },
      { label: 'style', value: `${style}, ${encoded === true ? 'encoded' : 'literal'}` },
      { label: 'request element', value: named(request) },
      { label: 'answer element', value: named(answer) },
      ...(addressedAction === undefined
        ? []
        : [{ label: 'action of WS-Addressing', value: addressedAction } as const]),
      { label: 'answer', value: oneWay === true ? 'none' : 'awaited' },
    ]
  },
  endpoint(endpoint) {
    const { addressing, mtom } = endpointSpecifics(endpoint)
    return [
      ...(addressing === true
        ? [{ label: 'WS-Addressing', value: 'wanted', gone: 'may break' } as const]
        : []),
      ...(mtom === true
        ? [{ label: 'MTOM', value: 'wanted', gone: 'may break', come: 'may break' } as const]
        : []),
    ]
  },
  input: fieldFacts,
  member: fieldFacts,
  type(type) {
    switch (type.kind) {
      case 'list':
        return listFacts(listSpecifics(type))
      case 'map':
        return [{ label: 'written', value: 'as a data set' }]
      case 'record':
        return recordFacts(recordSpecifics(type))
      default:
        return []
    }
  },
  login: () => [],
  form: soapForm,
  isAlwaysThere({ optional, type }) {
    // A list whose items just repeat leaves no trace when it has none.
    const isTraceless = type.kind === 'list' && listSpecifics(type).written !== 'items'
    return !optional && !(isTraceless && (type.minItems ?? 0) === 0)
  },
  isText: () => true,
  identity(operation) {
    const { style, request, plain } = operationSpecifics(operation)
    if (plain !== undefined) return `${plain.verb} ${plain.location}`
    const [first] = operation.inputs.filter(({ place }) => place === 'body')
    const element = request ?? (first === undefined ? undefined : fieldSpecifics(first).name)
    return JSON.stringify([style === 'rpc', element, wireNames(operation)])
  },
  isOrdered: (record) => recordSpecifics(record).anyOrder !== true,
}

/** The elements around a message, where endpoints have their own. */
function wireNames(operation: Operation): string[] {
  return Object.keys(operation.wire)
    .map((endpoint) => named(wireAt(operation, endpoint).request))
    .sort()
}

function named(name: QualifiedName | string | undefined): string {
  if (name === undefined) return '(none)'
  return typeof name === 'string' ? name : `{${name[0]}}${name[1]}`
}

function fieldFacts(field: Field): WireFact[] {
  const { place, name, mediaType, open } = fieldSpecifics(field)
  return [
    { label: 'place', value: place },
    { label: 'name', value: named(name) },
    ...(mediaType === undefined ? [] : [{ label: 'media type', value: mediaType }]),
    ...(open === undefined
      ? []
      : [{ label: 'open content', value: JSON.stringify(open), changed: 'may break' } as const]),
  ]
}

function listFacts(specifics: ReturnType<typeof listSpecifics>): WireFact[] {
  const written: WireFact = { label: 'written', value: specifics.written }
  return specifics.written === 'items'
    ? [
        written,
        { label: 'items', value: named(specifics.item) },
        { label: 'dimensions', value: String(specifics.dimensions ?? 1) },
      ]
    : [written]
}

/** Only where several kinds of a thing may come does a message say the name of a type. */
function recordFacts({ typeName, open }: ReturnType<typeof recordSpecifics>): WireFact[] {
  return [
    {
      label: 'name of the type',
      value: named(typeName),
      changed: 'fine',
      gone: 'fine',
      come: 'fine',
    },
    ...(open === undefined
      ? []
      : [
          {
            label: 'open content',
            value: JSON.stringify({ ...open, at: undefined }),
            changed: 'may break',
            gone: 'fine',
            come: 'fine',
          } as const,
        ]),
  ]
}

/** XML has texts and elements; elements that repeat look like one each. */
function soapForm(contract: Contract, type: Type): string {
  const actual = resolve(contract, type)
  switch (actual.kind) {
    case 'scalar':
    case 'enumeration':
    case 'literal':
      return 'text'
    case 'list':
      return formOfList(contract, actual)
    case 'record':
    case 'map':
    case 'tuple':
      return 'element'
    default:
      return 'any'
  }
}

function formOfList(contract: Contract, list: Extract<Type, { kind: 'list' }>): string {
  const { written } = listSpecifics(list)
  if (written === 'spaced') return 'text'
  return written === 'items' ? 'element' : soapForm(contract, list.item)
}

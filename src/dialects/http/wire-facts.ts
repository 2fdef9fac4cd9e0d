import type { Contract, ScalarType, Type } from '../../contract/contract.js'
import { resolve } from '../../contract/queries.js'
import type { WireFact, WireFacts } from '../dialect.js'
import { valueName } from './json-trees.js'
import {
  bodySpecifics,
  endpointSpecifics,
  operationSpecifics,
  parameterSpecifics,
  schemeSpecifics,
  typeSpecifics,
  type ContentSpecifics,
} from './specifics.js'
import { pagesInWords } from './paged.js'
import type { XmlSpecifics } from './xml-specifics.js'

/** How OpenAPI's operations and values stand on the wire, in facts to compare. */
export const httpFacts: WireFacts = {
  operation(operation) {
    const { answers, scopes = {} } = operationSpecifics(operation)
    return [
      ...Object.entries(answers).flatMap(([status, contents]) => answerFacts(status, contents)),
      ...pagesInWords(operation).map(([label, value]) => ({ label, value })),
      ...Object.entries(scopes).map(([login, names]): WireFact => ({
        label: `scopes of ${login}`,
        value: [...names].sort().join(', '),
        changed: 'may break',
        gone: 'fine',
        come: 'may break',
      })),
    ]
  },
  endpoint(endpoint) {
    const { variables = {} } = endpointSpecifics(endpoint) ?? {}
    return Object.entries(variables).map(([name, { values = [] }]) => ({
      label: `server variable ${name}`,
      value: values.join(', '),
      changed: 'may break',
      come: 'fine',
    }))
  },
  input(field) {
    if (field.place === 'body') return bodySpecifics(field).contents.flatMap(bodyFacts)
    const { name, style, explode, allowReserved, json, whole, choice } = parameterSpecifics(field)
    if (choice === true) return []
    const written = [
      style ?? 'as usual',
      ...(explode === true ? ['exploded'] : []),
      ...(allowReserved === true ? ['with reserved characters'] : []),
      ...(json === true ? ['as JSON'] : []),
      ...(whole === undefined ? [] : [`as the whole query, ${whole}`]),
    ]
    return [
      ...(field.place === 'path' ? [] : [{ label: 'name', value: name }]),
      { label: 'form', value: written.join(', ') },
    ]
  },
  member: (field) => xmlFacts(typeSpecifics(field).xml),
  type(type) {
    const { rule, exactlyOne, apart, xml } = typeSpecifics(type)
    return [
      ...xmlFacts(xml),
      ...(rule === undefined ? [] : [ruleFact('further rules', JSON.stringify(rule))]),
      ...(exactlyOne === true ? [ruleFact('exactly one alternative', 'only one may fit')] : []),
      ...(apart === true ? [ruleFact('parts', 'each has members of its own')] : []),
    ]
  },
  login(scheme) {
    const { key, tokenUrl, refreshUrl, discovery } = schemeSpecifics(scheme)
    return [
      ...(key === undefined ? [] : [{ label: 'key', value: `${key.in} ${key.name}` }]),
      ...[tokenUrl, refreshUrl, discovery]
        .filter((each) => each !== undefined)
        .map((value): WireFact => ({ label: 'token address', value, changed: 'may break' })),
    ]
  },
  form: (contract, type) => jsonForm(contract, type),
  isAlwaysThere: ({ optional }) => !optional,
  isText: (field) => field.place !== 'body' && parameterSpecifics(field).json !== true,
  isOrdered: () => false,
}

/** What a value has to satisfy besides: less than that hurts nobody who sends. */
function ruleFact(label: string, value: string): WireFact {
  return { label, value, changed: 'may break', come: 'may break', gone: 'may break' }
}

/** The usual way to send a body must stay; others are chosen by some. */
function bodyFacts({ mediaType, encoding }: ContentSpecifics, at: number): WireFact[] {
  const gone = at === 0 ? 'break' : 'may break'
  return [
    { label: `body as ${mediaType}`, value: 'taken', gone, come: 'fine' },
    ...Object.entries(encoding ?? {}).map(([part, how]) => ({
      label: `part ${part} of the body`,
      value: JSON.stringify(how),
    })),
  ]
}

/** What comes in a form that nobody asked for can't be read. */
function answerFacts(status: string, contents: readonly ContentSpecifics[]): WireFact[] {
  const isSuccess = /^(?:2|default)/.test(status)
  const forms = contents.map(({ mediaType }) => mediaType)
  return [
    {
      label: `answer ${status}`,
      value: forms.length === 0 ? 'no content' : 'content',
      changed: isSuccess ? 'break' : 'fine',
      gone: 'fine',
      come: isSuccess ? 'may break' : 'fine',
    },
    ...forms.map((mediaType): WireFact => ({
      label: `answer ${status} as ${mediaType}`,
      value: 'given',
      gone: isSuccess ? 'may break' : 'fine',
      come: 'fine',
    })),
  ]
}

function xmlFacts(xml: XmlSpecifics | undefined): WireFact[] {
  if (xml === undefined) return []
  const { name, namespace, attribute, wrapped, text } = xml
  return [
    ...(name === undefined ? [] : [{ label: 'name in XML', value: name }]),
    ...(namespace === undefined ? [] : [{ label: 'namespace in XML', value: namespace }]),
    ...(attribute === true ? [{ label: 'place in XML', value: 'attribute' }] : []),
    ...(wrapped === true ? [{ label: 'lists in XML', value: 'wrapped' }] : []),
    ...(text === true ? [{ label: 'place in XML', value: 'text' }] : []),
  ]
}

/** What kind of JSON a value is. */
function jsonForm(contract: Contract, type: Type): string {
  const actual = resolve(contract, type)
  switch (actual.kind) {
    case 'scalar':
      return scalarForm(actual)
    case 'enumeration':
      return scalarForm(actual.base)
    case 'literal':
      return actual.value === null ? 'null' : typeof actual.value
    case 'list':
    case 'tuple':
      return 'array'
    case 'record':
    case 'map':
      return 'object'
    default:
      return 'any'
  }
}

const numbers = ['int8', 'int16', 'int32', 'uint8', 'uint16', 'uint32', 'float', 'double']

function scalarForm(type: ScalarType): string {
  if (type.base === 'boolean') return 'boolean'
  if (numbers.includes(type.base)) return 'number'
  return exactNumbers.has(valueName(type)) ? 'number' : 'string'
}

/** Codecs of numbers whose digits all count, and that are no texts on the wire. */
const exactNumbers: ReadonlySet<string> = new Set(['int64', 'uint64', 'integer', 'decimal'])

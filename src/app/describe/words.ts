import type {
  Contract,
  Operation,
  PlaceInDocument,
  ScalarType,
  Type,
} from '../../contract/contract.js'
import { basesOf, namedType } from '../../contract/queries.js'

/**
 * Types, inputs and places as people read them: the neutral base for simple values, the metadata's
 * names for others.
 */

/** A type in words: the neutral base for simple values, the metadata's name for others. */
export function typeText(contract: Contract, type: Type, depth = 0): string {
  // Lists and maps can be made of themselves.
  if (depth > 6) return '…'
  const inside = (part: Type): string => typeText(contract, part, depth + 1)
  switch (type.kind) {
    case 'reference': {
      const named = namedType(contract, type.to)
      return named.kind === 'list' || named.kind === 'map' ? inside(named) : named.name
    }
    case 'scalar':
      return scalarText(type)
    case 'list':
      return bracketed(inside(type.item), '[]')
    case 'enumeration':
      return type.members.map((member) => member.value).join(' | ')
    case 'fragment':
      return 'any value'
    case 'literal':
      return String(type.value)
    case 'union':
      return type.alternatives
        .map((each) =>
          each.kind === 'record'
            ? `{ ${each.fields.map((field) => `${field.name}: ${inside(field.type)}`).join(', ')} }`
            : inside(each),
        )
        .join(' | ')
    case 'intersection':
      return type.parts
        .map((each) => (each.kind === 'record' ? fieldCount(each.fields.length) : inside(each)))
        .join(' & ')
    case 'map':
      return `{ [name]: ${inside(type.value)} }`
    default:
      return type.kind
  }
}

/**
 * A simple value: its base, with the format of JSON Schema where that says more, as `uuid` of a
 * text.
 */
function scalarText({ base, format }: ScalarType): string {
  if (base === 'double' && format === 'integer') return 'integer'
  const isTelling = /^[a-z][\w-]*$/i.test(format) && format !== 'string' && format !== base
  return base === 'text' && isTelling ? `text (${format})` : base
}

function bracketed(text: string, after: string): string {
  return /[|&]/.test(text) ? `(${text})${after}` : `${text}${after}`
}

/** What an operation answers. */
export function outcomeText(contract: Contract, operation: Operation): string {
  const { outcome } = operation
  if (outcome.kind === 'nothing') return outcome.undeclared === true ? 'whatever comes' : 'nothing'
  if (outcome.kind === 'value')
    return `${typeText(contract, outcome.field.type)}${outcome.field.nullable ? ' or null' : ''}`
  return `{ ${outcome.fields.map((field) => `${field.name}: ${typeText(contract, field.type)}`).join(', ')} }`
}

/** What a type is, in short. */
export function whatText(contract: Contract, type: Type): string {
  switch (type.kind) {
    case 'record': {
      const count = [...basesOf(contract, type), type].reduce(
        (sum, each) => sum + each.fields.length,
        0,
      )
      return `${type.abstract === true ? 'abstract record' : 'record'}, ${fieldCount(count)}`
    }
    case 'enumeration':
      return type.members.length === 1
        ? `always ${type.members[0]?.value ?? ''}`
        : `one of ${type.members.length} values`
    default:
      return typeText(contract, type)
  }
}

function fieldCount(count: number): string {
  return `${count} ${count === 1 ? 'field' : 'fields'}`
}

/** The names of an operation's inputs; of many optional ones only the first. */
export function inputsText(operation: Operation): string {
  const inputs = operation.inputs.filter((input) => input.place !== 'messageHeader')
  const kept = inputs.filter((input, at) => !input.optional || at < 4)
  return [
    ...kept.map((input) => `${input.name}${input.optional ? '?' : ''}`),
    ...(kept.length < inputs.length ? ['…'] : []),
  ].join(', ')
}

/** The first sentence of a documentation. */
export function firstSentence(text: string | undefined): string | undefined {
  return text?.replace(/\s+/g, ' ').match(/^.*?[.!?](?= |$)|^.*/)?.[0]
}

/** A place in the metadata. */
export function placeText({ document, line, column }: PlaceInDocument): string {
  return `${document}:${line}:${column}`
}

import type { Contract, Operation, PlaceInDocument, Type } from '../../contract/contract.js'
import { basesOf } from '../../contract/queries.js'
import { fieldCount, typeText } from '../../contract/type-text.js'

/** Operations, types and places as people read them. */

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

import type { Contract, Field, Operation, Type } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { fieldsFromPlain, isPlainObject } from '../contract/plain.js'
import { fieldsOf, resolve } from '../contract/queries.js'
import { groupName, methodName } from '../naming/methods.js'
import type { Names } from '../naming/names.js'
import { propertyName, quoted } from './escaping.js'

/** Makes an input in plain form that satisfies an operation. */
export type InputMaker = (operation: Operation) => Readonly<Record<string, unknown>>

/** A call is written on one line up to this length. */
const lineLength = 110

/**
 * The first lines a newcomer writes, for this very service: they compile as they stand.
 *
 * @param sample makes the input, where the call needs one
 * @param from the module that the class is imported from
 * @returns no lines when there is no operation
 */
export function firstLines(contract: Contract, names: Names, operations: readonly Operation[], sample: InputMaker, from = './index.js'): string[] {
  const operation = firstToCall(contract, operations)
  if (operation === undefined) return []
  const group = groupOf(operation)
  const variable = names.class.charAt(0).toLowerCase() + names.class.slice(1)
  const path = `${variable}${group === undefined ? '' : member(groupName(group))}${member(methodName(operation))}`
  const isNeeded = operation.inputs.some((input) => !input.optional && input.place !== 'messageHeader')
  const call = (open: string, close: string): string[] => {
    const [first = '', ...rest] = isNeeded ? literalLines(typed(contract, names, operation, sample(operation)), lineLength - open.length - path.length - close.length) : ['']
    return rest.length === 0 ? [`${open}${path}(${first})${close}`] : [`${open}${path}(${first}`, ...rest.slice(0, -1), `${rest.at(-1) ?? ''})${close}`]
  }
  return [
    `import { ${names.class} } from ${quoted(from)}`,
    `const ${variable} = new ${names.class}()`,
    ...(isIterable(operation) ? call('for await (const each of ', ') console.log(each)') : operation.outcome.kind === 'nothing' ? call('await ', '') : call('console.log(await ', ')')),
  ]
}

/** What answers something and needs nothing, best of all a list; else what needs least. */
function firstToCall(contract: Contract, operations: readonly Operation[]): Operation | undefined {
  const answering = operations.filter((each) => each.outcome.kind !== 'nothing')
  const easy = answering.filter((each) => required(each) === 0)
  const isList = ({ outcome }: Operation): boolean => outcome.kind === 'value' && resolve(contract, outcome.field.type).kind === 'list'
  const [least] = [...(answering.length > 0 ? answering : operations)].sort((a, b) => required(a) - required(b))
  return easy.find(isIterable) ?? easy.find(isList) ?? easy[0] ?? least
}

function required({ inputs }: Operation): number {
  return inputs.filter((input) => !input.optional).length
}

function isIterable({ outcome }: Operation): boolean {
  return outcome.kind === 'value' && (outcome.iterable === true || outcome.stream === true)
}

/** An input in the types of the client. */
function typed(contract: Contract, names: Names, operation: Operation, plain: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const headers = operation.inputs.filter(({ place }) => place === 'messageHeader')
  const others = operation.inputs.filter(({ place }) => place !== 'messageHeader')
  const inputs = kindsOfFields(contract, names, others, fieldsFromPlain(contract, others, plain))
  const given = plain['headers']
  return headers.length === 0 || !isPlainObject(given) ? inputs : { ...inputs, headers: kindsOfFields(contract, names, headers, fieldsFromPlain(contract, headers, given)) }
}

/** A value in which every record says what kind it is where TypeScript wants it to: where its type extends another one. */
function withKinds(contract: Contract, names: Names, type: Type, value: unknown): unknown {
  if (Array.isArray(value)) {
    const actual = resolve(contract, type)
    return actual.kind === 'list' ? value.map((item) => withKinds(contract, names, actual.item, item)) : value
  }
  if (!isPlainObject(value)) return value
  const actual = resolve(contract, type)
  if (actual.kind !== 'record') return value
  const fields = kindsOfFields(contract, names, fieldsOf(contract, actual), value)
  const id = actual.variantOf ?? (type.kind === 'reference' ? type.to : undefined)
  return actual.base === undefined || id === undefined || '$is' in value ? fields : { $is: names.types[id] ?? '', ...fields }
}

function kindsOfFields(contract: Contract, names: Names, fields: readonly Field[], values: Readonly<Record<string, unknown>>): Record<string, unknown> {
  const made: Record<string, unknown> = {}
  for (const [name, value] of Object.entries(values)) {
    const field = fields.find((each) => each.name === name)
    // A field may be called __proto__.
    Object.defineProperty(made, name, { value: field === undefined ? value : withKinds(contract, names, field.type, value), enumerable: true, writable: true, configurable: true })
  }
  return made
}

function member(name: string): string {
  const written = propertyName(name)
  return written.startsWith('[') ? written : written === name ? `.${name}` : `[${written}]`
}

/** A value as a literal of TypeScript: on one line where it is short enough, else a member a line. */
export function literalLines(value: unknown, room: number): string[] {
  const line = literal(value)
  if (line.length <= room || typeof value !== 'object' || value === null || value instanceof Uint8Array) return [line]
  const [open, close] = Array.isArray(value) ? ['[', ']'] : ['{', '}']
  const members = Array.isArray(value) ? value.map((each) => ['', each as unknown] as const) : Object.entries(value).filter(([, each]) => each !== undefined).map(([name, each]) => [`${propertyName(name)}: `, each as unknown] as const)
  return [open, ...members.flatMap(([lead, each]) => literalLines(each, lineLength - 2).map((text, at, all) => `  ${at === 0 ? lead : ''}${text}${at === all.length - 1 ? ',' : ''}`)), close]
}

function literal(value: unknown): string {
  if (typeof value === 'string') return quoted(value)
  if (typeof value === 'bigint') return `${value}n`
  if (value instanceof Uint8Array) return `Uint8Array.of(${value.join(', ')})`
  if (Array.isArray(value)) return `[${value.map(literal).join(', ')}]`
  if (typeof value !== 'object' || value === null) return String(value)
  const members = Object.entries(value).filter(([, each]) => each !== undefined).map(([name, each]) => `${propertyName(name)}: ${literal(each)}`)
  return members.length === 0 ? '{}' : `{ ${members.join(', ')} }`
}

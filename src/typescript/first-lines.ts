import { special } from '../contract/special-members.js'
import type { Contract, Field, Operation, Type } from '../contract/contract.js'
import { groupOf } from '../contract/choice.js'
import { fieldsFromPlain, isPlainObject } from '../contract/plain.js'
import { endpointsOf, fieldsOf, isPlainHttp, resolve } from '../contract/queries.js'
import { firstTypes } from './types-only.js'
import { camelCase, wordsOf } from '../naming/identifiers.js'
import { groupName, methodName } from '../naming/methods.js'
import type { Names } from '../naming/names.js'
import { globals, keywords } from '../naming/reserved.js'
import {
  identifier,
  memberAccess,
  plainLiteral,
  propertyName,
  quoted,
} from '../printing/escaping.js'
import { code, joined, type Code } from '../printing/safe-text.js'

/** Makes an input in plain form that satisfies an operation. */
export type InputMaker = (operation: Operation) => Readonly<Record<string, unknown>>

/** A call is written on one line up to this length. */
const lineLength = 110
/** Inputs of more lines are left to whoever calls. */
const mostLines = 24

/**
 * The first lines a newcomer writes, for this very service: they compile as they stand.
 *
 * @param sample makes the input, where the call needs one
 * @param from the module that the class is imported from
 * @returns the types of what the service sends, when there is no operation
 */
export function firstLines(
  contract: Contract,
  names: Names,
  operations: readonly Operation[],
  sample: InputMaker,
  from = './index.js',
): Code[] {
  const operation = firstToCall(contract, operations)
  if (operation === undefined) return firstTypes(contract, names, from)
  const group = groupOf(operation)
  const variable = clientVariable(names)
  const className = identifier(names.class)
  const path = methodOf(names, operation)
  const [open, close] = aroundCall(operation)
  const room = lineLength - open.length - path.length - close.length
  const input = inputLines(contract, names, operation, sample, room)
  const head = [
    code`import { ${className} } from ${quoted(from)}`,
    ...(hasAddress(contract)
      ? [code`const ${variable} = new ${className}()`]
      : [
          code`// The metadata does not say where the service is.`,
          code`const ${variable} = new ${className}({ url: 'https://service.example/' })`,
        ]),
  ]
  if (isTooLong(input)) {
    const steps = [...(group === undefined ? [] : [groupName(group)]), methodName(operation)]
    const method = code`${className}${joined(
      steps.map((step) => code`[${quoted(step)}]`),
      '',
    )}`
    return [
      ...head,
      code`export default async (input: Parameters<${method}>[0]): Promise<void> => {`,
      code`  ${open}${path}(input)${close}`,
      code`}`,
    ]
  }
  const [first = code``, ...rest] = input
  return [
    ...head,
    ...(rest.length === 0
      ? [code`${open}${path}(${first})${close}`]
      : [
          code`${open}${path}(${first}`,
          ...rest.slice(0, -1),
          code`${rest.at(-1) ?? code``})${close}`,
        ]),
  ]
}

/** Does the metadata say where the service is? */
export function hasAddress(contract: Contract): boolean {
  return endpointsOf(contract).some(({ address }) => /^https?:\/\//i.test(address))
}

/**
 * The input that a call needs, as a literal; an empty line where it needs none.
 *
 * @param room the length that it may have on one line
 */
export function inputLines(
  contract: Contract,
  names: Names,
  operation: Operation,
  sample: InputMaker,
  room: number,
): Code[] {
  const isNeeded = operation.inputs.some(
    (input) => !input.optional && input.place !== 'messageHeader',
  )
  return isNeeded
    ? literalLines(typed(contract, names, operation, sample(operation)), room)
    : [code``]
}

/** An operation as a method of the variable that holds a client: `skerryFerries.bookings.list`. */
export function methodOf(names: Names, operation: Operation): Code {
  const group = groupOf(operation)
  return code`${clientVariable(names)}${group === undefined ? code`` : memberAccess(groupName(group))}${memberAccess(methodName(operation))}`
}

/** An input that nobody would write there: it comes from elsewhere. */
function isTooLong(input: readonly Code[]): boolean {
  return (
    input.length > mostLines ||
    input.reduce((sum, line) => sum + line.length, 0) > mostLines * lineLength
  )
}

/**
 * What answers something and needs nothing, best of all a list; else what needs least. Never what
 * is only offered by plain HTTP where there is SOAP, nor what ends or takes away something by its
 * name, unless there is nothing else.
 */
export function firstToCall(
  contract: Contract,
  operations: readonly Operation[],
): Operation | undefined {
  const endpoints = endpointsOf(contract).filter((each) => !isPlainHttp(each))
  const gentle = operations.filter((each) => !endsSomething(each))
  const proper = gentle.filter(({ wire }) =>
    endpoints.some(({ name }) => Object.hasOwn(wire, name)),
  )
  const suggestable = [proper, gentle, operations].find(({ length }) => length > 0) ?? []
  const answering = suggestable.filter((each) => each.outcome.kind !== 'nothing')
  const easy = answering.filter((each) => required(each) === 0)
  const isList = ({ outcome }: Operation): boolean =>
    outcome.kind === 'value' && resolve(contract, outcome.field.type).kind === 'list'
  const [least] = [...(answering.length > 0 ? answering : suggestable)].sort(
    (a, b) => required(a) - required(b),
  )
  return easy.find(isIterable) ?? easy.find(isList) ?? easy[0] ?? least
}

/** First words of operations that switch something off, or take it away. */
const ending =
  /^(?:abort|cancel|clear|close|deactivate|decommission|delete|destroy|detach|disable|drop|erase|halt|kill|logoff|logout|purge|reboot|remove|reset|restart|revoke|shut|shutdown|stop|suspend|switch|terminate|uninstall|unsubscribe|wipe)$/i

function endsSomething({ path }: Operation): boolean {
  const [first = ''] = wordsOf(path.at(-1) ?? '')
  return ending.test(first)
}

function required({ inputs }: Operation): number {
  return inputs.filter((input) => !input.optional).length
}

export function isIterable({ outcome }: Operation): boolean {
  return outcome.kind === 'value' && (outcome.iterable === true || outcome.stream === true)
}

/** An input in the types of the client. */
function typed(
  contract: Contract,
  names: Names,
  operation: Operation,
  plain: Readonly<Record<string, unknown>>,
): Record<string, unknown> {
  const headers = operation.inputs.filter(({ place }) => place === 'messageHeader')
  const others = operation.inputs.filter(({ place }) => place !== 'messageHeader')
  const inputs = kindsOfFields(contract, names, others, fieldsFromPlain(contract, others, plain))
  const given = plain['headers']
  return headers.length === 0 || !isPlainObject(given)
    ? inputs
    : {
        ...inputs,
        headers: kindsOfFields(contract, names, headers, fieldsFromPlain(contract, headers, given)),
      }
}

/**
 * A value in which every record says what kind it is where TypeScript wants it to: where its type
 * extends another one.
 */
function withKinds(contract: Contract, names: Names, type: Type, value: unknown): unknown {
  if (Array.isArray(value)) {
    const actual = resolve(contract, type)
    return actual.kind === 'list'
      ? value.map((item) => withKinds(contract, names, actual.item, item))
      : value
  }
  if (!isPlainObject(value)) return value
  const actual = resolve(contract, type)
  if (actual.kind !== 'record') return value
  const fields = kindsOfFields(contract, names, fieldsOf(contract, actual), value)
  const id = actual.variantOf ?? (type.kind === 'reference' ? type.to : undefined)
  return actual.base === undefined || id === undefined || special.is in value
    ? fields
    : { $is: names.types[id] ?? '', ...fields }
}

function kindsOfFields(
  contract: Contract,
  names: Names,
  fields: readonly Field[],
  values: Readonly<Record<string, unknown>>,
): Record<string, unknown> {
  return Object.fromEntries(
    Object.entries(values).map(([name, value]) => {
      const field = fields.find((each) => each.name === name)
      return [name, field === undefined ? value : withKinds(contract, names, field.type, value)]
    }),
  )
}

/** What else examples call by a name. */
const namesInExamples: ReadonlySet<string> = new Set(
  'answer batch call calls connection each error exchange headers input listing stream'.split(' '),
)

/**
 * The variable that holds a client in examples: `berthDesk`; `deleteClient` of a class `Delete`.
 */
export function clientVariable(names: Names): Code {
  const variable = camelCase(names.class)
  const isTaken =
    [keywords, globals, namesInExamples].some((each) => each.has(variable)) ||
    variable === names.class
  return identifier(isTaken ? `${variable}Client` : variable)
}

/**
 * A value as a literal of TypeScript: on one line where it is short enough, else a member a line.
 */
export function literalLines(value: unknown, room: number): Code[] {
  const line = literal(value)
  if (
    line.length <= room ||
    typeof value !== 'object' ||
    value === null ||
    value instanceof Uint8Array
  )
    return [line]
  const [open, close] = Array.isArray(value) ? [code`[`, code`]`] : [code`{`, code`}`]
  const members = Array.isArray(value)
    ? value.map((each) => [code``, each as unknown] as const)
    : Object.entries(value)
        .filter(([, each]) => each !== undefined)
        .map(([name, each]) => [code`${propertyName(name)}: `, each as unknown] as const)
  return [
    open,
    ...members.flatMap(([lead, each]) =>
      literalLines(each, lineLength - 2).map(
        (text, at, all) =>
          code`  ${at === 0 ? lead : code``}${text}${at === all.length - 1 ? code`,` : code``}`,
      ),
    ),
    close,
  ]
}

function literal(value: unknown): Code {
  if (typeof value === 'string') return quoted(value)
  if (typeof value === 'bigint') return plainLiteral(value)
  if (value instanceof Uint8Array)
    return code`Uint8Array.of(${joined([...value].map(plainLiteral), ', ')})`
  if (Array.isArray(value)) return code`[${joined(value.map(literal), ', ')}]`
  if (typeof value !== 'object' || value === null)
    return plainLiteral(value as number | boolean | null | undefined)
  const members = Object.entries(value)
    .filter(([, each]) => each !== undefined)
    .map(([name, each]) => code`${propertyName(name)}: ${literal(each)}`)
  return members.length === 0 ? code`{}` : code`{ ${joined(members, ', ')} }`
}

/** What stands around a call so that its outcome is seen. */
function aroundCall(operation: Operation): readonly [Code, Code] {
  if (isIterable(operation)) return [code`for await (const each of `, code`) console.log(each)`]
  const { outcome } = operation
  if (outcome.kind === 'nothing' && outcome.undeclared !== true) return [code`await `, code``]
  return [code`console.log(await `, code`)`]
}

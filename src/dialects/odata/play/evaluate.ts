import { largest } from '../../../contract/lists.js'
import {
  edmOf,
  isStructure,
  membersOf,
  resolvedType,
  type AnyProperty,
  type AnyStructure,
  structureOf,
} from '../../../runtime/odata/model.js'
import { bytesToBase64 } from '../../../runtime/plain.js'
import { NotAnExpression, NumberValue, type Expression, type Value } from './expression.js'

/** A row with what it is: values in the shapes of the client. */
export interface Row {
  readonly structure: AnyStructure
  readonly values: Readonly<Record<string, unknown>>
}

/** Finds what hangs off a row. */
export type Related = (row: Row, navigation: string) => readonly Row[] | undefined

/**
 * Where an expression is evaluated: the row, the rows that lambda variables stand for, and what
 * hangs off them.
 */
export interface Scope {
  readonly row: Row
  readonly variables: ReadonlyMap<string, Row | Value>
  readonly related: Related
}

/** Is a condition true of a row? What is neither true nor false is false. */
export function isTrue(condition: Expression, scope: Scope): boolean {
  return evaluate(condition, scope) === true
}

/**
 * The value of an expression (URL Conventions, section 5.1.1).
 *
 * @throws NotAnExpression when it names what there is not, or uses a function that is not played
 */
export function evaluate(expression: Expression, scope: Scope): Value {
  switch (expression.kind) {
    case 'literal':
      return expression.value
    case 'list':
      return expression.items.map((each) => evaluate(each, scope))
    case 'not': {
      const value = evaluate(expression.of, scope)
      return value === null ? null : value !== true
    }
    case 'minus': {
      const value = evaluate(expression.of, scope)
      return value instanceof NumberValue
        ? new NumberValue(value.digits.startsWith('-') ? value.digits.slice(1) : `-${value.digits}`)
        : null
    }
    case 'path':
      return valueAt(expression.steps, scope)
    case 'lambda': {
      const items = itemsAt(expression.steps, scope)
      const { body, variable, word } = expression
      const holds = (item: Row | Value): boolean =>
        body === undefined ||
        isTrue(body, { ...scope, variables: new Map([...scope.variables, [variable, item]]) })
      return word === 'any' ? items.some(holds) : items.every(holds)
    }
    case 'call':
      if (expression.name === 'isof') return isOf(expression.inputs, scope)
      return call(
        expression.name,
        expression.inputs.map((each) => evaluate(each, scope)),
      )
    case 'operator':
      return operate(
        expression.word,
        evaluate(expression.left, scope),
        evaluate(expression.right, scope),
      )
  }
}

/** Is the row, or what a path leads to, of a type? (URL Conventions, section 5.1.1.10.2.) */
function isOf(inputs: readonly Expression[], scope: Scope): boolean {
  const last = inputs.at(-1)
  const literal = last?.kind === 'literal' ? String(last.value as string) : ''
  const name = last?.kind === 'path' ? last.steps.join('/') : literal
  const path = inputs.length > 1 ? inputs[0] : undefined
  const found = path?.kind === 'path' ? itemsAt(path.steps, scope) : []
  const items = path === undefined ? [scope.row] : found
  return items.some((item) => isRow(item) && isKind(item.structure, name))
}

/** Is a structure of this name, or does it extend one that is? */
function isKind(structure: AnyStructure, name: string): boolean {
  return structure.type === name || (structure.base !== undefined && isKind(structure.base(), name))
}

function isRow(item: unknown): item is Row {
  return typeof item === 'object' && item !== null && 'structure' in item
}

/** Where a path starts: at a variable, or at the row itself. */
function start(
  steps: readonly string[],
  scope: Scope,
): { at: Row | Value; rest: readonly string[] } {
  const [first = '', ...rest] = steps
  const variable = scope.variables.get(first)
  if (variable !== undefined) return { at: variable, rest }
  return { at: scope.row, rest: first === '$it' ? rest : steps }
}

function itemsAt(steps: readonly string[], scope: Scope): readonly (Row | Value)[] {
  const { at, rest } = start(steps, scope)
  let current: readonly (Row | Value)[] = [at]
  for (const step of rest)
    current = current.flatMap((each) => (isRow(each) ? inside(each, step, scope) : []))
  return current
}

/** What a step leads to from a row: the items of a collection, or the one value. */
function inside(row: Row, step: string, scope: Scope): readonly (Row | Value)[] {
  // A name with a dot is a type: rows of other types end there.
  if (step.includes('.')) return isKind(row.structure, step) ? [row] : []
  const members = membersOf(row.structure)
  const property = Object.hasOwn(members, step) ? members[step] : undefined
  if (property === undefined)
    throw new NotAnExpression(`"${row.structure.type}" has no property "${step}"`)
  if (property.navigation === true) return scope.related(row, step) ?? []
  const value = row.values[step]
  const many: readonly unknown[] = Array.isArray(value) ? value : []
  const items = property.many === true ? many : [value]
  return items.map((each) =>
    isStructure(property.is) && typeof each === 'object' && each !== null
      ? { structure: structureOf(property), values: each as Row['values'] }
      : valueOf(property, each),
  )
}

function valueAt(steps: readonly string[], scope: Scope): Value {
  if (steps.at(-1) === '$count')
    return new NumberValue(String(itemsAt(steps.slice(0, -1), scope).length))
  const [first] = itemsAt(steps, scope)
  if (first === undefined || isRow(first)) {
    if (isRow(first)) return true
    return null
  }
  return first
}

/** A value of the client's as expressions have them, by its type. */
function valueOf(property: AnyProperty, value: unknown): Value {
  if (value === null || value === undefined) return null
  if (typeof value === 'bigint' || typeof value === 'number') return new NumberValue(String(value))
  const type = resolvedType(property.is)
  if (
    typeof value === 'string' &&
    !('members' in type) &&
    !('enumeration' in type) &&
    edmOf(type).term === 'number'
  )
    return new NumberValue(value)
  if (value instanceof Uint8Array) return bytesToBase64(value)
  if (Array.isArray(value)) return value.map(String)
  return typeof value === 'boolean' ? value : String(value as string)
}

function operate(word: string, left: Value, right: Value): Value {
  if (word === 'and') {
    if (left === false || right === false) return false
    if (left === null || right === null) return null
    return true
  }
  if (word === 'or') {
    if (left === true || right === true) return true
    if (left === null || right === null) return null
    return false
  }
  if (word === 'in')
    return Array.isArray(right) && right.some((each: Value) => compare(left, each) === 0)
  if (word === 'has')
    return (
      [left].flat().length > 0 &&
      [right].flat().every((each) => [left].flat().includes(each as never))
    )
  if (word === 'eq' || word === 'ne') return sameValue(left, right) === (word === 'eq')
  if (['gt', 'ge', 'lt', 'le'].includes(word)) {
    // Null is neither greater nor less than anything (section 5.1.1.1).
    if (left === null || right === null) return false
    const order = compare(left, right)
    if (word === 'gt') return order > 0
    if (word === 'ge') return order >= 0
    if (word === 'lt') return order < 0
    return order <= 0
  }
  if (!(left instanceof NumberValue) || !(right instanceof NumberValue)) return null
  const [a, b] = [Number(left.digits), Number(right.digits)]
  const whole = /^-?\d+$/.test(left.digits) && /^-?\d+$/.test(right.digits)
  const quotient = whole && word === 'div' ? Math.trunc(a / b) : a / b
  const result = calculations[word]?.(a, b) ?? quotient
  return new NumberValue(String(Number(result.toPrecision(15))))
}

function sameValue(left: Value, right: Value): boolean {
  if (left === null || right === null) return left === right
  if (Array.isArray(left) || Array.isArray(right))
    return [left].flat().map(String).sort().join() === [right].flat().map(String).sort().join()
  return compare(left, right) === 0
}

/**
 * The order of two values: of numbers by their size to the last digit, of moments by time, of texts
 * by code units.
 */
export function compare(left: Value, right: Value): number {
  if (left === null || right === null) {
    if (left === right) return 0
    if (left === null) return -1
    return 1
  }
  if (left instanceof NumberValue && right instanceof NumberValue)
    return compareDigits(left.digits, right.digits)
  const [a, b] = [String(left as string), String(right as string)]
  const moment = /^\d{4}-\d\d-\d\dT.*(?:Z|[+-]\d\d:\d\d)$/
  if (moment.test(a) && moment.test(b)) return Math.sign(Date.parse(a) - Date.parse(b))
  if (
    typeof left === 'string' &&
    typeof right === 'string' &&
    /^[\da-f]{8}-/i.test(a) &&
    a.toLowerCase() === b.toLowerCase()
  )
    return 0
  if (a < b) return -1
  if (a > b) return 1
  return 0
}

function compareDigits(a: string, b: string): number {
  const plain = /^-?\d+(?:\.\d+)?$/
  if (!plain.test(a) || !plain.test(b)) return Math.sign(Number(a) - Number(b))
  const places = largest([a, b].map((each) => each.split('.')[1]?.length ?? 0))
  const scaled = (each: string): bigint => {
    const [whole = '', fraction = ''] = each.split('.')
    return BigInt(whole + fraction.padEnd(places, '0'))
  }
  const [first, second] = [scaled(a), scaled(b)]
  if (first < second) return -1
  if (first > second) return 1
  return 0
}

/** A function of values; of null it gives null (section 5.1.1.4). */
function call(name: string, inputs: readonly Value[]): Value {
  const played = functions.get(name.toLowerCase())
  if (played === undefined) throw new NotAnExpression(`the function "${name}" is not played here`)
  const value = played(new Inputs(inputs))
  return inputs.some((each) => each === null) ? null : value
}

/** What a function is called with. */
class Inputs {
  private readonly values: readonly Value[]

  constructor(values: readonly Value[]) {
    this.values = values
  }

  get length(): number {
    return this.values.length
  }

  text(at: number): string {
    const value = this.values[at]
    return value instanceof NumberValue ? value.digits : String(value as string)
  }

  number(at: number): number {
    return Number(this.text(at))
  }
}

function numeral(value: number): NumberValue {
  return new NumberValue(String(value))
}

/** Points in time are counted in their own zone. */
function datePart(from: number, to: number): (inputs: Inputs) => Value {
  return (inputs) => numeral(Number(inputs.text(0).slice(from, to)))
}

/** A part of a time of day, or of a duration. */
function clockPart(at: 1 | 2 | 3): (inputs: Inputs) => Value {
  return (inputs) => {
    const text = inputs.text(0)
    const clock =
      /T?(\d\d):(\d\d)(?::(\d\d))?/.exec(text) ?? /^PT(?:(\d+)H)?(?:(\d+)M)?(?:(\d+))?/.exec(text)
    return numeral(Number(clock?.[at] ?? 0))
  }
}

function offsetMinutes(inputs: Inputs): Value {
  const [, sign, hours, minutes] = /([+-])(\d\d):(\d\d)$/.exec(inputs.text(0)) ?? []
  if (hours === undefined) return numeral(0)
  const total = Number(hours) * 60 + Number(minutes)
  return numeral(sign === '-' ? -total : total)
}

function totalSeconds(inputs: Inputs): Value {
  const [, sign, days = '0', hours = '0', minutes = '0', seconds = '0'] =
    /^(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:([\d.]+)S)?)?$/.exec(inputs.text(0)) ?? []
  const total = Number(days) * 86400 + Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)
  return numeral(sign === '-' ? -total : total)
}

function fractionOfSecond(inputs: Inputs): Value {
  const fraction = /:\d\d(\.\d+)/.exec(inputs.text(0))?.[1]
  return new NumberValue(fraction === undefined ? '0' : `0${fraction}`)
}

function substring(inputs: Inputs): Value {
  const from = inputs.number(1)
  return inputs.text(0).slice(from, inputs.length > 2 ? from + inputs.number(2) : undefined)
}

/** Half is rounded away from zero (section 5.1.1.9.1). */
function rounded(inputs: Inputs): Value {
  const value = inputs.number(0)
  return numeral(Math.sign(value) * Math.round(Math.abs(value)))
}

/** The functions that are played, by their names in small letters (sections 5.1.1.5 to 5.1.1.9). */
const functions: ReadonlyMap<string, (inputs: Inputs) => Value> = new Map<
  string,
  (inputs: Inputs) => Value
>([
  ['contains', (inputs) => inputs.text(0).includes(inputs.text(1))],
  ['substringof', (inputs) => inputs.text(1).includes(inputs.text(0))],
  ['startswith', (inputs) => inputs.text(0).startsWith(inputs.text(1))],
  ['endswith', (inputs) => inputs.text(0).endsWith(inputs.text(1))],
  ['length', (inputs) => numeral(inputs.text(0).length)],
  ['indexof', (inputs) => numeral(inputs.text(0).indexOf(inputs.text(1)))],
  ['substring', substring],
  ['tolower', (inputs) => inputs.text(0).toLowerCase()],
  ['toupper', (inputs) => inputs.text(0).toUpperCase()],
  ['trim', (inputs) => inputs.text(0).trim()],
  ['concat', (inputs) => inputs.text(0) + inputs.text(1)],
  ['replace', (inputs) => inputs.text(0).replaceAll(inputs.text(1), inputs.text(2))],
  ['matchespattern', (inputs) => new RegExp(inputs.text(1), 'u').test(inputs.text(0))],
  ['round', rounded],
  ['floor', (inputs) => numeral(Math.floor(inputs.number(0)))],
  ['ceiling', (inputs) => numeral(Math.ceil(inputs.number(0)))],
  ['year', datePart(0, 4)],
  ['month', datePart(5, 7)],
  ['day', datePart(8, 10)],
  ['hour', clockPart(1)],
  ['minute', clockPart(2)],
  ['second', clockPart(3)],
  ['fractionalseconds', fractionOfSecond],
  ['totaloffsetminutes', offsetMinutes],
  ['totalseconds', totalSeconds],
  ['date', (inputs) => inputs.text(0).slice(0, 10)],
  [
    'time',
    (inputs) =>
      inputs
        .text(0)
        .slice(11)
        .replace(/(?:Z|[+-]\d\d:\d\d)$/, ''),
  ],
  ['now', () => new Date().toISOString()],
  ['mindatetime', () => '0001-01-01T00:00:00Z'],
  ['maxdatetime', () => '9999-12-31T23:59:59.999Z'],
])

const calculations: Readonly<Record<string, (a: number, b: number) => number>> = {
  add: (a, b) => a + b,
  sub: (a, b) => a - b,
  mul: (a, b) => a * b,
  mod: (a, b) => a % b,
}

import type { Misfit } from '../failures.js'
import { choicesOf, entriesOf, findSubtype, settled, type AnyCodec, type AnyRecordCodec, type AnyTextCodec, type Bounds, type Entry, type Limits, type MemberChoice } from './codec.js'
import { show } from './simple.js'

/**
 * Finds every place where a value doesn't satisfy its codec. This is the one set of rules: calls in an application and calls at
 * the prompt are checked by it.
 *
 * @param path the place of the value itself, `''` for a whole input
 */
export function check(codec: AnyCodec, value: unknown, path: string, misfits: Misfit[]): void {
  if ('members' in codec) checkRecord(codec, value, path, misfits)
  else if ('items' in codec) {
    if (!Array.isArray(value)) misfits.push({ path, message: `expected a list, got ${show(value)}` })
    else {
      checkBounds(codec, value.length, path, misfits)
      value.forEach((item: unknown, at) => {
        if (item !== null || codec.nillable !== true) check(settled(codec.of), item, `${path}[${String(at)}]`, misfits)
      })
    }
  } else if ('fragment' in codec) {
    if (!isObject(value)) misfits.push({ path, message: `expected an element as { name, attributes, content }, got ${show(value)}` })
  } else {
    const message = checkText(codec, value)
    if (message !== undefined) misfits.push({ path, message })
  }
}

/** Checks the members of a record, of an input or of its headers. */
export function checkMembers(entries: readonly Entry[], value: unknown, path: string, misfits: Misfit[], also: readonly string[] = []): void {
  if (!isObject(value)) {
    misfits.push({ path, message: `expected an object, got ${show(value)}` })
    return
  }
  const at = (key: string): string => (path === '' ? key : `${path}.${key}`)
  for (const { key, codec, member } of entries) {
    const each = Object.hasOwn(value, key) ? value[key] : undefined
    if (each === undefined) {
      if (member.optional !== true && member.fixed === undefined && !(member.repeated === true && member.min === undefined)) misfits.push({ path: at(key), message: 'is missing' })
    } else if (each === null && member.repeated !== true) {
      if (member.nillable !== true) misfits.push({ path: at(key), message: member.optional === true ? 'can\'t be null; leave it out instead' : 'can\'t be null' })
    } else if (member.repeated === true) checkRepeated(member, codec(), each, at(key), misfits)
    else {
      check(codec(), each, at(key), misfits)
      if (member.fixed !== undefined && String(each) !== member.fixed) misfits.push({ path: at(key), message: `must be "${member.fixed}"` })
    }
  }
  const names = [...entries.map(({ key }) => key), ...also]
  for (const key of Object.keys(value)) {
    if (!names.includes(key) && value[key] !== undefined) misfits.push({ path: at(key), message: unknownMember(key, names) })
  }
}

function checkRecord(declared: AnyRecordCodec, value: unknown, path: string, misfits: Misfit[]): void {
  if (!isObject(value)) {
    misfits.push({ path, message: `expected an object, got ${show(value)}` })
    return
  }
  const which = value['$is']
  const record = which === undefined ? declared : findSubtype(declared, (candidate) => candidate.is === which)
  if (record === undefined || (record.abstract === true && which !== undefined)) {
    misfits.push({ path: path === '' ? '$is' : `${path}.$is`, message: `expected ${concreteNames(declared).map((name) => `"${name}"`).join(' or ')}, got ${show(which)}` })
    return
  }
  if (record.abstract === true) {
    misfits.push({ path: path === '' ? '$is' : `${path}.$is`, message: `is missing: say which it is, ${concreteNames(declared).map((name) => `"${name}"`).join(' or ')}` })
    return
  }
  checkMembers(entriesOf(record), value, path, misfits, ['$is', '$open'])
  checkChoices(choicesOf(record), value, path, misfits)
}

/** Checks that of the groups of each choice exactly one is there, and whole. */
export function checkChoices(choices: readonly MemberChoice[], value: unknown, path: string, misfits: Misfit[]): void {
  if (!isObject(value)) return
  const isGiven = (name: string): boolean => Object.hasOwn(value, name) && value[name] !== undefined
  const wrong = (message: string, name = ''): void => void misfits.push({ path: [path, name].filter((part) => part !== '').join('.'), message })
  for (const { of, optional } of choices) {
    // A group that has all the members given is the one that is meant, also where groups share members.
    const given = [...new Set(of.flatMap(({ members }) => members))].filter(isGiven)
    const groups = of.map(({ members }) => members.join(' with ')).join(', or ')
    if (given.length === 0) {
      if (optional !== true) wrong(`one of these is wanted: ${groups}`)
      continue
    }
    const chosen = of.filter(({ members }) => given.every((name) => members.includes(name)))
    if (chosen.length === 0) wrong(`only one of these can be given: ${groups}; there are ${given.join(' and ')}`)
    else if (!chosen.some(({ members, required }) => (required ?? members).every(isGiven))) {
      const [first] = chosen
      for (const name of (first?.required ?? first?.members ?? []).filter((each) => !isGiven(each))) wrong(`is missing beside ${given.join(' and ')}`, name)
    }
  }
}

function checkRepeated(member: Entry['member'], codec: AnyCodec, value: unknown, path: string, misfits: Misfit[]): void {
  if (!Array.isArray(value)) {
    misfits.push({ path, message: `expected a list, got ${show(value)}` })
    return
  }
  checkBounds(member, value.length, path, misfits)
  value.forEach((item: unknown, at) => {
    if (item !== null || member.nillable !== true) check(codec, item, `${path}[${String(at)}]`, misfits)
  })
}

function checkBounds(bounds: Bounds, count: number, path: string, misfits: Misfit[]): void {
  if (bounds.min !== undefined && count < bounds.min) misfits.push({ path, message: `must have at least ${String(bounds.min)}, has ${String(count)}` })
  if (bounds.max !== undefined && count > bounds.max) misfits.push({ path, message: `must have at most ${String(bounds.max)}, has ${String(count)}` })
}

/** What is wrong with a value that stands in a text or an attribute. */
export function checkText(codec: AnyTextCodec, value: unknown): string | undefined {
  if ('literals' in codec) return codec.literals.includes(value) ? undefined : `expected one of ${codec.literals.map((literal) => show(literal)).join(', ')}, got ${show(value)}`
  if ('restricts' in codec) return codec.restricts.check(value) ?? checkLimits(codec, value)
  if (!('spaced' in codec)) return codec.check(value)
  if (!Array.isArray(value)) return `expected a list, got ${show(value)}`
  if (codec.min !== undefined && value.length < codec.min) return `must have at least ${String(codec.min)}, has ${String(value.length)}`
  if (codec.max !== undefined && value.length > codec.max) return `must have at most ${String(codec.max)}, has ${String(value.length)}`
  for (const [at, item] of value.entries()) {
    const message = checkText(codec.spaced, item) ?? (typeof item === 'string' && /[\t\n\r ]|^$/.test(item) ? 'an item of this list can\'t be empty or have spaces' : undefined)
    if (message !== undefined) return `item ${String(at + 1)}: ${message}`
  }
  return undefined
}

function checkLimits(limits: Limits, value: unknown): string | undefined {
  const written = typeof value === 'string' ? value : String(value)
  if (limits.minimum !== undefined && compareDecimals(written, limits.minimum) < 0) return `must be at least ${limits.minimum}, is ${show(value)}`
  if (limits.maximum !== undefined && compareDecimals(written, limits.maximum) > 0) return `must be at most ${limits.maximum}, is ${show(value)}`
  if (limits.exclusiveMinimum !== undefined && compareDecimals(written, limits.exclusiveMinimum) <= 0) return `must be more than ${limits.exclusiveMinimum}, is ${show(value)}`
  if (limits.exclusiveMaximum !== undefined && compareDecimals(written, limits.exclusiveMaximum) >= 0) return `must be less than ${limits.exclusiveMaximum}, is ${show(value)}`
  const length = value instanceof Uint8Array ? value.length : [...written].length
  const unit = value instanceof Uint8Array ? 'bytes' : 'characters'
  if (limits.minLength !== undefined && length < limits.minLength) return `must have at least ${String(limits.minLength)} ${unit}, has ${String(length)}`
  if (limits.maxLength !== undefined && length > limits.maxLength) return `must have at most ${String(limits.maxLength)} ${unit}, has ${String(length)}`
  const { whole, fraction } = digitsOf(written)
  if (limits.fractionDigits !== undefined && fraction.length > limits.fractionDigits) return `must have at most ${String(limits.fractionDigits)} digits after the point, is ${show(value)}`
  if (limits.totalDigits !== undefined && whole.length + fraction.length > limits.totalDigits) return `must have at most ${String(limits.totalDigits)} digits, is ${show(value)}`
  for (const group of limits.patterns ?? []) {
    if (!group.some((pattern) => new RegExp(`^(?:${pattern})$`, 'u').test(written))) return `must match ${group.join(' or ').replaceAll('\\p{Nd}', '\\d')}, is ${show(value)}`
  }
  return undefined
}

/** Compares two numbers given as text, without rounding decimals. */
function compareDecimals(left: string, right: string): number {
  const plain = /^[+-]?(?:\d+\.?\d*|\.\d+)$/
  if (!plain.test(left) || !plain.test(right)) return Number(left) - Number(right)
  const a = digitsOf(left)
  const b = digitsOf(right)
  const length = Math.max(a.fraction.length, b.fraction.length)
  const scaled = (parts: typeof a, text: string): bigint => (text.startsWith('-') ? -1n : 1n) * BigInt(`${parts.whole}${parts.fraction.padEnd(length, '0')}` || '0')
  const difference = scaled(a, left) - scaled(b, right)
  return difference < 0n ? -1 : difference > 0n ? 1 : 0
}

/** The digits that count: none that lead the whole part or trail the fraction as zeros (XML Schema part 2, section 4.3.11). */
function digitsOf(text: string): { whole: string; fraction: string } {
  const [whole = '', fraction = ''] = text.replace(/^[+-]/, '').split('.')
  return { whole: whole.replace(/^0+/, ''), fraction: fraction.replace(/0+$/, '') }
}

function concreteNames(record: AnyRecordCodec): string[] {
  return [...(record.abstract === true || record.is === undefined ? [] : [record.is]), ...(record.subtypes?.() ?? []).flatMap(concreteNames)]
}

function unknownMember(key: string, names: readonly string[]): string {
  const folded = names.find((name) => name.toLowerCase() === key.toLowerCase())
  const near = folded ?? names.find((name) => name.length > 2 && (name.toLowerCase().startsWith(key.toLowerCase().slice(0, 3)) || key.toLowerCase().includes(name.toLowerCase())))
  return near === undefined ? `is not known here; there are ${names.filter((name) => !name.startsWith('$')).join(', ') || 'no members'}` : `is not known here; is "${near}" meant?`
}

function isObject(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof Uint8Array)
}

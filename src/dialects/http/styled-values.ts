import type { Contract, Field, Type } from '../../contract/contract.js'
import { membersOf, resolve } from '../../contract/queries.js'
import { exactJson } from '../../runtime/json/exact-json.js'
import { parameterSpecifics } from './specifics.js'

/** Where the parameters of a request came from, still percent-encoded. */
export interface RequestParts {
  readonly path: ReadonlyMap<string, string>
  readonly search: string
  readonly headers: Readonly<Record<string, string>>
}

/** A parameter that is read: where it belongs, what it is, and how it is written. */
interface Styled {
  readonly contract: Contract
  readonly field: Field
  readonly name: string
  readonly shape: Shape
  readonly style: string
  readonly explode: boolean
  readonly isJson: boolean
}

type Pair = readonly [key: string, value: string]

/**
 * Reads a parameter as its style writes it (OpenAPI 3.1, section 4.8.12.4): what the stand-in does
 * with requests.
 *
 * @returns the JSON that it stands for, undefined when it is not there
 * @throws URIError or SyntaxError when it can't be read
 */
export function readStyled(
  contract: Contract,
  field: Field,
  place: string,
  parts: RequestParts,
): unknown {
  const specifics = parameterSpecifics(field)
  if (specifics.whole !== undefined)
    return wholeQuery(contract, field, specifics.whole, parts.search)
  const { name, json } = specifics
  const isInForm = place === 'query' || place === 'cookie'
  const style = specifics.style ?? (isInForm ? 'form' : 'simple')
  const explode = specifics.explode ?? (style === 'form' || style === 'cookie')
  const shape = shapeOf(contract, field.type)
  const styled = { contract, field, name, shape, style, explode, isJson: json === true }
  if (place === 'query') return fromQuery(styled, pairsOf(parts.search))
  if (place === 'cookie') return fromCookies(styled, parts.headers['cookie'] ?? '')
  if (place === 'path') return fromPath(styled, parts.path.get(name))
  const text = parts.headers[name.toLowerCase()]
  if (text === undefined) return undefined
  return styled.isJson ? exactJson(text) : simple(styled, encodeURI(text))
}

/** A parameter that is the whole of what stands behind the question mark. */
function wholeQuery(
  contract: Contract,
  field: Field,
  written: 'json' | 'form',
  search: string,
): unknown {
  if (search === '') return undefined
  return written === 'json'
    ? exactJson(decodeURIComponent(search))
    : object(contract, field, pairsOf(search))
}

/** What stands between the items of a list that is one text, as it travels. */
const separators = new Map([
  ['spaceDelimited', '%20'],
  ['pipeDelimited', '%7C'],
  ['tabDelimited', '%09'],
])

function fromQuery(styled: Styled, pairs: readonly Pair[]): unknown {
  const { contract, field, name, shape, style, explode, isJson } = styled
  if (style === 'deepObject') return deep(contract, field, name, pairs)
  if (shape === 'object' && explode) {
    const names = membersOf(contract, field.type).map((member) => member.name)
    const own = names.length === 0 ? pairs : pairs.filter(([key]) => names.includes(key))
    return own.length === 0 ? undefined : object(contract, field, own)
  }
  const all = pairs.filter(([key]) => key === name).map(([, value]) => value)
  const [first] = all
  if (first === undefined) return undefined
  if (isJson) return exactJson(decodeURIComponent(first))
  if (shape === 'list' && explode) return items(styled, all)
  return separated(contract, field, shape, first, separators.get(style) ?? ',', undefined)
}

function fromCookies(styled: Styled, header: string): unknown {
  const { contract, field, name, shape, explode } = styled
  const found = header
    .split('; ')
    .map((pair) => cutAt(pair, pair.indexOf('=')))
    .filter(([key]) => key === name)
    .map(([, value]) => value)
  const [first] = found
  if (first === undefined) return undefined
  if (shape === 'list' && explode) return items(styled, found)
  return separated(contract, field, shape, first, ',', undefined)
}

function fromPath(styled: Styled, text: string | undefined): unknown {
  const { contract, field, shape, style, explode, isJson } = styled
  if (text === undefined) return undefined
  if (isJson) return exactJson(decodeURIComponent(text))
  if (style === 'matrix') return matrix(styled, text)
  if (style !== 'label') return simple(styled, text)
  const [between, behindName] = explode ? ['.', '='] : [',', undefined]
  return separated(contract, field, shape, text.replace(/^\./, ''), between, behindName)
}

function simple({ contract, field, shape, explode }: Styled, text: string): unknown {
  return separated(contract, field, shape, text, ',', explode ? '=' : undefined)
}

/** Path-style parameters of RFC 6570, section 3.2.7: `;name=value`. */
function matrix(styled: Styled, text: string): unknown {
  const { contract, field, shape, explode } = styled
  const entries = text
    .split(';')
    .slice(1)
    .map((entry) => cutAt(entry, entry.includes('=') ? entry.indexOf('=') : entry.length))
  if (explode && shape === 'object') return object(contract, field, entries)
  const values = entries.map(([, value]) => value)
  if (explode && shape === 'list') return items(styled, values)
  return separated(contract, field, shape, values[0] ?? '', ',', undefined)
}

function items({ contract, field }: Styled, texts: readonly string[]): unknown[] {
  return texts.map((each) => typed(contract, decode(each), itemOf(contract, field.type)))
}

/** A text before and behind a place. */
function cutAt(text: string, at: number): Pair {
  return [text.slice(0, at), text.slice(at + 1)]
}

function separated(
  contract: Contract,
  field: Field,
  shape: Shape,
  text: string,
  separator: string,
  between: string | undefined,
): unknown {
  if (shape === 'single') return typed(contract, decode(text), field.type)
  const parts = text === '' ? [] : text.split(separator)
  if (shape === 'list')
    return parts.map((each) => typed(contract, decode(each.trim()), itemOf(contract, field.type)))
  if (between !== undefined)
    return object(
      contract,
      field,
      parts.map((part): [string, string] => [
        part.split(between)[0] ?? '',
        part.slice(part.indexOf(between) + 1),
      ]),
    )
  return object(
    contract,
    field,
    parts.flatMap((part, at): [string, string][] =>
      at % 2 === 0 ? [[part, parts[at + 1] ?? '']] : [],
    ),
  )
}

type Shape = 'single' | 'list' | 'object'

function shapeOf(contract: Contract, type: Type): Shape {
  const actual = resolve(contract, type)
  if (actual.kind === 'list' || actual.kind === 'tuple') return 'list'
  return actual.kind === 'record' || actual.kind === 'map' || actual.kind === 'intersection'
    ? 'object'
    : 'single'
}

function itemOf(contract: Contract, type: Type): Type {
  const actual = resolve(contract, type)
  return actual.kind === 'list' ? actual.item : actual
}

function pairsOf(search: string): [string, string][] {
  return search
    .split('&')
    .filter((pair) => pair !== '')
    .map((pair) => [
      decode(pair.split('=')[0] ?? ''),
      pair.includes('=') ? pair.slice(pair.indexOf('=') + 1) : '',
    ])
}

function decode(text: string): string {
  return decodeURIComponent(text.replaceAll('+', '%20'))
}

function object(
  contract: Contract,
  field: Field,
  pairs: readonly (readonly [string, string])[],
): Record<string, unknown> {
  const members = membersOf(contract, field.type)
  const actual = resolve(contract, field.type)
  return Object.fromEntries(
    pairs.map(([key, value]) => {
      const name = decode(key)
      const type =
        members.find((each) => each.name === name)?.type ??
        (actual.kind === 'map' ? actual.value : undefined)
      return [name, typed(contract, decode(value), type)]
    }),
  )
}

/** Members in brackets, which may be nested; what comes several times is a list. */
function deep(
  contract: Contract,
  field: Field,
  name: string,
  pairs: readonly (readonly [string, string])[],
): unknown {
  const own = pairs.filter(([key]) => key.startsWith(`${name}[`))
  const build = (
    type: Type | undefined,
    entries: readonly (readonly [steps: readonly string[], value: string])[],
  ): unknown => {
    const ends = entries.filter(([steps]) => steps.length === 0)
    if (ends.length > 0) {
      const isList = type !== undefined && shapeOf(contract, type) === 'list'
      const values = ends.map(([, value]) =>
        typed(contract, decode(value), type === undefined ? undefined : itemOf(contract, type)),
      )
      return isList ? values : values[0]
    }
    const made: Record<string, unknown> = {}
    for (const step of new Set(entries.map(([[first = '']]) => first)))
      made[step] = build(
        type === undefined
          ? undefined
          : membersOf(contract, type).find((each) => each.name === step)?.type,
        entries.filter(([[first]]) => first === step).map(([[, ...rest], value]) => [rest, value]),
      )
    return made
  }
  return own.length === 0
    ? undefined
    : build(
        field.type,
        own.map(([key, value]) => [
          [...key.slice(name.length).matchAll(/\[([^\]]*)\]/g)].map(([, step = '']) => step),
          value,
        ]),
      )
}

/**
 * Texts of addresses, headers and forms as the JSON they stand for, where the type wants a number
 * or a flag.
 */
export function typed(contract: Contract, text: string, type: Type | undefined): unknown {
  const whole = type === undefined ? undefined : resolve(contract, type)
  if (whole === undefined) return text
  const actual = whole.kind === 'list' ? resolve(contract, whole.item) : whole
  const isNumber = /^-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?$/.test(text)
  if (actual.kind === 'union' || actual.kind === 'literal' || actual.kind === 'anything') {
    if (isNumber && !takesText(contract, actual)) return exactJson(text)
    if (/^(?:true|false)$/.test(text) && !takesText(contract, actual)) return text === 'true'
    return text
  }
  if (actual.kind === 'record' || actual.kind === 'map' || actual.kind === 'intersection')
    return /^\s*\{/.test(text) ? exactJson(text) : text
  if (actual.kind !== 'scalar') return text
  if (actual.base === 'boolean') {
    if (text === 'true') return true
    if (text === 'false') return false
    return text
  }
  return ['text', 'date', 'dateTime', 'time', 'duration', 'bytes'].includes(actual.base) ||
    !isNumber
    ? text
    : exactJson(text)
}

function takesText(contract: Contract, type: Type): boolean {
  const actual = resolve(contract, type)
  if (actual.kind === 'union') return actual.alternatives.some((each) => takesText(contract, each))
  if (actual.kind === 'literal') return typeof actual.value === 'string'
  return (
    actual.kind === 'enumeration' ||
    actual.kind === 'anything' ||
    (actual.kind === 'scalar' &&
      !['boolean', 'double', 'float', 'int32', 'int64'].includes(actual.base))
  )
}

import { addAll } from '../../contract/lists.js'
import type { Contract, Type } from '../../contract/contract.js'
import { typeSpecifics } from './specifics.js'
import type { Rule } from './rules.js'

type Keywords = Readonly<Record<string, unknown>>

/** So deep inside each other conditions are told; what lies deeper is only said to be there. */
const deepest = 4

const typeWords: Readonly<Record<string, string>> = {
  string: 'a text',
  number: 'a number',
  integer: 'a whole number',
  boolean: 'true or false',
  object: 'a record',
  array: 'a list',
  null: 'null',
}

/**
 * What a type's values must satisfy beyond their shape (JSON Schema 2020-12: the keywords of {@link
 * Rule}), as sentences without a full stop: `when kind is "night", price must be there`.
 */
export function rulesInWords(_contract: Contract, type: Type): string[] {
  const { rule } = typeSpecifics(type)
  return rule === undefined ? [] : statements(rule, 0)
}

/** What must hold, one by one. */
function statements(rule: Rule, depth: number): string[] {
  if (typeof rule === 'boolean') return rule ? [] : ['no value at all']
  if (depth > deepest) return ['further conditions']
  return [
    ...conditional(rule, depth),
    ...combined(rule, depth),
    ...valueWords(rule),
    ...limits(rule),
    ...memberWords(rule, depth),
    ...itemWords(rule, depth),
  ]
}

function rulesOf(rule: Keywords, keyword: string): readonly Rule[] {
  return (rule[keyword] as readonly Rule[] | undefined) ?? []
}

function byMember<T>(rule: Keywords, keyword: string): [string, T][] {
  return Object.entries((rule[keyword] as Readonly<Record<string, T>> | undefined) ?? {})
}

/** What must hold when something else does. */
function conditional(rule: Keywords, depth: number): string[] {
  const said: string[] = []
  const inWords = (keyword: string): string => condition(rule[keyword] as Rule, depth + 1)
  if ('if' in rule) {
    if (rule['then'] !== undefined) said.push(`when ${inWords('if')}: ${inWords('then')}`)
    if (rule['else'] !== undefined) said.push(`unless ${inWords('if')}: ${inWords('else')}`)
  }
  if ('not' in rule) said.push(`not: ${inWords('not')}`)
  for (const [name, wanted] of byMember<string[]>(rule, 'dependentRequired'))
    said.push(`with ${name}: ${thereText(wanted)}`)
  for (const [name, wanted] of byMember<Rule>(rule, 'dependentSchemas'))
    said.push(`with ${name}: ${condition(wanted, depth + 1)}`)
  return said
}

/** What must hold together, or one of which must. */
function combined(rule: Keywords, depth: number): string[] {
  const said = rulesOf(rule, 'allOf').flatMap((part) => statements(part, depth))
  for (const [keyword, lead] of [
    ['anyOf', 'at least one of'],
    ['oneOf', 'exactly one of'],
  ] as const) {
    const parts = rulesOf(rule, keyword).map((each) => condition(each, depth + 1))
    const apart = parts.map((part) => (part.includes(',') ? `(${part})` : part))
    if (parts.length > 0) said.push(`${lead}: ${apart.join(', or ')}`)
  }
  return said
}

/** Which values are allowed. */
function valueWords(rule: Keywords): string[] {
  const said: string[] = []
  if (typeof rule['$ref'] === 'string') said.push(`as ${rule['$ref'].split('/').pop() ?? ''}`)
  if ('const' in rule) said.push(`is ${JSON.stringify(rule['const'])}`)
  if ('enum' in rule) {
    const values = (rule['enum'] as unknown[]).map((each) => JSON.stringify(each))
    said.push(`is one of ${values.join(', ')}`)
  }
  if ('type' in rule) {
    const types = (rule['type'] as string[]).map((each) => typeWords[each] ?? each)
    said.push(`is ${types.join(' or ')}`)
  }
  return said
}

function memberWords(rule: Keywords, depth: number): string[] {
  const said: string[] = []
  const required = rule['required']
  if (Array.isArray(required) && required.length > 0) said.push(thereText(required as string[]))
  for (const [name, each] of byMember<Rule>(rule, 'properties'))
    for (const text of statements(each, depth + 1)) said.push(`${name} ${text}`)
  for (const [pattern, each] of byMember<Rule>(rule, 'patternProperties'))
    said.push(`members matching ${pattern}: ${condition(each, depth + 1)}`)
  if ('propertyNames' in rule)
    said.push(`names of members: ${condition(rule['propertyNames'] as Rule, depth + 1)}`)
  for (const keyword of ['additionalProperties', 'unevaluatedProperties'])
    addAll(said, othersWords(rule, keyword, 'members', depth))
  return said
}

function itemWords(rule: Keywords, depth: number): string[] {
  const said = rulesOf(rule, 'prefixItems').flatMap((each, at) =>
    statements(each, depth + 1).map((text) => `item ${at + 1} ${text}`),
  )
  for (const keyword of ['items', 'unevaluatedItems'])
    addAll(said, othersWords(rule, keyword, 'items', depth))
  if ('contains' in rule) said.push(containsText(rule, depth))
  return said
}

/** What is said of those that are not named one by one. */
function othersWords(
  rule: Keywords,
  keyword: string,
  what: 'members' | 'items',
  depth: number,
): string[] {
  if (!(keyword in rule)) return []
  if (rule[keyword] === false) return [`no other ${what}`]
  const lead = what === 'items' ? 'items' : 'other members'
  return [`${lead}: ${condition(rule[keyword] as Rule, depth + 1)}`]
}

/** What must hold, as one phrase. */
function condition(rule: Rule, depth: number): string {
  const said = statements(rule, depth)
  return said.length === 0 ? 'anything' : said.join(', ')
}

function containsText(rule: Keywords, depth: number): string {
  const [least = 1, most] = [rule['minContains'], rule['maxContains']]
  const bounded = least === most ? `exactly ${String(most)}` : `${String(least)} to ${String(most)}`
  const howMany = most === undefined ? `at least ${String(least)}` : bounded
  return `${howMany} of the items: ${condition(rule['contains'] as Rule, depth + 1)}`
}

/** Keywords with one plain value. */
const limitWords: readonly (readonly [keyword: string, words: (value: string) => string])[] = [
  ['minimum', (value) => `at least ${value}`],
  ['maximum', (value) => `at most ${value}`],
  ['exclusiveMinimum', (value) => `more than ${value}`],
  ['exclusiveMaximum', (value) => `less than ${value}`],
  ['multipleOf', (value) => `a multiple of ${value}`],
  ['minLength', (value) => `at least ${value} long`],
  ['maxLength', (value) => `at most ${value} long`],
  ['pattern', (value) => `matching ${value}`],
  ['minItems', (value) => `at least ${value} items`],
  ['maxItems', (value) => `at most ${value} items`],
  ['uniqueItems', () => 'no two items are equal'],
  ['minProperties', (value) => `at least ${value} members`],
  ['maxProperties', (value) => `at most ${value} members`],
]

function limits(rule: Keywords): string[] {
  return limitWords.flatMap(([keyword, words]) =>
    rule[keyword] === undefined ? [] : [words(String(rule[keyword]))],
  )
}

function thereText(names: readonly string[]): string {
  return `${names.join(' and ')} must be there`
}

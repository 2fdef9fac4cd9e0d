import { addAll } from '../../contract/lists.js'
import type { Contract, Type } from '../../contract/contract.js'
import { typeLayout } from './layout.js'
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
  const { rule } = typeLayout(type)
  return rule === undefined ? [] : statements(rule, 0)
}

/** What must hold, one by one. */
function statements(rule: Rule, depth: number): string[] {
  if (typeof rule === 'boolean') return rule ? [] : ['no value at all']
  if (depth > deepest) return ['further conditions']
  const said: string[] = []
  const list = (keyword: string): readonly Rule[] =>
    (rule[keyword] as readonly Rule[] | undefined) ?? []
  const map = (keyword: string): [string, unknown][] =>
    Object.entries((rule[keyword] as Keywords | undefined) ?? {})
  if ('if' in rule) {
    const when = condition(rule['if'] as Rule, depth + 1)
    if (rule['then'] !== undefined)
      said.push(`when ${when}: ${condition(rule['then'] as Rule, depth + 1)}`)
    if (rule['else'] !== undefined)
      said.push(`unless ${when}: ${condition(rule['else'] as Rule, depth + 1)}`)
  }
  if ('not' in rule) said.push(`not: ${condition(rule['not'] as Rule, depth + 1)}`)
  for (const [name, wanted] of map('dependentRequired'))
    said.push(`with ${name}: ${thereText(wanted as string[])}`)
  for (const [name, wanted] of map('dependentSchemas'))
    said.push(`with ${name}: ${condition(wanted as Rule, depth + 1)}`)
  for (const part of list('allOf')) addAll(said, statements(part, depth))
  for (const [keyword, lead] of [
    ['anyOf', 'at least one of'],
    ['oneOf', 'exactly one of'],
  ] as const) {
    const parts = list(keyword).map((each) => condition(each, depth + 1))
    if (parts.length > 0)
      said.push(
        `${lead}: ${parts.map((part) => (part.includes(',') ? `(${part})` : part)).join(', or ')}`,
      )
  }
  if (typeof rule['$ref'] === 'string') said.push(`as ${rule['$ref'].split('/').pop() ?? ''}`)
  if ('const' in rule) said.push(`is ${JSON.stringify(rule['const'])}`)
  if ('enum' in rule)
    said.push(
      `is one of ${(rule['enum'] as unknown[]).map((each) => JSON.stringify(each)).join(', ')}`,
    )
  if ('type' in rule)
    said.push(
      `is ${(rule['type'] as string[]).map((each) => typeWords[each] ?? each).join(' or ')}`,
    )
  addAll(said, limits(rule))
  if (Array.isArray(rule['required']) && rule['required'].length > 0)
    said.push(thereText(rule['required'] as string[]))
  for (const [name, each] of map('properties'))
    addAll(
      said,
      statements(each as Rule, depth + 1).map((text) => `${name} ${text}`),
    )
  for (const [pattern, each] of map('patternProperties'))
    said.push(`members matching ${pattern}: ${condition(each as Rule, depth + 1)}`)
  if ('propertyNames' in rule)
    said.push(`names of members: ${condition(rule['propertyNames'] as Rule, depth + 1)}`)
  for (const keyword of ['additionalProperties', 'unevaluatedProperties'])
    if (keyword in rule)
      said.push(
        rule[keyword] === false
          ? 'no other members'
          : `other members: ${condition(rule[keyword] as Rule, depth + 1)}`,
      )
  list('prefixItems').forEach((each, at) =>
    addAll(
      said,
      statements(each, depth + 1).map((text) => `item ${at + 1} ${text}`),
    ),
  )
  for (const keyword of ['items', 'unevaluatedItems'])
    if (keyword in rule)
      said.push(
        rule[keyword] === false
          ? 'no other items'
          : `items: ${condition(rule[keyword] as Rule, depth + 1)}`,
      )
  if ('contains' in rule) said.push(containsText(rule, depth))
  return said
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

import type { Contract } from '../../contract/contract.js'
import { someType } from '../../contract/queries.js'
import type { LiveRule } from '../../runtime/json/rules.js'
import { typeSpecifics } from './specifics.js'
import { listKeywords, mapKeywords, schemaKeywords, type Rule } from './rules.js'

/**
 * Goes through a rule with its parts.
 *
 * @param refer what takes the place of a reference to another rule
 */
export function mapRule<T>(
  rule: Rule,
  refer: (id: string) => T,
): boolean | { readonly [keyword: string]: unknown } {
  if (typeof rule === 'boolean') return rule
  const inside = (value: unknown): unknown => mapRule(value as Rule, refer)
  const made: Record<string, unknown> = {}
  for (const [keyword, value] of Object.entries(rule)) {
    if (keyword === '$ref') made[keyword] = refer(String(value))
    else if (keyword === 'items' || schemaKeywords.includes(keyword)) made[keyword] = inside(value)
    else if (listKeywords.includes(keyword)) made[keyword] = (value as unknown[]).map(inside)
    else if (mapKeywords.includes(keyword)) {
      made[keyword] = Object.fromEntries(
        Object.entries(value as object).map(([name, each]) => [name, inside(each)]),
      )
    } else made[keyword] = value
  }
  return made
}

/** A rule brought to life: what checks values. */
export function liveRule(rule: Rule, named: Readonly<Record<string, Rule>>): LiveRule {
  const made = new Map<string, LiveRule>()
  const byId = (id: string): LiveRule => {
    const known = made.get(id)
    if (known !== undefined) return known
    const live = mapRule(named[id] ?? true, (other) => () => byId(other)) as LiveRule
    made.set(id, live)
    return live
  }
  return mapRule(rule, (id) => () => byId(id)) as LiveRule
}

/** Of named rules those that the rules of a contract's types refer to, over any number of steps. */
export function referredRules(
  contract: Contract,
  named: Readonly<Record<string, Rule>>,
): Record<string, Rule> {
  const found: Record<string, Rule> = {}
  const refer = (id: string): undefined => {
    if (Object.hasOwn(found, id)) return
    found[id] = named[id] ?? true
    mapRule(found[id], refer)
  }
  someType(contract, (type) => {
    const { rule } = typeSpecifics(type)
    if (rule !== undefined) mapRule(rule, refer)
    return false
  })
  return found
}

import { isMultiple } from '../numbers.js'
import { brokenBound, matches, type Facets } from '../facets.js'
import { brokenCount, join } from '../violations.js'
import { isObject, RawNumber, show } from './values.js'

/**
 * What values must satisfy beyond their types: JSON Schema 2020-12 (Validation and the applicators
 * of Core), as plain data. Bounds are texts, exact; `$ref` is a function, so that rules can refer
 * to themselves.
 */
export type LiveRule = boolean | RuleKeywords

export interface RuleKeywords extends Pick<
  Facets,
  | 'minimum'
  | 'maximum'
  | 'exclusiveMinimum'
  | 'exclusiveMaximum'
  | 'multipleOf'
  | 'minLength'
  | 'maxLength'
> {
  readonly $ref?: () => LiveRule
  readonly type?: readonly string[]
  readonly enum?: readonly unknown[]
  readonly const?: unknown
  readonly pattern?: string
  readonly minItems?: number
  readonly maxItems?: number
  readonly uniqueItems?: boolean
  readonly minContains?: number
  readonly maxContains?: number
  readonly minProperties?: number
  readonly maxProperties?: number
  readonly required?: readonly string[]
  readonly dependentRequired?: Readonly<Record<string, readonly string[]>>
  readonly allOf?: readonly LiveRule[]
  readonly anyOf?: readonly LiveRule[]
  readonly oneOf?: readonly LiveRule[]
  readonly not?: LiveRule
  readonly if?: LiveRule
  readonly then?: LiveRule
  readonly else?: LiveRule
  readonly dependentSchemas?: Readonly<Record<string, LiveRule>>
  readonly properties?: Readonly<Record<string, LiveRule>>
  readonly patternProperties?: Readonly<Record<string, LiveRule>>
  readonly additionalProperties?: LiveRule
  readonly propertyNames?: LiveRule
  readonly unevaluatedProperties?: LiveRule
  readonly prefixItems?: readonly LiveRule[]
  readonly items?: LiveRule
  readonly contains?: LiveRule
  readonly unevaluatedItems?: LiveRule
}

/** Where a value breaks a rule, and how. */
export interface Break {
  readonly path: string
  readonly message: string
}

/**
 * The first place at which a JSON value breaks a rule; undefined when it keeps it. Numbers may be
 * RawNumbers.
 */
export function brokenRule(rule: LiveRule, json: unknown, path: string): Break | undefined {
  steps = 0
  return judge(rule, json, path, new Set())
}

/** So many steps a judgement may take, and so many rules may stand inside each other. */
const mostSteps = 3e6
const mostLevels = 1000

let steps = 0
let level = 0

/**
 * Rules can lead to themselves, or to others twice which do so again: after very many steps nothing
 * more counts as broken.
 */
function judge(
  rule: LiveRule,
  json: unknown,
  path: string,
  seen: Set<string | number>,
): Break | undefined {
  steps += 1
  if (rule === true || steps > mostSteps || level > mostLevels) return undefined
  level += 1
  try {
    return judgeRule(rule, json, path, seen)
  } finally {
    level -= 1
  }
}

/**
 * @param seen names of members and positions of items that a keyword had a say on: what
 *   `unevaluated…` leaves alone (Core, section 11)
 */
function judgeRule(
  rule: Exclude<LiveRule, true>,
  json: unknown,
  path: string,
  seen: Set<string | number>,
): Break | undefined {
  const broken = (message: string): Break => ({ path, message })
  if (rule === false) return broken('must not be there')
  const kept = (each: LiveRule): boolean => judge(each, json, path, new Set()) === undefined
  const inPlace = (each: LiveRule): Break | undefined => judge(each, json, path, seen)
  /** What alternatives that fit had a say on counts; of those that do not fit nothing does. */
  const tried = (each: LiveRule): boolean => {
    const own = new Set<string | number>()
    if (judge(each, json, path, own) !== undefined) return false
    for (const name of own) seen.add(name)
    return true
  }
  const simple = simpleBreak(rule, json)
  if (simple !== undefined) return broken(simple)
  if (rule.$ref !== undefined) {
    const found = inPlace(rule.$ref())
    if (found !== undefined) return found
  }
  for (const each of rule.allOf ?? []) {
    const found = inPlace(each)
    if (found !== undefined) return found
  }
  if (rule.anyOf !== undefined && rule.anyOf.filter(tried).length === 0)
    return broken(`must fit one of ${String(rule.anyOf.length)} alternatives, fits none`)
  if (rule.oneOf !== undefined) {
    const fitting = rule.oneOf.filter(tried).length
    if (fitting !== 1)
      return broken(
        `must fit exactly one of ${String(rule.oneOf.length)} alternatives, fits ${fitting === 0 ? 'none' : String(fitting)}`,
      )
  }
  if (rule.not !== undefined && kept(rule.not)) return broken('is what the contract excludes')
  if (rule.if !== undefined) {
    const next = tried(rule.if) ? rule.then : rule.else
    const found = next === undefined ? undefined : inPlace(next)
    if (found !== undefined) return found
  }
  if (Array.isArray(json)) return judgeItems(rule, json, path, seen)
  return isObject(json) ? judgeMembers(rule, json, path, seen, inPlace) : undefined
}

function judgeItems(
  rule: RuleKeywords,
  items: readonly unknown[],
  path: string,
  seen: Set<string | number>,
): Break | undefined {
  const broken = (message: string): Break => ({ path, message })
  const judgeItem = (each: LiveRule, at: number): Break | undefined => {
    seen.add(at)
    return judge(each, items[at], `${path}[${String(at)}]`, new Set())
  }
  const fixed = rule.prefixItems ?? []
  for (let at = 0; at < items.length; at += 1) {
    const each = at < fixed.length ? fixed[at] : rule.items
    const found = each === undefined ? undefined : judgeItem(each, at)
    if (found !== undefined) return found
  }
  const { contains } = rule
  if (contains !== undefined) {
    const fitting = items.flatMap((item, at) =>
      judge(contains, item, path, new Set()) === undefined ? [at] : [],
    )
    for (const at of fitting) seen.add(at)
    if (fitting.length < (rule.minContains ?? 1))
      return broken(
        `must contain at least ${String(rule.minContains ?? 1)} item of a certain kind, has ${String(fitting.length)}`,
      )
    if (rule.maxContains !== undefined && fitting.length > rule.maxContains)
      return broken(
        `must contain at most ${String(rule.maxContains)} items of a certain kind, has ${String(fitting.length)}`,
      )
  }
  if (rule.unevaluatedItems !== undefined) {
    for (let at = 0; at < items.length; at += 1) {
      const found = seen.has(at) ? undefined : judgeItem(rule.unevaluatedItems, at)
      if (found !== undefined) return found
    }
  }
  return undefined
}

function judgeMembers(
  rule: RuleKeywords,
  value: Readonly<Record<string, unknown>>,
  path: string,
  seen: Set<string | number>,
  inPlace: (rule: LiveRule) => Break | undefined,
): Break | undefined {
  const names = Object.keys(value).filter((name) => value[name] !== undefined)
  const has = (name: string): boolean => names.includes(name)
  const own = <T>(map: Readonly<Record<string, T>> | undefined, name: string): T | undefined =>
    map !== undefined && Object.hasOwn(map, name) ? map[name] : undefined
  const judgeMember = (each: LiveRule, name: string): Break | undefined => {
    seen.add(name)
    return judge(each, value[name], join(path, name), new Set())
  }
  const missing = (rule.required ?? []).find((name) => !has(name))
  if (missing !== undefined) return { path: join(path, missing), message: 'is missing' }
  for (const name of names) {
    const lacking = (own(rule.dependentRequired, name) ?? []).find((each) => !has(each))
    if (lacking !== undefined)
      return { path: join(path, lacking), message: `is missing, which "${name}" calls for` }
    const dependent = own(rule.dependentSchemas, name)
    const found = dependent === undefined ? undefined : inPlace(dependent)
    if (found !== undefined) return found
    const namesBreak =
      rule.propertyNames === undefined
        ? undefined
        : judge(rule.propertyNames, name, join(path, name), new Set())
    if (namesBreak !== undefined)
      return {
        path: namesBreak.path,
        message: `has a name that is not allowed: it ${namesBreak.message}`,
      }
    const described = own(rule.properties, name)
    const patterned = Object.entries(rule.patternProperties ?? {})
      .filter(([pattern]) => matches(pattern, name))
      .map(([, each]) => each)
    const judges = [...(described === undefined ? [] : [described]), ...patterned]
    const others =
      judges.length === 0 && rule.additionalProperties !== undefined
        ? [rule.additionalProperties]
        : judges
    for (const each of others) {
      const member = judgeMember(each, name)
      if (member !== undefined) return member
    }
  }
  if (rule.unevaluatedProperties !== undefined) {
    for (const name of names) {
      const found = seen.has(name) ? undefined : judgeMember(rule.unevaluatedProperties, name)
      if (found !== undefined) return found
    }
  }
  return undefined
}

/** What a value breaks of the keywords that look at it alone. */
function simpleBreak(rule: RuleKeywords, json: unknown): string | undefined {
  const plain = typeof json === 'number' ? String(json) : undefined
  const number = json instanceof RawNumber ? json.digits : plain
  if (rule.type !== undefined && !rule.type.some((type) => isOfType(type, json, number)))
    return `must be ${rule.type.join(' or ')}, is ${show(json)}`
  if (rule.const !== undefined && !isSame(rule.const, json))
    return `must be ${show(rule.const)}, is ${show(json)}`
  if (rule.enum !== undefined && !rule.enum.some((each) => isSame(each, json)))
    return `must be one of ${rule.enum.map(show).join(', ')}, is ${show(json)}`
  if (number !== undefined) return brokenBound(rule, number, new RawNumber(number))
  if (typeof json === 'string') {
    const count = brokenCount([...json].length, rule.minLength, rule.maxLength, ' characters')
    if (count !== undefined) return count
    return rule.pattern === undefined || matches(rule.pattern, json)
      ? undefined
      : `must match ${rule.pattern}, is ${show(json)}`
  }
  if (Array.isArray(json)) {
    const count = brokenCount(json.length, rule.minItems, rule.maxItems, ' items')
    if (count !== undefined) return count
    return rule.uniqueItems === true && new Set(json.map(canonical)).size < json.length
      ? 'must not have the same item twice'
      : undefined
  }
  if (!isObject(json)) return undefined
  const count = Object.values(json).filter((value) => value !== undefined).length
  return brokenCount(count, rule.minProperties, rule.maxProperties, ' members')
}

function isOfType(type: string, json: unknown, number: string | undefined): boolean {
  switch (type) {
    case 'null':
      return json === null
    case 'array':
      return Array.isArray(json)
    case 'object':
      return isObject(json)
    case 'number':
      return number !== undefined
    case 'integer':
      return number !== undefined && isMultiple(number, '1')
    default:
      return typeof json === type
  }
}

function isSame(a: unknown, b: unknown): boolean {
  return canonical(a) === canonical(b)
}

/** A text that is the same for the same JSON values: members in order, 1.0 as 1. */
function canonical(json: unknown): string {
  if (json instanceof RawNumber || typeof json === 'number') {
    const digits = json instanceof RawNumber ? json.digits : String(json)
    return /^-?\d+$/.test(digits) ? digits.replace(/^-0$/, '0') : String(Number(digits))
  }
  if (Array.isArray(json)) return `[${json.map(canonical).join(',')}]`
  if (isObject(json))
    return `{${Object.keys(json)
      .filter((name) => json[name] !== undefined)
      .sort()
      .map((name) => `${JSON.stringify(name)}:${canonical(json[name])}`)
      .join(',')}}`
  return JSON.stringify(json) ?? ''
}

import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { isLoosePattern } from '../patterns.js'
import { settleItems } from './lists-of-items.js'
import { referenceOf, type References } from './references.js'
import { bounds } from './scalars.js'
import { soundPatterns } from './sound-patterns.js'

/**
 * What a JSON value must satisfy: a schema of JSON Schema 2020-12 reduced to what can be wrong, as
 * plain data. `$ref` is the id of another rule. The client checks by it what types can't say.
 */
export type Rule = boolean | { readonly [keyword: string]: unknown }

const plainKeywords = [
  'maxLength',
  'minLength',
  'maxItems',
  'minItems',
  'uniqueItems',
  'maxContains',
  'minContains',
  'maxProperties',
  'minProperties',
]
/**
 * Keywords whose values are a schema, a list of schemas, schemas by name; `items` is read apart,
 * having been a list once.
 */
export const schemaKeywords: readonly string[] = [
  'not',
  'if',
  'then',
  'else',
  'contains',
  'additionalProperties',
  'propertyNames',
  'unevaluatedItems',
  'unevaluatedProperties',
]
export const listKeywords: readonly string[] = ['allOf', 'anyOf', 'oneOf', 'prefixItems']
export const mapKeywords: readonly string[] = [
  'properties',
  'patternProperties',
  'dependentSchemas',
]

/**
 * Keywords that say something of values whose type has no place for it: they are checked by rules.
 */
export const ruleKeywords: readonly string[] = [
  'not',
  'if',
  'then',
  'else',
  'dependentSchemas',
  'dependentRequired',
  'dependencies',
  'propertyNames',
  'minProperties',
  'maxProperties',
  'contains',
  'minContains',
  'maxContains',
  'uniqueItems',
]

const boundKeywords = ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf']

/** Keywords that no value breaks. */
const silentKeywords = [
  'title',
  'description',
  'format',
  'default',
  'example',
  'examples',
  'nullable',
  '$comment',
  '$defs',
  'deprecated',
  '$anchor',
  '$dynamicAnchor',
  '$id',
  'discriminator',
]

/** Does a keyword stand there, is it asked for, and is its value of one of the kinds? */
type Counts = (keyword: string, ...kinds: readonly DataNode['kind'][]) => boolean

/** Reads schemas as rules. */
export class RuleReader {
  /** Rules that others refer to, by the id of their schema. */
  readonly named: Record<string, Rule> = {}
  private readonly references: References
  private readonly notes: Notes

  constructor(references: References, notes: Notes) {
    this.references = references
    this.notes = notes
  }

  /**
   * A schema, or some of its keywords, as a rule.
   *
   * @param only the keywords that count; all of them when left out
   */
  of(node: DataNode, only?: readonly string[]): Rule {
    if (node.kind === 'boolean') return node.value === true
    node.read = true
    // What is of another kind than it must be stays unread, and is told as such in the end.
    const counts: Counts = (keyword, ...kinds) => {
      const found = node.members.get(keyword)
      if (found === undefined || only?.includes(keyword) === false) return false
      return kinds.length === 0 || kinds.includes(found.kind)
    }
    const rule: Record<string, unknown> = {}
    this.addValues(node, counts, rule)
    this.addLimits(node, counts, rule)
    this.addInner(node, counts, rule)
    if (only === undefined) for (const keyword of silentKeywords) node.get(keyword)?.readWhole()
    return rule
  }

  /** Which values are allowed: by what another rule says, by their types, one by one. */
  private addValues(node: DataNode, counts: Counts, rule: Record<string, unknown>): void {
    if (counts('$ref') && referenceOf(node) !== undefined) rule['$ref'] = this.refer(node)
    if (counts('type')) rule['type'] = this.types(node)
    if (counts('const')) rule['const'] = this.whole(node.get('const'))
    if (!counts('enum', 'list')) return
    const values = this.whole(node.get('enum')) as unknown[]
    rule['enum'] = node.flag('nullable') ? [...values, null] : values
  }

  /** How large, how long, how many, and what must be there. */
  private addLimits(node: DataNode, counts: Counts, rule: Record<string, unknown>): void {
    if (boundKeywords.some((keyword) => counts(keyword))) Object.assign(rule, bounds(node))
    for (const keyword of plainKeywords)
      if (counts(keyword)) rule[keyword] = this.whole(node.get(keyword))
    if (rule['uniqueItems'] === false) delete rule['uniqueItems']
    if (counts('dependentRequired', 'object'))
      rule['dependentRequired'] = Object.fromEntries(
        [...(node.get('dependentRequired')?.members ?? [])]
          .filter(([, each]) => each.kind === 'list')
          .map(([name, each]) => [name, this.whole(each)]),
      )
    if (node.members.get('required')?.kind === 'list') node.get('required')?.readWhole()
    if (counts('required', 'list')) rule['required'] = this.whole(node.get('required'))
    const pattern = counts('pattern') ? node.text('pattern') : undefined
    if (pattern === undefined) return
    if (isLoosePattern(pattern)) rule['pattern'] = pattern
    else this.notes.add('approximated', 'TM-2211', { pattern }, node.origin)
  }

  /** The schemas inside. */
  private addInner(node: DataNode, counts: Counts, rule: Record<string, unknown>): void {
    for (const keyword of schemaKeywords)
      if (counts(keyword, 'object', 'boolean'))
        rule[keyword] = this.of(node.get(keyword) as DataNode)
    for (const keyword of listKeywords)
      if (counts(keyword, 'list')) rule[keyword] = node.list(keyword).map((each) => this.of(each))
    for (const keyword of mapKeywords)
      if (counts(keyword, 'object'))
        rule[keyword] = this.map(
          keyword === 'patternProperties' ? soundPatterns(node, this.notes) : node.entries(keyword),
        )
    this.items(node, counts, rule)
    if (counts('dependencies')) this.dependencies(node, rule)
  }

  private items(node: DataNode, counts: Counts, rule: Record<string, unknown>): void {
    settleItems(node, this.references.version, this.notes)
    const items = node.members.get('items')
    if (!counts('items') || items === undefined) return
    items.read = true
    // Before 2020-12 a list of items was what prefixItems is now.
    if (items.kind !== 'list') rule['items'] = this.of(items)
    else {
      rule['prefixItems'] = items.items.map((each) => this.of(each))
      const rest = node.get('additionalItems')
      if (rest !== undefined) rule['items'] = this.of(rest)
    }
  }

  /** `dependencies`, which later became two keywords (2020-12 Validation, appendix B). */
  private dependencies(node: DataNode, rule: Record<string, unknown>): void {
    const all = node.entries('dependencies')
    const lists = all.filter(([, each]) => each.kind === 'list')
    const schemas = all.filter(([, each]) => each.kind !== 'list')
    if (lists.length > 0)
      rule['dependentRequired'] = Object.fromEntries(
        lists.map(([name, each]) => [name, this.whole(each)]),
      )
    if (schemas.length > 0) rule['dependentSchemas'] = this.map(schemas)
  }

  private map(entries: readonly (readonly [string, DataNode])[]): Record<string, Rule> {
    return Object.fromEntries(entries.map(([name, node]) => [name, this.of(node)]))
  }

  private refer(node: DataNode): string {
    const target = this.references.settle(node)
    const id = this.references.idOf(target)
    if (!Object.hasOwn(this.named, id)) {
      // The place is taken first, so that recursion finds it.
      this.named[id] = true
      this.named[id] = this.of(target)
    }
    return id
  }

  private types(node: DataNode): string[] {
    const type = node.get('type')
    type?.readWhole()
    const types =
      type?.kind === 'list' ? type.items.map((each) => String(each.value)) : [String(type?.value)]
    return node.flag('nullable') && !types.includes('null') ? [...types, 'null'] : types
  }

  private whole(node: DataNode | undefined): unknown {
    node?.readWhole()
    return node?.plain()
  }
}

/**
 * Values that a rule itself names: of `const`, `enum` and `contains`, wherever they stand in it.
 */
export function candidatesOf(rule: Rule | undefined): unknown[] {
  if (typeof rule !== 'object') return []
  const { const: only, enum: values, contains } = rule
  const inside = ['allOf', 'anyOf', 'oneOf']
    .flatMap((keyword) => (rule[keyword] as Rule[] | undefined) ?? [])
    .flatMap(candidatesOf)
  return [
    ...(only === undefined ? [] : [only]),
    ...((values as unknown[] | undefined) ?? []),
    ...candidatesOf(contains as Rule | undefined),
    ...inside,
  ]
}

import { settleItems } from './lists-of-items.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { isLoosePattern } from '../patterns.js'
import { referenceOf, type References } from './references.js'
import { bounds } from './scalars.js'

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
    const counts = (keyword: string, ...kinds: readonly DataNode['kind'][]): boolean => {
      const found = node.members.get(keyword)
      return (
        found !== undefined &&
        (only === undefined || only.includes(keyword)) &&
        (kinds.length === 0 || kinds.includes(found.kind))
      )
    }
    const rule: Record<string, unknown> = {}
    if (counts('$ref') && referenceOf(node) !== undefined) rule['$ref'] = this.refer(node)
    if (counts('type')) rule['type'] = this.types(node)
    if (counts('const')) rule['const'] = this.whole(node.get('const'))
    if (counts('enum', 'list')) rule['enum'] = this.whole(node.get('enum'))
    if (rule['enum'] !== undefined && node.flag('nullable'))
      rule['enum'] = [...(rule['enum'] as unknown[]), null]
    if (
      ['minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'multipleOf'].some((keyword) =>
        counts(keyword),
      )
    )
      Object.assign(rule, bounds(node))
    for (const keyword of plainKeywords)
      if (counts(keyword)) rule[keyword] = this.whole(node.get(keyword))
    if (counts('dependentRequired', 'object'))
      rule['dependentRequired'] = Object.fromEntries(
        [...(node.get('dependentRequired')?.members ?? [])]
          .filter(([, each]) => each.kind === 'list')
          .map(([name, each]) => [name, this.whole(each)]),
      )
    if (rule['uniqueItems'] === false) delete rule['uniqueItems']
    if (node.members.get('required')?.kind === 'list') node.get('required')?.readWhole()
    if (counts('required', 'list')) rule['required'] = this.whole(node.get('required'))
    const pattern = counts('pattern') ? node.text('pattern') : undefined
    if (pattern !== undefined && isLoosePattern(pattern)) rule['pattern'] = pattern
    else if (pattern !== undefined)
      this.notes.add('approximated', 'TM-2211', { pattern }, node.origin)
    for (const keyword of schemaKeywords)
      if (counts(keyword, 'object', 'boolean'))
        rule[keyword] = this.of(node.get(keyword) as DataNode)
    for (const keyword of listKeywords)
      if (counts(keyword, 'list')) rule[keyword] = node.list(keyword).map((each) => this.of(each))
    for (const keyword of mapKeywords)
      if (counts(keyword, 'object'))
        rule[keyword] = this.map(
          keyword === 'patternProperties'
            ? this.checkable(node.entries(keyword))
            : node.entries(keyword),
        )
    this.items(node, counts, rule)
    if (counts('dependencies')) this.dependencies(node, rule)
    for (const keyword of [
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
    ])
      if (only === undefined) node.get(keyword)?.readWhole()
    return rule
  }

  private items(
    node: DataNode,
    counts: (keyword: string) => boolean,
    rule: Record<string, unknown>,
  ): void {
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

  /** Of members by pattern those whose pattern can be checked. */
  private checkable(
    entries: readonly (readonly [string, DataNode])[],
  ): (readonly [string, DataNode])[] {
    return entries.filter(([pattern, schema]) => {
      const isFit = isLoosePattern(pattern)
      if (!isFit) this.notes.add('approximated', 'TM-2211', { pattern }, schema.origin)
      if (!isFit) schema.readWhole()
      return isFit
    })
  }

  private map(entries: readonly (readonly [string, DataNode])[]): Record<string, Rule> {
    const made: Record<string, Rule> = {}
    for (const [name, node] of entries)
      Object.defineProperty(made, name, {
        value: this.of(node),
        enumerable: true,
        writable: true,
        configurable: true,
      })
    return made
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

import type { Field, NamedType, Type, TypeId } from '../../contract/contract.js'
import { addAll } from '../../contract/lists.js'
import { expression } from '../../contract/patterns.js'
import { filled, marked, present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import type { DataNode } from '../../documents/data-node.js'
import { brokenRule } from '../../runtime/json/rules.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { isLoosePattern } from '../patterns.js'
import { wordsForAlternatives } from './alternatives.js'
import { documented, exampleOf } from './annotations.js'
import { AnonymousTypes, inRequests } from './anonymous-types.js'
import { differingSchemas, type Direction } from './directions.js'
import {
  childSchemas,
  discriminatorOf,
  valuesForEach,
  type Discriminator,
} from './discriminators.js'
import { DynamicScopes } from './dynamic-scopes.js'
import type { TypeSpecifics } from './specifics.js'
import { settleItems } from './lists-of-items.js'
import { liveRule } from './live-rules.js'
import { referenceOf, type References } from './references.js'
import { ruleKeywords, RuleReader, type Rule } from './rules.js'
import { enumerated, scalarType } from './scalars.js'
import {
  impliedTypes,
  isMereCondition,
  isNullable,
  isObjectSchema,
  isOnlyNull,
  isShelved,
  schemaName,
  titleOf,
  typesOf,
} from './schema-facts.js'
import { soundPatterns } from './sound-patterns.js'
import { xmlSpecifics } from './xml-specifics.js'

/**
 * Schemas stand inside of each other no deeper than this: deeper ones have no place on the stack.
 */
const mostNested = 200

/** A type with whether it may be null: nullability belongs to places, not to types. */
export interface Placed {
  readonly type: Type
  readonly nullable: boolean
}

/** What anonymous types are known by and named after. */
export interface Where {
  /** From what has a name (an operation, a schema on a shelf) to where they stand, step by step. */
  readonly steps: readonly string[]
  /** What sets them apart from the same schema read otherwise: behind its id. */
  readonly suffix: string
}

/** One step further inside. */
function inside({ steps, suffix }: Where, step: string): Where {
  return { steps: [...steps, step], suffix }
}

interface Reading {
  readonly isNamed?: boolean
  /** The types that the surroundings say, for alternatives that say none. */
  readonly inherited?: readonly string[]
  /** What is said of it for people stands at the member that has it. */
  readonly isMember?: boolean
  /** What a child takes from its parent: not the parent's list of children. */
  readonly asBase?: boolean
}

/** A part of a schema that is put together from several. */
interface Part extends Placed {
  readonly isObject: boolean
  /** The same as a rule, for when the type of another part is taken. */
  rule(): Rule
}

const annotations = [
  'title',
  'description',
  'example',
  'examples',
  'externalDocs',
  'deprecated',
  '$schema',
  '$comment',
  '$id',
  '$anchor',
  '$dynamicAnchor',
  'readOnly',
  'writeOnly',
  'default',
  'contentMediaType',
  'contentEncoding',
  'contentSchema',
  'nullable',
  'x-nullable',
  '$vocabulary',
]
const annotationSet: ReadonlySet<string> = new Set(annotations)
const structural = [
  'properties',
  'additionalProperties',
  'patternProperties',
  'required',
  'items',
  'prefixItems',
  'minItems',
  'maxItems',
  'minLength',
  'maxLength',
  'pattern',
  'format',
  'minimum',
  'maximum',
  'exclusiveMinimum',
  'exclusiveMaximum',
  'multipleOf',
  'contentEncoding',
]

/** Keywords that put a schema together from others. */
const compositions = ['$ref', '$dynamicRef', 'allOf', 'oneOf', 'anyOf']

/** Keywords that say of what type values are, if only by speaking of one. */
const typing = [
  'type',
  'enum',
  'const',
  'properties',
  'additionalProperties',
  'patternProperties',
  'items',
  'prefixItems',
]
/** Keywords that may make a rule. */
const telling: ReadonlySet<string> = new Set([
  ...ruleKeywords,
  'oneOf',
  'anyOf',
  'patternProperties',
  'unevaluatedProperties',
  'unevaluatedItems',
])

/**
 * Turns schemas of OpenAPI 2.0 to 3.2 (JSON Schema 2020-12 and the dialects of 2.0 and 3.0) into
 * contract types.
 */
export class SchemaReader {
  readonly types: Record<TypeId, NamedType> = {}
  readonly rules: RuleReader
  /** The types that the description gives no name. */
  readonly anonymous = new AnonymousTypes()
  private readonly references: References
  private readonly notes: Notes
  private readonly broken: BrokenParts
  private readonly waiting: (() => void)[] = []
  /** Named schemas that are others in requests than in answers. */
  private readonly differing: ReadonlySet<DataNode>
  private readonly children: ReadonlyMap<DataNode, readonly DataNode[]>
  private readonly scopes: DynamicScopes
  /** How many schemas are being read, each inside of another. */
  private depth = 0

  constructor(references: References, notes: Notes, broken: BrokenParts) {
    this.references = references
    this.notes = notes
    this.broken = broken
    this.differing = differingSchemas(references)
    this.children = childSchemas(references)
    this.scopes = new DynamicScopes(references)
    this.rules = new RuleReader(references, notes)
  }

  /** Reads the types that were only referred to so far. */
  readWaiting(): void {
    for (let read = this.waiting.pop(); read !== undefined; read = this.waiting.pop()) read()
  }

  /** The type of a schema where it stands. */
  read(node: DataNode, where: Where, direction: Direction, reading: Reading = {}): Placed {
    node.read = true
    const isDynamic = node.members.has('$dynamicRef')
    if (referenceOf(node) === undefined && !isDynamic)
      return this.inline(node, where, direction, reading)
    if (this.references.isMore(node)) return this.inline(node, where, direction, reading)
    for (const keyword of annotations) node.get(keyword)?.readWhole()
    const target = isDynamic ? this.scopes.follow(node) : this.references.settle(node)
    if (target === undefined) return this.anything(node)
    const placed = this.refer(target, node, direction, reading)
    return node.flag('nullable') || node.flag('x-nullable') ? { ...placed, nullable: true } : placed
  }

  /**
   * A type by the name of its schema; schemas are read later, because descriptions have chains
   * longer than a stack is deep.
   */
  private refer(
    target: DataNode,
    from: DataNode,
    direction: Direction,
    { asBase = false }: Reading,
  ): Placed {
    if (target.kind !== 'object' || target.members.size === 0) return this.anything(target)
    if (!isShelved(target) && isTrifle(target))
      return this.inline(target, { steps: [schemaName(target)], suffix: '' }, direction, {})
    const scope = this.scopes.entering(target)
    const children = asBase ? undefined : this.children.get(target)
    const isOwn = asBase && this.isParentOf(target, from)
    const isNamed = isShelved(target)
    const isInput = direction === 'in' && (!isNamed || this.differing.has(target))
    const suffix = scope.suffix + (isInput ? inRequests : '')
    const id =
      this.references.idOf(target) +
      (children === undefined ? '' : '~any') +
      (isOwn ? '~own' : '') +
      suffix
    const name =
      (children === undefined ? '' : 'Any') +
      schemaName(target) +
      scope.name +
      (isOwn ? 'Base' : '') +
      (isInput && isNamed ? 'Input' : '')
    if (!isNamed) this.anonymous.add(id, { steps: [name], title: undefined })
    if (!(id in this.types)) {
      // The place is taken first, so that recursion finds it.
      this.types[id] = { kind: 'anything', id, name, origin: target.origin }
      const read = (): void => {
        const { type } =
          children === undefined
            ? this.inline(target, { steps: [name], suffix }, direction, {
                isNamed: true,
                asBase: isOwn,
              })
            : { type: this.anyChild(target, children, direction) }
        this.types[id] = { ...type, id, name, origin: target.origin, ...documented(target) }
      }
      this.waiting.push(() =>
        this.broken.attempt(
          () => this.scopes.within(scope, read),
          (reason) => this.broken.addType(id, { name, origin: target.origin }, reason),
        ),
      )
    }
    return {
      type: { kind: 'reference', to: id },
      nullable: isNullable(this.references.peek(target) ?? target),
    }
  }

  private anything(node: DataNode): Placed {
    const never = node.kind === 'boolean' && node.value === false
    return {
      type: {
        kind: 'anything',
        ...(never ? { specifics: { rule: false } satisfies TypeSpecifics } : {}),
      },
      nullable: !never,
    }
  }

  /**
   * A schema whose children name it in `allOf`: a value is any of them, told by the discriminator.
   */
  private anyChild(parent: DataNode, children: readonly DataNode[], direction: Direction): Type {
    const discriminator = discriminatorOf(parent, this.references) as Discriminator
    const own = this.references.peek(
      parent.members.get('properties')?.members.get(discriminator.member) ?? parent,
    )
    // Where the parent says which values there are and its own name is none of them, it is never
    // meant itself.
    const allowed = own?.members.get('enum')?.items.map((each) => String(each.value))
    const [ownValues = []] = valuesForEach([parent, ...children], discriminator, this.references)
    const all = [
      ...children,
      ...(allowed !== undefined && !ownValues.some((value) => allowed.includes(value))
        ? []
        : [parent]),
    ]
    const references = all.map((each) => ({
      node: each,
      type: this.refer(each, parent, direction, { asBase: each === parent }).type,
    }))
    return this.toldApart(references, discriminator, parent)
  }

  /** A union whose alternatives are told apart by a member. */
  private toldApart(
    alternatives: readonly { node: DataNode; type: Type }[],
    discriminator: Discriminator,
    node: DataNode,
  ): Type {
    const targets = alternatives.map((each) => this.references.peek(each.node) ?? each.node)
    const values = valuesForEach(targets, discriminator, this.references)
    const plain: Type = {
      kind: 'union',
      alternatives: alternatives.map(({ type }) => type),
    }
    const mute = values.findIndex((each) => each.length === 0)
    if (mute !== -1) {
      this.notes.add(
        'approximated',
        'TM-2320',
        { member: discriminator.member, which: nameForNote(targets[mute] ?? node) },
        node.origin,
      )
      return plain
    }
    const mapping = new Map<string, TypeId>()
    for (const [at, { type }] of alternatives.entries())
      for (const value of values[at] ?? [])
        if (type.kind === 'reference' && !mapping.has(value)) mapping.set(value, type.to)
    const fallback = alternatives.find(
      (each) => this.references.peek(each.node) === discriminator.otherwise,
    )?.type
    return {
      ...plain,
      discriminator: { field: discriminator.member, mapping: Object.fromEntries(mapping) },
      ...(fallback?.kind === 'reference'
        ? { specifics: { otherwise: fallback.to } satisfies TypeSpecifics }
        : {}),
    }
  }

  /** Does a schema list among its alternatives the very schema that takes it as a part? */
  private isParentOf(parent: DataNode, part: DataNode): boolean {
    const alternatives = [
      ...(parent.members.get('oneOf')?.items ?? []),
      ...(parent.members.get('anyOf')?.items ?? []),
    ].map((each) => this.references.peek(each))
    for (let around: DataNode | undefined = part; around !== undefined; around = around.parent)
      if (alternatives.includes(around)) return true
    return false
  }

  /** Reads what is inside a schema, unless that is inside of too many others. */
  private oneDeeper<Result>(node: DataNode, { steps }: Where, read: () => Result): Result {
    this.depth += 1
    try {
      if (this.depth <= mostNested) return read()
      throw problem(
        'TM-2221',
        { name: steps.slice(0, 3).join('.'), limit: mostNested },
        { place: node.place },
      )
    } finally {
      this.depth -= 1
    }
  }

  private inline(node: DataNode, where: Where, direction: Direction, reading: Reading): Placed {
    const { isNamed = false, asBase = false } = reading
    if (node.kind !== 'object') return this.anything(node)
    const around = where
    const title = isNamed ? undefined : titleOf(node)
    if (title !== undefined) where = { steps: [title], suffix: where.suffix }
    for (const [keyword, member] of node.members) {
      if (annotationSet.has(keyword)) member.readWhole()
      else if (keyword === '$defs' || keyword === 'definitions') member.read = true
    }
    const parts = this.oneDeeper(node, around, () => this.parts(node, where, direction, reading))
    const rule = this.ruleOf(node, reading.inherited)
    const nullable =
      isNullable(node) ||
      (parts.length > 0 && parts.every((part) => part.nullable) && rule === undefined)
    const type = obeying(this.combined(parts), rule)
    const specifics = {
      ...(type.specifics as TypeSpecifics | undefined),
      ...xmlSpecifics(node, this.notes),
    }
    const whole: Type = {
      ...type,
      ...filled({ specifics }),
      ...(asBase || type.kind === 'reference' ? {} : documented(node)),
    }
    if (isNamed || !['record', 'enumeration', 'intersection', 'tuple'].includes(whole.kind))
      return {
        type: whole,
        nullable:
          nullable || (whole.kind === 'anything' && (rule === undefined || this.allowsNull(rule))),
      }
    const id = this.references.idOf(node) + where.suffix
    this.anonymous.add(id, { steps: around.steps, title })
    const { documentation, ...bare } = whole
    const told = reading.isMember === true || documentation === undefined ? {} : { documentation }
    this.types[id] ??= {
      ...bare,
      ...told,
      id,
      name: title ?? around.steps.join(' '),
      origin: node.origin,
    }
    return { type: { kind: 'reference', to: id }, nullable }
  }

  private allowsNull(rule: Rule): boolean {
    return brokenRule(liveRule(rule, this.rules.named), null, '') === undefined
  }

  /**
   * What a schema is put together from: its own words, what it refers to, `allOf`, and the
   * alternatives of `oneOf` and `anyOf`.
   */
  private parts(
    node: DataNode,
    where: Where,
    direction: Direction,
    { inherited, asBase = false, isNamed = false }: Reading,
  ): Part[] {
    const implied = impliedTypes(node)
    const types = implied.length === 0 && !node.members.has('type') ? (inherited ?? []) : implied
    const values = allowedValues(node)
    const own =
      values === undefined
        ? this.ownPart(node, where, direction, types)
        : this.valuesPart(node, values, isNamed)
    const parts = [
      ...(own === undefined ? [] : [own]),
      ...this.referredParts(node, direction),
      ...this.allOfParts(node, where, direction, types),
    ]
    if (!asBase) return [...parts, ...this.alternativeParts(node, where, direction, types)]
    for (const keyword of ['oneOf', 'anyOf', 'discriminator']) node.get(keyword)?.readWhole()
    return parts
  }

  private ownRule(node: DataNode): Rule {
    return this.rules.of(node, ['type', 'enum', 'const', ...structural])
  }

  /** What `enum` or `const` say. */
  private valuesPart(node: DataNode, values: readonly DataNode[], isNamed: boolean): Part {
    for (const keyword of ['type', ...structural]) node.get(keyword)?.readWhole()
    for (const value of values) value.readWhole()
    const { type, others } = enumerated(values, node, this.notes, isNamed)
    const specifics = (): TypeSpecifics => ({ rule: this.rules.of(node, ['enum', 'const']) })
    return {
      type: others ? { ...type, specifics: specifics() } : type,
      nullable: values.some((each) => each.kind === 'null'),
      isObject: false,
      rule: () => this.ownRule(node),
    }
  }

  /** What a schema says itself, with `type` and all that goes with it. */
  private ownPart(
    node: DataNode,
    where: Where,
    direction: Direction,
    types: readonly string[],
  ): Part | undefined {
    const rule = (): Rule => this.ownRule(node)
    const isAlone = !compositions.some((keyword) => node.members.has(keyword))
    if (types.length > 0) {
      if (!isAlone && !isStructured(node)) return undefined
      const isObject = types.every((type) => type === 'object')
      const read = types.map((type) => this.ofType(node, type, where, direction))
      return { type: oneOrUnion(read), nullable: isNullable(node), isObject, rule }
    }
    if (isOnlyNull(node)) {
      const type: Type = { kind: 'literal', value: null }
      return { type, nullable: true, isObject: false, rule }
    }
    if (!node.members.has('required')) return undefined
    const type = this.object(node, where, direction, isComposed(node))
    return { type, nullable: isNullable(node), isObject: true, rule }
  }

  private referredParts(node: DataNode, direction: Direction): Part[] {
    return ['$ref', '$dynamicRef'].flatMap((keyword) => {
      if (!node.members.has(keyword)) return []
      const target = keyword === '$ref' ? this.references.settle(node) : this.scopes.follow(node)
      if (target === undefined) return []
      return [
        {
          ...this.refer(target, node, direction, { asBase: true }),
          isObject: isObjectSchema(target, this.references),
          rule: () => this.rules.of(node, ['$ref']),
        },
      ]
    })
  }

  private allOfParts(
    node: DataNode,
    where: Where,
    direction: Direction,
    types: readonly string[],
  ): Part[] {
    const all = node.list('allOf')
    const isOneOfSeveral = all.length > 1 || isStructured(node)
    return all.map((part, at) => {
      const step = at === 0 ? 'Base' : `Part${at}`
      // A part without a name stands for its own members.
      const placed = this.isPlainObject(part)
        ? this.plainPart(part, where, direction)
        : this.read(part, inside(where, step), direction, {
            asBase: this.references.peek(part) !== part && isOneOfSeveral,
            ...(types.length > 0 ? { inherited: types } : {}),
          })
      return {
        ...placed,
        isObject: isObjectSchema(part, this.references),
        rule: () => this.rules.of(part),
      }
    })
  }

  private plainPart(part: DataNode, where: Where, direction: Direction): Placed {
    const type = this.object(part, where, direction, true)
    for (const keyword of ['type', ...annotations]) part.get(keyword)?.readWhole()
    return { type, nullable: isNullable(part) }
  }

  private alternativeParts(
    node: DataNode,
    where: Where,
    direction: Direction,
    types: readonly string[],
  ): Part[] {
    return (['oneOf', 'anyOf'] as const).flatMap((keyword) => {
      if (!node.members.has(keyword) || this.isCondition(node, keyword)) return []
      const union = this.union(node, keyword, where, direction, types)
      return union === undefined ? [] : [{ ...union, rule: () => this.rules.of(node, [keyword]) }]
    })
  }

  private isPlainObject(part: DataNode): boolean {
    const keys = [...part.members.keys()].filter(
      (key) => !annotations.includes(key) && !key.startsWith('x-'),
    )
    return (
      referenceOf(part) === undefined &&
      part.members.has('properties') &&
      keys.every((key) =>
        ['type', 'properties', 'required', 'additionalProperties'].includes(key),
      ) &&
      !(part.members.get('additionalProperties')?.kind === 'object')
    )
  }

  /** Do the alternatives only say what of the schema's own members must be there? */
  private isCondition(node: DataNode, keyword: 'oneOf' | 'anyOf'): boolean {
    const described = ['type', 'properties', 'allOf', '$ref', 'items'].some((each) =>
      node.members.has(each),
    )
    return described && (node.members.get(keyword)?.items ?? []).every(isMereCondition)
  }

  private union(
    node: DataNode,
    keyword: 'oneOf' | 'anyOf',
    where: Where,
    direction: Direction,
    types: readonly string[],
  ): (Placed & { isObject: boolean }) | undefined {
    const all = node.list(keyword)
    const present = all.filter((each) => !isOnlyNull(this.references.peek(each) ?? each))
    for (const each of all) if (!present.includes(each)) this.references.settle(each).readWhole()
    const words = wordsForAlternatives(present, this.references)
    const read = present.map((each, at) => ({
      node: each,
      ...this.read(
        each,
        inside(where, words[at] ?? String(at + 1)),
        direction,
        types.length > 0 ? { inherited: types } : {},
      ),
    }))
    const nullable =
      present.length < all.length ||
      read.some((each) => each.nullable && each.type.kind !== 'anything')
    const isObject =
      present.length > 0 && present.every((each) => isObjectSchema(each, this.references))
    const [only, ...others] = read
    if (only === undefined)
      return all.length === 0
        ? undefined
        : { type: { kind: 'literal', value: null }, nullable: true, isObject: false }
    const discriminator = discriminatorOf(node, this.references)
    if (others.length === 0)
      return { type: only.type, nullable: nullable || only.nullable, isObject }
    if (discriminator !== undefined)
      return { type: this.toldApart(read, discriminator, node), nullable, isObject }
    return {
      type: {
        kind: 'union',
        alternatives: read.map(({ type }) => type),
        ...(keyword === 'oneOf' ? { specifics: { exactlyOne: true } satisfies TypeSpecifics } : {}),
      },
      nullable,
      isObject,
    }
  }

  /**
   * One type of several parts: all of them where they are objects; else the one that says most, the
   * others being rules.
   */
  private combined(parts: readonly Part[]): Type {
    // How something stands in XML says nothing of what it is.
    const telling = parts.filter(
      ({ type }) =>
        type.kind !== 'anything' ||
        Object.keys(type.specifics ?? {}).some((fact) => fact !== 'xml'),
    )
    const [first, ...others] = telling
    if (first === undefined) return { kind: 'anything' }
    if (others.length === 0) return first.type
    if (telling.every((part) => part.isObject)) {
      const closing = telling.filter(
        (part) => !(part.type.kind === 'map' && part.type.value.kind === 'anything'),
      )
      const [only, ...more] = closing.length === 0 ? telling : closing
      return only !== undefined && more.length === 0
        ? only.type
        : { kind: 'intersection', parts: closing.map((part) => part.type) }
    }
    const weight = (part: Part): number =>
      (({ enumeration: 5, literal: 5, union: 4, anything: 0 }) as Readonly<Record<string, number>>)[
        this.kindBehind(part.type)
      ] ?? 3
    const best = telling.reduce((most, part) => (weight(part) > weight(most) ? part : most))
    return obeying(best.type, {
      allOf: telling.filter((part) => part !== best).map((part) => part.rule()),
    })
  }

  private kindBehind(type: Type): Type['kind'] {
    return type.kind === 'reference' ? 'record' : type.kind
  }

  /** What of a schema its type has no place for. */
  private ruleOf(node: DataNode, inherited: readonly string[] = []): Rule | undefined {
    const isTyped = inherited.length > 0 || typing.some((keyword) => node.members.has(keyword))
    // Most schemas say nothing that their type does not.
    if (isTyped && ![...node.members.keys()].some((keyword) => telling.has(keyword)))
      return undefined
    const keywords = ruleKeywords.filter((keyword) => node.members.has(keyword))
    for (const keyword of ['oneOf', 'anyOf'] as const)
      if (node.members.has(keyword) && this.isCondition(node, keyword)) keywords.push(keyword)
    // What is not evaluated depends on everything that is.
    const unevaluated = ['unevaluatedProperties', 'unevaluatedItems'].filter((keyword) =>
      node.members.has(keyword),
    )
    if (unevaluated.length > 0)
      addAll(keywords, [
        ...unevaluated,
        'properties',
        'patternProperties',
        'additionalProperties',
        'prefixItems',
        'items',
        'allOf',
        'anyOf',
        'oneOf',
        '$ref',
      ])
    // Without a type all keywords hold for values of their own kind only.
    if (!isTyped)
      addAll(
        keywords,
        structural.filter(
          (keyword) =>
            keyword !== 'format' && keyword !== 'contentEncoding' && keyword !== 'required',
        ),
      )
    // A member that has a schema of its own must satisfy those of the patterns that its name
    // matches as well.
    const patterns = [...(node.members.get('patternProperties')?.members.keys() ?? [])].filter(
      isLoosePattern,
    )
    if (
      patterns.some((pattern) =>
        [...(node.members.get('properties')?.members.keys() ?? [])].some((name) =>
          expression(pattern).test(name),
        ),
      )
    )
      keywords.push('patternProperties')
    if (!keywords.some((keyword) => node.members.has(keyword))) return undefined
    const rule = this.rules.of(node, [...new Set(keywords)])
    return typeof rule === 'object' && Object.keys(rule).length === 0 ? undefined : rule
  }

  private ofType(node: DataNode, type: string, where: Where, direction: Direction): Type {
    const { origin } = node
    switch (type) {
      case 'object':
        return this.object(node, where, direction, isComposed(node))
      case 'array':
        return this.array(node, where, direction)
      case 'boolean':
        return { kind: 'scalar', base: 'boolean', format: 'boolean' }
      case 'integer':
      case 'number':
      case 'string':
        return scalarType(node, type, this.notes)
      case 'file':
        // Of 2.0: the bytes of a file.
        return { kind: 'scalar', base: 'bytes', format: 'byte' }
      default:
        this.notes.add('ignored', 'TM-2306', { key: `type: ${type}` }, origin)
        return { kind: 'anything' }
    }
  }

  private array(node: DataNode, where: Where, direction: Direction): Type {
    settleItems(node, this.references.version, this.notes)
    const [least, most] = [node.number('minItems'), node.number('maxItems')]
    const itemsNode = node.members.get('items')
    const positions =
      node.members.get('prefixItems')?.items ??
      (itemsNode?.kind === 'list' ? itemsNode.items : undefined)
    if (positions !== undefined && positions.length > 0) {
      node.get('prefixItems')
      const rest = itemsNode?.kind === 'list' ? node.get('additionalItems') : node.get('items')
      const items = positions.map((each, at) =>
        orNull(this.read(each, inside(where, String(at + 1)), direction)),
      )
      const declared = (items: DataNode): Type =>
        orNull(this.read(items, inside(where, 'Item'), direction))
      const anything: Type = { kind: 'anything' }
      const others = rest === undefined ? anything : declared(rest)
      const restType = rest?.value === false ? undefined : others
      if (itemsNode?.kind === 'list') itemsNode.read = true
      return {
        kind: 'tuple',
        items,
        minItems: Number(least ?? 0),
        ...present({ maxItems: numberOf(most), rest: restType }),
      }
    }
    const items = node.get('items')
    const item =
      items === undefined ? this.anything(node) : this.read(items, inside(where, 'Item'), direction)
    // Beside a reference it is said what the items are called, whatever they are elsewhere.
    const beside =
      items?.members.has('$ref') === true ? xmlSpecifics(items, this.notes).xml : undefined
    return {
      kind: 'list',
      item: item.type,
      ...(beside === undefined ? {} : { specifics: { itemXml: beside } satisfies TypeSpecifics }),
      ...marked({ itemNullable: item.nullable }),
      ...present({ minItems: numberOf(least), maxItems: numberOf(most) }),
    }
  }

  /**
   * @param composed other parts describe the same object, so that `additionalProperties` speaks
   *   of what none of them names
   */
  private object(node: DataNode, where: Where, direction: Direction, composed: boolean): Type {
    const others = node.get('additionalProperties') ?? node.get('unevaluatedProperties')
    const isClosed = others?.value === false
    const patterns = soundPatterns(node, this.notes)
    const properties = node.entries('properties')
    // `required: true` on a property is how it was written long ago.
    const required = new Set(node.list('required').map((each) => String(each.value)))
    const sizes = [properties.length, required.size, patterns.length]
    if (!isClosed && sizes.every((size) => size === 0))
      return { kind: 'map', value: this.memberValue(others, where, direction) }
    const fields = [
      ...properties.flatMap(([name, schema]) => {
        const field = this.property(name, schema, where, direction, required)
        return field === undefined ? [] : [field]
      }),
      ...[...required].flatMap((name) =>
        properties.some(([each]) => each === name)
          ? []
          : this.requiredElsewhere(name, node, where, direction, composed),
      ),
    ]
    const isOpen =
      patterns.length > 0 ||
      (others !== undefined && !isClosed) ||
      (fields.length === 0 && others === undefined)
    const patterned = patterns.map(([pattern, schema]) => ({
      pattern,
      type: orNull(this.read(schema, inside(where, 'Value'), direction)),
    }))
    return {
      kind: 'record',
      fields,
      ...marked({ open: isOpen }),
      ...filled({ patterned }),
      ...present({ rest: isOpen ? this.restOf(others, where, direction) : undefined }),
      ...(composed && required.size > 0 ? this.requiring(required, fields) : {}),
    }
  }

  /** The value of members that have no names of their own. */
  private memberValue(schema: DataNode | undefined, where: Where, direction: Direction): Type {
    if (schema === undefined || schema.kind === 'boolean' || schema.members.size === 0)
      return { kind: 'anything' }
    return orNull(this.read(schema, inside(where, 'Value'), direction))
  }

  /** The type of what an open object has besides; undefined for anything. */
  private restOf(
    others: DataNode | undefined,
    where: Where,
    direction: Direction,
  ): Type | undefined {
    if (others?.value === false) return { kind: 'nothing' }
    if (others?.kind !== 'object' || others.members.size === 0) return undefined
    return this.memberValue(others, where, direction)
  }

  /**
   * A member that is required and not described beside that: what another part says of it, else
   * anything.
   */
  private requiredElsewhere(
    name: string,
    node: DataNode,
    where: Where,
    direction: Direction,
    composed: boolean,
  ): Field[] {
    const elsewhere = composed ? this.describedElsewhere(node, name) : undefined
    if (elsewhere !== undefined) {
      const placed = this.read(elsewhere, inside(where, name), direction)
      return [{ name, ...placed, optional: false, origin: elsewhere.origin }]
    }
    if (composed && this.isDescribedByAlternatives(node, name)) return []
    const { origin } = node
    return [{ name, type: { kind: 'anything' }, optional: false, nullable: true, origin }]
  }

  /** Names that one part requires and another one describes. */
  private requiring(
    required: ReadonlySet<string>,
    fields: readonly Field[],
  ): { specifics?: TypeSpecifics } {
    const elsewhere = [...required].filter((name) => !fields.some((field) => field.name === name))
    return elsewhere.length === 0 ? {} : { specifics: { rule: { required: elsewhere } } }
  }

  /**
   * Does one of the alternatives of a schema, or of the whole that it is a part of, describe a
   * member?
   */
  private isDescribedByAlternatives(node: DataNode, name: string): boolean {
    return [node, wholeOf(node)].some((each) =>
      [
        ...(each.members.get('oneOf')?.items ?? []),
        ...(each.members.get('anyOf')?.items ?? []),
      ].some((alternative) => this.describedElsewhere(alternative, name) !== undefined),
    )
  }

  /** The schema that another part of the same composition gives a member. */
  private describedElsewhere(node: DataNode, name: string): DataNode | undefined {
    const whole = wholeOf(node)
    const seen = new Set<DataNode>()
    const search = (part: DataNode): DataNode | undefined => {
      const settled = this.references.peek(part)
      if (settled === undefined || seen.has(settled)) return undefined
      seen.add(settled)
      const own = settled.members.get('properties')?.members.get(name)
      if (own !== undefined && own.kind === 'object') return own
      const inside = [
        ...(settled.members.get('allOf')?.items ?? []),
        ...(referenceOf(settled) === undefined ? [] : [settled]),
      ]
      for (const each of inside) {
        const found = search(each)
        if (found !== undefined) return found
      }
      return undefined
    }
    return search(whole)
  }

  private property(
    name: string,
    schema: DataNode,
    where: Where,
    direction: Direction,
    required: ReadonlySet<string>,
  ): Field | undefined {
    // A schema that allows nothing says that the property must not be there.
    if (schema.value === false && schema.kind === 'boolean') return undefined
    const target = referenceOf(schema) === undefined ? schema : this.references.settle(schema)
    const flagged = (keyword: string): boolean => schema.flag(keyword) || target.flag(keyword)
    if (flagged(direction === 'in' ? 'readOnly' : 'writeOnly')) {
      schema.readWhole()
      return undefined
    }
    const { type, nullable } = this.read(schema, inside(where, name), direction, {
      isMember: true,
    })
    const preset = schema.get('default') ?? target.get('default')
    const isRequired =
      required.has(name) ||
      (schema.members.get('required')?.kind === 'boolean' && schema.flag('required'))
    const described = documented(schema)
    return {
      name,
      type,
      optional: !isRequired,
      nullable,
      origin: schema.origin,
      ...(described.documentation === undefined && target !== schema
        ? documented(target)
        : described),
      ...marked({
        deprecated: flagged('deprecated'),
        readOnly: flagged('readOnly'),
        writeOnly: flagged('writeOnly'),
      }),
      ...(preset === undefined || preset.value === null ? {} : { default: preset.value }),
      ...exampleOf(schema, target, this.rules, this.notes),
      ...fieldSpecifics(schema, target, this.notes),
    }
  }
}

/** The schema that one is a part of. */
function wholeOf(node: DataNode): DataNode {
  return node.parent?.key === 'allOf' ? (node.parent.parent ?? node) : node
}

/** What `const` or `enum` allow; undefined where neither stands there. */
function allowedValues(node: DataNode): readonly DataNode[] | undefined {
  const only = node.get('const')
  if (only !== undefined) return [only]
  return node.members.get('enum')?.kind === 'list' ? node.list('enum') : undefined
}

function isStructured(node: DataNode): boolean {
  return structural.some((keyword) => node.members.has(keyword))
}

function oneOrUnion(types: readonly Type[]): Type {
  const [only, ...more] = types
  return only !== undefined && more.length === 0 ? only : { kind: 'union', alternatives: types }
}

/** Do other parts describe the same object? */
function isComposed(node: DataNode): boolean {
  const own = ['$ref', 'allOf', 'oneOf', 'anyOf'].some((keyword) => node.members.has(keyword))
  return own || node.parent?.key === 'allOf'
}

/** A schema in a message: by its name, or where it stands. */
function nameForNote(node: DataNode): string {
  return isShelved(node) ? schemaName(node) : `#${node.pointer}`
}

function fieldSpecifics(
  schema: DataNode,
  target: DataNode,
  notes: Notes,
): { specifics?: TypeSpecifics } {
  // What 3.0 lets nobody say beside a reference is said in a part of its own.
  const beside = schema.members.get('allOf')?.items ?? []
  const own = [schema, ...beside].find((each) => each.members.has('xml'))
  const specifics = xmlSpecifics(own ?? target, notes)
  return Object.keys(specifics).length === 0 ? {} : { specifics }
}

/** Too small to be worth a name, when no shelf gives it one. */
function isTrifle(node: DataNode): boolean {
  const types = typesOf(node)
  return (
    types.length === 1 &&
    types[0] !== 'object' &&
    types[0] !== 'array' &&
    !node.members.has('enum') &&
    !node.members.has('allOf')
  )
}

/** A type that says itself that it may be null, for places that have no word for it. */
function orNull({ type, nullable }: Placed): Type {
  return nullable && type.kind !== 'anything'
    ? {
        kind: 'union',
        alternatives: [type, { kind: 'literal', value: null }],
      }
    : type
}

/** A type whose values must also satisfy a rule. */
function obeying(type: Type, rule: Rule | undefined): Type {
  if (rule === undefined || rule === true) return type
  // A reference is what it refers to: the rule needs a place of its own.
  if (type.kind === 'reference')
    return {
      kind: 'union',
      alternatives: [type],
      specifics: { rule } satisfies TypeSpecifics,
    }
  const specifics = type.specifics as TypeSpecifics | undefined
  return {
    ...type,
    specifics: {
      ...specifics,
      rule: specifics?.rule === undefined ? rule : { allOf: [specifics.rule, rule] },
    } satisfies TypeSpecifics,
  }
}

function numberOf(text: string | undefined): number | undefined {
  return text === undefined ? undefined : Number(text)
}

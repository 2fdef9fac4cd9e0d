import type { Constraints, Field, NamedType, ScalarBase, Type, TypeId } from '../../contract/contract.js'
import type { DataNode } from '../../documents/data-tree.js'
import type { Notes } from '../notes.js'
import { isPattern } from '../patterns.js'
import type { References } from './references.js'

/** Does a type travel to the service or from it? Read-only members are left out of the one, write-only ones of the other. */
export type Direction = 'in' | 'out'

/** A type with whether it may be null: nullability belongs to places, not to types. */
export interface Placed {
  readonly type: Type
  readonly nullable: boolean
}

/** What anonymous types are named after. */
interface Where {
  readonly id: TypeId
  readonly name: string
}

const unchecked = ['not', 'if', 'then', 'else', 'patternProperties', 'propertyNames', 'dependentSchemas', 'dependentRequired', 'contains', 'minContains', 'maxContains', 'unevaluatedProperties', 'unevaluatedItems', 'minProperties', 'maxProperties', 'uniqueItems']
const annotations = ['title', 'description', 'example', 'examples', 'externalDocs', 'xml', 'deprecated', '$schema', '$comment', 'readOnly', 'writeOnly', 'default', 'contentMediaType', 'contentEncoding']

/** Turns schemas of OpenAPI 3.0 and 3.1 (JSON Schema 2020-12) into contract types. */
export class SchemaReader {
  readonly types: Record<TypeId, NamedType> = {}
  private readonly references: References
  private readonly notes: Notes
  private readonly waiting: (() => void)[] = []
  /** Named schemas that are others in requests than in answers. */
  private readonly differing: ReadonlySet<DataNode>

  constructor(references: References, notes: Notes) {
    this.references = references
    this.notes = notes
    this.differing = differingSchemas(references)
  }

  /** Reads the types that were only referred to so far. */
  readWaiting(): void {
    for (let read = this.waiting.pop(); read !== undefined; read = this.waiting.pop()) read()
  }

  /** The type of a schema where it stands. */
  read(node: DataNode, where: Where, direction: Direction): Placed {
    const target = this.references.settle(node)
    if (target === node) return this.inline(node, where, direction)
    const { origin } = node
    // What is small and has no name worth keeping is written where it stands.
    if (!isNamed(target)) return this.inline(target, where, direction)
    const differs = this.differing.has(target)
    const id = this.references.idOf(target) + (differs && direction === 'in' ? '~in' : '')
    const name = nameOf(target) + (differs && direction === 'in' ? 'Input' : '')
    const nullable = this.isNullable(target)
    if (!(id in this.types)) {
      // The place is taken first, so that recursion finds it.
      this.types[id] = { kind: 'anything', id, name, origin: target.origin }
      // Read later: descriptions have chains of types longer than a stack is deep.
      this.waiting.push(() => {
        const { type } = this.inline(target, { id, name }, direction, true)
        this.types[id] = { ...type, id, name, ...documented(target) }
      })
    }
    return { type: { kind: 'reference', to: id, origin }, nullable }
  }

  /** Lists that reach themselves can't be written out where they stand: as a union of one they keep their name. */
  nameEndlessLists(): void {
    const reaches = (type: Type, goal: TypeId, seen: Set<TypeId>): boolean => {
      if (type.kind === 'list') return reaches(type.item, goal, seen)
      if (type.kind === 'union') return type.alternatives.some((each) => reaches(each, goal, seen))
      if (type.kind !== 'reference' || seen.has(type.to)) return type.kind === 'reference' && type.to === goal
      seen.add(type.to)
      const next = this.types[type.to]
      return type.to === goal || (next !== undefined && reaches(next, goal, seen))
    }
    for (const [id, type] of Object.entries(this.types)) {
      if (type.kind !== 'list' || !reaches(type.item, id, new Set())) continue
      const { id: _id, name, ...list } = type
      this.types[id] = { kind: 'union', alternatives: [list], id, name, origin: type.origin, ...(type.documentation === undefined ? {} : { documentation: type.documentation }) }
    }
  }

  /** @param isNamed the type will stand under the id of `where` anyway */
  private inline(node: DataNode, where: Where, direction: Direction, isNamed = false): Placed {
    const { origin } = node
    const title = isNamed ? undefined : node.members.get('title')?.value
    if (typeof title === 'string' && title !== '') where = { id: where.id, name: title }
    if (node.kind === 'boolean') return { type: { kind: 'anything', origin }, nullable: true }
    const nullable = this.isNullable(node)
    const keep = (type: Type): Placed => {
      if (isNamed || (type.kind !== 'record' && type.kind !== 'enumeration')) return { type, nullable }
      this.types[where.id] ??= { ...type, id: where.id, name: where.name }
      return { type: { kind: 'reference', to: where.id, origin }, nullable }
    }
    for (const keyword of unchecked) if (node.members.has(keyword)) {
      node.get(keyword)?.readWhole()
      this.notes.add('approximated', 'TM-2305', { keyword }, node.members.get(keyword)?.origin ?? origin)
    }
    for (const keyword of annotations) node.get(keyword)?.readWhole()
    const values = node.members.has('const') ? [node.get('const')] : node.members.has('enum') ? node.list('enum') : undefined
    if (values !== undefined) {
      node.get('type')
      node.get('format')
      return keep(enumerated(values.filter((each) => each !== undefined), node))
    }
    const alternatives = [...node.list('oneOf'), ...node.list('anyOf')].filter((each) => this.references.settle(each).members.get('type')?.value !== 'null')
    if (alternatives.length > 0) {
      node.get('type')
      return this.union(node, alternatives, where, direction, nullable, keep)
    }
    const parts = node.list('allOf')
    if (parts.length > 0) return this.intersection(node, parts, where, direction, nullable, isNamed)
    const types = typesOf(node)
    if (types.length > 1) {
      const each = types.map((type): Type => this.ofType(node, type, where, direction).type)
      return { type: { kind: 'union', alternatives: each, origin }, nullable }
    }
    const type = types[0] ?? (node.members.has('properties') || node.members.has('additionalProperties') ? 'object' : node.members.has('items') ? 'array' : undefined)
    if (type === undefined) return { type: { kind: 'anything', origin, ...documented(node) }, nullable: true }
    return keep(this.ofType(node, type, where, direction).type)
  }

  private ofType(node: DataNode, type: string, where: Where, direction: Direction): Placed {
    const { origin } = node
    const placed = (made: Type): Placed => ({ type: made, nullable: false })
    switch (type) {
      case 'object':
        return placed(this.object(node, where, direction))
      case 'array': {
        const items = node.get('items')
        const tuple = node.get('prefixItems')
        if (tuple !== undefined) {
          tuple.readWhole()
          this.notes.add('approximated', 'TM-2305', { keyword: 'prefixItems' }, tuple.origin)
        }
        const item = items === undefined || tuple !== undefined ? { type: { kind: 'anything' as const, origin }, nullable: true } : this.read(items, { id: `${where.id}/items`, name: `${where.name}Item` }, direction)
        const [least, most] = [node.number('minItems'), node.number('maxItems')]
        return placed({
          kind: 'list', item: item.type, ...(item.nullable ? { itemNullable: true } : {}), ...(least === undefined ? {} : { minItems: Number(least) }), ...(most === undefined ? {} : { maxItems: Number(most) }), origin, ...documented(node),
        })
      }
      case 'boolean':
        return placed({ kind: 'scalar', base: 'boolean', format: 'boolean', origin })
      case 'integer':
      case 'number':
      case 'string':
        return placed(scalar(node, type, this.notes))
      case 'null':
        return { type: { kind: 'literal', value: null, origin }, nullable: true }
      default:
        this.notes.add('ignored', 'TM-2306', { key: `type: ${type}` }, origin)
        return { type: { kind: 'anything', origin }, nullable: true }
    }
  }

  private object(node: DataNode, where: Where, direction: Direction): Type {
    const { origin } = node
    const additional = node.get('additionalProperties')
    const properties = node.entries('properties')
    const required = new Set(node.list('required').map((each) => String(each.value)))
    const extra = additional !== undefined && additional.value !== false
    if (properties.length === 0 && required.size === 0) {
      const value: Placed = additional === undefined || additional.kind === 'boolean' ? { type: { kind: 'anything', origin }, nullable: true } : this.read(additional, { id: `${where.id}/additionalProperties`, name: `${where.name}Value` }, direction)
      if (additional?.value !== false) return { kind: 'map', value: value.type, origin, ...documented(node) }
    }
    if (extra && additional.kind === 'object' && additional.members.size > 0) {
      additional.readWhole()
      this.notes.add('approximated', 'TM-2305', { keyword: 'additionalProperties beside properties' }, additional.origin)
    }
    const fields: Field[] = []
    for (const [name, schema] of properties) {
      const target = this.references.settle(schema)
      if (direction === 'in' ? isFlagged(schema, target, 'readOnly') : isFlagged(schema, target, 'writeOnly')) continue
      const { type, nullable } = this.read(schema, { id: `${where.id}/${name}`, name: where.name + capitalised(name) }, direction)
      const preset = target.members.get('default')
      fields.push({
        name, type, optional: !required.has(name), nullable, origin: schema.origin, ...documented(schema), ...(documented(schema).documentation === undefined && target !== schema ? documented(target) : {}),
        ...(target.flag('deprecated') ? { deprecated: true } : {}), ...(preset === undefined || preset.value === null ? {} : { default: preset.value }),
      })
      required.delete(name)
    }
    // A name that is required but described nowhere may be anything.
    for (const name of required) if (!properties.some(([each]) => each === name)) fields.push({ name, type: { kind: 'anything', origin }, optional: false, nullable: true, origin })
    return { kind: 'record', fields, ...(extra ? { open: true } : {}), origin, ...documented(node) }
  }

  private union(node: DataNode, alternatives: readonly DataNode[], where: Where, direction: Direction, nullable: boolean, keep: (type: Type) => Placed): Placed {
    const { origin } = node
    const read = alternatives.map((each, at) => ({ each, ...this.read(each, { id: `${where.id}/${at}`, name: `${where.name}${at + 1}` }, direction) }))
    const isNull = nullable || read.some((each) => each.nullable && each.type.kind !== 'anything')
    const [only, ...others] = read
    if (only !== undefined && others.length === 0) return { type: only.type, nullable: isNull }
    const discriminator = node.get('discriminator')
    const member = discriminator?.text('propertyName')
    const mapping = new Map(discriminator?.entries('mapping').map(([value, target]) => [String(target.value), value]))
    const named = read.flatMap(({ each, type }) => {
      if (type.kind !== 'reference') return []
      const reference = String(each.members.get('$ref')?.value ?? '')
      const name = nameOf(this.references.settle(each))
      return [[mapping.get(reference) ?? mapping.get(name) ?? name, type.to] as const]
    })
    return {
      ...keep({ kind: 'union', alternatives: read.map(({ type }) => type), ...(member === undefined ? {} : { discriminator: { field: member, mapping: Object.fromEntries(named) } }), origin, ...documented(node) }),
      nullable: isNull,
    }
  }

  private intersection(node: DataNode, parts: readonly DataNode[], where: Where, direction: Direction, nullable: boolean, isNamed: boolean): Placed {
    const { origin } = node
    const ownKeywords = ['properties', 'additionalProperties', 'required'].some((keyword) => node.members.has(keyword))
    // A part that has no name stands for its own members.
    const isPlain = (part: DataNode): boolean => this.references.settle(part) === part && part.members.has('properties') && !['allOf', 'oneOf', 'anyOf'].some((keyword) => part.members.has(keyword))
    const read = parts.map((part, at): Placed => isPlain(part) ? { type: this.object(part, where, direction), nullable: this.isNullable(part) } : this.read(part, { id: `${where.id}/allOf/${at}`, name: `${where.name}${at === 0 ? 'Base' : `Part${at}`}` }, direction))
    const isNull = nullable || (parts.length === 1 && (read[0]?.nullable ?? false))
    node.get('type')
    for (const part of parts.filter(isPlain)) for (const keyword of ['type', ...annotations]) part.get(keyword)?.readWhole()
    const [only] = read
    if (only !== undefined && read.length === 1 && !ownKeywords && only.type.kind !== 'record') return { type: only.type, nullable: isNull }
    const own: Type[] = ownKeywords ? [this.object(node, where, direction)] : []
    const type: Type = { kind: 'intersection', parts: [...read.map((each) => each.type), ...own], origin, ...documented(node) }
    if (isNamed) return { type, nullable: isNull }
    this.types[where.id] ??= { ...type, id: where.id, name: where.name }
    return { type: { kind: 'reference', to: where.id, origin }, nullable: isNull }
  }

  private isNullable(node: DataNode): boolean {
    const types = node.members.get('type')
    const hasNull = types?.items.some((each) => each.value === 'null') ?? false
    const alternatives = [...(node.members.get('oneOf')?.items ?? []), ...(node.members.get('anyOf')?.items ?? [])]
    const nullValue = node.members.get('enum')?.items.some((each) => each.kind === 'null') ?? false
    return node.flag('nullable') || hasNull || nullValue || alternatives.some((each) => each.members.get('type')?.value === 'null')
  }
}

/** Named schemas that have a read-only or write-only member, or refer to one that has, over any number of steps. */
function differingSchemas(references: References): Set<DataNode> {
  const users = new Map<DataNode, Set<DataNode>>()
  const found = new Set<DataNode>()
  const nodes: [node: DataNode, owner: DataNode | undefined][] = references.all().map((root) => [root, undefined])
  for (let next = nodes.pop(); next !== undefined; next = nodes.pop()) {
    const [node, around] = next
    const owner = isNamed(node) && node.pointer !== '' ? node : around
    if (owner !== undefined && (node.members.get('readOnly')?.value === true || node.members.get('writeOnly')?.value === true)) found.add(owner)
    const target = node.members.has('$ref') ? references.peek(node) : undefined
    if (target !== undefined && owner !== undefined) users.set(target, (users.get(target) ?? new Set()).add(owner))
    for (const member of node.members.values()) nodes.push([member, owner])
    for (const item of node.items) nodes.push([item, owner])
  }
  const reached = [...found]
  for (let node = reached.pop(); node !== undefined; node = reached.pop()) {
    for (const user of users.get(node) ?? []) {
      if (found.has(user)) continue
      found.add(user)
      reached.push(user)
    }
  }
  return found
}

function isFlagged(schema: DataNode, target: DataNode, keyword: string): boolean {
  return schema.flag(keyword) || target.flag(keyword)
}

/** Does a referred schema deserve a type of its own? */
function isNamed(node: DataNode): boolean {
  return node.kind === 'object' && (/\/(?:schemas|definitions|\$defs)\/[^/]+$/.test(node.pointer) || node.pointer === '')
}

function nameOf(node: DataNode): string {
  const last = node.pointer.split('/').pop() ?? ''
  const name = last === '' ? (node.members.get('title')?.value ?? node.origin.document.replace(/\.\w+$/, '')) : last
  return String(name).replaceAll('~1', '/').replaceAll('~0', '~')
}

function typesOf(node: DataNode): string[] {
  const type = node.get('type')
  for (const each of type?.items ?? []) each.read = true
  return type?.kind === 'list' ? type.items.map((each) => String(each.value)).filter((each) => each !== 'null') : typeof type?.value === 'string' ? [type.value] : []
}

function enumerated(values: readonly DataNode[], node: DataNode): Type {
  const { origin } = node
  const present = values.filter((each) => each.kind !== 'null')
  if (present.length > 0 && present.every((each) => each.kind === 'text')) {
    const texts = [...new Set(present.map((each) => String(each.value)))]
    return { kind: 'enumeration', members: texts.map((value) => ({ value, origin })), base: { kind: 'scalar', base: 'text', format: 'string', origin }, origin, ...documented(node) }
  }
  const literals = present.map((each): Type => (each.kind === 'list' || each.kind === 'object' ? { kind: 'anything', origin } : { kind: 'literal', value: each.value, origin }))
  const [only, ...others] = literals
  return only === undefined ? { kind: 'literal', value: null, origin } : others.length === 0 ? only : { kind: 'union', alternatives: literals, origin, ...documented(node) }
}

const textFormats: Readonly<Record<string, ScalarBase>> = { date: 'date', 'date-time': 'dateTime', time: 'time', duration: 'duration', byte: 'bytes', binary: 'bytes', int64: 'int64', decimal: 'decimal' }
const numberFormats: Readonly<Record<string, ScalarBase>> = { int32: 'int32', int64: 'int64', decimal: 'decimal', float: 'float', double: 'double' }

function scalar(node: DataNode, type: 'integer' | 'number' | 'string', notes: Notes): Type {
  const { origin } = node
  const format = node.text('format') ?? ''
  const isText = type === 'string'
  const encoded = isText && node.members.get('contentEncoding')?.value === 'base64'
  const base = encoded ? 'bytes' : isText ? (textFormats[format] ?? 'text') : (numberFormats[format] ?? 'double')
  const known = isText ? format in textFormats : format in numberFormats
  const limits: { -readonly [K in keyof Constraints]: Constraints[K] } = {}
  const bound = (keyword: 'minimum' | 'maximum', exclusive: 'exclusiveMinimum' | 'exclusiveMaximum'): void => {
    const value = node.number(keyword)
    const outside = node.get(exclusive)
    // In 3.0 exclusiveMinimum says of minimum that it is outside; in 3.1 it is a bound itself.
    if (outside?.value === true && value !== undefined) limits[exclusive] = value
    else if (value !== undefined) limits[keyword] = value
    if (outside?.kind === 'number') limits[exclusive] = outside.source
  }
  if (!isText) {
    bound('minimum', 'exclusiveMinimum')
    bound('maximum', 'exclusiveMaximum')
    const multiple = node.number('multipleOf')
    if (multiple !== undefined) limits.multipleOf = multiple
  } else if (base === 'text') {
    const [least, most, pattern] = [node.number('minLength'), node.number('maxLength'), node.text('pattern')]
    if (least !== undefined) limits.minLength = Number(least)
    if (most !== undefined) limits.maxLength = Number(most)
    if (pattern !== undefined && isPattern(pattern)) limits.patterns = [[pattern]]
    else if (pattern !== undefined) notes.add('approximated', 'TM-2211', { pattern }, origin)
  }
  const wire = encoded || base === 'bytes' ? 'byte' : type === 'integer' && base === 'double' ? 'integer' : known && isText && (base === 'int64' || base === 'decimal') ? `string:${format}` : format === '' ? type : format
  return { kind: 'scalar', base, format: wire, origin, ...(Object.keys(limits).length === 0 ? {} : { constraints: limits }), ...documented(node) }
}

export function documented(node: DataNode): { documentation?: string } {
  const parts = [node.get('summary')?.value, node.get('description')?.value].filter((each): each is string => typeof each === 'string' && each.trim() !== '')
  const text = parts.map((each) => each.trim()).filter((each, at) => parts.findIndex((other) => other.trim() === each) === at).join('\n\n')
  return text === '' ? {} : { documentation: text }
}

function capitalised(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

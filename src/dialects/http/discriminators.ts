import { compareTexts } from '../../contract/ordering.js'
import { present } from '../../contract/present.js'
import { addAll, addTo } from '../../contract/lists.js'
import type { DataNode } from '../../documents/data-node.js'
import { referenceOf, type References } from './references.js'
import { isShelved, schemaName } from './schema-facts.js'

/** How values of several schemas are told apart: by a member (OpenAPI 3.1, section 4.8.25). */
export interface Discriminator {
  readonly member: string
  /** Which schema each value of the member stands for, as far as that is said. */
  readonly mapping: ReadonlyMap<string, DataNode>
  /** The schema that is meant when the member is missing or has another value (3.2). */
  readonly otherwise?: DataNode
}

/** Reads the discriminator of a schema; in 2.0 it is just the member's name. */
export function discriminatorOf(node: DataNode, references: References): Discriminator | undefined {
  const found = node.get('discriminator')
  if (found === undefined) return undefined
  found.readWhole()
  const member = typeof found.value === 'string' ? found.value : found.text('propertyName')
  if (member === undefined) return undefined
  // A mapping names a schema by reference or just by its name.
  const target = (reference: string): DataNode | undefined =>
    /^[\w.-]+$/.test(reference)
      ? (references.lookUp(`#/components/schemas/${reference}`, node) ??
        references.lookUp(reference, node))
      : references.lookUp(reference, node)
  const mapping = new Map<string, DataNode>()
  for (const [value, reference] of found.entries('mapping')) {
    const schema = target(String(reference.value))
    if (schema === undefined) references.tellMissing(String(reference.value), reference)
    else mapping.set(value, schema)
  }
  const fallback = found.text('defaultMapping')
  const otherwise = fallback === undefined ? undefined : target(fallback)
  return { member, mapping, ...present({ otherwise }) }
}

/**
 * The values that stand for each of several schemas: those of the mapping; else the one that an
 * extension names; else what the schema itself allows its member, as far as that tells it from the
 * others; else the schema's name. None that the schema itself refuses, and none for schemas without
 * a name: the standard does not consider those.
 */
export function valuesForEach(
  schemas: readonly DataNode[],
  { member, mapping }: Discriminator,
  references: References,
): string[][] {
  const allowed = schemas.map((schema) => allowedValues(schema, member, references, new Set()))
  const uses = new Map<string, number>()
  for (const each of allowed)
    for (const value of each ?? []) uses.set(value, (uses.get(value) ?? 0) + 1)
  const mappedTo = new Map<DataNode, string[]>()
  for (const [value, target] of mapping) addTo(mappedTo, target, value)
  return schemas.map((schema, at) => {
    const own = allowed[at]
    const fits = (value: string): boolean => own?.has(value) ?? true
    const mapped = mappedTo.get(schema)
    if (mapped !== undefined) return mapped.filter(fits)
    const named = extensionValue(schema)
    if (named !== undefined) return [named].filter(fits)
    const isShelf = isShelved(schema)
    if (own === undefined) return isShelf ? [schemaName(schema)] : []
    const alone = [...own].filter((value) => uses.get(value) === 1)
    if (alone.length === own.size) return alone
    const name = isShelf ? schemaName(schema) : ''
    const alike = [...own].filter((value) => value.toLowerCase() === name.toLowerCase())
    if (fits(name)) return [name]
    return alike.length > 0 ? alike : alone
  })
}

/** 2.0 has no mapping; makers say in an extension what stands for a schema in place of its name. */
function extensionValue({ members }: DataNode): string | undefined {
  const found = [...members].find(([key]) => /^x-(?:\w+-)*discriminator-value$/i.test(key))?.[1]
  return typeof found?.value === 'string' ? found.value : undefined
}

/**
 * The texts that a schema allows a member, over all its parts; undefined where that may be any.
 * What is no text tells nothing apart.
 */
function allowedValues(
  schema: DataNode,
  member: string,
  references: References,
  seen: Set<DataNode>,
): ReadonlySet<string> | undefined {
  if (seen.has(schema)) return undefined
  seen.add(schema)
  const property = schema.members.get('properties')?.members.get(member)
  const target = property === undefined ? undefined : references.peek(property)
  const constant = target?.members.get('const')
  const listed = constant === undefined ? target?.members.get('enum')?.items : [constant]
  let allowed: ReadonlySet<string> | undefined =
    listed === undefined
      ? undefined
      : new Set(listed.filter(({ kind }) => kind === 'text').map(({ value }) => String(value)))
  for (const part of schema.members.get('allOf')?.items ?? []) {
    const settled = references.peek(part)
    const further =
      settled === undefined ? undefined : allowedValues(settled, member, references, seen)
    if (further === undefined) continue
    const before = allowed
    // What a part says more narrowly than another one is meant.
    const both = before === undefined ? further : new Set([...before].filter((v) => further.has(v)))
    allowed = both.size === 0 ? before : both
  }
  return allowed
}

/**
 * For each schema with a discriminator of its own: the schemas that extend it by `allOf`, directly
 * or through others, in the order of the documents.
 */
export function childSchemas(references: References): ReadonlyMap<DataNode, readonly DataNode[]> {
  const direct = new Map<DataNode, DataNode[]>()
  const parents = new Set<DataNode>()
  const waiting = references.all()
  for (let node = waiting.pop(); node !== undefined; node = waiting.pop()) {
    const discriminator = node.members.get('discriminator')
    const member = discriminator?.value ?? discriminator?.members.get('propertyName')?.value
    if (typeof member === 'string' && !node.members.has('oneOf') && !node.members.has('anyOf'))
      parents.add(node)
    for (const part of node.members.get('allOf')?.items ?? []) {
      const target = referenceOf(part) === undefined ? undefined : references.peek(part)
      if (target !== undefined && target !== node) addTo(direct, target, node)
    }
    for (const member of node.members.values())
      if (member.kind === 'object' || member.kind === 'list') waiting.push(member)
    for (const item of node.items)
      if (item.kind === 'object' || item.kind === 'list') waiting.push(item)
  }
  const all = new Map<DataNode, readonly DataNode[]>()
  for (const parent of parents) {
    const found = new Set<DataNode>()
    const next = [...(direct.get(parent) ?? [])]
    for (let child = next.pop(); child !== undefined; child = next.pop()) {
      if (found.has(child) || child === parent) continue
      found.add(child)
      addAll(next, direct.get(child) ?? [])
    }
    if (found.size > 0)
      all.set(
        parent,
        [...found].sort((a, b) => compareTexts(references.idOf(a), references.idOf(b))),
      )
  }
  return all
}

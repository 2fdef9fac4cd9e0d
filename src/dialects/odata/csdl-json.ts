import type { DataNode } from '../../documents/data-node.js'
import { XmlElement } from '../../documents/xml-tree.js'
import { edm4, edmx4 } from './namespaces.js'

/**
 * Metadata in JSON (CSDL JSON 4.01) as the same metadata in XML: what the two formats say is the
 * same, so that one reader serves both. Every element keeps the place in the JSON that it comes
 * from.
 */
export function xmlFromJson(root: DataNode): XmlElement {
  const edmx = element('Edmx', root, undefined, edmx4)
  set(edmx, 'Version', root.text('$Version'))
  const references = root.get('$Reference')
  for (const [uri, node] of references?.members ?? []) {
    const reference = element('Reference', node, edmx, edmx4)
    set(reference, 'Uri', uri)
    for (const each of node.list('$Include')) {
      const include = element('Include', each, reference, edmx4)
      set(include, 'Namespace', each.text('$Namespace'))
      set(include, 'Alias', each.text('$Alias'))
    }
    for (const each of node.list('$IncludeAnnotations'))
      element('IncludeAnnotations', each, reference, edmx4)
  }
  const services = element('DataServices', root, edmx, edmx4)
  for (const [name, node] of root.members)
    if (!name.startsWith('$') && node.kind === 'object') readSchema(name, node, services)
  return edmx
}

function readSchema(namespace: string, node: DataNode, services: XmlElement): void {
  const schema = element('Schema', node, services)
  set(schema, 'Namespace', namespace)
  set(schema, 'Alias', node.text('$Alias'))
  for (const [target, annotations] of node.get('$Annotations')?.members ?? []) {
    const outside = element('Annotations', annotations, schema)
    set(outside, 'Target', target)
    annotate(annotations, outside)
  }
  for (const [name, member] of node.members) {
    if (name.startsWith('$')) continue
    if (name.includes('@')) annotate(node, schema)
    // Functions and actions stand in lists, because they can have overloads.
    else if (member.kind === 'list')
      for (const overload of member.items) readOperation(name, overload, schema)
    else readDeclaration(name, member, schema)
  }
}

function readDeclaration(name: string, node: DataNode, schema: XmlElement): void {
  const kind = node.text('$Kind') ?? ''
  const made = element(kind, node, schema)
  set(made, 'Name', name)
  attributes(node, made, [
    '$BaseType',
    '$Abstract',
    '$OpenType',
    '$HasStream',
    '$IsFlags',
    '$UnderlyingType',
    '$Extends',
    ...facets,
  ])
  annotate(node, made)
  if (kind === 'EnumType') readMembers(node, made)
  else if (kind === 'EntityContainer')
    for (const [each, inside] of node.members) readResource(each, inside, made)
  else if (kind === 'EntityType' || kind === 'ComplexType') {
    const keys = node.list('$Key')
    const key = keys.length === 0 ? undefined : element('Key', node, made)
    for (const each of keys) {
      const [alias, path] = each.kind === 'object' ? ([...each.members][0] ?? []) : []
      const reference = element('PropertyRef', each, key)
      set(
        reference,
        'Name',
        path === undefined ? String(each.value ?? '') : String(path.value ?? ''),
      )
      set(reference, 'Alias', alias)
    }
    for (const [each, inside] of node.members)
      if (!/^[$@]|.@/.test(each)) readProperty(each, inside, made)
  }
}

/** Numbers beside annotations of theirs: `Red`, `Red@Core.Description`. */
function readMembers(node: DataNode, made: XmlElement): void {
  for (const [name, value] of node.members) {
    if (/^[$@]|.@/.test(name)) continue
    const member = element('Member', value, made)
    set(member, 'Name', name)
    set(member, 'Value', String(value.value ?? ''))
    annotate(node, member, name)
  }
}

const facets = [
  '$MaxLength',
  '$Precision',
  '$Scale',
  '$Unicode',
  '$SRID',
  '$DefaultValue',
  '$Collation',
]

function readProperty(name: string, node: DataNode, holder: XmlElement): void {
  const isNavigation = node.text('$Kind') === 'NavigationProperty'
  const made = element(isNavigation ? 'NavigationProperty' : 'Property', node, holder)
  set(made, 'Name', name)
  typed(node, made)
  attributes(node, made, [...facets, '$Partner', '$ContainsTarget'])
  for (const [property, referenced] of node.get('$ReferentialConstraint')?.members ?? []) {
    if (property.includes('@')) continue
    const constraint = element('ReferentialConstraint', referenced, made)
    set(constraint, 'Property', property)
    set(constraint, 'ReferencedProperty', String(referenced.value ?? ''))
  }
  const onDelete = node.text('$OnDelete')
  if (onDelete !== undefined) set(element('OnDelete', node, made), 'Action', onDelete)
  annotate(node, made)
}

/**
 * In JSON a type that is not said is text, and what is not said to be nullable is not (CSDL JSON
 * 4.01, section 7.2).
 */
function typed(node: DataNode, made: XmlElement): void {
  const type = node.text('$Type') ?? 'Edm.String'
  set(made, 'Type', node.flag('$Collection') ? `Collection(${type})` : type)
  set(made, 'Nullable', node.flag('$Nullable') ? 'true' : 'false')
}

function readOperation(name: string, node: DataNode, schema: XmlElement): void {
  const made = element(node.text('$Kind') ?? '', node, schema)
  set(made, 'Name', name)
  attributes(node, made, ['$IsBound', '$IsComposable', '$EntitySetPath'])
  for (const each of node.list('$Parameter')) {
    const parameter = element('Parameter', each, made)
    set(parameter, 'Name', each.text('$Name'))
    typed(each, parameter)
    attributes(each, parameter, facets)
    annotate(each, parameter)
  }
  const returns = node.get('$ReturnType')
  if (returns !== undefined) {
    const type = element('ReturnType', returns, made)
    typed(returns, type)
    attributes(returns, type, facets)
    annotate(returns, type)
  }
  annotate(node, made)
}

/** What an entity container has: sets, singletons, imports (CSDL JSON 4.01, section 13). */
function readResource(name: string, node: DataNode, container: XmlElement): void {
  if (/^[$@]|.@/.test(name)) return
  const kind = ['$Function', '$Action'].find((each) => node.members.has(each))?.slice(1)
  const direct = node.flag('$Collection') ? 'EntitySet' : 'Singleton'
  const made = element(kind === undefined ? direct : `${kind}Import`, node, container)
  set(made, 'Name', name)
  if (kind !== undefined) set(made, kind, node.text(`$${kind}`))
  else set(made, made.local === 'EntitySet' ? 'EntityType' : 'Type', node.text('$Type'))
  if (made.local === 'Singleton') set(made, 'Nullable', node.flag('$Nullable') ? 'true' : undefined)
  attributes(node, made, ['$EntitySet', '$IncludeInServiceDocument'])
  for (const [path, target] of node.get('$NavigationPropertyBinding')?.members ?? []) {
    const binding = element('NavigationPropertyBinding', target, made)
    set(binding, 'Path', path)
    set(binding, 'Target', String(target.value ?? ''))
  }
  annotate(node, made)
}

/**
 * Annotations of a node, or of a member of it: `@Term`, `@Term#Qualifier`, `Member@Term`.
 *
 * @param member the member that they are about
 */
function annotate(node: DataNode, holder: XmlElement, member = ''): void {
  for (const [name, value] of node.members) {
    if (!name.startsWith(`${member}@`) || name.indexOf('@', member.length + 1) !== -1) continue
    const [term = '', qualifier] = name.slice(member.length + 1).split('#')
    const annotation = element('Annotation', value, holder)
    set(annotation, 'Term', term)
    set(annotation, 'Qualifier', qualifier)
    if (value.kind !== 'boolean' || value.value !== true) express(value, annotation)
  }
}

/**
 * A constant as an expression inside an annotation, a collection or a record; what is worked out
 * from an entity keeps its name.
 */
function express(node: DataNode, holder: XmlElement): void {
  if (node.kind === 'list') {
    const collection = element('Collection', node, holder)
    for (const item of node.items) express(item, collection)
  } else if (node.kind === 'object') {
    const [dynamic] = [...node.members.keys()].filter((name) => name.startsWith('$'))
    const made = element(dynamic === undefined ? 'Record' : dynamic.slice(1), node, holder)
    if (dynamic !== undefined) return
    for (const [name, value] of node.members) {
      if (name.includes('@')) continue
      const property = element('PropertyValue', value, made)
      set(property, 'Property', name)
      express(value, property)
    }
  } else if (node.kind === 'null') element('Null', node, holder)
  else {
    const made = element(
      { text: 'String', boolean: 'Bool', number: 'Decimal' }[node.kind],
      node,
      holder,
    )
    made.text = node.kind === 'number' ? node.written : String(node.value ?? '')
    // Constants stand as attributes, too, and some readers look there.
    if (holder.local === 'Annotation') set(holder, made.local, made.text)
  }
}

function attributes(node: DataNode, made: XmlElement, names: readonly string[]): void {
  for (const name of names) {
    const value = node.get(name)
    if (value !== undefined)
      set(made, name.slice(1), value.kind === 'number' ? value.written : String(value.value ?? ''))
  }
  // Whatever nobody knows is told as an attribute that is ignored.
  for (const [name, value] of node.members) {
    if (!name.startsWith('$') || known.has(name) || names.includes(name)) continue
    set(made, name, JSON.stringify(value.plain()))
  }
}

const known = new Set([
  '$Kind',
  '$Name',
  '$Type',
  '$Collection',
  '$Nullable',
  '$Key',
  '$Parameter',
  '$ReturnType',
  '$ReferentialConstraint',
  '$OnDelete',
  '$NavigationPropertyBinding',
  '$Function',
  '$Action',
  '$Alias',
  '$Annotations',
])

function element(
  name: string,
  node: DataNode,
  parent: XmlElement | undefined,
  namespace = edm4,
): XmlElement {
  const made = new XmlElement(name, namespace, name, node, parent, {})
  parent?.children.push(made)
  return made
}

function set(made: XmlElement, name: string, value: string | undefined): void {
  if (value !== undefined)
    made.attributes.push({ namespace: '', local: name, name, value, read: false })
}

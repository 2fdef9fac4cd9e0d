import type { Field, InputField, Operation, Origin, Outcome, Type, TypeId } from '../../contract/contract.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { pascalCase } from '../../naming/identifiers.js'
import { memberName } from '../../naming/methods.js'
import type { Notes } from '../notes.js'
import type { Csdl, Declared } from './csdl.js'
import type { FieldLayout, OperationLayout } from './layout.js'
import { dataMetadata } from './namespaces.js'
import { documented, type TypeReader } from './types.js'

/** The one endpoint of a service, in the contract. */
export const endpointName = 'service'

interface Resource {
  readonly name: string
  readonly entity: TypeId
  readonly singleton: boolean
  readonly documentation: string | undefined
  readonly origin: Origin
}

/** Reads entity containers: sets and singletons with what can be done to them, functions and actions (CSDL XML 4.01, sections 12 and 13). */
export class OperationReader {
  private readonly csdl: Csdl
  private readonly types: TypeReader
  private readonly notes: Notes
  private readonly found: Operation[] = []
  /** Paths of operations given so far, as members of the client. */
  private readonly taken = new Set<string>()
  /** Functions and actions that an import offers. */
  private readonly byImport = new Set<XmlElement>()

  constructor(csdl: Csdl, types: TypeReader, notes: Notes) {
    this.csdl = csdl
    this.types = types
    this.notes = notes
  }

  readAll(): Operation[] {
    const resources: Resource[] = []
    for (const container of this.csdl.all('EntityContainer')) {
      for (const part of this.withParents(container)) {
        resources.push(...this.resources(part))
        this.readImports(part)
      }
    }
    for (const resource of resources) this.readResource(resource)
    this.readBound(resources)
    // Sets and singletons in the order of the metadata, each with all that is bound to it; then what stands by itself.
    const rank = ({ path }: Operation): number => (path.length === 1 ? resources.length : resources.findIndex(({ name }) => name === path[0]))
    return this.found.sort((a, b) => rank(a) - rank(b))
  }

  private withParents(container: Declared, within: readonly string[] = []): Declared[] {
    const { element } = container
    element.read = true
    element.attribute('Name')
    element.attribute('IsDefaultEntityContainer', dataMetadata)
    const written = element.attribute('Extends')
    const [parent] = written === undefined ? [] : this.csdl.overloads('EntityContainer', written)
    // What a document declares by itself is read there.
    return [container, ...(parent === undefined || within.includes(parent.name) || this.csdl.all('EntityContainer').some(({ name }) => name === parent.name) ? [] : this.withParents(parent, [...within, container.name]))]
  }

  private resources({ name: container, element }: Declared): Resource[] {
    const read = (each: XmlElement, typeAttribute: string): Resource => {
      const name = each.attribute('Name') ?? ''
      for (const attribute of ['IncludeInServiceDocument', 'Nullable']) each.attribute(attribute)
      for (const binding of each.take(each.namespace, 'NavigationPropertyBinding')) binding.readWhole()
      const path = `${container}/${name}`
      const entity = this.csdl.type(each.attribute(typeAttribute) ?? '', each).name
      return { name, entity, singleton: typeAttribute === 'Type', documentation: this.csdl.documentation(each, path) ?? this.types.record(entity).documentation, origin: each.origin }
    }
    for (const each of element.take(element.namespace, 'AssociationSet')) each.readWhole()
    return [...element.take(element.namespace, 'EntitySet').map((each) => read(each, 'EntityType')), ...element.take(element.namespace, 'Singleton').map((each) => read(each, 'Type'))]
  }

  private readResource(resource: Resource): void {
    const { name, entity, singleton, origin } = resource
    const reference: Type = { kind: 'reference', to: entity, origin }
    const keys = this.types.keyFields(entity)
    const value = (type: Type, optional = false): Outcome & { kind: 'value' } => ({ kind: 'value', field: { name: 'value', type, optional, nullable: false, origin }, origin })
    const body = (to: TypeId): InputField => ({ name: 'body', type: { kind: 'reference', to, origin }, optional: false, nullable: false, place: 'body', origin })
    const key = singleton ? [] : keyInput(keys, origin)
    const ifMatch = input('ifMatch', text(origin, 'ETag'), 'header', 'Only if the entity still has this ETag; `*` for any.', origin, '*')
    const shape = this.types.isEntity(entity) ? this.queryInputs(entity, origin) : []
    const partial = shape.filter((field) => field.name === 'select' || field.name === 'expand')
    const add = (kind: 'list' | 'get' | 'count' | 'create' | 'update' | 'replace' | 'delete', sentence: string, inputs: readonly InputField[], outcome: Outcome): void => {
      const layout: OperationLayout = { kind, path: name, entity, ...(singleton ? { singleton: true as const } : {}) }
      this.add([name, kind], inputs, outcome, [sentence, resource.documentation].filter((part) => part !== undefined).join('\n\n'), origin, layout)
    }
    const nothing: Outcome = { kind: 'nothing', origin }
    const changed = this.csdl.isNew ? partial : []
    if (singleton) {
      add('get', `Gets ${name}.`, partial, value(reference))
      add('update', `Changes some properties of ${name}.`, [body(this.types.changesShape(entity)), ifMatch, ...changed], value(reference, true))
      return
    }
    add('list', `Lists the entities of ${name}: all of them, page by page, or those that fit.`, shape, { ...value({ kind: 'list', item: reference, origin }), iterable: true })
    if (keys.length > 0) add('get', `Gets one entity of ${name} by its key.`, [...key, ...partial], value(reference))
    add('count', `Counts the entities of ${name}, or those that fit.`, shape.filter((field) => field.name === 'filter' || field.name === 'search'), value({ kind: 'scalar', base: 'int32', format: 'Edm.Int32', origin }))
    add('create', `Creates an entity in ${name} and gives it back as the service made it.`, [body(this.types.newShape(entity))], value(reference))
    if (keys.length === 0) return
    add('update', `Changes some properties of an entity of ${name}; what is not named stays.`, [...key, body(this.types.changesShape(entity)), ifMatch, ...changed], value(reference, true))
    add('replace', `Replaces an entity of ${name}: what is not given gets its default.`, [...key, body(this.types.newShape(entity)), ifMatch, ...changed], value(reference, true))
    add('delete', `Deletes an entity of ${name}.`, [...key, ifMatch], nothing)
  }

  /** What a query can ask for (URL Conventions, section 5.1). */
  private queryInputs(entity: TypeId, origin: Origin): InputField[] {
    const chain = [...this.types.keyFields(entity), ...this.types.record(entity).fields]
    const names = [...new Set(chain.filter((field) => (field.layout as FieldLayout | undefined)?.navigation === undefined && !field.name.startsWith('$')).map((field) => field.name))]
    const navigations = chain.filter((field) => (field.layout as FieldLayout | undefined)?.navigation !== undefined).map((field) => field.name)
    const [first = 'Name', second] = names
    const listOf = (item: Type): Type => ({ kind: 'union', alternatives: [text(origin, 'query option'), { kind: 'list', item, origin }], origin })
    const count: Type = { kind: 'scalar', base: 'int32', format: 'Edm.Int32', constraints: { minimum: '0' }, origin }
    const fields: (InputField | undefined)[] = [
      input('filter', text(origin, 'filter'), 'query', 'Which ones, in OData\'s own language; in code also a function.', origin, `${first} ne null`),
      input('select', listOf(text(origin, 'property')), 'query', 'Only these properties.', origin, [first, ...(second === undefined ? [] : [second])]),
      navigations.length === 0 ? undefined : input('expand', listOf({ kind: 'anything', origin }), 'query', 'What hangs off it comes along: names, or names with a query of their own.', origin, navigations.slice(0, 1)),
      input('orderBy', listOf(text(origin, 'property')), 'query', 'In which order; ` desc` behind a name turns it round.', origin, [first]),
      input('top', count, 'query', 'At most so many.', origin, 10),
      input('skip', count, 'query', 'Without the first ones.', origin, 0),
      this.csdl.isNew ? input('search', text(origin, 'search'), 'query', 'What to look for, in the service\'s own way.', origin, 'words') : undefined,
      input('count', { kind: 'scalar', base: 'boolean', format: 'Edm.Boolean', origin }, 'query', 'Count all that fit, whatever `top` and `skip` say.', origin, true),
    ]
    return fields.filter((field) => field !== undefined)
  }

  private readImports({ name: container, element }: Declared): void {
    for (const each of element.take(element.namespace, 'FunctionImport')) {
      const name = each.attribute('Name') ?? ''
      each.attribute('IncludeInServiceDocument')
      each.attribute('EntitySetPath')
      const documentation = this.csdl.documentation(each, `${container}/${name}`)
      const written = each.attribute('Function')
      each.attribute('EntitySet')
      if (written === undefined) this.readFunctionImport2(each, name, documentation)
      else for (const overload of this.imported('Function', written, each)) this.readInvocation(overload, [name], { call: name, documentation, origin: each.origin })
    }
    for (const each of element.take(element.namespace, 'ActionImport')) {
      const name = each.attribute('Name') ?? ''
      each.attribute('EntitySet')
      const documentation = this.csdl.documentation(each, `${container}/${name}`)
      for (const overload of this.imported('Action', each.attribute('Action') ?? '', each)) this.readInvocation(overload, [name], { call: name, documentation, origin: each.origin })
    }
  }

  /** What an import offers: the overloads that are bound to nothing. */
  private imported(local: 'Function' | 'Action', written: string, at: XmlElement): Declared[] {
    const found = unbound(this.csdl.overloads(local, written))
    for (const { element } of found) this.byImport.add(element)
    if (found.length === 0) this.leaveOut(at, `The import "${at.attribute('Name') ?? ''}"`, `no document declares "${written}"`)
    return found
  }

  private leaveOut(element: XmlElement, what: string, reason: string): void {
    this.notes.add('ignored', 'TM-2407', { what, reason }, element.origin)
    element.readWhole()
  }

  /** Of version 2: its parameters stand behind the question mark (CSDL 2, section 2.1.20). */
  private readFunctionImport2(element: XmlElement, name: string, documentation: string | undefined): void {
    const method = (element.attribute('HttpMethod', dataMetadata) ?? 'GET').toUpperCase()
    for (const attribute of ['IsBindable', 'IsSideEffecting', 'IsComposable']) element.attribute(attribute)
    const inputs = element.take(element.namespace, 'Parameter').map((each) => {
      each.attribute('Mode')
      return this.parameter(each, name)
    })
    const returned = element.attribute('ReturnType')
    const outcome = this.outcome(element, returned, name)
    if (method !== 'GET' && method !== 'POST') {
      this.notes.add('refused', 'TM-2407', { what: `The function import "${name}"`, reason: `its method is ${method}` }, element.origin)
      return
    }
    this.add([name], inputs, outcome, documentation, element.origin, { kind: 'invoke', call: name, method, passing: 'query' })
  }

  private readBound(resources: readonly Resource[]): void {
    for (const local of ['Action', 'Function'] as const) {
      for (const declared of inOrder(this.csdl.all(local))) {
        const { element } = declared
        if (!isBound(element)) {
          // Imports were read before: what none of them names can't be called (section 12.6).
          if (!this.byImport.has(element)) this.leaveOut(element, `The ${local.toLowerCase()} "${declared.name}"`, 'no import offers it')
          continue
        }
        element.read = true
        const [binding] = element.children.filter((child) => child.local === 'Parameter')
        const written = binding?.attributes.find((each) => each.local === 'Type')?.value ?? ''
        const item = /^Collection\((.*)\)$/.exec(written)?.[1]
        const type = this.csdl.hasType(item ?? written) ? this.csdl.type(item ?? written, element).name : undefined
        if (type === undefined || !this.types.isEntity(type)) {
          this.notes.add('refused', 'TM-2407', { what: `The ${local.toLowerCase()} "${declared.name}"`, reason: 'it is bound to something that is no entity' }, element.origin)
          element.readWhole()
          continue
        }
        const places = resources.filter(({ entity, singleton }) => (this.types.extends(entity, type) || this.types.extends(type, entity)) && !(singleton && item !== undefined))
        for (const resource of places) {
          const cast = this.types.extends(resource.entity, type) ? undefined : type
          this.readInvocation(declared, [resource.name, element.attribute('Name') ?? ''], { call: declared.name, documentation: undefined, origin: element.origin, on: { resource, many: item !== undefined, cast } })
        }
        if (places.length === 0) {
          this.leaveOut(element, `The ${local.toLowerCase()} "${declared.name}"`, 'no set has entities that it is bound to')
        }
      }
    }
  }

  private readInvocation(declared: Declared, path: readonly string[], facts: { call: string; documentation: string | undefined; origin: Origin; on?: { resource: Resource; many: boolean; cast: TypeId | undefined } }): void {
    const { element, name } = declared
    const { on } = facts
    const isFunction = element.local === 'Function'
    element.read = true
    for (const attribute of ['Name', 'IsBound', 'IsComposable', 'EntitySetPath']) element.attribute(attribute)
    const parameters = element.take(element.namespace, 'Parameter')
    if (on !== undefined) parameters.shift()?.readWhole()
    const inputs = parameters.map((each) => this.parameter(each, name))
    const [returns] = element.take(element.namespace, 'ReturnType')
    const outcome = this.outcome(returns ?? element, returns?.attribute('Type'), name)
    const key = on === undefined || on.many || on.resource.singleton ? [] : keyInput(this.types.keyFields(on.resource.entity), facts.origin)
    if (on !== undefined && !on.many && !on.resource.singleton && key.length === 0) {
      this.notes.add('refused', 'TM-2407', { what: `The ${element.local.toLowerCase()} "${name}" at "${on.resource.name}"`, reason: 'its entities have no key that can be written' }, element.origin)
      return
    }
    const layout: OperationLayout = {
      kind: 'invoke',
      call: facts.call,
      method: isFunction ? 'GET' : 'POST',
      passing: isFunction ? 'inline' : 'body',
      ...(on === undefined
        ? {}
        : { on: { path: on.resource.name, entity: on.resource.entity, ...(on.resource.singleton ? { singleton: true as const } : {}), ...(on.many ? { many: true as const } : {}), ...(on.cast === undefined ? {} : { cast: on.cast }) } }),
    }
    // A parameter may be called like our own word for the key.
    const apart = inputs.map((each) => (key.length > 0 && each.name === 'key' ? { ...each, name: 'key_', layout: { wire: 'key' } satisfies FieldLayout } : each))
    this.add(path, [...key, ...apart], outcome, facts.documentation ?? this.csdl.documentation(element, name), facts.origin, layout)
  }

  private parameter(element: XmlElement, operation: string): InputField {
    const name = element.attribute('Name') ?? ''
    const path = `${operation}/${name}`
    const { type, nullable } = this.types.placed(element, element.attribute('Type'), path)
    const optional = this.csdl.annotation(element, path, 'Org.OData.Core.V1.OptionalParameter') !== undefined
    return { name, type, optional: optional || nullable, nullable, place: 'body', ...documented(this.csdl.documentation(element, path)), origin: element.origin }
  }

  private outcome(element: XmlElement, written: string | undefined, name: string): Outcome {
    const { origin } = element
    if (written === undefined) return { kind: 'nothing', origin }
    const { type, nullable } = this.types.placed(element, written, name)
    // Version 2 does not say whether it may be null, and version 4 says so for most.
    const field: Field = { name: 'value', type, optional: false, nullable: nullable && type.kind !== 'list' && this.csdl.isNew, origin }
    return { kind: 'value', field, origin }
  }

  private add(path: readonly string[], inputs: readonly InputField[], outcome: Outcome, documentation: string | undefined, origin: Origin, layout: OperationLayout): void {
    const given = this.free(path, inputs, origin, layout)
    this.found.push({ path: given, inputs, outcome, faults: [], wire: { [endpointName]: {} }, ...documented(documentation), origin, layout })
  }

  /** The path itself; an overload is told by its parameters, and what is called like one of our own operations gets a trailing `_`. */
  private free(path: readonly string[], inputs: readonly InputField[], origin: Origin, layout: OperationLayout): readonly string[] {
    const asMember = (candidate: readonly string[]): string => [...candidate.slice(0, -1), memberName(candidate.at(-1) ?? '')].join('.')
    const isFree = (candidate: readonly string[]): boolean => !this.taken.has(asMember(candidate))
    const take = (candidate: readonly string[]): readonly string[] => {
      this.taken.add(asMember(candidate))
      return candidate
    }
    if (isFree(path)) return take(path)
    const last = path.at(-1) ?? ''
    const own = ['list', 'get', 'count', 'create', 'update', 'replace', 'upsert', 'delete']
    if (layout.kind === 'invoke' && path.length > 1 && own.includes(memberName(last)) && isFree([...path.slice(0, -1), `${last}_`])) return take([...path.slice(0, -1), `${last}_`])
    const parameters = inputs.filter((each) => each.name !== 'key').map((each) => each.name)
    let candidate = [...path.slice(0, -1), `${last}${parameters.length === 0 ? 'Plain' : `By${parameters.map(pascalCase).join('And')}`}`]
    for (let count = 2; !isFree(candidate); count += 1) candidate = [...path.slice(0, -1), `${last}${count}`]
    this.notes.add('approximated', 'TM-2409', { name: path.join('.'), parameters: parameters.join(', ') || 'no parameters', given: candidate.join('.') }, origin)
    return take(candidate)
  }
}

function unbound(overloads: readonly Declared[]): Declared[] {
  return inOrder(overloads.filter(({ element }) => !isBound(element)))
}

/** Overloads in an order that does not depend on the document: by name and parameters. The first one keeps the plain name. */
function inOrder(overloads: readonly Declared[]): Declared[] {
  const key = ({ name, element }: Declared): string => [name, ...element.children.filter((child) => child.local === 'Parameter').map((child) => child.attributes.find(({ local }) => local === 'Name')?.value ?? '')].join(' ')
  return [...overloads].sort((a, b) => (key(a) < key(b) ? -1 : key(a) > key(b) ? 1 : 0))
}

function isBound(element: XmlElement): boolean {
  return element.attribute('IsBound') === 'true'
}

function text(origin: Origin, format: string): Type {
  return { kind: 'scalar', base: 'text', format, origin }
}

function input(name: string, type: Type, place: InputField['place'], documentation: string, origin: Origin, example?: unknown): InputField {
  return { name, type, optional: true, nullable: false, place, documentation, origin, ...(example === undefined ? {} : { example }) }
}

/** A key is the plain value, or an object when it has several properties. */
function keyInput(keys: readonly Field[], origin: Origin): InputField[] {
  const [only] = keys
  if (only === undefined) return []
  const fields = keys.map(({ name, type, documentation, origin: declared }): Field => ({ name, type, optional: false, nullable: false, ...documented(documentation), origin: declared }))
  const type: Type = keys.length === 1 ? only.type : { kind: 'record', fields, origin }
  const documentation = keys.length === 1 ? (only.documentation === undefined ? `The key: ${only.name}.` : `${only.name}: ${only.documentation}`) : 'The key.'
  return [{ name: 'key', type, optional: false, nullable: false, place: 'path', documentation, origin }]
}

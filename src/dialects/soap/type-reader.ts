import type { Choice, Field, ListType, NamedType, Origin, RecordType, ReferenceType, ScalarType, Type, TypeId } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { FieldLayout, ListLayout, QualifiedName, RecordLayout } from './layout.js'
import { soapEncodings, wsdl, xsd } from './namespaces.js'
import type { Notes } from '../notes.js'
import { documentationOf, documented, keyOf, wantedAttribute } from './reading.js'
import type { Component, SchemaContext, SchemaSet } from './schema-set.js'
import { applyFacets, builtinType, readSimpleType, type SimpleType } from './simple-types.js'

/** A type or element that anonymous types inside it are named after. */
interface Owner {
  readonly id: TypeId
  readonly name: string
}

/** The content of a complex type while it is being read. */
interface Content {
  fields: Field[]
  choices: Choice[]
  /** Inside an alternative of a choice, where another choice would depend on the first. */
  inChoice: boolean
  open: boolean
  anyOrder: boolean
}

/** How often the particles around a declaration let it occur. */
interface Occurrence {
  readonly optional: boolean
  readonly repeated: boolean
}

const once: Occurrence = { optional: false, repeated: false }

/** What content models are made of. */
const particles = ['element', 'sequence', 'choice', 'all', 'group', 'any']

/** Turns the components of a schema set into contract types. */
export class TypeReader {
  readonly types: Record<TypeId, NamedType> = {}
  private readonly schemas: SchemaSet
  private readonly notes: Notes
  private readonly waiting: Component[] = []
  private readonly reading = new Set<TypeId>()
  private readonly extended = new Set<string>()

  constructor(schemas: SchemaSet) {
    this.schemas = schemas
    this.notes = schemas.notes
    for (const component of schemas.all('type')) this.collectBases(component.element, component.schema)
    for (const component of schemas.all('element')) this.collectBases(component.element, component.schema)
  }

  /** Reads every global type, also those that nothing refers to. */
  readAll(): void {
    for (const component of this.schemas.all('type')) this.readGlobalType(component)
    this.readWaiting()
  }

  /** Reads the types that were only referred to so far. */
  readWaiting(): void {
    for (let component = this.waiting.pop(); component !== undefined; component = this.waiting.pop()) this.readGlobalType(component)
  }

  /** The type that a QName names: a built-in one, or a reference to a global one. */
  typeNamed(name: QualifiedName, at: XmlElement): Type {
    const { origin } = at
    if (name[0] === xsd) {
      if (name[1] === 'anyType') {
        this.notes.add('approximated', 'TM-2218', { name: 'xs:anyType' }, origin)
        return { kind: 'fragment', origin }
      }
      const builtin = builtinType(name[1], at)
      if (builtin === undefined) throw problem('TM-2201', { kind: 'type', reference: `xs:${name[1]}`, nearest: 'XML Schema has no built-in type of that name.' }, { place: origin })
      return builtin
    }
    if (soapEncodings.includes(name[0])) {
      const builtin = builtinType(name[1] === 'base64' ? 'base64Binary' : name[1], at)
      if (builtin !== undefined) return builtin
      if (name[1] === 'Array') return this.encodedList({ kind: 'fragment', origin }, origin)
      this.notes.add('approximated', 'TM-2213', { what: `The encoded type "${name[1]}"`, reason: 'it is none of those that SOAP encoding is used with' }, origin)
      return { kind: 'fragment', origin }
    }
    const component = this.schemas.require('type', name, at)
    // Complex types are read later: schemas have chains of types longer than a stack is deep.
    if (component.element.local === 'simpleType') this.readGlobalType(component)
    else this.waiting.push(component)
    return this.referTo(keyOf(name), at)
  }

  /** The type of a global element, as `element=` of a message part and `ref=` mean it. */
  elementType(component: Component): Type {
    const { element, name } = component
    return this.declaredType(element, component.schema, { id: `${keyOf(name)}#element`, name: name[1] }, 'own')
  }

  /**
   * The content of a global element whose type is a plain record: the parts inside a document/literal wrapper, or undefined when
   * its type is anything else. The record itself is not kept as a type unless it is a named one.
   */
  wrapperContent(component: Component): { readonly fields: Field[]; readonly choices: readonly Choice[] } | undefined {
    const { element, schema } = component
    const named = element.attribute('type')
    const owner = { id: `${keyOf(component.name)}#element`, name: component.name[1] }
    let definition = element.takeOne(xsd, 'complexType')
    let context = schema
    if (named !== undefined) {
      const found = this.schemas.find('type', this.schemas.resolve(named, element, schema))
      if (found?.element.local !== 'complexType') return undefined
      definition = found.element
      context = found.schema
    }
    if (definition === undefined) return undefined
    documentationOf(element)
    element.attribute('nillable')
    const record = this.readRecord(definition, context, owner)
    const plain = record.base === undefined && record.open !== true && record.abstract !== true && record.fields.every((field) => (field.layout as FieldLayout).place === 'element')
    return plain ? { fields: [...record.fields], choices: record.choices ?? [] } : undefined
  }

  private readGlobalType(component: Component): void {
    const id = keyOf(component.name)
    if (id in this.types) return
    const { element, schema } = component
    const name = component.name[1]
    if (element.local === 'simpleType') {
      if (this.reading.has(id)) throw problem('TM-2216', { name }, { place: element.origin })
      this.reading.add(id)
      const type = readSimpleType(element, name, this.notes, (reference, at) => this.simpleType(reference, at, schema, { id, name }))
      this.reading.delete(id)
      this.types[id] = { ...type, id, name }
      return
    }
    if (this.reading.has(id)) return
    this.reading.add(id)
    this.types[id] = { ...this.readComplexType(element, schema, { id, name }), id, name }
    this.reading.delete(id)
  }

  private readComplexType(element: XmlElement, schema: SchemaContext, owner: Owner): RecordType | ListType {
    const encoded = this.encodedArray(element, schema, owner)
    if (encoded !== undefined) return encoded
    const isList = this.isArrayWrapper(element, schema, owner.id)
    const record = this.readRecord(element, schema, owner)
    const field = record.fields[0]
    if (!isList || field?.type.kind !== 'list') return record
    const { name } = field.layout as FieldLayout
    const { documentation, origin } = record
    return { ...field.type, ...(documentation === undefined ? {} : { documentation }), origin, layout: { written: 'items', item: name } satisfies ListLayout }
  }

  /**
   * An array of SOAP encoding (SOAP 1.1, section 5.4.2; WSDL 1.1, section 2.2): a restriction of soapenc:Array whose items are told by
   * wsdl:arrayType, or by the one element in it.
   */
  private encodedArray(element: XmlElement, schema: SchemaContext, owner: Owner): ListType | undefined {
    const restriction = element.children.find((child) => child.is(xsd, 'complexContent'))?.children.find((child) => child.is(xsd, 'restriction') || child.is(xsd, 'extension'))
    const base = restriction?.attributes.find((attribute) => attribute.local === 'base')?.value
    if (restriction === undefined || base === undefined) return undefined
    const [namespace, local] = this.schemas.resolve(base, restriction, schema)
    if (!soapEncodings.includes(namespace) || local !== 'Array') return undefined
    const documentation = documented(element)
    element.readWhole()
    const find = (within: XmlElement, accept: (each: XmlElement) => boolean): XmlElement | undefined => (accept(within) ? within : within.children.map((child) => find(child, accept)).find((found) => found !== undefined))
    const typed = find(restriction, (each) => each.attributes.some((attribute) => attribute.local === 'arrayType' && attribute.namespace === wsdl))
    const item = find(restriction, (each) => each.is(xsd, 'element'))
    const [, name = '', dimensions = ''] = /^([^[]*)(.*)$/.exec(typed?.attribute('arrayType', wsdl) ?? '') ?? []
    const type: Type =
      typed !== undefined && name !== '' ? this.typeNamed(this.schemas.resolve(name, typed, schema), typed) : item === undefined ? { kind: 'fragment', origin: element.origin } : this.readElementField(item, schema, owner, once, 1, 1).type
    if (/,/.test(dimensions)) this.notes.add('approximated', 'TM-2213', { what: `The array "${owner.name}" of several dimensions`, reason: 'its items are read one after the other' }, element.origin)
    // `T[][]` is an array of arrays.
    const depth = (dimensions.match(/\[/g) ?? ['[']).length
    let list = this.encodedList(type, element.origin)
    for (let at = 1; at < depth; at += 1) list = this.encodedList(list, element.origin)
    return { ...list, ...documentation }
  }

  private encodedList(item: Type, origin: Origin): ListType {
    return { kind: 'list', item, itemNullable: true, origin, layout: { written: 'items', item: ['', 'item'], encoded: true } satisfies ListLayout }
  }

  /** Reads a complexType definition (XML Schema part 1, section 3.4) as a record. */
  private readRecord(element: XmlElement, schema: SchemaContext, owner: Owner): RecordType {
    element.read = true
    const documentation = documented(element)
    const abstract = isTrue(element.attribute('abstract'))
    for (const attribute of ['id', 'block', 'final']) element.attribute(attribute)
    if (isTrue(element.attribute('mixed'))) this.notes.add('approximated', 'TM-2208', { name: owner.name }, element.origin)
    const typeName: { typeName?: QualifiedName } = element.attribute('name') === undefined ? {} : { typeName: [schema.namespace, owner.name] }
    const content: Content = { fields: [], choices: [], inChoice: false, open: false, anyOrder: false }

    let base: ReferenceType | undefined
    const complexContent = element.takeOne(xsd, 'complexContent')
    const simpleContent = element.takeOne(xsd, 'simpleContent')
    const holder = complexContent ?? simpleContent
    if (holder !== undefined) {
      documentationOf(holder)
      if (isTrue(holder.attribute('mixed'))) this.notes.add('approximated', 'TM-2208', { name: owner.name }, holder.origin)
      const extension = holder.takeOne(xsd, 'extension')
      const restriction = holder.takeOne(xsd, 'restriction')
      const derivation = extension ?? restriction
      if (derivation === undefined) throw problem('TM-2104', { what: `<${holder.name}> of "${owner.name}"`, attribute: 'extension or restriction' }, { place: holder.origin })
      documentationOf(derivation)
      const baseName = this.schemas.resolve(wantedAttribute(derivation, 'base'), derivation, schema)
      if (complexContent !== undefined && extension !== undefined) base = this.baseOf(baseName, derivation, owner, content)
      else if (complexContent !== undefined) {
        if (soapEncodings.includes(baseName[0])) {
          this.notes.add('refused', 'TM-2213', { what: `The encoded type "${owner.name}"`, reason: 'it restricts what is no array' }, element.origin)
          derivation.readWhole()
          content.open = true
        } else if (baseName[0] !== xsd) this.notes.add('approximated', 'TM-2215', { name: owner.name }, element.origin)
      } else base = this.simpleContentBase(baseName, derivation, restriction !== undefined, schema, owner, content)
      this.readContent(derivation, schema, owner, content)
    } else this.readContent(element, schema, owner, content)

    const layout: RecordLayout = { ...typeName, ...(content.anyOrder ? { anyOrder: true as const } : {}) }
    return {
      kind: 'record',
      fields: distinctNames(content.fields, (field) => this.notes.add('approximated', 'TM-2206', {}, field.origin)),
      ...(content.choices.length === 0 ? {} : { choices: content.choices }),
      ...(base === undefined ? {} : { base }),
      ...(abstract ? { abstract } : {}),
      ...(content.open ? { open: true } : {}),
      ...documentation,
      origin: element.origin,
      layout,
    }
  }

  private baseOf(name: QualifiedName, at: XmlElement, owner: Owner, content: Content): ReferenceType | undefined {
    const type = this.typeNamed(name, at)
    const base = type.kind === 'reference' ? this.schemas.find('type', name) : undefined
    if (base !== undefined) this.readGlobalType(base)
    if (type.kind === 'fragment') {
      content.open = true
      return undefined
    }
    if (type.kind !== 'reference') throw problem('TM-2201', { kind: 'complex type', reference: keyOf(name), nearest: 'It is a simple type, which complex content can\'t extend.' }, { place: at.origin })
    for (let id: TypeId | undefined = type.to; id !== undefined; ) {
      if (id === owner.id) throw problem('TM-2216', { name: owner.name }, { place: at.origin })
      const named: NamedType | undefined = this.types[id]
      id = named?.kind === 'record' ? named.base?.to : undefined
    }
    // A type still being read would only show up here if it extended itself in a longer circle.
    if (this.types[type.to] === undefined) throw problem('TM-2216', { name: owner.name }, { place: at.origin })
    return type
  }

  /** Simple content: the text becomes the member `$text`, unless the base has it already (section 3.4.2). */
  private simpleContentBase(name: QualifiedName, derivation: XmlElement, restricts: boolean, schema: SchemaContext, owner: Owner, content: Content): ReferenceType | undefined {
    const component = name[0] === xsd ? undefined : this.schemas.require('type', name, derivation)
    if (component?.element.local === 'complexType') {
      const base = this.baseOf(name, derivation, owner, content)
      if (restricts) {
        this.notes.add('approximated', 'TM-2213', { what: `The restriction in "${owner.name}"`, reason: 'the text is checked by the rules of the base alone' }, derivation.origin)
        for (const facet of derivation.children) if (!facet.local.startsWith('attribute')) facet.readWhole()
      }
      return base
    }
    const base = this.simpleType(derivation.attribute('base'), derivation, schema, owner)
    const type = restricts ? applyFacets(base, derivation, owner.name, this.notes) : this.typeNamed(name, derivation)
    const layout: FieldLayout = { place: 'text', name: ['', ''] }
    content.fields.push({ name: '$text', type: type.kind === 'enumeration' ? this.keepAnonymous(type, owner, 'Text') : type, optional: false, nullable: false, origin: derivation.origin, layout })
    return undefined
  }

  private readContent(parent: XmlElement, schema: SchemaContext, owner: Owner, content: Content): void {
    for (const local of ['sequence', 'choice', 'all', 'group']) for (const group of parent.take(xsd, local)) this.readParticle(group, schema, owner, content, once)
    this.readAttributes(parent, schema, owner, content)
  }

  private readParticle(particle: XmlElement, schema: SchemaContext, owner: Owner, content: Content, around: Occurrence): void {
    particle.read = true
    particle.attribute('id')
    const { optional, repeated, minimum, maximum } = occurrence(particle)
    if (maximum === 0) {
      particle.readWhole()
      return
    }
    const within: Occurrence = { optional: around.optional || optional, repeated: around.repeated || repeated }
    if (particle.is(xsd, 'element')) {
      const field = this.readElementField(particle, schema, owner, within, minimum, maximum)
      const substitutes = particle.attribute('ref') === undefined ? [] : this.substitutesOf((field.layout as FieldLayout).name)
      if (substitutes.length === 0) content.fields.push(field)
      else this.readSubstitutes(particle, field, substitutes, content, within)
      return
    }
    if (particle.is(xsd, 'any')) {
      documentationOf(particle)
      for (const attribute of ['namespace', 'processContents']) particle.attribute(attribute)
      this.notes.add('approximated', 'TM-2207', { element: particle.name }, particle.origin)
      content.open = true
      return
    }
    documentationOf(particle)
    if (repeated) this.notes.add('approximated', 'TM-2206', {}, particle.origin)
    if (particle.is(xsd, 'choice')) this.readChoice(particle, schema, owner, content, within)
    else if (particle.is(xsd, 'all')) {
      content.anyOrder = true
      this.readParticles(particle, schema, owner, content, within)
    } else if (particle.is(xsd, 'group')) {
      const group = this.schemas.require('group', this.schemas.resolve(wantedAttribute(particle, 'ref'), particle, schema), particle)
      this.expand(group, 'group', () => {
        documentationOf(group.element)
        this.readParticles(group.element, group.schema, owner, content, within)
      })
    } else this.readParticles(particle, schema, owner, content, within)
  }

  /** The elements that can take the place of a global one, directly or through others (XML Schema part 1, section 3.3.2). */
  private substitutesOf(head: QualifiedName, within: readonly string[] = []): Component[] {
    if (this.substitutes === undefined) {
      this.substitutes = new Map()
      for (const component of this.schemas.all('element')) {
        const written = component.element.attributes.find((each) => each.local === 'substitutionGroup')?.value
        if (written === undefined) continue
        const key = keyOf(this.schemas.resolve(written, component.element, component.schema))
        this.substitutes.set(key, [...(this.substitutes.get(key) ?? []), component])
      }
    }
    const key = keyOf(head)
    const direct = within.includes(key) ? [] : (this.substitutes.get(key) ?? [])
    return direct.flatMap((component) => [...(isTrue(component.element.attributes.find((each) => each.local === 'abstract')?.value) ? [] : [component]), ...this.substitutesOf(component.name, [...within, key])])
  }
  private substitutes: Map<string, Component[]> | undefined

  /** The head of a substitution group and what can take its place: a choice between them. */
  private readSubstitutes(particle: XmlElement, head: Field, substitutes: readonly Component[], content: Content, within: Occurrence): void {
    const isAbstract = isTrue(this.schemas.find('element', (head.layout as FieldLayout).name)?.element.attribute('abstract'))
    const others = substitutes.map((component): Field => {
      component.element.read = true
      const item = this.elementType(component)
      const isNullable = isTrue(component.element.attribute('nillable'))
      const type: Type = within.repeated && head.type.kind === 'list' ? { ...head.type, item, minItems: 0, ...(isNullable ? { itemNullable: true } : {}) } : item
      const documentation = documentationOf(component.element)
      return { name: component.name[1], type, optional: true, nullable: isNullable && !within.repeated, ...(documentation === undefined ? {} : { documentation }), origin: component.element.origin, layout: { ...(head.layout as FieldLayout), name: component.name } satisfies FieldLayout }
    })
    const own: Field = { ...head, optional: true, type: head.type.kind === 'list' && within.repeated ? { ...head.type, minItems: 0 } : head.type }
    const fields = [...(isAbstract ? [] : [own]), ...others]
    content.fields.push(...fields)
    if (within.repeated) this.notes.add('approximated', 'TM-2206', {}, particle.origin)
    else if (content.inChoice) this.notes.add('approximated', 'TM-2205', {}, particle.origin)
    else content.choices.push({ alternatives: fields.map(({ name }) => ({ fields: [name], required: [name] })), ...(within.optional ? { optional: true as const } : {}) })
  }

  /** A choice: its alternatives as groups of fields that exclude each other (XML Schema part 1, section 3.8). */
  private readChoice(particle: XmlElement, schema: SchemaContext, owner: Owner, content: Content, within: Occurrence): void {
    if (within.repeated || content.inChoice) {
      if (!within.repeated) this.notes.add('approximated', 'TM-2205', {}, particle.origin)
      this.readParticles(particle, schema, owner, content, { ...within, optional: true })
      return
    }
    const start = content.fields.length
    const wasOpen = content.open
    content.inChoice = true
    const alternatives: { fields: string[]; required: string[] }[] = []
    let isOptional = within.optional
    for (const child of particle.children) {
      if (child.namespace !== xsd || !particles.includes(child.local)) continue
      const before = content.fields.length
      this.readParticle(child, schema, owner, content, once)
      const added = content.fields.splice(before)
      const required = added.filter((field) => !field.optional && !(field.type.kind === 'list' && (field.layout as FieldLayout).repeated === true && field.type.minItems === undefined)).map((field) => field.name)
      if (required.length === 0) isOptional = true
      for (const field of added) {
        // An element that stands in several alternatives is one field.
        const twin = content.fields.slice(start).some((each) => each.name === field.name && sameShape(each.type, field.type))
        if (!twin) content.fields.push({ ...field, optional: true })
      }
      if (added.length > 0) alternatives.push({ fields: [...new Set(added.map((field) => field.name))], required: [...new Set(required)] })
    }
    content.inChoice = false
    // Elements that are open stand beside the fields.
    if (content.open && !wasOpen) isOptional = true
    if (alternatives.length > 1 || (alternatives.length === 1 && !isOptional)) content.choices.push({ alternatives, ...(isOptional ? { optional: true as const } : {}) })
  }

  private readParticles(parent: XmlElement, schema: SchemaContext, owner: Owner, content: Content, within: Occurrence): void {
    for (const child of parent.children) {
      if (child.namespace === xsd && particles.includes(child.local)) this.readParticle(child, schema, owner, content, within)
    }
  }

  private readElementField(element: XmlElement, schema: SchemaContext, owner: Owner, within: Occurrence, minimum: number, maximum: number | undefined): Field {
    const reference = element.attribute('ref')
    let name: QualifiedName
    let type: Type
    let declaration = element
    if (reference !== undefined) {
      const component = this.schemas.require('element', this.schemas.resolve(reference, element, schema), element)
      name = component.name
      type = this.elementType(component)
      declaration = component.element
    } else {
      const local = wantedAttribute(element, 'name')
      const form = element.attribute('form')
      const qualified = form === undefined ? schema.qualifiedElements : form === 'qualified'
      name = [qualified ? schema.namespace : '', local]
      type = this.declaredType(element, schema, { id: `${owner.id}/${local}`, name: owner.name }, local)
    }
    for (const attribute of ['block', 'final', 'abstract']) declaration.attribute(attribute)
    const nullable = isTrue(declaration.attribute('nillable'))
    const documentation = documentationOf(element) ?? documentationOf(declaration)
    const preset = presets(declaration)
    this.noteIdentityConstraints(declaration)
    const layout: FieldLayout = { place: 'element', name, ...(within.repeated ? { repeated: true as const } : {}) }
    const fieldType: Type = within.repeated
      ? {
          kind: 'list',
          item: type,
          ...(nullable ? { itemNullable: true } : {}),
          ...(minimum > 0 && !within.optional ? { minItems: minimum } : {}),
          ...(maximum === undefined ? {} : { maxItems: maximum }),
          origin: element.origin,
          layout: { written: 'repeated' } satisfies ListLayout,
        }
      : type
    return {
      name: name[1],
      type: fieldType,
      optional: within.optional,
      nullable: nullable && !within.repeated,
      ...(documentation === undefined ? {} : { documentation }),
      ...preset,
      origin: element.origin,
      layout,
    }
  }

  private readAttributes(parent: XmlElement, schema: SchemaContext, owner: Owner, content: Content): void {
    for (const attribute of parent.take(xsd, 'attribute')) {
      const field = this.readAttributeField(attribute, schema, owner)
      if (field !== undefined) content.fields.push(field)
    }
    for (const reference of parent.take(xsd, 'attributeGroup')) {
      const group = this.schemas.require('attributeGroup', this.schemas.resolve(wantedAttribute(reference, 'ref'), reference, schema), reference)
      documentationOf(group.element)
      this.expand(group, 'attribute group', () => this.readAttributes(group.element, group.schema, owner, content))
    }
    for (const any of parent.take(xsd, 'anyAttribute')) {
      documentationOf(any)
      for (const attribute of ['namespace', 'processContents']) any.attribute(attribute)
      this.notes.add('approximated', 'TM-2207', { element: any.name }, any.origin)
      content.open = true
    }
  }

  private readAttributeField(attribute: XmlElement, schema: SchemaContext, owner: Owner): Field | undefined {
    const use = attribute.attribute('use')
    attribute.attribute('id')
    const documentation = documented(attribute)
    if (use === 'prohibited') {
      attribute.readWhole()
      return undefined
    }
    const reference = attribute.attribute('ref')
    let name: QualifiedName
    let declaration = attribute
    let context = schema
    if (reference !== undefined) {
      name = this.schemas.resolve(reference, attribute, schema)
      if (name[0] === 'http://www.w3.org/XML/1998/namespace') {
        const text: ScalarType = { kind: 'scalar', base: 'text', format: 'xs:string', origin: attribute.origin }
        return { name: name[1], type: text, optional: use !== 'required', nullable: false, ...documentation, origin: attribute.origin, layout: { place: 'attribute', name } satisfies FieldLayout }
      }
      const component = this.schemas.require('attribute', name, attribute)
      declaration = component.element
      context = component.schema
    } else {
      const form = attribute.attribute('form')
      const qualified = form === undefined ? schema.qualifiedAttributes : form === 'qualified'
      name = [qualified ? schema.namespace : '', wantedAttribute(attribute, 'name')]
    }
    const type = this.attributeType(declaration, context, owner, name[1])
    return {
      name: name[1],
      type,
      optional: use !== 'required',
      nullable: false,
      ...documentation,
      ...presets(declaration),
      ...presets(attribute),
      origin: attribute.origin,
      layout: { place: 'attribute', name } satisfies FieldLayout,
    }
  }

  private attributeType(declaration: XmlElement, schema: SchemaContext, owner: Owner, local: string): Type {
    const named = declaration.attribute('type')
    if (named !== undefined) return this.typeNamed(this.schemas.resolve(named, declaration, schema), declaration)
    const inside = declaration.takeOne(xsd, 'simpleType')
    if (inside === undefined) return { kind: 'scalar', base: 'text', format: 'xs:anySimpleType', origin: declaration.origin }
    return this.anonymousSimple(inside, schema, { id: `${owner.id}/@${local}`, name: owner.name }, local)
  }

  /** The type of an element declaration: named, anonymous inside it, or anything. */
  private declaredType(element: XmlElement, schema: SchemaContext, owner: Owner, local: string): Type {
    documentationOf(element)
    element.attribute('id')
    this.noteIdentityConstraints(element)
    const head = element.attribute('substitutionGroup')
    for (const attribute of ['nillable', 'abstract', 'block', 'final', 'default', 'fixed']) element.attribute(attribute)
    const named = element.attribute('type')
    if (named !== undefined) return this.typeNamed(this.schemas.resolve(named, element, schema), element)
    const simple = element.takeOne(xsd, 'simpleType')
    if (simple !== undefined) return this.anonymousSimple(simple, schema, owner, local)
    const complex = element.takeOne(xsd, 'complexType')
    if (complex !== undefined) {
      const name = local === 'own' ? owner.name : owner.name + capitalised(local)
      if (!(owner.id in this.types) && !this.reading.has(owner.id)) {
        this.reading.add(owner.id)
        this.types[owner.id] = { ...this.readComplexType(complex, schema, { id: owner.id, name }), id: owner.id, name }
        this.reading.delete(owner.id)
      }
      return this.referTo(owner.id, element)
    }
    if (head !== undefined) return this.elementType(this.schemas.require('element', this.schemas.resolve(head, element, schema), element))
    this.notes.add('approximated', 'TM-2218', { name: 'xs:anyType' }, element.origin)
    return { kind: 'fragment', origin: element.origin }
  }

  private anonymousSimple(element: XmlElement, schema: SchemaContext, owner: Owner, local: string): Type {
    const type = readSimpleType(element, owner.name, this.notes, (reference, at) => this.simpleType(reference, at, schema, owner))
    return type.kind === 'enumeration' ? this.keepAnonymous(type, owner, local === 'own' ? '' : local) : type
  }

  private keepAnonymous(type: SimpleType, owner: Owner, local: string): ReferenceType {
    const id = local === 'Text' ? `${owner.id}/$text` : owner.id
    this.types[id] ??= { ...type, id, name: owner.name + capitalised(local) }
    return { kind: 'reference', to: id, origin: type.origin }
  }

  /** The simple type that is named, or stands inside `at`, resolved to the end. */
  private simpleType(reference: string | undefined, at: XmlElement, schema: SchemaContext, owner: Owner): SimpleType {
    if (reference === undefined) {
      const inside = at.takeOne(xsd, 'simpleType')
      if (inside === undefined) throw problem('TM-2104', { what: `<${at.name}>`, attribute: 'base' }, { place: at.origin })
      return readSimpleType(inside, owner.name, this.notes, (name, where) => this.simpleType(name, where, schema, owner))
    }
    const type = this.typeNamed(this.schemas.resolve(reference, at, schema), at)
    const found = type.kind === 'reference' ? this.types[type.to] : type
    if (found?.kind === 'scalar' || found?.kind === 'enumeration' || found?.kind === 'list') {
      if (found.kind !== 'list' || (found.layout as ListLayout).written === 'spaced') return withoutName(found)
    }
    throw problem('TM-2201', { kind: 'simple type', reference, nearest: 'The type of that name is complex.' }, { place: at.origin })
  }

  private referTo(id: TypeId, at: XmlElement): ReferenceType {
    return { kind: 'reference', to: id, origin: at.origin }
  }

  /** Group definitions that contain themselves would never end. */
  private expand(component: Component, kind: string, read: () => void): void {
    const id = `${kind} ${keyOf(component.name)}`
    if (this.reading.has(id)) throw problem('TM-2216', { name: component.name[1] }, { place: component.element.origin })
    this.reading.add(id)
    read()
    this.reading.delete(id)
  }

  private noteIdentityConstraints(element: XmlElement): void {
    for (const local of ['key', 'keyref', 'unique']) {
      for (const constraint of element.take(xsd, local)) {
        this.notes.add('ignored', 'TM-2214', { name: constraint.attribute('name') ?? '', element: local }, constraint.origin)
        constraint.readWhole()
      }
    }
  }

  /**
   * Is the type nothing but a wrapper around one repeated element, so that it is shown as a list? Types that others extend are
   * not, nor wrappers of wrappers: a list would hide what makes them different.
   */
  private isArrayWrapper(element: XmlElement, schema: SchemaContext, id: string): boolean {
    if (this.extended.has(id)) return false
    const item = soleRepeatedElement(element)
    const itemType = item?.attributes.find((attribute) => attribute.local === 'type' && attribute.namespace === '')?.value
    if (item === undefined) return false
    const inner = itemType === undefined ? item.children.find((child) => child.is(xsd, 'complexType')) : this.schemas.find('type', this.schemas.resolve(itemType, item, schema))?.element
    return inner === undefined || soleRepeatedElement(inner) === undefined
  }

  private collectBases(element: XmlElement, schema: SchemaContext): void {
    for (const child of element.children) {
      const base = child.is(xsd, 'extension') || child.is(xsd, 'restriction') ? child.attributes.find((attribute) => attribute.local === 'base')?.value : undefined
      if (base !== undefined) this.extended.add(keyOf(this.schemas.resolve(base, child, schema)))
      this.collectBases(child, schema)
    }
  }
}

function soleRepeatedElement(type: XmlElement): XmlElement | undefined {
  if (type.local !== 'complexType' || type.attributes.some((attribute) => (attribute.local === 'mixed' || attribute.local === 'abstract') && isTrue(attribute.value))) return undefined
  const content = type.children.filter((child) => !child.is(xsd, 'annotation'))
  const [sequence] = content
  if (sequence === undefined || content.length !== 1 || !sequence.is(xsd, 'sequence')) return undefined
  const particles = sequence.children.filter((child) => !child.is(xsd, 'annotation'))
  const [item] = particles
  const plainSequence = sequence.attributes.every((attribute) => (attribute.local !== 'maxOccurs' && attribute.local !== 'minOccurs') || attribute.value === '1')
  const repeated = item?.attributes.some((attribute) => attribute.local === 'maxOccurs' && attribute.value !== '1' && attribute.value !== '0')
  return particles.length === 1 && plainSequence && repeated === true && item?.is(xsd, 'element') === true ? item : undefined
}

function occurrence(particle: XmlElement): Occurrence & { minimum: number; maximum: number | undefined } {
  const minimum = Number(particle.attribute('minOccurs') ?? '1')
  const most = particle.attribute('maxOccurs') ?? '1'
  const maximum = most === 'unbounded' ? undefined : Number(most)
  return { optional: minimum === 0, repeated: maximum === undefined || maximum > 1, minimum, maximum }
}

function presets(declaration: XmlElement): { default?: string; fixed?: string } {
  const preset = declaration.attribute('default')
  const fixed = declaration.attribute('fixed')
  return { ...(preset === undefined ? {} : { default: preset }), ...(fixed === undefined ? {} : { fixed }) }
}

/** Members of one name: elements that occur at several places become one list; an attribute yields its name to an element. */
function distinctNames(fields: readonly Field[], onMerged: (field: Field) => void): Field[] {
  const found = new Map<string, Field>()
  for (const field of fields) {
    const existing = found.get(field.name)
    if (existing === undefined) found.set(field.name, field)
    else if ((field.layout as FieldLayout).place !== (existing.layout as FieldLayout).place) {
      const name = `${field.name}_`
      found.set(name, { ...field, name })
    } else {
      onMerged(field)
      if ((existing.layout as FieldLayout).repeated === true) continue
      const type: ListType = { kind: 'list', item: field.type, origin: existing.origin, layout: { written: 'repeated' } satisfies ListLayout }
      found.set(field.name, { ...existing, type, layout: { ...(existing.layout as FieldLayout), repeated: true } satisfies FieldLayout })
    }
  }
  return [...found.values()]
}

/** Do two types look alike, wherever they were declared? */
function sameShape(a: Type, b: Type): boolean {
  const text = (type: Type): string => JSON.stringify(type, (key, value: unknown) => (key === 'origin' || key === 'documentation' ? undefined : value))
  return text(a) === text(b)
}

function withoutName(type: SimpleType & Partial<NamedType>): SimpleType {
  const { id: _id, name: _name, ...rest } = type
  return rest as SimpleType
}

function capitalised(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1)
}

function isTrue(value: string | undefined): boolean {
  return value === 'true' || value === '1'
}

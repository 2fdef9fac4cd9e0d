import { special } from '../../contract/special-members.js'
import type {
  Choice,
  Field,
  ListType,
  MapType,
  NamedType,
  Origin,
  RecordType,
  ReferenceType,
  ScalarType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import { byName } from '../../contract/ordering.js'
import { filled, marked, present } from '../../contract/present.js'
import { problem } from '../../contract/problem.js'
import { withoutName } from '../../contract/queries.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import {
  inSequence,
  loose,
  nothing,
  ofField,
  oneOf,
  openField,
  optional,
  repeated,
  TooManyCombinations,
  type Content,
} from './content.js'
import { applyFacets } from './facets.js'
import {
  type FieldSpecifics,
  type ListSpecifics,
  type MapSpecifics,
  type OpenSpecifics,
  type QualifiedName,
  type RecordSpecifics,
  fieldSpecifics,
  recordSpecifics,
  listSpecifics,
} from './specifics.js'
import { attachmentsProfile, soapEncodings, wsdl, xmlNamespace, xsd } from './namespaces.js'
import { readableMember, withReadableNames } from './readable-names.js'
import { documentationOf, documented, keyOf, wantedAttribute } from './reading.js'
import {
  capitalised,
  isDataSet,
  isRedefined,
  isTrue,
  occurrence,
  presets,
  soleRepeatedElement,
} from './recognising.js'
import { redefined, type Component, type SchemaContext, type SchemaSet } from './schema-set.js'
import { builtinType, readSimpleType, type SimpleType } from './simple-types.js'
import { namespacesOf, openExample } from './wildcards.js'

/** A type or element that anonymous types inside it are named after. */
interface Owner {
  readonly id: TypeId
  readonly name: string
}

/** What a complex type is made of, while it is being read. */
interface Draft {
  readonly content: Content
  readonly attributes: readonly Field[]
  /** Attributes that nobody declared may be there. */
  readonly openAttributes: boolean
  readonly base: ReferenceType | undefined
  readonly restricts: boolean
}

/** What content models are made of. */
const particles = ['element', 'sequence', 'choice', 'all', 'group', 'any']

/** So many definitions can rest on each other, and so many groups can stand in one. */
const mostInside = 500

/** Turns the components of a schema set into contract types. */
export class TypeReader {
  readonly types: Record<TypeId, NamedType> = {}
  private readonly schemas: SchemaSet
  private readonly notes: Notes
  private readonly broken: BrokenParts
  private readonly waiting: Component[] = []
  private readonly reading = new Set<TypeId>()
  private readonly extended = new Set<string>()
  /** Types that are the wrappers of messages. */
  private readonly wrappers = new Set<TypeId>()
  private readonly groups = new Map<XmlElement, TypeId>()
  private readonly groupCounts = new Map<TypeId, number>()
  private substitutes: Map<string, Component[]> | undefined
  private expanding = 0
  private expanded = 0

  constructor(schemas: SchemaSet) {
    this.schemas = schemas
    this.notes = schemas.notes
    this.broken = schemas.broken
    for (const { element, schema } of [...schemas.all('type'), ...schemas.all('element')])
      // What is wrong with a base is told where its type is read.
      this.broken.attempt(
        () => this.collectBases(element, schema),
        () => undefined,
      )
  }

  /** Reads every global type, also those that nothing refers to. */
  readAll(): void {
    for (const component of this.schemas.all('type')) this.readGlobalType(component)
    this.readWaiting()
  }

  /** The types that were read, with names that people can read, sorted by their ids. */
  finished(): Record<TypeId, NamedType> {
    for (const id of this.wrappers) {
      const type = this.types[id]
      if (type?.kind === 'record') this.types[id] = { ...type, wrapper: true }
    }
    const types = Object.entries(this.types).filter(([id]) => !id.endsWith(redefined))
    return withReadableNames(Object.fromEntries(byName(types)))
  }

  /** Reads the types that were only referred to so far. */
  readWaiting(): void {
    for (
      let component = this.waiting.pop();
      component !== undefined;
      component = this.waiting.pop()
    )
      this.readGlobalType(component)
  }

  /** The type that a QName names: a built-in one, or a reference to a global one. */
  typeNamed(name: QualifiedName, at: XmlElement): Type {
    const { origin } = at
    if (name[0] === xsd) {
      if (name[1] === 'anyType') {
        return { kind: 'fragment', mayBeRecord: true }
      }
      const builtin = builtinType(name[1], at)
      if (builtin === undefined)
        throw problem(
          'TM-2201',
          {
            kind: 'type',
            reference: `xs:${name[1]}`,
            nearest: 'XML Schema has no built-in type of that name.',
          },
          { place: at.place },
        )
      return builtin
    }
    if (name[0] === attachmentsProfile && name[1] === 'swaRef')
      return { kind: 'scalar', base: 'bytes', format: 'xs:swaRef' }
    if (soapEncodings.includes(name[0])) {
      const builtin = builtinType(name[1] === 'base64' ? 'base64Binary' : name[1], at)
      if (builtin !== undefined) return builtin
      if (name[1] === 'Array')
        return this.encodedList({ kind: 'fragment', mayBeRecord: true }, origin)
      this.notes.add(
        'approximated',
        'TM-2213',
        {
          what: `The encoded type "${name[1]}"`,
          reason: 'it is none of those that SOAP encoding is used with',
        },
        origin,
      )
      return { kind: 'fragment' }
    }
    const component = this.schemas.require('type', name, at)
    // Complex types are read later: schemas have chains of types longer than a stack is deep.
    if (component.element.local === 'simpleType') this.readGlobalType(component)
    else this.waiting.push(component)
    return { kind: 'reference', to: keyOf(name) }
  }

  /** The type of a global element, as `element=` of a message part and `ref=` mean it. */
  elementType(component: Component): Type {
    const { element, name } = component
    return this.declaredType(
      element,
      component.schema,
      { id: `${keyOf(name)}#element`, name: name[1] },
      'own',
    )
  }

  /**
   * The content of a global element whose type is a plain record: the parts inside a
   * document/literal wrapper, or undefined when its type is anything else. The record itself is not
   * kept as a type unless it is a named one.
   */
  wrapperContent(
    component: Component,
  ): { readonly fields: Field[]; readonly choices: readonly Choice[] } | undefined {
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
    const plain =
      record.base === undefined &&
      record.open !== true &&
      record.abstract !== true &&
      record.fields.every((field) => ['element', 'group'].includes(fieldSpecifics(field).place))
    if (!plain) return undefined
    if (named !== undefined) this.wrappers.add(keyOf(this.schemas.resolve(named, element, schema)))
    return { fields: [...record.fields], choices: record.choices ?? [] }
  }

  private readGlobalType(component: Component): void {
    const id = keyOf(component.name)
    if (id in this.types) return
    const { element, schema } = component
    const named = { id, name: component.name[1], origin: element.origin }
    if (this.reading.has(id) && element.local !== 'simpleType') return
    this.types[id] = this.broken.attempt(
      (): NamedType => ({ ...this.globalType(element, schema, named), ...named }),
      (reason) => {
        element.readWhole()
        this.broken.addType(id, named, reason)
        return { kind: 'record', fields: [], ...this.brokenBase(component), ...named }
      },
    )
  }

  /** What a broken type is a kind of, as far as that can be told. */
  private brokenBase({ element, schema }: Component): Pick<RecordType, 'base'> {
    const base = this.broken.attempt(
      () =>
        element.children
          .filter((child) => child.local.endsWith('Content'))
          .flatMap((holder) => holder.children)
          .map((child) => this.writtenBase(child, schema))
          .find((name) => name !== undefined),
      () => undefined,
    )
    const found = base && this.schemas.find('type', base)
    return found === undefined || found.element === element
      ? {}
      : { base: { kind: 'reference', to: keyOf(found.name) } }
  }

  private globalType(element: XmlElement, schema: SchemaContext, owner: Owner): Type {
    const { id, name } = owner
    if (this.reading.size > mostInside)
      throw problem('TM-2221', { name, limit: mostInside }, { place: element.place })
    if (this.reading.has(id)) throw problem('TM-2216', { name }, { place: element.place })
    return this.whileReading(id, () =>
      element.local === 'simpleType'
        ? readSimpleType(element, name, this.notes, (reference, at) =>
            this.simpleType(reference, at, schema, owner),
          )
        : this.readComplexType(element, schema, owner),
    )
  }

  /** Reads a type that nothing inside it may be read again for. */
  private whileReading<Result>(id: string, read: () => Result): Result {
    this.reading.add(id)
    try {
      return read()
    } finally {
      this.reading.delete(id)
    }
  }

  /** What is made of a broken type is broken for the same reason. */
  private requireSound(id: TypeId): void {
    const reason = this.broken.reasonOf(id)
    if (reason !== undefined) throw reason
  }

  private readComplexType(
    element: XmlElement,
    schema: SchemaContext,
    owner: Owner,
  ): RecordType | ListType | MapType {
    if (isDataSet(element)) {
      const documentation = documented(element)
      element.readWhole()
      return {
        kind: 'map',
        value: {
          kind: 'list',
          item: { kind: 'map', value: { kind: 'anything' } },
        },
        ...documentation,
        specifics: { written: 'dataSet' } satisfies MapSpecifics,
      }
    }
    const encoded = this.encodedArray(element, schema, owner)
    if (encoded !== undefined) return encoded
    const isList = this.isArrayWrapper(element, schema, owner.id)
    const record = this.readRecord(element, schema, owner)
    const field = record.fields[0]
    if (!isList || field?.type.kind !== 'list' || fieldSpecifics(field).place === 'group')
      return record
    const { name } = fieldSpecifics(field)
    const { documentation } = record
    return {
      ...field.type,
      ...present({ documentation }),
      specifics: { written: 'items', item: name } satisfies ListSpecifics,
    }
  }

  /**
   * An array of SOAP encoding (SOAP 1.1, section 5.4.2; WSDL 1.1, section 2.2): a restriction of
   * soapenc:Array whose items are told by wsdl:arrayType, or by the one element in it.
   */
  private encodedArray(
    element: XmlElement,
    schema: SchemaContext,
    owner: Owner,
  ): ListType | undefined {
    const restriction = element.children
      .find((child) => child.is(xsd, 'complexContent'))
      ?.children.find((child) => child.is(xsd, 'restriction') || child.is(xsd, 'extension'))
    const base = restriction?.attributes.find((attribute) => attribute.local === 'base')?.value
    if (restriction === undefined || base === undefined) return undefined
    const [namespace, local] = this.schemas.resolve(base, restriction, schema)
    if (!soapEncodings.includes(namespace) || local !== 'Array') return undefined
    const documentation = documented(element)
    element.readWhole()
    const find = (
      within: XmlElement,
      accept: (each: XmlElement) => boolean,
    ): XmlElement | undefined =>
      accept(within)
        ? within
        : within.children.map((child) => find(child, accept)).find((found) => found !== undefined)
    const typed = find(restriction, (each) =>
      each.attributes.some(
        (attribute) => attribute.local === 'arrayType' && attribute.namespace === wsdl,
      ),
    )
    const item = find(restriction, (each) => each.is(xsd, 'element'))
    const [, name = '', dimensions = ''] =
      /^([^[]*)(.*)$/.exec(typed?.attribute('arrayType', wsdl) ?? '') ?? []
    const inside = (): Type =>
      item === undefined
        ? { kind: 'fragment', mayBeRecord: true }
        : this.readElementField(item, schema, owner).type
    const type =
      typed !== undefined && name !== ''
        ? this.typeNamed(this.schemas.resolve(name, typed, schema), typed)
        : inside()
    // `T[][]` is an array of arrays, `T[,]` one array of two dimensions.
    const ranks = [...(dimensions === '' ? '[]' : dimensions).matchAll(/\[([^\]]*)\]/g)]
    const list = ranks.reduce<Type>(
      (item, [, commas = '']) => this.encodedList(item, element.origin, commas.split(',').length),
      type,
    ) as ListType
    return { ...list, ...documentation }
  }

  private encodedList(item: Type, origin: Origin, dimensions = 1): ListType {
    const inner = dimensions > 1 ? this.encodedList(item, origin, dimensions - 1) : item
    return {
      kind: 'list',
      item: inner,
      ...(dimensions > 1 ? {} : { itemNullable: true }),
      specifics: {
        written: 'items',
        item: ['', 'item'],
        encoded: true,
        ...(dimensions > 1 ? { dimensions } : {}),
      } satisfies ListSpecifics,
    }
  }

  /** Reads a complexType definition (XML Schema part 1, section 3.4) as a record. */
  private readRecord(element: XmlElement, schema: SchemaContext, owner: Owner): RecordType {
    element.read = true
    const documentation = documented(element)
    for (const attribute of ['id', 'block', 'final']) element.attribute(attribute)
    const isNamed = element.attribute('name') !== undefined
    const draft = this.draftOf(element, schema, owner)
    const isExtended = draft.base !== undefined && !draft.restricts
    const inherited = new Set(
      (isExtended ? this.allFields(draft.base.to) : []).map((field) => field.name),
    )
    const content = inSequence([draft.content], inherited)
    const elements = content.fields.filter((field) => field.name !== special.open)
    const open = openSpecificsOf(content, draft)
    const specifics: RecordSpecifics = {
      ...(isNamed ? { typeName: [schema.namespace, owner.name] } : {}),
      ...marked({ anyOrder: content.anyOrder }),
      ...present({ open }),
    }
    // An attribute yields its name to an element.
    const { fields } = inSequence(
      this.eachOnce(draft.attributes).map(ofField),
      new Set([...inherited, ...elements.map((field) => field.name)]),
    )
    return {
      kind: 'record',
      fields: [...elements, ...fields],
      ...filled({ choices: content.choices }),
      ...present({ base: draft.base }),
      ...marked({
        restricts: draft.restricts,
        abstract: isTrue(element.attribute('abstract')),
        anonymous: !isNamed,
      }),
      ...(open === undefined ? {} : { open: true, openMember: special.open, ...openExample(open) }),
      ...documentation,
      specifics,
    }
  }

  /** What a complex type declares: by itself, or of another one. */
  private draftOf(element: XmlElement, schema: SchemaContext, owner: Owner): Draft {
    const complexContent = element.takeOne(xsd, 'complexContent')
    const holder = complexContent ?? element.takeOne(xsd, 'simpleContent')
    if (holder !== undefined) documentationOf(holder)
    const isMixed = isTrue(holder?.attribute('mixed') ?? element.attribute('mixed'))
    const draft =
      holder === undefined
        ? this.ownContent(element, schema, owner)
        : this.derive(holder, complexContent !== undefined, schema, owner)
    return isMixed ? { ...draft, content: this.mixed(draft.content, owner, element) } : draft
  }

  /**
   * Attributes without those that are there already (XML Schema part 1, section 3.4.6: no two of
   * one name).
   */
  private eachOnce(attributes: readonly Field[]): Field[] {
    const byName = new Map<string, Field>()
    for (const attribute of attributes) {
      const key = keyOf(fieldSpecifics(attribute).name)
      if (byName.has(key))
        this.notes.add(
          'ignored',
          'TM-2202',
          { kind: 'attribute', name: attribute.name },
          attribute.origin,
        )
      else byName.set(key, attribute)
    }
    return [...byName.values()]
  }

  private ownContent(parent: XmlElement, schema: SchemaContext, owner: Owner): Draft {
    const content = inSequence(
      ['sequence', 'choice', 'all', 'group'].flatMap((local) =>
        parent.take(xsd, local).map((group) => this.readParticle(group, schema, owner)),
      ),
    )
    return {
      content,
      ...this.readAttributes(parent, schema, owner),
      base: undefined,
      restricts: false,
    }
  }

  /**
   * A type made from another: by extension or by restriction (XML Schema part 1, section 3.4.2).
   */
  private derive(
    holder: XmlElement,
    isComplex: boolean,
    schema: SchemaContext,
    owner: Owner,
  ): Draft {
    const extension = holder.takeOne(xsd, 'extension')
    const derivation = extension ?? holder.takeOne(xsd, 'restriction')
    if (derivation === undefined)
      throw problem(
        'TM-2104',
        { what: `<${holder.name}> of "${owner.name}"`, attribute: 'extension or restriction' },
        { place: holder.place },
      )
    documentationOf(derivation)
    derivation.attribute('id')
    const baseName = this.schemas.resolve(wantedAttribute(derivation, 'base'), derivation, schema)
    const open = ofField(openField({}, derivation.origin))
    if (soapEncodings.includes(baseName[0]) && extension === undefined) {
      this.notes.add(
        'refused',
        'TM-2213',
        { what: `The encoded type "${owner.name}"`, reason: 'it restricts what is no array' },
        holder.origin,
      )
      derivation.readWhole()
      return {
        content: open,
        attributes: [],
        openAttributes: true,
        base: undefined,
        restricts: false,
      }
    }
    if (!isComplex)
      return this.simpleContent(baseName, derivation, extension === undefined, schema, owner)
    if (baseName[0] === xsd && extension === undefined)
      return this.ownContent(derivation, schema, owner)
    const base = this.baseOf(baseName, derivation, owner)
    const own = this.ownContent(derivation, schema, owner)
    if (base === undefined)
      return { ...own, content: inSequence([open, own.content]), openAttributes: true }
    if (extension === undefined) return this.restrict(own, base, derivation)
    return isRedefined(base.to) ? this.extendInPlace(own, base) : { ...own, base }
  }

  /**
   * A restriction says its elements anew; the attributes of its base are its own, unless it says
   * those too.
   */
  private restrict(own: Draft, base: ReferenceType, derivation: XmlElement): Draft {
    const nameOf = ({ specifics }: Field): string => (specifics as FieldSpecifics).name[1]
    const prohibited = derivation.children
      .filter((child) => child.is(xsd, 'attribute') && child.attribute('use') === 'prohibited')
      .map((child) => (child.attribute('name') ?? child.attribute('ref') ?? '').replace(/^.*:/, ''))
    const said = new Set([...own.attributes.map(nameOf), ...prohibited])
    const attributes = this.allFields(base.to).filter(
      (field) => fieldSpecifics(field).place === 'attribute' && !said.has(nameOf(field)),
    )
    return {
      ...own,
      attributes: [...attributes, ...own.attributes],
      ...(isRedefined(base.to) ? {} : { base, restricts: true }),
    }
  }

  /**
   * What a redefinition extends is the type itself as it was: its content comes first, and there is
   * no other type to tell apart.
   */
  private extendInPlace(own: Draft, base: ReferenceType): Draft {
    const original = this.types[base.to]
    if (original?.kind !== 'record') return own
    const { open } = recordSpecifics(original)
    const isAttribute = (field: Field): boolean => fieldSpecifics(field).place === 'attribute'
    const before: Content = {
      fields: original.fields.filter((field) => !isAttribute(field)),
      choices: original.choices ?? [],
      anyOrder: false,
    }
    const opened =
      open === undefined || open.max === 0 ? nothing : ofField(openField(open, original.origin))
    return {
      ...own,
      content: inSequence([before, opened, own.content]),
      attributes: [...original.fields.filter(isAttribute), ...own.attributes],
      openAttributes: own.openAttributes || open?.attributes === true,
      ...present({ base: original.base }),
    }
  }

  /** Every field of a type, those that it inherits first. */
  private allFields(id: TypeId): readonly Field[] {
    const type = this.types[id]
    if (type?.kind !== 'record') return []
    return [
      ...(type.base === undefined || type.restricts === true ? [] : this.allFields(type.base.to)),
      ...type.fields,
    ]
  }

  /**
   * Mixed content (XML Schema part 1, section 3.4.2): texts and elements in the order in which they
   * stand, as the one member `$items`.
   */
  private mixed(content: Content, owner: Owner, element: XmlElement): Content {
    const { origin } = element
    const [first] = content.fields
    const isOneRepeatedGroup =
      content.fields.length === 1 &&
      first !== undefined &&
      ['group', 'element'].includes(fieldSpecifics(first).place) &&
      first.type.kind === 'list' &&
      first.type.maxItems === undefined
    if (content.fields.length > 0 && !isOneRepeatedGroup)
      this.notes.add('approximated', 'TM-2208', { name: owner.name }, origin)
    const inner = content.fields.flatMap((field): readonly Field[] => {
      const turn =
        fieldSpecifics(field).place === 'group' &&
        field.type.kind === 'list' &&
        field.type.item.kind === 'reference'
          ? this.types[field.type.item.to]
          : undefined
      const open = turn?.kind === 'record' ? recordSpecifics(turn).open : undefined
      if (turn !== undefined) this.dropGroup(turn.id, owner)
      return turn?.kind === 'record'
        ? [...turn.fields, ...(open === undefined ? [] : [openField({ ...open, min: 1 }, origin)])]
        : [field]
    })
    const each = inner.map((field): Content => {
      if (field.name === special.open) return ofField(field)
      const { repeated: isRepeated, ...specifics } = fieldSpecifics(field)
      return ofField({
        ...field,
        optional: false,
        type: isRepeated === true && field.type.kind === 'list' ? field.type.item : field.type,
        specifics,
      })
    })
    const text: ScalarType = { kind: 'scalar', base: 'text', format: 'xs:string' }
    const item: Type =
      each.length === 0
        ? text
        : {
            kind: 'union',
            alternatives: [text, this.keepGroup(oneOf(each, false), owner, element)],
          }
    const type: ListType = {
      kind: 'list',
      item,
      specifics: { written: 'turns' } satisfies ListSpecifics,
    }
    return ofField({
      name: special.items,
      type,
      optional: content.fields.every((field) => field.optional),
      nullable: false,
      origin,
      specifics: { place: 'group', name: ['', ''], mixed: true } satisfies FieldSpecifics,
    })
  }

  /** Keeps what comes in one turn of a repeated group as a type of its own. */
  private keepGroup(content: Content, owner: Owner, particle: XmlElement): ReferenceType {
    let id = this.groups.get(particle)
    if (id === undefined) {
      const count = (this.groupCounts.get(owner.id) ?? 0) + 1
      this.groupCounts.set(owner.id, count)
      id = `${owner.id}/$items${count === 1 ? '' : String(count)}`
      this.groups.set(particle, id)
      const at = content.fields.findIndex((field) => field.name === special.open)
      const open = (content.fields[at]?.specifics as FieldSpecifics | undefined)?.open
      this.types[id] = {
        kind: 'record',
        id,
        anonymous: true,
        name: `${owner.name}Item${count === 1 ? '' : String(count)}`,
        fields: content.fields.filter((field) => field.name !== special.open),
        ...filled({ choices: content.choices }),
        ...(open === undefined
          ? {}
          : { open: true, openMember: special.open, ...openExample(open) }),
        origin: particle.origin,
        specifics: {
          ...marked({ anyOrder: content.anyOrder }),
          ...(open === undefined ? {} : { open: { at, ...open } }),
        } satisfies RecordSpecifics,
      }
    }
    return { kind: 'reference', to: id }
  }

  /** Forgets a group whose turns turned out to be those of mixed content. */
  private dropGroup(id: TypeId, owner: Owner): void {
    Reflect.deleteProperty(this.types, id)
    for (const [particle, each] of this.groups) if (each === id) this.groups.delete(particle)
    this.groupCounts.set(owner.id, (this.groupCounts.get(owner.id) ?? 1) - 1)
  }

  private baseOf(name: QualifiedName, at: XmlElement, owner: Owner): ReferenceType | undefined {
    const type = this.typeNamed(name, at)
    const base = type.kind === 'reference' ? this.schemas.find('type', name) : undefined
    if (base !== undefined) this.readGlobalType(base)
    if (type.kind === 'reference') this.requireSound(type.to)
    if (type.kind === 'fragment') return undefined
    if (type.kind !== 'reference')
      throw problem(
        'TM-2201',
        {
          kind: 'complex type',
          reference: keyOf(name),
          nearest: "It is a simple type, which complex content can't extend.",
        },
        { place: at.place },
      )
    for (let id: TypeId | undefined = type.to; id !== undefined;) {
      if (id === owner.id) throw problem('TM-2216', { name: owner.name }, { place: at.place })
      const named: NamedType | undefined = this.types[id]
      id = named?.kind === 'record' ? named.base?.to : undefined
    }
    // A type still being read would only show up here if it extended itself in a longer circle.
    if (this.types[type.to] === undefined)
      throw problem('TM-2216', { name: owner.name }, { place: at.place })
    return type
  }

  /**
   * Simple content: the text becomes the member `$text`, unless the base has it already (section
   * 3.4.2).
   */
  private simpleContent(
    name: QualifiedName,
    derivation: XmlElement,
    restricts: boolean,
    schema: SchemaContext,
    owner: Owner,
  ): Draft {
    const attributes = this.readAttributes(derivation, schema, owner)
    const own: Draft = { content: nothing, ...attributes, base: undefined, restricts: false }
    const withText = (type: Type): Draft => ({
      ...own,
      content: ofField(this.textField(type, owner, derivation)),
    })
    const isBuiltin = name[0] === xsd || soapEncodings.includes(name[0])
    const component = isBuiltin ? undefined : this.schemas.require('type', name, derivation)
    if (component?.element.local !== 'complexType') {
      const simple = this.simpleType(derivation.attribute('base'), derivation, schema, owner)
      const type = restricts
        ? applyFacets(simple, derivation, owner.name, this.notes)
        : this.typeNamed(name, derivation)
      return withText(type)
    }
    const base = this.baseOf(name, derivation, owner)
    const text = base && this.textOf(base.to)
    if (base === undefined || text === undefined)
      throw problem(
        'TM-2201',
        {
          kind: 'type with simple content',
          reference: keyOf(name),
          nearest: 'The type of that name has none.',
        },
        { place: derivation.place },
      )
    if (!restricts) return isRedefined(base.to) ? this.extendInPlace(own, base) : { ...own, base }
    const inside = derivation.takeOne(xsd, 'simpleType')
    const narrowed =
      inside === undefined
        ? withoutName(text)
        : readSimpleType(inside, owner.name, this.notes, (reference, where) =>
            this.simpleType(reference, where, schema, owner),
          )
    const narrower = applyFacets(narrowed, derivation, owner.name, this.notes)
    return this.restrict(withText(narrower), base, derivation)
  }

  /** The simple type of a type's text; undefined where it has none. */
  private textOf(id: TypeId): Extract<NamedType | Type, SimpleType> | undefined {
    const type = this.allFields(id).find((field) => field.name === special.text)?.type
    const found = type?.kind === 'reference' ? this.types[type.to] : type
    switch (found?.kind) {
      case 'scalar':
      case 'enumeration':
      case 'list':
      case 'union':
        return found
      default:
        return undefined
    }
  }

  private textField(type: Type, owner: Owner, at: XmlElement): Field {
    const specifics: FieldSpecifics = { place: 'text', name: ['', ''] }
    return {
      name: special.text,
      type: type.kind === 'enumeration' ? this.keepAnonymous(type, owner, 'Text', at.origin) : type,
      optional: false,
      nullable: false,
      origin: at.origin,
      specifics,
    }
  }

  private readParticle(particle: XmlElement, schema: SchemaContext, owner: Owner): Content {
    particle.read = true
    particle.attribute('id')
    const { minimum, maximum } = occurrence(particle)
    if (maximum === 0) {
      particle.readWhole()
      return nothing
    }
    if (particle.is(xsd, 'any')) return this.readAny(particle, schema, { minimum, maximum })
    const content = this.readOneTurn(particle, schema, owner)
    if (maximum === 1)
      return minimum === 0 ? this.combined(() => optional(content), [content], particle) : content
    return this.combined(
      () =>
        repeated(content, { minimum, maximum }, particle.origin, (turn) =>
          this.keepGroup(turn, owner, particle),
        ),
      [content],
      particle,
    )
  }

  /** What a particle means when it occurs once. */
  private readOneTurn(particle: XmlElement, schema: SchemaContext, owner: Owner): Content {
    if (particle.is(xsd, 'element')) {
      const field = this.readElementField(particle, schema, owner)
      const substitutes =
        particle.attribute('ref') === undefined
          ? []
          : this.substitutesOf(fieldSpecifics(field).name)
      return substitutes.length === 0 ? ofField(field) : this.readSubstitutes(field, substitutes)
    }
    documentationOf(particle)
    if (particle.is(xsd, 'group')) {
      const group = this.schemas.require(
        'group',
        this.schemas.resolve(wantedAttribute(particle, 'ref'), particle, schema),
        particle,
      )
      return this.expand(group, 'group', () => {
        documentationOf(group.element)
        return inSequence(this.readParticles(group.element, group.schema, owner))
      })
    }
    const contents = this.readParticles(particle, schema, owner)
    if (particle.is(xsd, 'choice'))
      return contents.length === 0
        ? nothing
        : this.combined(() => oneOf(contents, false), contents, particle)
    return { ...inSequence(contents), ...marked({ anyOrder: particle.is(xsd, 'all') }) }
  }

  /** Puts choices together; where there would be too many ways, they are not told apart. */
  private combined(combine: () => Content, contents: readonly Content[], at: XmlElement): Content {
    try {
      return combine()
    } catch (error) {
      if (!(error instanceof TooManyCombinations)) throw error
      this.notes.add('approximated', 'TM-2205', {}, at.origin)
      return loose(contents)
    }
  }

  private readParticles(parent: XmlElement, schema: SchemaContext, owner: Owner): Content[] {
    return parent.children
      .filter((child) => child.namespace === xsd && particles.includes(child.local))
      .map((child) => this.readParticle(child, schema, owner))
  }

  /** Any element at all, or any of some namespaces (XML Schema part 1, section 3.10). */
  private readAny(
    particle: XmlElement,
    schema: SchemaContext,
    { minimum, maximum }: ReturnType<typeof occurrence>,
  ): Content {
    documentationOf(particle)
    particle.attribute('processContents')
    const rules = namespacesOf(particle, schema.namespace)
    return ofField(
      openField(
        {
          ...rules,
          ...(minimum === 0 ? {} : { min: minimum }),
          ...present({ max: maximum }),
        },
        particle.origin,
      ),
    )
  }

  /**
   * The elements that can take the place of a global one, directly or through others (XML Schema
   * part 1, section 3.3.2).
   */
  private substitutesOf(head: QualifiedName, within: readonly string[] = []): Component[] {
    if (this.substitutes === undefined) {
      this.substitutes = new Map()
      for (const component of this.schemas.all('element')) {
        const written = component.element.attributes.find(
          (each) => each.local === 'substitutionGroup',
        )?.value
        if (written === undefined) continue
        const key = keyOf(this.schemas.resolve(written, component.element, component.schema))
        addTo(this.substitutes, key, component)
      }
    }
    const key = keyOf(head)
    const direct = within.includes(key) ? [] : (this.substitutes.get(key) ?? [])
    return direct.flatMap((component) => [
      ...(isTrue(component.element.attributes.find((each) => each.local === 'abstract')?.value)
        ? []
        : [component]),
      ...this.substitutesOf(component.name, [...within, key]),
    ])
  }

  /** The head of a substitution group and what can take its place: a choice between them. */
  private readSubstitutes(head: Field, substitutes: readonly Component[]): Content {
    const isAbstract = isTrue(
      this.schemas.find('element', fieldSpecifics(head).name)?.element.attribute('abstract'),
    )
    const others = substitutes.map((component): Field => {
      component.element.read = true
      const nullable = isTrue(component.element.attribute('nillable'))
      return {
        name: readableMember(component.name[1]),
        type: this.elementType(component),
        optional: false,
        nullable,
        ...documented(component.element),
        origin: component.element.origin,
        specifics: { place: 'element', name: component.name } satisfies FieldSpecifics,
      }
    })
    return {
      ...oneOf([...(isAbstract ? [] : [head]), ...others].map(ofField), false),
      ...(others.length + (isAbstract ? 0 : 1) > 1 ? { name: head.name } : {}),
    }
  }

  /** An element declaration or reference as the field of one element. */
  private readElementField(element: XmlElement, schema: SchemaContext, owner: Owner): Field {
    const reference = element.attribute('ref')
    let name: QualifiedName
    let type: Type
    let declaration = element
    if (reference !== undefined) {
      const component = this.schemas.require(
        'element',
        this.schemas.resolve(reference, element, schema),
        element,
      )
      name = component.name
      type = this.elementType(component)
      declaration = component.element
    } else {
      const local = wantedAttribute(element, 'name')
      const form = element.attribute('form')
      const qualified = form === undefined ? schema.qualifiedElements : form === 'qualified'
      name = [qualified ? schema.namespace : '', local]
      type = this.declaredType(
        element,
        schema,
        { id: `${owner.id}/${local}`, name: owner.name },
        local,
      )
    }
    for (const attribute of ['block', 'final', 'abstract']) declaration.attribute(attribute)
    const nullable = isTrue(declaration.attribute('nillable'))
    const documentation = documentationOf(element) ?? documentationOf(declaration)
    const preset = presets(declaration)
    this.noteIdentityConstraints(declaration)
    const specifics: FieldSpecifics = { place: 'element', name }
    return {
      name: readableMember(name[1]),
      type,
      optional: false,
      nullable,
      ...present({ documentation }),
      ...preset,
      origin: element.origin,
      specifics,
    }
  }

  private readAttributes(
    parent: XmlElement,
    schema: SchemaContext,
    owner: Owner,
  ): Pick<Draft, 'attributes' | 'openAttributes'> {
    const attributes = parent
      .take(xsd, 'attribute')
      .flatMap((attribute) => this.readAttributeField(attribute, schema, owner) ?? [])
    const groups = parent.take(xsd, 'attributeGroup').map((reference) => {
      const written = wantedAttribute(reference, 'ref')
      const name = this.schemas.resolve(written, reference, schema)
      if (name[0] === xmlNamespace)
        return { attributes: xmlAttributes(reference), openAttributes: false }
      const group = this.schemas.require('attributeGroup', name, reference)
      documentationOf(group.element)
      return this.expand(group, 'attribute group', () =>
        this.readAttributes(group.element, group.schema, owner),
      )
    })
    const any = parent.take(xsd, 'anyAttribute')
    for (const each of any) {
      documentationOf(each)
      for (const attribute of ['namespace', 'processContents']) each.attribute(attribute)
    }
    return {
      attributes: [...attributes, ...groups.flatMap((group) => group.attributes)],
      openAttributes: any.length > 0 || groups.some((group) => group.openAttributes),
    }
  }

  private readAttributeField(
    attribute: XmlElement,
    schema: SchemaContext,
    owner: Owner,
  ): Field | undefined {
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
      if (name[0] === xmlNamespace)
        return { ...xmlAttribute(name, attribute), optional: use !== 'required', ...documentation }
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
      name: readableMember(name[1]),
      type,
      optional: use !== 'required',
      nullable: false,
      ...documentation,
      ...presets(declaration),
      ...presets(attribute),
      origin: attribute.origin,
      specifics: { place: 'attribute', name } satisfies FieldSpecifics,
    }
  }

  private attributeType(
    declaration: XmlElement,
    schema: SchemaContext,
    owner: Owner,
    local: string,
  ): Type {
    const named = declaration.attribute('type')
    if (named !== undefined)
      return this.typeNamed(this.schemas.resolve(named, declaration, schema), declaration)
    const inside = declaration.takeOne(xsd, 'simpleType')
    if (inside === undefined)
      return {
        kind: 'scalar',
        base: 'text',
        format: 'xs:anySimpleType',
      }
    return this.anonymousSimple(
      inside,
      schema,
      { id: `${owner.id}/@${local}`, name: owner.name },
      local,
    )
  }

  /** The type of an element declaration: named, anonymous inside it, or anything. */
  private declaredType(
    element: XmlElement,
    schema: SchemaContext,
    owner: Owner,
    local: string,
  ): Type {
    documentationOf(element)
    element.attribute('id')
    this.noteIdentityConstraints(element)
    const head = element.attribute('substitutionGroup')
    for (const attribute of ['nillable', 'abstract', 'block', 'final', 'default', 'fixed'])
      element.attribute(attribute)
    // Which media type bytes are of, for people.
    element.attribute('expectedContentTypes', 'http://www.w3.org/2005/05/xmlmime')
    const named = element.attribute('type')
    if (named !== undefined) {
      const name = this.schemas.resolve(named, element, schema)
      // An element says which simple type it is of; an attribute can't.
      return name[0] === xsd && name[1] === 'anySimpleType'
        ? { kind: 'fragment' }
        : this.typeNamed(name, element)
    }
    const simple = element.takeOne(xsd, 'simpleType')
    if (simple !== undefined) return this.anonymousSimple(simple, schema, owner, local)
    const complex = element.takeOne(xsd, 'complexType')
    if (complex !== undefined) {
      const name = local === 'own' ? owner.name : owner.name + capitalised(local)
      if (!(owner.id in this.types) && !this.reading.has(owner.id)) {
        const type = this.whileReading(owner.id, () =>
          this.readComplexType(complex, schema, { id: owner.id, name }),
        )
        this.types[owner.id] = { ...type, id: owner.id, name, origin: complex.origin }
      }
      return { kind: 'reference', to: owner.id }
    }
    if (head !== undefined)
      return this.elementType(
        this.schemas.require('element', this.schemas.resolve(head, element, schema), element),
      )
    return { kind: 'fragment', mayBeRecord: true }
  }

  private anonymousSimple(
    element: XmlElement,
    schema: SchemaContext,
    owner: Owner,
    local: string,
  ): Type {
    const type = readSimpleType(element, owner.name, this.notes, (reference, at) =>
      this.simpleType(reference, at, schema, owner),
    )
    return type.kind === 'enumeration'
      ? this.keepAnonymous(type, owner, local === 'own' ? '' : local, element.origin)
      : type
  }

  private keepAnonymous(
    type: SimpleType,
    owner: Owner,
    local: string,
    origin: Origin,
  ): ReferenceType {
    const id = local === 'Text' ? `${owner.id}/$text` : owner.id
    this.types[id] ??= { ...type, id, name: owner.name + capitalised(local), origin }
    return { kind: 'reference', to: id }
  }

  /** The simple type that is named, or stands inside `at`, resolved to the end. */
  private simpleType(
    reference: string | undefined,
    at: XmlElement,
    schema: SchemaContext,
    owner: Owner,
  ): SimpleType {
    if (reference === undefined) {
      const inside = at.takeOne(xsd, 'simpleType')
      if (inside === undefined)
        throw problem('TM-2104', { what: `<${at.name}>`, attribute: 'base' }, { place: at.place })
      return readSimpleType(inside, owner.name, this.notes, (name, where) =>
        this.simpleType(name, where, schema, owner),
      )
    }
    const type = this.typeNamed(this.schemas.resolve(reference, at, schema), at)
    if (type.kind === 'reference') this.requireSound(type.to)
    const found = type.kind === 'reference' ? this.types[type.to] : type
    if (
      found?.kind === 'scalar' ||
      found?.kind === 'enumeration' ||
      found?.kind === 'list' ||
      found?.kind === 'union'
    ) {
      if (found.kind !== 'list' || listSpecifics(found).written === 'spaced')
        return withoutName(found)
    }
    throw problem(
      'TM-2201',
      { kind: 'simple type', reference, nearest: 'The type of that name is complex.' },
      { place: at.place },
    )
  }

  /**
   * Group definitions that contain themselves would never end, nor would those that contain others
   * twice, which do so again.
   */
  private expand<Result>(component: Component, kind: string, read: () => Result): Result {
    const id = `${kind} ${keyOf(component.name)}`
    if (this.reading.has(id))
      throw problem('TM-2216', { name: component.name[1] }, { place: component.element.place })
    if (this.expanding === 0) this.expanded = 0
    this.expanded += 1
    if (this.expanded > mostInside)
      throw problem(
        'TM-2221',
        { name: component.name[1], limit: mostInside },
        { place: component.element.place },
      )
    this.expanding += 1
    try {
      return this.whileReading(id, read)
    } finally {
      this.expanding -= 1
    }
  }

  private noteIdentityConstraints(element: XmlElement): void {
    for (const local of ['key', 'keyref', 'unique']) {
      for (const constraint of element.take(xsd, local)) {
        this.notes.add(
          'ignored',
          'TM-2214',
          { name: constraint.attribute('name') ?? '', element: local },
          constraint.origin,
        )
        constraint.readWhole()
      }
    }
  }

  /**
   * Is the type nothing but a wrapper around one repeated element, so that it is shown as a list?
   * Types that others extend are not, nor wrappers of wrappers: a list would hide what makes them
   * different.
   */
  private isArrayWrapper(element: XmlElement, schema: SchemaContext, id: string): boolean {
    if (this.extended.has(id)) return false
    const item = soleRepeatedElement(element)
    if (item === undefined) return false
    const reference = item.attributes.find((attribute) => attribute.local === 'ref')?.value
    if (
      reference !== undefined &&
      this.substitutesOf(this.schemas.resolve(reference, item, schema)).length > 0
    )
      return false
    return !this.leadsBack(element, schema)
  }

  /** Is a list, through the lists that it is of, one of itself? Such a one needs a name. */
  private leadsBack(element: XmlElement, schema: SchemaContext): boolean {
    const seen = new Set<XmlElement>()
    let [list, context]: [XmlElement | undefined, SchemaContext] = [element, schema]
    while (list !== undefined) {
      if (seen.has(list)) return true
      seen.add(list)
      const item = soleRepeatedElement(list)
      const type = item?.attributes.find(
        ({ local, namespace }) => local === 'type' && namespace === '',
      )?.value
      const named: Component | undefined =
        item === undefined || type === undefined
          ? undefined
          : this.schemas.find('type', this.schemas.resolve(type, item, context))
      list = named?.element ?? item?.children.find((child) => child.is(xsd, 'complexType'))
      context = named?.schema ?? context
    }
    return false
  }

  private collectBases(element: XmlElement, schema: SchemaContext): void {
    for (const child of element.children) {
      const base = this.writtenBase(child, schema)
      if (base !== undefined) this.extended.add(keyOf(base))
      this.collectBases(child, schema)
    }
  }

  /** What an extension or a restriction is one of; undefined for everything else. */
  private writtenBase(element: XmlElement, schema: SchemaContext): QualifiedName | undefined {
    if (!element.is(xsd, 'extension') && !element.is(xsd, 'restriction')) return undefined
    const base = element.attributes.find(({ local }) => local === 'base')?.value
    return base === undefined ? undefined : this.schemas.resolve(base, element, schema)
  }
}

/** An attribute of XML's own, like `xml:lang`. */
function xmlAttribute(name: QualifiedName, { origin }: XmlElement): Field {
  return {
    name: name[1],
    type: { kind: 'scalar', base: 'text', format: 'xs:string' },
    optional: true,
    nullable: false,
    origin,
    specifics: { place: 'attribute', name } satisfies FieldSpecifics,
  }
}

/** The attributes of XML's own, as its group of them has all four. */
function xmlAttributes(at: XmlElement): Field[] {
  return ['base', 'lang', 'space', 'id'].map((local) => xmlAttribute([xmlNamespace, local], at))
}

/** Where a record takes what its schema does not name; undefined where it takes nothing. */
function openSpecificsOf(content: Content, { openAttributes }: Draft): OpenSpecifics | undefined {
  const { fields } = content
  const at = fields.findIndex((field) => field.name === special.open)
  const particle = (fields[at]?.specifics as FieldSpecifics | undefined)?.open
  if (particle === undefined && !openAttributes) return undefined
  return {
    at: at === -1 ? fields.length : at,
    ...(particle ?? { max: 0 }),
    ...marked({ attributes: openAttributes }),
  }
}

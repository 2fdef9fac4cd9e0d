import { special } from '../../contract/special-members.js'
import type {
  Origin,
  Constraints,
  EnumerationMember,
  Field,
  Multiplicity,
  NamedType,
  RecordType,
  Relation,
  ScalarBase,
  ScalarType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { filled, marked, present } from '../../contract/present.js'
import { problem, Problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { isPattern } from '../patterns.js'
import type { Csdl, Declared } from './csdl.js'
import { documented } from './documentation.js'
import { keyType } from './keys.js'
import {
  changesId,
  fieldSpecifics,
  isFlags,
  newId,
  type FieldSpecifics,
  type Navigation,
  type RecordSpecifics,
} from './specifics.js'
import { dataMetadata, sap } from './namespaces.js'

const core = 'Org.OData.Core.V1'
const validation = 'Org.OData.Validation.V1'

/** Primitive types by their names (CSDL XML 4.01, section 3.3; those of V2 too). */
const primitives: Readonly<Record<string, ScalarBase>> = {
  'Edm.Binary': 'bytes',
  'Edm.Boolean': 'boolean',
  'Edm.Byte': 'uint8',
  'Edm.Date': 'date',
  'Edm.DateTime': 'dateTime',
  'Edm.DateTimeOffset': 'dateTime',
  'Edm.Decimal': 'decimal',
  'Edm.Double': 'double',
  'Edm.Duration': 'duration',
  'Edm.Guid': 'text',
  'Edm.Int16': 'int16',
  'Edm.Int32': 'int32',
  'Edm.Int64': 'int64',
  'Edm.SByte': 'int8',
  'Edm.Single': 'float',
  'Edm.String': 'text',
  'Edm.Time': 'duration',
  'Edm.TimeOfDay': 'time',
}

/** How values are written whose base does not say it. */
const examples: Readonly<Record<string, string>> = {
  'Edm.DateTimeOffset': '2026-11-23T14:30:00Z',
  'Edm.Guid': '01234567-89ab-cdef-0123-456789abcdef',
  'Edm.Time': 'PT14H30M',
}

/** Types of values that the contract can say nothing of. */
const anyValue = /^Edm\.(?:Untyped|PrimitiveType|ComplexType|EntityType|Geo\w+)$/
/** Types of paths through the model, which travel as texts (CSDL 4.01, section 4.5). */
const pathValue =
  /^Edm\.(?:Any|Annotation|ModelElement|Navigation|NavigationProperty|Property)?(?:Property)?Path$/

/** So many types can extend each other, one the next. */
const mostBases = 500

/** A value's type with what else its declaration says. */
export interface Placed {
  readonly type: Type
  readonly nullable: boolean
}

/**
 * Reads entity types, complex types, enumerations and type definitions, and makes the shapes in
 * which entities are sent.
 */
export class TypeReader {
  readonly types: Record<TypeId, NamedType> = {}
  private readonly csdl: Csdl
  private readonly notes: Notes
  private readonly broken: BrokenParts
  private readonly entities = new Set<TypeId>()
  /** Shapes that are still to be made. */
  private readonly shapes: (() => void)[] = []
  private shaping = false
  private extending: ReadonlyMap<TypeId, readonly TypeId[]> | undefined

  constructor(csdl: Csdl, notes: Notes) {
    this.csdl = csdl
    this.notes = notes
    this.broken = csdl.broken
  }

  readAll(): void {
    for (const { name, element } of this.csdl.allTypes())
      if (element.local === 'EntityType') this.entities.add(name)
    for (const declared of this.csdl.allTypes()) this.types[declared.name] = this.readType(declared)
    for (const type of Object.values(this.types))
      if (type.kind === 'record')
        this.broken.attempt(
          () => this.checkBases(type.id),
          (reason) => {
            this.breakType(type.id, reason)
            const { base: _base, ...others } = type
            this.types[type.id] = others
          },
        )
  }

  isEntity(id: TypeId): boolean {
    return this.entities.has(id)
  }

  record(id: TypeId): RecordType & NamedType {
    const type = this.types[id]
    if (type?.kind !== 'record') throw new Error(`${id} is no record`)
    return type
  }

  /**
   * The fields of an entity's key, which may stand in a base; none when it has no key that can be
   * written.
   */
  keyFields(id: TypeId): Field[] {
    const chain = this.withBases(id)
    const holder = chain.find(({ keys: own }) => own !== undefined)
    const { keyPaths = {} } = (holder?.specifics ?? {}) as Partial<RecordSpecifics>
    return (holder?.keys ?? []).flatMap((name) => {
      const path = Object.hasOwn(keyPaths, name) ? keyPaths[name] : undefined
      const field = this.fieldAt(chain, path ?? [name])
      return field === undefined ? [] : [{ ...field, name, nullable: false }]
    })
  }

  /** The names of the properties in which an entity's key lies. */
  identifying(id: TypeId): string[] {
    const holder = this.withBases(id).find(({ keys }) => keys !== undefined)
    const { keyPaths = {} } = (holder?.specifics ?? {}) as Partial<RecordSpecifics>
    return (holder?.keys ?? []).map((name) =>
      Object.hasOwn(keyPaths, name) ? (keyPaths[name]?.[0] ?? name) : name,
    )
  }

  /** All fields of a type, those of its bases first. */
  allFields(id: TypeId): Field[] {
    return this.withBases(id).flatMap((record) => record.fields)
  }

  /** The properties of an entity type as they were declared, those of its bases too. */
  propertyElements(id: TypeId): XmlElement[] {
    return this.withBases(id).flatMap(
      (record) =>
        this.csdl
          .declared(record.id)
          ?.element.children.filter((child) => child.local === 'Property') ?? [],
    )
  }

  private fieldAt(records: readonly RecordType[], path: readonly string[]): Field | undefined {
    const [first, ...rest] = path
    const named = ({ fields }: RecordType): Field | undefined =>
      fields.find((each) => each.name === first)
    const holder = records.find((record) => named(record) !== undefined)
    const field = holder === undefined ? undefined : named(holder)
    if (field === undefined || rest.length === 0) return field
    return field.type.kind === 'reference' && this.types[field.type.to]?.kind === 'record'
      ? this.fieldAt(this.withBases(field.type.to), rest)
      : undefined
  }

  /**
   * Tells navigation properties which set their entities are in.
   *
   * @param setOf the set for a navigation property of a type; undefined when there is none, or
   *   not one only
   */
  bindNavigations(setOf: (field: Field, holder: TypeId) => string | undefined): void {
    for (const id of this.entities) {
      const record = this.record(id)
      const fields = record.fields.map((field) => {
        const { navigation, ...others } = fieldSpecifics(field)
        const set = navigation === undefined ? undefined : setOf(field, id)
        return navigation === undefined || set === undefined
          ? field
          : {
              ...field,
              specifics: { ...others, navigation: { ...navigation, set } } satisfies FieldSpecifics,
            }
      })
      this.types[id] = { ...record, fields }
    }
  }

  /** Is this type that one, or does it extend it? */
  extends(id: TypeId, base: TypeId): boolean {
    return this.withBases(id).some((record) => record.id === base)
  }

  /** A type and all that it extends, the farthest first. */
  chain(id: TypeId): TypeId[] {
    return this.withBases(id).map((record) => record.id)
  }

  private withBases(id: TypeId): (RecordType & NamedType)[] {
    const record = this.record(id)
    return [...(record.base === undefined ? [] : this.withBases(record.base.to)), record]
  }

  private checkBases(id: TypeId): void {
    const seen = new Set<TypeId>()
    for (let at: TypeId | undefined = id; at !== undefined;) {
      if (seen.has(at))
        throw problem('TM-2411', { name: id }, { place: this.csdl.placeOf(this.record(id).origin) })
      seen.add(at)
      if (seen.size > mostBases)
        throw problem(
          'TM-2221',
          { name: id, limit: mostBases },
          { place: this.csdl.placeOf(this.record(id).origin) },
        )
      at = this.record(at).base?.to
    }
  }

  /** The type that an attribute names, with the facets beside it. Marks them as read. */
  placed(element: XmlElement, written: string | undefined, path: string): Placed {
    const [child] = element.take(element.namespace, 'TypeRef')
    const named = written ?? child?.attribute('Type') ?? 'Edm.String'
    const holder = child ?? element
    const item = /^Collection\((.*)\)$/.exec(named.trim())?.[1]?.trim()
    const nullable = holder.attribute('Nullable')
    if (item !== undefined) {
      const type = this.single(item, holder, path)
      return {
        type: {
          kind: 'list',
          item: type,
          ...marked({ itemNullable: nullable === 'true' && type.kind !== 'anything' }),
        },
        nullable: false,
      }
    }
    const type = this.single(named.trim(), holder, path)
    return { type, nullable: nullable !== 'false' }
  }

  private single(name: string, element: XmlElement, path: string): Type {
    const { origin } = element
    const facets = this.facets(element, path)
    const base = Object.hasOwn(primitives, name) ? primitives[name] : undefined
    if (this.csdl.isNew && (name === 'Edm.DateTime' || name === 'Edm.Time')) {
      this.notes.add(
        'approximated',
        'TM-2408',
        { what: `"${path}" of the type ${name}`, as: 'text', reason: 'version 4 has no such type' },
        origin,
      )
      return scalar('text', 'Edm.String', facets)
    }
    if (base !== undefined) return scalar(base, name, facets)
    if (pathValue.test(name)) return scalar('text', 'Edm.String', facets)
    if (anyValue.test(name)) {
      if (name.startsWith('Edm.Geo'))
        this.notes.add(
          'approximated',
          'TM-2408',
          {
            what: `"${path}" of the type ${name}`,
            as: 'JSON of any shape',
            reason: 'geographic values are not read yet',
          },
          origin,
        )
      return { kind: 'anything' }
    }
    const declared = this.csdl.type(name, element)
    const reference: Type = { kind: 'reference', to: declared.name }
    // A value whose members combine is a list of them.
    return declared.element.local === 'EnumType' && declared.element.attribute('IsFlags') === 'true'
      ? { kind: 'list', item: reference, specifics: { flags: true } }
      : reference
  }

  private facets(element: XmlElement, path: string): Constraints | undefined {
    const number = (text: string | undefined): number | undefined =>
      text !== undefined && /^\d+$/.test(text) ? Number(text) : undefined
    const limit = (term: string): string | undefined => {
      const found = this.csdl.annotation(element, path, `${validation}.${term}`)
      const value = found?.attributes.find(({ local }) =>
        ['Decimal', 'Int', 'Float', 'String'].includes(local),
      )?.value
      return value !== undefined && /^-?\d+(?:\.\d+)?$/.test(value) ? value : undefined
    }
    const maxLength = number(element.attribute('MaxLength'))
    const precision = number(element.attribute('Precision'))
    const scale = number(element.attribute('Scale'))
    const pattern = this.csdl.annotationText(element, path, `${validation}.Pattern`)
    if (pattern !== undefined && !isPattern(pattern))
      this.notes.add('approximated', 'TM-2211', { pattern }, element.origin)
    const minimum = limit('Minimum')
    const maximum = limit('Maximum')
    // These change nothing on the wire.
    for (const facet of [
      'Unicode',
      'FixedLength',
      'Collation',
      'SRID',
      'ConcurrencyMode',
      'DefaultValue',
      'StoreGeneratedPattern',
    ])
      element.attribute(facet)
    const isDecimal =
      (element.attribute('Type') ?? element.attribute('UnderlyingType')) === 'Edm.Decimal'
    const found: Constraints = {
      ...present({ maxLength }),
      ...(precision === undefined || !isDecimal ? {} : { totalDigits: precision }),
      ...(scale === undefined || !isDecimal ? {} : { fractionDigits: scale }),
      ...present({ minimum, maximum }),
      ...(pattern === undefined || !isPattern(pattern) ? {} : { patterns: [[pattern]] }),
    }
    return Object.keys(found).length === 0 ? undefined : found
  }

  private readType({ name, element }: Declared): NamedType {
    element.read = true
    const head = {
      id: name,
      name: element.attribute('Name') ?? name,
      ...documented(this.csdl.documentation(element, name)),
      origin: element.origin,
    }
    if (element.local === 'EnumType')
      return {
        ...head,
        kind: 'enumeration',
        members: this.enumerationMembers(element, name),
        base: { kind: 'scalar', base: 'text', format: name },
      }
    if (element.local === 'TypeDefinition') return { ...this.definedType(element, name), ...head }
    return { ...head, ...this.readRecord(element, name) }
  }

  /** The type that another one is a name for. */
  private definedType(element: XmlElement, name: string): Type {
    return this.broken.attempt(
      () => this.underlyingType(element, name),
      (reason) => {
        this.breakType(name, reason)
        return { kind: 'anything' }
      },
    )
  }

  private underlyingType(element: XmlElement, name: string): Type {
    const { type } = this.placed(element, element.attribute('UnderlyingType'), name)
    const underlying =
      type.kind === 'reference' ? this.csdl.declared(type.to)?.element.local : undefined
    if (underlying === 'TypeDefinition')
      throw problem('TM-2413', { name }, { place: element.place })
    return type
  }

  /** An entity type or a complex type. */
  private readRecord(element: XmlElement, name: string): RecordType {
    const written = element.attribute('BaseType')
    const base = written === undefined ? undefined : this.baseNamed(written, element, name)
    const isEntity = element.local === 'EntityType'
    const own = [...this.properties(element, name), ...this.navigations(element, name)]
    const keys = isEntity ? this.keys(element) : undefined
    const specifics = this.recordSpecifics(element, keys?.paths ?? {})
    element.attribute('FC_KeepInContent', dataMetadata)
    const isKey = (field: Field): boolean => keys?.names.includes(field.name) === true
    return {
      kind: 'record',
      fields: [
        ...own.map((field) => (isKey(field) ? { ...field, nullable: false } : field)),
        ...(isEntity && base === undefined ? [etagField(element.origin)] : []),
      ],
      ...(base === undefined ? {} : { base: { kind: 'reference', to: base } }),
      ...marked({
        abstract: element.attribute('Abstract') === 'true',
        open: element.attribute('OpenType') === 'true',
      }),
      ...present({ keys: keys?.names, specifics: isEntity ? specifics : undefined }),
    }
  }

  /** What a type extends; nothing, where that can't be read. */
  private baseNamed(written: string, element: XmlElement, type: TypeId): TypeId | undefined {
    return this.broken.attempt(
      () => this.csdl.structuredType(written, element).name,
      (reason) => {
        this.breakType(type, reason)
        return undefined
      },
    )
  }

  private recordSpecifics(
    element: XmlElement,
    keyPaths: Readonly<Record<string, readonly string[]>>,
  ): RecordSpecifics {
    const isMedia = [
      element.attribute('HasStream'),
      element.attribute('HasStream', dataMetadata),
    ].includes('true')
    const streams = element.children
      .filter((child) => child.local === 'Property' && valueOf(child, 'Type') === 'Edm.Stream')
      .map((child) => valueOf(child, 'Name'))
    return { entity: true, ...marked({ media: isMedia }), ...filled({ streams, keyPaths }) }
  }

  private enumerationMembers(element: XmlElement, path: string): EnumerationMember[] {
    element.attribute('IsFlags')
    element.attribute('UnderlyingType')
    return element.take(element.namespace, 'Member').map((member) => {
      const value = member.attribute('Name') ?? ''
      member.attribute('Value')
      return {
        value,
        ...documented(this.csdl.documentation(member, `${path}/${value}`)),
        origin: member.origin,
      }
    })
  }

  /**
   * The names that the parts of the key go by, and the paths of those that lie inside complex
   * properties (CSDL XML 4.01, section 6.5).
   */
  private keys(
    element: XmlElement,
  ): { names: string[]; paths: Record<string, readonly string[]> } | undefined {
    const [key] = element.take(element.namespace, 'Key')
    if (key === undefined) return undefined
    const paths: Record<string, readonly string[]> = {}
    const names = key.take(key.namespace, 'PropertyRef').map((each) => {
      const name = each.attribute('Name') ?? ''
      const alias = each.attribute('Alias')
      if (!name.includes('/')) return name
      const given = alias ?? name.split('/').pop() ?? name
      paths[given] = name.split('/')
      return given
    })
    return { names, paths }
  }

  private properties(element: XmlElement, path: string): Field[] {
    return element.take(element.namespace, 'Property').flatMap((property) => {
      const here = `${path}/${property.attribute('Name') ?? ''}`
      const written = property.attribute('Type')
      if (written === 'Edm.Stream') {
        this.leaveStream(property, here, element.local)
        return []
      }
      return [
        this.broken.attempt(
          () => this.property(property, here, written, element.local === 'EntityType'),
          (reason) => this.brokenMember(property, path, reason),
        ),
      ]
    })
  }

  /** What stands in the place of a property that can't be read, which breaks its type. */
  private brokenMember(property: XmlElement, type: TypeId, reason: Problem): Field {
    property.readWhole()
    this.breakType(type, reason)
    return {
      name: property.attribute('Name') ?? '',
      type: { kind: 'anything' },
      optional: false,
      nullable: false,
      origin: property.origin,
    }
  }

  private breakType(id: TypeId, reason: Problem): void {
    const origin = this.csdl.declared(id)?.element.origin ?? this.csdl.root.origin
    this.broken.addType(id, { name: id, origin }, reason)
  }

  /** Streams of entities have operations of their own. */
  private leaveStream(property: XmlElement, path: string, of: string): void {
    property.readWhole()
    if (of !== 'ComplexType') return
    const what = `The stream "${path}"`
    const reason = 'streams of complex values have no operations here'
    this.notes.add('ignored', 'TM-2407', { what, reason }, property.origin)
  }

  private property(
    property: XmlElement,
    path: string,
    written: string | undefined,
    isOfEntity: boolean,
  ): Field {
    const preset = property.attribute('DefaultValue')
    const { type, nullable } = this.placed(property, written, path)
    const specifics = this.giving(property, path)
    const mayBeLeftOut = nullable || preset !== undefined || specifics.madeWhenMissing === true
    return {
      name: property.attribute('Name') ?? '',
      type,
      // A complex value has one shape for both directions; an entity that comes has all its
      // properties.
      optional: !isOfEntity && mayBeLeftOut,
      nullable,
      ...marked({ readOnly: specifics.computed === true }),
      ...(preset === undefined ? {} : { default: type.kind === 'list' ? listed(preset) : preset }),
      ...documented(this.csdl.documentation(property, path)),
      origin: property.origin,
      ...filled({ specifics }),
    }
  }

  /** Who gives the value of a property: vocabulary Core, or the attributes of gateways. */
  private giving(property: XmlElement, path: string): FieldSpecifics {
    const isSaid = (term: string): boolean =>
      this.csdl.annotationFlag(property, path, `${core}.${term}`)
    const permission = this.csdl.annotation(property, path, `${core}.Permissions`)
    const permitted = permission?.attribute('EnumMember') ?? permission?.attribute('String') ?? ''
    const isComputed = isSaid('Computed') || /(?:^|\/)Read$/.test(permitted)
    // Gateways of version 2 say for each property who gives it.
    const creatable = property.attribute('creatable', sap) !== 'false'
    const updatable = property.attribute('updatable', sap) !== 'false'
    return marked({
      computed: isComputed || (!creatable && !updatable),
      later: !creatable && updatable,
      immutable: isSaid('Immutable') || (creatable && !updatable),
      madeWhenMissing: isSaid('ComputedDefaultValue'),
    })
  }

  private navigations(element: XmlElement, path: string): Field[] {
    return element.take(element.namespace, 'NavigationProperty').flatMap((property): Field[] => {
      const built = this.navigationToAny(property, `${path}/${property.attribute('Name') ?? ''}`)
      return [
        built ??
          this.broken.attempt(
            () => this.navigation(property, path),
            (reason) => this.brokenMember(property, path, reason),
          ),
      ]
    })
  }

  private navigation(property: XmlElement, path: string): Field {
    const name = property.attribute('Name') ?? ''
    const found = this.csdl.isNew ? this.navigation4(property) : this.navigation2(property, path)
    const { navigation, relation, to } = found
    const reference: Type = { kind: 'reference', to }
    return {
      name,
      type: relation.multiplicity === '*' ? { kind: 'list', item: reference } : reference,
      optional: true,
      nullable: relation.multiplicity === '0..1',
      ...documented(this.csdl.documentation(property, `${path}/${name}`)),
      origin: property.origin,
      relation,
      specifics: { navigation } satisfies FieldSpecifics,
    }
  }

  /** A navigation property to entities of any type, which nothing more is known of. */
  private navigationToAny(property: XmlElement, path: string): Field | undefined {
    const written = property.attribute('Type')?.trim() ?? ''
    const item = /^Collection\((.*)\)$/.exec(written)?.[1]
    if (!anyValue.test(item ?? written)) return undefined
    const { origin } = property
    property.readWhole()
    const any: Type = { kind: 'anything' }
    return {
      name: property.attribute('Name') ?? '',
      type: item === undefined ? any : { kind: 'list', item: any },
      optional: true,
      nullable: item === undefined,
      ...documented(this.csdl.documentation(property, path)),
      origin,
      specifics: { navigation: {} } satisfies FieldSpecifics,
    }
  }

  /** CSDL XML 4.01, section 8. */
  private navigation4(property: XmlElement): {
    navigation: Navigation
    relation: Relation
    to: TypeId
  } {
    const written = property.attribute('Type') ?? ''
    const item = /^Collection\((.*)\)$/.exec(written.trim())?.[1]
    const nullable = property.attribute('Nullable')
    const partner = property.attribute('Partner')
    const contained = property.attribute('ContainsTarget') === 'true'
    const constraints = property
      .take(property.namespace, 'ReferentialConstraint')
      .map(
        (each) =>
          [each.attribute('Property') ?? '', each.attribute('ReferencedProperty') ?? ''] as const,
      )
    for (const each of property.take(property.namespace, 'OnDelete')) each.readWhole()
    const one = nullable === 'false' ? '1' : '0..1'
    return {
      to: this.csdl.structuredType((item ?? written).trim(), property).name,
      navigation: constraints.length === 0 ? {} : { constraints },
      relation: {
        multiplicity: item !== undefined ? '*' : one,
        ...present({ partner }),
        ...marked({ contained: contained }),
      },
    }
  }

  /** Through an association, whose ends have roles (CSDL 2, sections 2.1.5 and 2.1.12). */
  private navigation2(
    property: XmlElement,
    path: string,
  ): { navigation: Navigation; relation: Relation; to: TypeId } {
    const [relationship = '', from = '', role = ''] = ['Relationship', 'FromRole', 'ToRole'].map(
      (name) => property.attribute(name),
    )
    property.attribute('ContainsTarget')
    const unknown = (reference: string, nearest: string): Problem => {
      const what = `<NavigationProperty Name="${property.attribute('Name') ?? ''}"> of "${path}"`
      return problem('TM-2402', { what, reference, nearest }, { place: property.place })
    }
    const [association] = this.csdl.overloads('Association', relationship)
    if (association === undefined) throw unknown(relationship, '')
    const ends = associationEnds(association.element)
    const end = ends.find((each) => each.attribute('Role') === role)
    if (end === undefined) {
      const roles = ends.map((each) => `"${each.attribute('Role') ?? ''}"`).join(', ')
      throw unknown(`${relationship}, role "${role}"`, `There are: ${roles}.`)
    }
    const to = this.csdl.structuredType(end.attribute('Type') ?? '', end)
    const other = ends.find((each) => each !== end)
    const leadsBack = (each: XmlElement): boolean =>
      each.local === 'NavigationProperty' &&
      sameAs(each, 'FromRole', role) &&
      sameAs(each, 'ToRole', from) &&
      this.csdl.overloads('Association', valueOf(each, 'Relationship'))[0] === association
    const back = to.element.children.find(leadsBack)
    const constraints = this.constraints2(association.element, from)
    return {
      to: to.name,
      navigation: { association: association.name, role, ...filled({ constraints }) },
      relation: {
        association: association.name.slice(association.name.lastIndexOf('.') + 1),
        multiplicity: multiplicityOf(end),
        ...present({
          partner: back && valueOf(back, 'Name'),
          opposite: other && multiplicityOf(other),
        }),
      },
    }
  }

  /** The pairs of equal properties, when the end with this role is the dependent one. */
  private constraints2(association: XmlElement, role: string): (readonly [string, string])[] {
    const [constraint] = association.take(association.namespace, 'ReferentialConstraint')
    if (constraint === undefined) return []
    const names = (local: string): string[] => {
      const [part] = constraint.take(constraint.namespace, local)
      part?.attribute('Role')
      return (
        part?.take(part.namespace, 'PropertyRef').map((each) => each.attribute('Name') ?? '') ?? []
      )
    }
    const [principal, dependent] = [names('Principal'), names('Dependent')]
    const isDependent = constraint.children.some(
      (each) => each.local === 'Dependent' && sameAs(each, 'Role', role),
    )
    return isDependent ? dependent.map((name, at) => [name, principal[at] ?? ''] as const) : []
  }

  /**
   * The shape in which an entity is created: what the service makes is left out, what may be null
   * or has a default may be.
   */
  newShape(id: TypeId): TypeId {
    return this.variant(
      id,
      newId,
      (name) => `New${name}`,
      (field, keys) => {
        const { computed, navigation, about, madeWhenMissing, later } = fieldSpecifics(field)
        if (computed === true || about === true || later === true) return undefined
        const optional =
          field.nullable ||
          field.default !== undefined ||
          madeWhenMissing === true ||
          keys.includes(field.name) ||
          (field.type.kind === 'list' && !isFlags(field.type)) ||
          navigation !== undefined
        return {
          ...field,
          optional,
          ...present({
            type: navigation && this.retargeted(field.type, navigation, true, field.origin),
          }),
        }
      },
    )
  }

  /**
   * The shape of changes: everything may be left out, and stays then as it is, whatever its
   * default; keys, and what is fixed once and for all, can't be changed.
   */
  changesShape(id: TypeId): TypeId {
    return this.variant(
      id,
      changesId,
      (name) => `${name}Changes`,
      (field, keys) => {
        const { computed, navigation, about, immutable } = fieldSpecifics(field)
        if (computed === true || about === true || immutable === true || keys.includes(field.name))
          return undefined
        const { default: _, ...others } = field
        if (navigation === undefined) return { ...others, optional: true }
        const isDeep = this.csdl.version === '4.01'
        return navigation.set === undefined && !isDeep
          ? undefined
          : {
              ...others,
              optional: true,
              type: this.retargeted(field.type, navigation, isDeep, field.origin),
            }
      },
    )
  }

  /**
   * What hangs off an entity that is sent: new ones, which have the shape of those, or ones that
   * are there, by their keys.
   */
  private retargeted(type: Type, navigation: Navigation, mayBeNew: boolean, origin: Origin): Type {
    if (type.kind === 'list')
      return { ...type, item: this.retargeted(type.item, navigation, mayBeNew, origin) }
    if (type.kind !== 'reference') return type
    const made: Type[] = mayBeNew ? [{ ...type, to: this.newShape(type.to) }] : []
    const bound: Type[] =
      navigation.set === undefined
        ? []
        : [
            {
              kind: 'record',
              fields: [
                {
                  name: special.bind,
                  type: {
                    kind: 'union',
                    alternatives: [keyType(this.keyFields(type.to)), { kind: 'fragment' }],
                  },
                  optional: false,
                  nullable: false,
                  documentation: `The key of an entity of ${navigation.set} that is there, or the call of the same batch that makes it.`,
                  origin,
                },
              ],
            },
          ]
    const [only, ...others] = [...made, ...bound]
    return only === undefined || others.length > 0
      ? { kind: 'union', alternatives: [...made, ...bound] }
      : only
  }

  private variant(
    id: TypeId,
    idOf: (id: TypeId) => TypeId,
    nameOf: (name: string) => string,
    shape: (field: Field, keys: readonly string[]) => Field | undefined,
  ): TypeId {
    const made = idOf(id)
    if (Object.hasOwn(this.types, made)) return made
    const record = this.record(id)
    // Set first: types can be recursive, and lead to each other in long chains, which no stack is
    // deep enough for.
    this.types[made] = { ...record, id: made, name: nameOf(record.name), variantOf: id, fields: [] }
    this.shapes.push(() => {
      const keys = this.keyFields(id).map((field) => field.name)
      const fields = record.fields
        .map((field) => shape(field, keys))
        .filter((field) => field !== undefined)
      const base =
        record.base === undefined
          ? {}
          : { base: { ...record.base, to: this.variant(record.base.to, idOf, nameOf, shape) } }
      this.types[made] = {
        ...record,
        id: made,
        name: nameOf(record.name),
        variantOf: id,
        fields,
        ...base,
      }
      for (const subtype of this.subtypes().get(id) ?? [])
        this.variant(subtype, idOf, nameOf, shape)
    })
    if (!this.shaping) {
      this.shaping = true
      for (let next = this.shapes.pop(); next !== undefined; next = this.shapes.pop()) next()
      this.shaping = false
    }
    return made
  }

  /** The types that extend a type directly. */
  private subtypes(): ReadonlyMap<TypeId, readonly TypeId[]> {
    if (this.extending !== undefined) return this.extending
    const found = new Map<TypeId, TypeId[]>()
    for (const type of Object.values(this.types)) {
      if (type.kind !== 'record' || type.base === undefined || type.variantOf !== undefined)
        continue
      const list = found.get(type.base.to) ?? []
      list.push(type.id)
      found.set(type.base.to, list)
    }
    this.extending = found
    return found
  }
}

function scalar(
  base: ScalarBase,
  format: string,
  constraints: Constraints | undefined,
): ScalarType {
  const example = Object.hasOwn(examples, format) ? { example: examples[format] ?? '' } : {}
  return {
    kind: 'scalar',
    base,
    format,
    ...present({ constraints }),
    ...example,
  }
}

/** The value of an attribute, without marking it as read. */
function valueOf(element: XmlElement, name: string): string {
  return element.attributes.find(({ local }) => local === name)?.value ?? ''
}

/** How many there are at an end of an association (CSDL 2, section 2.1.6). */
function multiplicityOf(end: XmlElement): Multiplicity {
  const written = end.attribute('Multiplicity')
  return written === '1' || written === '0..1' ? written : '*'
}

function sameAs(element: XmlElement, name: string, value: string): boolean {
  return valueOf(element, name) === value
}

/** The version of an entity, which is said about it. */
function etagField(origin: Origin): Field {
  return {
    name: special.etag,
    type: { kind: 'scalar', base: 'text', format: 'entity tag' },
    optional: true,
    nullable: false,
    readOnly: true,
    documentation: 'The version of the entity, for `ifMatch`.',
    origin,
    specifics: { about: true } satisfies FieldSpecifics,
  }
}

/** The items of a default of a collection. */
function listed(preset: string): string[] {
  return preset
    .split(',')
    .map((each) => each.trim())
    .filter((each) => each !== '')
}

/** The ends of an association; what it says besides has no effect. */
function associationEnds(element: XmlElement): XmlElement[] {
  element.read = true
  element.attribute('Name')
  const ends = element.take(element.namespace, 'End')
  for (const end of ends) {
    for (const name of ['Role', 'Type', 'Multiplicity']) end.attribute(name)
    for (const action of end.take(end.namespace, 'OnDelete')) action.readWhole()
  }
  return ends
}

import { filled } from '../../contract/present.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Restrictions } from '../../runtime/odata/restrictions.js'
import { constantOf, memberOf, membersOf, textsOf, type Constant } from './constant-expressions.js'
import type { Csdl } from './csdl.js'
import { sap } from './namespaces.js'

/** What a service says that can be done with a set. */
export interface Capabilities {
  readonly list: boolean
  readonly get: boolean
  readonly count: boolean
  readonly create: boolean
  readonly update: boolean
  readonly replace: boolean
  readonly upsert: boolean
  readonly delete: boolean
  /** It keeps track of changes, so that they can be asked for later. */
  readonly changes: boolean
  /** It reckons over many entities ($apply), or does not say that it can't: most don't say. */
  readonly aggregate: boolean
  /** It says that it does. */
  readonly promisesSums: boolean
  readonly restricted: Restrictions | undefined
}

/** Of what no annotation speaks: everything can be done, but for what must be said. */
export const unrestricted: Capabilities = {
  list: true,
  get: true,
  count: true,
  create: true,
  update: true,
  replace: true,
  upsert: true,
  delete: true,
  changes: false,
  aggregate: false,
  promisesSums: false,
  restricted: undefined,
}

/** Members of the terms' records that have an effect. */
const readMembers: ReadonlySet<string> = new Set([
  'Insertable',
  'Updatable',
  'Upsertable',
  'Deletable',
  'Readable',
  'ReadByKeyRestrictions',
  'Filterable',
  'RequiresFilter',
  'RequiredProperties',
  'NonFilterableProperties',
  'Sortable',
  'NonSortableProperties',
  'Expandable',
  'NonExpandableProperties',
  'Countable',
  'Searchable',
  'Supported',
  'NonInsertableProperties',
  'NonInsertableNavigationProperties',
  'NonUpdatableProperties',
  'NonUpdatableNavigationProperties',
])

const vocabulary = 'Org.OData.Capabilities.V1'

/**
 * Reads the capabilities of a set from its annotations and those of its container (vocabulary
 * Capabilities), or from the attributes that gateways of version 2 have for them.
 *
 * @param path what the annotations may name as their target: `Ns.Container/Set`
 */
export function readCapabilities(
  csdl: Csdl,
  set: XmlElement,
  path: string,
  container: AnnotationTarget,
  properties: readonly XmlElement[],
): Capabilities {
  const said = new SaidOfSet(csdl, set, path, container, properties)
  const { isNew } = csdl
  const readable = said.unless('ReadRestrictions', 'Readable')
  const byKey = memberOf(said.member('ReadRestrictions', 'ReadByKeyRestrictions'), 'Readable')
  const addressable = said.unlessOld('addressable')
  const creatable = said.unless('InsertRestrictions', 'Insertable') && said.unlessOld('creatable')
  const updatable = said.unless('UpdateRestrictions', 'Updatable') && said.unlessOld('updatable')
  const upsertable = said.unless('UpdateRestrictions', 'Upsertable')
  const deletable = said.unless('DeleteRestrictions', 'Deletable') && said.unlessOld('deletable')
  const applied = said.term('ApplySupported', 'Org.OData.Aggregation.V1')
  const restricted = restrictionsOf(said, isNew)
  return {
    list: readable && addressable,
    get: byKey === undefined ? readable : byKey !== false,
    count: readable && isCountable(said) && addressable,
    create: creatable,
    update: updatable,
    replace: updatable,
    upsert: updatable && creatable && upsertable,
    delete: deletable,
    changes: isNew && said.member('ChangeTracking', 'Supported') === true,
    aggregate: isNew && (applied === undefined || isOffered(applied)),
    promisesSums: isOffered(applied),
    restricted: Object.keys(restricted).length === 0 ? undefined : restricted,
  }
}

/** What annotations speak of. */
interface AnnotationTarget {
  readonly element: XmlElement
  readonly name: string
}

/** What annotations and attributes say of one set. */
class SaidOfSet {
  private readonly csdl: Csdl
  private readonly set: XmlElement
  private readonly path: string
  private readonly container: AnnotationTarget
  private readonly properties: readonly XmlElement[]

  constructor(
    csdl: Csdl,
    set: XmlElement,
    path: string,
    container: AnnotationTarget,
    properties: readonly XmlElement[],
  ) {
    this.csdl = csdl
    this.set = set
    this.path = path
    this.container = container
    this.properties = properties
  }

  /** The value of a term: of the set, else of its container. */
  term(name: string, from = vocabulary): Constant | undefined {
    const { csdl, container } = this
    const own =
      csdl.annotation(this.set, this.path, `${from}.${name}`) ??
      csdl.annotation(container.element, container.name, `${from}.${name}`)
    if (own === undefined) return undefined
    const value = constantOf(own)
    for (const member of membersOf(value))
      if (!readMembers.has(member)) csdl.ignore(`${from}.${name}/${member}`, own)
    return value
  }

  member(name: string, member: string): Constant | undefined {
    return memberOf(this.term(name), member)
  }

  texts(name: string, member: string): string[] {
    return textsOf(this.member(name, member))
  }

  /** True unless a term says otherwise. */
  unless(name: string, member: string): boolean {
    return this.member(name, member) !== false
  }

  /** What gateways of version 2 say of the set. */
  old(name: string): string | undefined {
    return this.set.attribute(name, sap)
  }

  /** True unless such an attribute says otherwise. */
  unlessOld(name: string): boolean {
    return this.old(name) !== 'false'
  }

  /** Attributes of gateways stand at the properties; there they speak for all sets of the type. */
  propertiesWithOld(name: string, value: string): string[] {
    return this.properties
      .filter((property) => property.attribute(name, sap) === value)
      .map((property) => property.attribute('Name') ?? '')
  }
}

function isCountable(said: SaidOfSet): boolean {
  return said.unless('CountRestrictions', 'Countable') && said.unlessOld('countable')
}

/** What can't be asked of a set, or only so. */
function restrictionsOf(said: SaidOfSet, isNew: boolean): Restrictions {
  const isSearchable = isNew
    ? said.unless('SearchRestrictions', 'Searchable')
    : said.old('searchable') === 'true'
  const isPageable = said.unlessOld('pageable')
  const offered: Readonly<Record<string, boolean>> = {
    filter: said.unless('FilterRestrictions', 'Filterable'),
    orderBy: said.unless('SortRestrictions', 'Sortable'),
    expand: said.unless('ExpandRestrictions', 'Expandable'),
    select: said.unless('SelectSupport', 'Supported'),
    top: said.term('TopSupported') !== false && said.unlessOld('topable') && isPageable,
    skip: said.term('SkipSupported') !== false && isPageable,
    count: isCountable(said),
    search: isSearchable || !isNew,
  }
  const filtered = [
    ...said.texts('FilterRestrictions', 'RequiredProperties'),
    ...said.propertiesWithOld('required-in-filter', 'true'),
  ]
  const mustFilter =
    said.member('FilterRestrictions', 'RequiresFilter') === true ||
    said.old('requires-filter') === 'true'
  return {
    ...filled({
      without: Object.keys(offered).filter((option) => offered[option] === false),
      // Version 2 itself has no search.
      has: isSearchable && !isNew ? ['search'] : [],
      unfiltered: [
        ...said.texts('FilterRestrictions', 'NonFilterableProperties'),
        ...said.propertiesWithOld('filterable', 'false'),
      ],
      unsorted: [
        ...said.texts('SortRestrictions', 'NonSortableProperties'),
        ...said.propertiesWithOld('sortable', 'false'),
      ],
      unexpanded: said.texts('ExpandRestrictions', 'NonExpandableProperties'),
      notCreated: [
        ...said.texts('InsertRestrictions', 'NonInsertableProperties'),
        ...said.texts('InsertRestrictions', 'NonInsertableNavigationProperties'),
      ],
      notChanged: [
        ...said.texts('UpdateRestrictions', 'NonUpdatableProperties'),
        ...said.texts('UpdateRestrictions', 'NonUpdatableNavigationProperties'),
      ],
    }),
    ...(filtered.length > 0 || mustFilter ? { filtered } : {}),
  }
}

/** Said with any value but null and false. */
function isOffered(value: Constant | undefined): boolean {
  return value !== undefined && value !== null && value !== false
}

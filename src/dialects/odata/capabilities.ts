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
  container: { readonly element: XmlElement; readonly name: string },
  properties: readonly XmlElement[],
): Capabilities {
  const term = (name: string, from = vocabulary): Constant | undefined => {
    const own =
      csdl.annotation(set, path, `${from}.${name}`) ??
      csdl.annotation(container.element, container.name, `${from}.${name}`)
    if (own === undefined) return undefined
    const value = constantOf(own)
    for (const member of membersOf(value))
      if (!readMembers.has(member)) csdl.ignore(`${from}.${name}/${member}`, own)
    return value
  }
  const said = (name: string, member: string): boolean => memberOf(term(name), member) !== false
  const names = (name: string, member: string): string[] => textsOf(memberOf(term(name), member))
  const old = (name: string): string | undefined => set.attribute(name, sap)
  const [reads, filters, sorts, expands] = [
    term('ReadRestrictions'),
    term('FilterRestrictions'),
    term('SortRestrictions'),
    term('ExpandRestrictions'),
  ]
  const [creatable, updatable, deletable] = [
    said('InsertRestrictions', 'Insertable') && old('creatable') !== 'false',
    said('UpdateRestrictions', 'Updatable') && old('updatable') !== 'false',
    said('DeleteRestrictions', 'Deletable') && old('deletable') !== 'false',
  ]
  const searchable = csdl.isNew
    ? said('SearchRestrictions', 'Searchable')
    : old('searchable') === 'true'
  const [top, skip] = [
    term('TopSupported') !== false && old('topable') !== 'false',
    term('SkipSupported') !== false,
  ]
  const pageable = old('pageable') !== 'false'
  const countable = said('CountRestrictions', 'Countable') && old('countable') !== 'false'
  const filterable = memberOf(filters, 'Filterable') !== false
  const sortable = memberOf(sorts, 'Sortable') !== false
  const expandable = memberOf(expands, 'Expandable') !== false
  const selectable = memberOf(term('SelectSupport'), 'Supported') !== false
  // Attributes of gateways stand at the properties; there they speak for all sets of the type.
  const withOld = (attribute: string, value: string): string[] =>
    properties
      .filter((property) => property.attribute(attribute, sap) === value)
      .map((property) => property.attribute('Name') ?? '')
  const [required, mustFilter] = [
    [...textsOf(memberOf(filters, 'RequiredProperties')), ...withOld('required-in-filter', 'true')],
    memberOf(filters, 'RequiresFilter') === true || old('requires-filter') === 'true',
  ]
  const lists = {
    without: [
      ...(filterable ? [] : ['filter']),
      ...(sortable ? [] : ['orderBy']),
      ...(expandable ? [] : ['expand']),
      ...(selectable ? [] : ['select']),
      ...(top && pageable ? [] : ['top']),
      ...(skip && pageable ? [] : ['skip']),
      ...(countable ? [] : ['count']),
      ...(searchable || !csdl.isNew ? [] : ['search']),
    ],
    // Version 2 itself has no search.
    has: searchable && !csdl.isNew ? ['search'] : [],
    unfiltered: [
      ...textsOf(memberOf(filters, 'NonFilterableProperties')),
      ...withOld('filterable', 'false'),
    ],
    unsorted: [
      ...textsOf(memberOf(sorts, 'NonSortableProperties')),
      ...withOld('sortable', 'false'),
    ],
    unexpanded: textsOf(memberOf(expands, 'NonExpandableProperties')),
    notCreated: [
      ...names('InsertRestrictions', 'NonInsertableProperties'),
      ...names('InsertRestrictions', 'NonInsertableNavigationProperties'),
    ],
    notChanged: [
      ...names('UpdateRestrictions', 'NonUpdatableProperties'),
      ...names('UpdateRestrictions', 'NonUpdatableNavigationProperties'),
    ],
  }
  const told = Object.fromEntries(
    Object.entries(lists).filter(([, each]) => each.length > 0),
  ) as Restrictions
  const restricted: Restrictions = {
    ...told,
    ...(required.length > 0 || mustFilter ? { filtered: required } : {}),
  }
  const applied = term('ApplySupported', 'Org.OData.Aggregation.V1')
  const readable = memberOf(reads, 'Readable') !== false
  const byKey = memberOf(memberOf(reads, 'ReadByKeyRestrictions'), 'Readable')
  return {
    list: readable && old('addressable') !== 'false',
    get: byKey === undefined ? readable : byKey !== false,
    count: readable && countable && old('addressable') !== 'false',
    create: creatable,
    update: updatable,
    replace: updatable,
    upsert: updatable && creatable && memberOf(term('UpdateRestrictions'), 'Upsertable') !== false,
    delete: deletable,
    changes: csdl.isNew && memberOf(term('ChangeTracking'), 'Supported') === true,
    aggregate: csdl.isNew && (applied === undefined || isOffered(applied)),
    promisesSums: isOffered(applied),
    restricted: Object.keys(restricted).length === 0 ? undefined : restricted,
  }
}

/** Said with any value but null and false. */
function isOffered(value: Constant | undefined): boolean {
  return value !== undefined && value !== null && value !== false
}

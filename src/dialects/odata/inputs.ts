import { present } from '../../contract/present.js'
import type { Field, InputField, Origin, Type } from '../../contract/contract.js'
import { keyType } from './keys.js'
import type { Version } from './layout.js'

/** The inputs that operations on entities have. */

export function text(format: string): Type {
  return { kind: 'scalar', base: 'text', format }
}

export function input(
  name: string,
  type: Type,
  place: InputField['place'],
  documentation: string,
  origin: Origin,
  example?: unknown,
): InputField {
  return {
    name,
    type,
    optional: true,
    nullable: false,
    place,
    documentation,
    origin,
    ...present({ example }),
  }
}

/** A key is the plain value, or an object when it has several properties. */
export function keyInput(keys: readonly Field[], origin: Origin): InputField[] {
  const [only] = keys
  if (only === undefined) return []
  const type = keyType(keys)
  const said =
    only.documentation === undefined
      ? `The key: ${only.name}.`
      : `${only.name}: ${only.documentation}`
  const documentation = keys.length === 1 ? said : 'The key.'
  return [
    { name: 'key', type, optional: false, nullable: false, place: 'path', documentation, origin },
  ]
}

/** One text, or a list of items. */
function textOrList(item: Type, format: string): Type {
  return {
    kind: 'union',
    alternatives: [text(format), { kind: 'list', item }],
  }
}

export function trackChanges(origin: Origin): InputField {
  return input(
    'trackChanges',
    { kind: 'scalar', base: 'boolean', format: 'Edm.Boolean' },
    'header',
    'Have the service keep track, so that changes can be asked for later: the last page says where.',
    origin,
    true,
  )
}

export function pageSize(origin: Origin): InputField {
  return input(
    'pageSize',
    { kind: 'scalar', base: 'int32', format: 'Edm.Int32', constraints: { minimum: '1' } },
    'header',
    'How many rows a page is to have; the service may give fewer.',
    origin,
    100,
  )
}

export function contentInputs(origin: Origin): InputField[] {
  return [
    {
      ...input(
        'content',
        { kind: 'scalar', base: 'bytes', format: 'Edm.Stream' },
        'body',
        'The bytes.',
        origin,
      ),
      optional: false,
    },
    input(
      'contentType',
      text('media type'),
      'header',
      'Of what kind they are; without it nothing is said of that.',
      origin,
      'image/png',
    ),
  ]
}

/**
 * What a query can ask for (URL Conventions, section 5.1).
 *
 * @param entity the names of its properties, and of those that lead to other entities
 */
export function queryInputs(
  {
    names,
    navigations,
  }: { readonly names: readonly string[]; readonly navigations: readonly string[] },
  version: Version,
  origin: Origin,
): InputField[] {
  const [first = 'Name', second] = names
  const listOf = (item: Type): Type => textOrList(item, 'query option')
  const count: Type = {
    kind: 'scalar',
    base: 'int32',
    format: 'Edm.Int32',
    constraints: { minimum: '0' },
  }
  const fields: (InputField | undefined)[] = [
    input(
      'filter',
      text('query option'),
      'query',
      "Which ones, in OData's own language; in code also a function.",
      origin,
      `${first} ne null`,
    ),
    input('select', listOf(text('property name')), 'query', 'Only these properties.', origin, [
      first,
      ...(second === undefined ? [] : [second]),
    ]),
    navigations.length === 0
      ? undefined
      : input(
          'expand',
          listOf({ kind: 'anything' }),
          'query',
          'What hangs off it comes along: names, or names with a query of their own.',
          origin,
          navigations.slice(0, 1),
        ),
    input(
      'orderBy',
      listOf(text('property name')),
      'query',
      'In which order; ` desc` behind a name turns it round.',
      origin,
      [first],
    ),
    input('top', count, 'query', 'At most so many.', origin, 10),
    input('skip', count, 'query', 'Without the first ones.', origin, 0),
    input(
      'search',
      text('search'),
      'query',
      "What to look for, in the service's own way.",
      origin,
      'words',
    ),
    input(
      'count',
      { kind: 'scalar', base: 'boolean', format: 'Edm.Boolean' },
      'query',
      'Count all that fit, whatever `top` and `skip` say.',
      origin,
      true,
    ),
    version === '4.01'
      ? input(
          'compute',
          text('compute'),
          'query',
          'Properties that the service reckons out: `Length mul 2 as Twice`.',
          origin,
          '1 add 1 as Two',
        )
      : undefined,
    input(
      'custom',
      { kind: 'map', value: text('text') },
      'query',
      "Options of the service's own, by name.",
      origin,
    ),
  ]
  return fields.filter((field) => field !== undefined)
}

/** What an aggregation is asked (OData Extension for Data Aggregation 4.0, section 3). */
export function aggregationInputs(
  shape: readonly InputField[],
  names: readonly string[],
  origin: Origin,
): InputField[] {
  let measure = 'Number'
  while (names.includes(measure)) measure += '_'
  return [
    ...shape.filter((field) => field.name === 'filter'),
    input(
      'groupBy',
      textOrList(text('property name'), 'query option'),
      'query',
      'One row for each combination of values of these; without them one row for all.',
      origin,
      names.slice(0, 1),
    ),
    {
      ...input(
        'measures',
        { kind: 'map', value: { kind: 'anything' } },
        'query',
        'What is reckoned out, by the name that it gets: `count`, or a property `of` and a method `by` (sum, min, max, average, countdistinct).',
        origin,
        { [measure]: 'count' },
      ),
      optional: false,
    },
  ]
}

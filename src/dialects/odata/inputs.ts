import type { Field, InputField, Origin, Type, TypeId } from '../../contract/contract.js'
import { present } from '../../contract/present.js'
import { keyType } from './keys.js'
import type { Version } from './specifics.js'

/** The inputs that operations on entities have. */

/** What an input that may be left out is made of. */
interface Described {
  readonly name: string
  readonly type: Type
  readonly place: InputField['place']
  readonly documentation: string
  readonly example?: unknown
}

/** An input that may be left out. */
export function input(
  { name, type, place, documentation, example }: Described,
  origin: Origin,
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

/** An input that must be given. */
export function required(described: Described, origin: Origin): InputField {
  return { ...input(described, origin), optional: false }
}

/** A text, and what it is a text of. */
export function text(format: string): Type {
  return { kind: 'scalar', base: 'text', format }
}

const truth: Type = { kind: 'scalar', base: 'boolean', format: 'Edm.Boolean' }
const bytes: Type = { kind: 'scalar', base: 'bytes', format: 'Edm.Stream' }

function wholeNumber(minimum: string): Type {
  return { kind: 'scalar', base: 'int32', format: 'Edm.Int32', constraints: { minimum } }
}

/** A query option: one text, or a list of items. */
function optionOf(item: Type): Type {
  return { kind: 'union', alternatives: [text('query option'), { kind: 'list', item }] }
}

/** A key is the plain value, or an object when it has several properties. */
export function keyInput(keys: readonly Field[], origin: Origin): InputField[] {
  const [only, ...others] = keys
  if (only === undefined) return []
  return [
    {
      name: 'key',
      type: keyType(keys),
      optional: false,
      nullable: false,
      place: 'path',
      documentation: others.length === 0 ? keyInWords(only) : 'The key.',
      origin,
    },
  ]
}

function keyInWords({ name, documentation }: Field): string {
  return documentation === undefined ? `The key: ${name}.` : `${name}: ${documentation}`
}

/** The body of what is sent: an entity, or what changes of it. */
export function bodyInput(to: TypeId, origin: Origin): InputField {
  return {
    name: 'body',
    type: { kind: 'reference', to },
    optional: false,
    nullable: false,
    place: 'body',
    origin,
  }
}

export function trackChanges(origin: Origin): InputField {
  return input(
    {
      name: 'trackChanges',
      type: truth,
      place: 'header',
      documentation:
        'Have the service keep track, so that changes can be asked for later: the last page says where.',
      example: true,
    },
    origin,
  )
}

/** Where changes are asked for. */
export function sinceInput(origin: Origin): InputField {
  return required(
    {
      name: 'since',
      type: text('URL'),
      place: 'query',
      documentation: 'The address that the last page of a list, or of changes, gave as `changes`.',
      example: 'https://register.example/$delta',
    },
    origin,
  )
}

export function pageSize(origin: Origin): InputField {
  return input(
    {
      name: 'pageSize',
      type: wholeNumber('1'),
      place: 'header',
      documentation: 'How many rows a page is to have; the service may give fewer.',
      example: 100,
    },
    origin,
  )
}

/**
 * The input that asks for an entity only where it is another version (RFC 9110, section 13.1.2).
 */
export function ifNoneMatchInput(origin: Origin): InputField {
  return input(
    {
      name: 'ifNoneMatch',
      type: text('entity tag'),
      place: 'header',
      documentation: 'Only if the entity has not this ETag any more; else nothing comes (304).',
      example: 'W/"1"',
    },
    origin,
  )
}

/**
 * The input that says for which version of an entity a request is meant.
 *
 * @param guarded the service guards its entities against lost changes
 */
export function ifMatchInput(guarded: boolean, origin: Origin): InputField {
  const insists = guarded ? ' The service guards against lost changes, and may insist on it.' : ''
  return input(
    {
      name: 'ifMatch',
      type: text('entity tag'),
      place: 'header',
      documentation: `Only if the entity still has this ETag; \`*\` for any.${insists}`,
      example: '*',
    },
    origin,
  )
}

/** What bytes are sent with. */
export function contentInputs(origin: Origin): InputField[] {
  return [
    required({ name: 'content', type: bytes, place: 'body', documentation: 'The bytes.' }, origin),
    input(
      {
        name: 'contentType',
        type: text('media type'),
        place: 'header',
        documentation: 'Of what kind they are; without it nothing is said of that.',
        example: 'image/png',
      },
      origin,
    ),
  ]
}

/** What bytes that become an entity are to be called. */
export function slugInput(origin: Origin): InputField {
  return input(
    {
      name: 'slug',
      type: text('Slug'),
      place: 'header',
      documentation: 'What it is to be called, for services that make something of that.',
      example: 'photo',
    },
    origin,
  )
}

/** Which stream of an entity is meant: none where it has none besides its own bytes. */
export function streamInput(
  streams: readonly string[],
  isMedia: boolean,
  origin: Origin,
): InputField[] {
  if (streams.length === 0) return []
  const type: Type = {
    kind: 'enumeration',
    members: streams.map((each) => ({ value: each, origin })),
    base: { kind: 'scalar', base: 'text', format: 'property name' },
  }
  const documentation = isMedia
    ? 'Which stream; without it, the bytes that the entity stands for.'
    : 'Which stream.'
  const which = { name: 'stream', type, place: 'path', documentation, example: streams[0] } as const
  return isMedia || streams.length === 1 ? [input(which, origin)] : [required(which, origin)]
}

/** The names of an entity's properties, and of those that lead to other entities. */
export interface PropertyNames {
  readonly names: readonly string[]
  readonly navigations: readonly string[]
}

/** What a query can ask for (URL Conventions, section 5.1). */
export function queryInputs(
  properties: PropertyNames,
  version: Version,
  origin: Origin,
): InputField[] {
  const isMissing = ({ name }: QueryOption): boolean =>
    (name === 'expand' && properties.navigations.length === 0) ||
    (name === 'compute' && version !== '4.01')
  return [...optionsWithNames(properties), ...plainOptions]
    .filter((option) => !isMissing(option))
    .map((option) => input({ ...option, place: 'query' }, origin))
}

type QueryOption = Omit<Described, 'place'>

/** Options that name properties. */
function optionsWithNames({ names, navigations }: PropertyNames): QueryOption[] {
  const [first = 'Name', ...others] = names
  return [
    {
      name: 'filter',
      type: text('query option'),
      documentation: "Which ones, in OData's own language; in code also a function.",
      example: `${first} ne null`,
    },
    {
      name: 'select',
      type: optionOf(text('property name')),
      documentation: 'Only these properties.',
      example: [first, ...others.slice(0, 1)],
    },
    {
      name: 'expand',
      type: optionOf({ kind: 'anything' }),
      documentation: 'What hangs off it comes along: names, or names with a query of their own.',
      example: navigations.slice(0, 1),
    },
    {
      name: 'orderBy',
      type: optionOf(text('property name')),
      documentation: 'In which order; ` desc` behind a name turns it round.',
      example: [first],
    },
  ]
}

const plainOptions: readonly QueryOption[] = [
  { name: 'top', type: wholeNumber('0'), documentation: 'At most so many.', example: 10 },
  { name: 'skip', type: wholeNumber('0'), documentation: 'Without the first ones.', example: 0 },
  {
    name: 'search',
    type: text('search'),
    documentation: "What to look for, in the service's own way.",
    example: 'words',
  },
  {
    name: 'count',
    type: truth,
    documentation: 'Count all that fit, whatever `top` and `skip` say.',
    example: true,
  },
  {
    name: 'compute',
    type: text('compute'),
    documentation: 'Properties that the service reckons out: `Length mul 2 as Twice`.',
    example: '1 add 1 as Two',
  },
  {
    name: 'custom',
    type: { kind: 'map', value: text('text') },
    documentation: "Options of the service's own, by name.",
  },
]

/** What an aggregation is asked (OData Extension for Data Aggregation 4.0, section 3). */
export function aggregationInputs(
  shape: readonly InputField[],
  names: readonly string[],
  origin: Origin,
): InputField[] {
  let measure = 'Number'
  while (names.includes(measure)) measure += '_'
  return [
    ...shape
      .filter((field) => field.name === 'filter')
      .map((field) => ({ ...field, optional: true })),
    input(
      {
        name: 'groupBy',
        type: optionOf(text('property name')),
        place: 'query',
        documentation:
          'One row for each combination of values of these; without them one row for all.',
        example: names.slice(0, 1),
      },
      origin,
    ),
    required(
      {
        name: 'measures',
        type: { kind: 'map', value: { kind: 'anything' } },
        place: 'query',
        documentation:
          'What is reckoned out, by the name that it gets: `count`, or a property `of` and a method `by` (sum, min, max, average, countdistinct).',
        example: { [measure]: 'count' },
      },
      origin,
    ),
  ]
}

import type { InputField, Outcome, Type } from '../../contract/contract.js'
import { filled, marked } from '../../contract/present.js'
import type { Capabilities } from './capabilities.js'
import {
  aggregationInputs,
  bodyInput,
  contentInputs,
  ifNoneMatchInput,
  pageSize,
  sinceInput,
  slugInput,
  streamInput,
  trackChanges,
} from './inputs.js'
import { keyType } from './keys.js'
import type { EntitySpecifics } from './specifics.js'
import { linkInput, linkTargets, unlinkInput } from './links.js'
import { named, type Subject } from './subject.js'
import type { TypeReader } from './types.js'

/** Something that can be done with a set or a singleton (Protocol, sections 11.2 to 11.4). */
export interface Verb {
  readonly kind: EntitySpecifics['kind']
  /** What the operation is called, where that is not its kind. */
  readonly called?: string
  /** The capability by which a service says that it does not offer it. */
  readonly wants?: keyof Capabilities
  isFor(subject: Subject): boolean
  sentence(subject: Subject): string
  inputs(subject: Subject, types: TypeReader): readonly InputField[]
  outcome(subject: Subject): Outcome
  /** What the wire needs to know besides. */
  facts?(subject: Subject): Partial<EntitySpecifics>
}

const isSet = ({ isSingleton }: Subject): boolean => !isSingleton
const isAddressedSet = (subject: Subject): boolean => isSet(subject) && subject.isAddressed
const hasBytes = ({ isAddressed, isMedia, streams }: Subject): boolean =>
  isAddressed && (isMedia || streams.length > 0)

function value({ origin }: Subject, type: Type, optional = false): Outcome & { kind: 'value' } {
  return { kind: 'value', field: { name: 'value', type, optional, nullable: false, origin } }
}

const oneOf = (subject: Subject): Type => ({ kind: 'reference', to: subject.entity })
const oneEntity = (subject: Subject): Outcome => value(subject, oneOf(subject))
/** Services may also say that it was done, and no more. */
const maybeOneEntity = (subject: Subject): Outcome => value(subject, oneOf(subject), true)
const nothing = (): Outcome => ({ kind: 'nothing' })
const rows = (subject: Subject, item: Type): Outcome => ({
  ...value(subject, { kind: 'list', item }),
  iterable: true,
})

const newEntity = (subject: Subject): InputField => bodyInput(subject.newShape(), subject.origin)

function streamFacts({ isMedia, streams }: Subject): Partial<EntitySpecifics> {
  return {
    ...marked({ media: isMedia }),
    ...filled({ streams }),
  }
}

/** All verbs, in the order in which a client has them. */
export const verbs: readonly Verb[] = [
  {
    kind: 'list',
    wants: 'list',
    isFor: isSet,
    sentence: ({ name }) =>
      `Lists the entities of ${name}: all of them, page by page, or those that fit.`,
    inputs: ({ outer, query, isNew, capabilities, origin }) => [
      ...outer,
      ...query,
      ...(isNew ? [pageSize(origin)] : []),
      ...(capabilities.changes ? [trackChanges(origin)] : []),
    ],
    outcome: (subject) => rows(subject, oneOf(subject)),
  },
  {
    kind: 'get',
    wants: 'get',
    isFor: ({ isAddressed }) => isAddressed,
    sentence: ({ name, isSingleton }) =>
      isSingleton ? `Gets ${name}.` : `Gets one entity of ${name} by its key.`,
    inputs: ({ key, partial, origin }) => [...key, ...partial, ifNoneMatchInput(origin)],
    outcome: oneEntity,
  },
  {
    kind: 'count',
    wants: 'count',
    isFor: isSet,
    sentence: ({ name }) => `Counts the entities of ${name}, or those that fit.`,
    inputs: ({ outer, query }) => [...outer, ...named(query, ['filter', 'search', 'custom'])],
    outcome: (subject) => value(subject, { kind: 'scalar', base: 'int32', format: 'Edm.Int32' }),
  },
  {
    kind: 'changes',
    isFor: (subject) => isSet(subject) && subject.capabilities.changes,
    sentence: ({ name }) => `What changed in ${name} since it was listed with \`trackChanges\`.`,
    inputs: ({ outer, origin }) => [...outer, sinceInput(origin)],
    outcome: (subject) => rows(subject, { kind: 'anything' }),
  },
  {
    kind: 'aggregate',
    isFor: (subject) => isSet(subject) && subject.capabilities.aggregate,
    sentence: ({ name, capabilities }) =>
      `Reckons over the entities of ${name}: how many there are, sums, averages.${capabilities.promisesSums ? '' : ' The metadata does not say whether the service can.'}`,
    inputs: ({ outer, query, properties, origin }) => [
      ...outer,
      ...aggregationInputs(query, properties.names, origin),
    ],
    outcome: (subject) =>
      value(subject, { kind: 'list', item: { kind: 'map', value: { kind: 'anything' } } }),
  },
  {
    kind: 'createMedia',
    called: 'create',
    wants: 'create',
    isFor: (subject) => isSet(subject) && subject.isMedia,
    sentence: ({ name }) =>
      `Creates an entity in ${name} from the bytes that it stands for; its properties are changed afterwards.`,
    inputs: ({ outer, origin }) => [...outer, ...contentInputs(origin), slugInput(origin)],
    outcome: oneEntity,
    facts: () => ({ media: true }),
  },
  {
    // Gateways of version 2 also take such entities like others, and the bytes later.
    kind: 'create',
    called: 'createWithoutContent',
    wants: 'create',
    isFor: (subject) => isSet(subject) && subject.isMedia && !subject.isNew,
    sentence: ({ name }) =>
      `Creates an entity in ${name} without the bytes that it stands for; they are uploaded afterwards.`,
    inputs: (subject) => [...subject.outer, newEntity(subject)],
    outcome: oneEntity,
  },
  {
    kind: 'create',
    wants: 'create',
    isFor: (subject) => isSet(subject) && !subject.isMedia,
    sentence: ({ name }) =>
      `Creates an entity in ${name} and gives it back as the service made it.`,
    inputs: (subject) => [...subject.outer, newEntity(subject)],
    outcome: oneEntity,
  },
  {
    kind: 'update',
    wants: 'update',
    isFor: ({ isAddressed }) => isAddressed,
    sentence: ({ name, isSingleton }) =>
      isSingleton
        ? `Changes some properties of ${name}.`
        : `Changes some properties of an entity of ${name}; what is not named stays.`,
    inputs: ({ key, changesShape, ifMatch, changed, origin }) => [
      ...key,
      bodyInput(changesShape(), origin),
      ifMatch,
      ...changed,
    ],
    outcome: maybeOneEntity,
  },
  {
    kind: 'download',
    isFor: hasBytes,
    sentence: ({ name, isMedia }) =>
      isMedia
        ? `The bytes that an entity of ${name} stands for; null when there are none.`
        : `The bytes of a stream of an entity of ${name}; null when there are none.`,
    inputs: ({ key, streams, isMedia, origin }) => [
      ...key,
      ...streamInput(streams, isMedia, origin),
    ],
    outcome: ({ origin }) => ({
      kind: 'value',
      field: {
        name: 'value',
        type: { kind: 'scalar', base: 'bytes', format: 'Edm.Stream' },
        optional: false,
        nullable: true,
        origin,
      },
    }),
    facts: streamFacts,
  },
  {
    kind: 'upload',
    wants: 'update',
    isFor: hasBytes,
    sentence: ({ name }) => `Puts bytes in the place of those of an entity of ${name}.`,
    inputs: ({ key, streams, isMedia, ifMatch, origin }) => [
      ...key,
      ...streamInput(streams, isMedia, origin),
      ...contentInputs(origin),
      ifMatch,
    ],
    outcome: nothing,
    facts: streamFacts,
  },
  {
    // Bytes that an entity itself stands for go with it (section 11.4.7.3).
    kind: 'clear',
    wants: 'update',
    isFor: ({ isAddressed, streams }) => isAddressed && streams.length > 0,
    sentence: ({ name }) => `Takes the bytes of a stream of an entity of ${name} away.`,
    inputs: ({ key, streams, ifMatch, origin }) => [
      ...key,
      ...streamInput(streams, false, origin),
      ifMatch,
    ],
    outcome: nothing,
    facts: ({ streams }) => ({ streams }),
  },
  {
    kind: 'replace',
    wants: 'replace',
    isFor: isAddressedSet,
    sentence: ({ name }) => `Replaces an entity of ${name}: what is not given gets its default.`,
    inputs: (subject) => [...subject.key, newEntity(subject), subject.ifMatch, ...subject.changed],
    outcome: maybeOneEntity,
  },
  {
    kind: 'upsert',
    wants: 'upsert',
    isFor: (subject) => isAddressedSet(subject) && subject.isNew,
    sentence: ({ name }) =>
      `Changes an entity of ${name}, or creates it under this key when there is none.`,
    inputs: (subject) => [...subject.key, newEntity(subject), subject.ifMatch, ...subject.changed],
    outcome: maybeOneEntity,
  },
  {
    kind: 'delete',
    wants: 'delete',
    isFor: isAddressedSet,
    sentence: ({ name }) => `Deletes an entity of ${name}.`,
    inputs: ({ key, ifMatch }) => [...key, ifMatch],
    outcome: nothing,
  },
  {
    kind: 'link',
    wants: 'update',
    isFor: ({ isAddressed, links }) => isAddressed && links.length > 0,
    sentence: ({ name }) =>
      `Links an entity of ${name} to another one that is there: exactly one of the inputs besides the key says which.`,
    inputs: ({ key, links, origin }, types) => [
      ...key,
      ...links.map((link) => linkInput(link, keyType(types.keyFields(link.target)), origin)),
    ],
    outcome: nothing,
    facts: ({ links }) => ({ targets: linkTargets(links) }),
  },
  {
    kind: 'unlink',
    wants: 'update',
    isFor: ({ isAddressed, links }) => isAddressed && links.some(({ isFixed }) => !isFixed),
    sentence: ({ name }) => `Takes a link of an entity of ${name} away; the entities stay.`,
    inputs: ({ key, links, origin }, types) => [
      ...key,
      ...links
        .filter(({ isFixed }) => !isFixed)
        .map((link) =>
          link.isMany
            ? linkInput(link, keyType(types.keyFields(link.target)), origin)
            : unlinkInput(link, origin),
        ),
    ],
    outcome: nothing,
    facts: ({ links }) => ({ targets: linkTargets(links.filter(({ isFixed }) => !isFixed)) }),
  },
]

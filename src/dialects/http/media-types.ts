import type { DataNode } from '../../documents/data-node.js'
import type { Notes } from '../notes.js'
import { referenceOf, type References } from './references.js'
import { isObjectSchema } from './schema-facts.js'

/** The ways in which content travels. */
export type ContentKind =
  'json' | 'form' | 'multipart' | 'text' | 'xml' | 'events' | 'lines' | 'bytes'

/** One of the media types that a body or an answer may have. */
export interface Media {
  /** As written, or what is sent in its stead when that is a range. */
  readonly mediaType: string
  readonly kind: ContentKind
  readonly node: DataNode
  /** The schema of the content, or of one item of a sequence. */
  readonly schema: DataNode | undefined
}

const kinds: readonly (readonly [RegExp, ContentKind])[] = [
  [/^(?:text\/event-stream)/i, 'events'],
  [
    /^application\/(?:x-)?(?:jsonl|ndjson|jsonlines|json-lines|json-seq|geo\+json-seq|stream\+json)\b|^application\/[\w.-]+\+(?:jsonl|ndjson|json-seq)/i,
    'lines',
  ],
  [/^[^;]*[/+]json\b/i, 'json'],
  [/^application\/x-www-form-urlencoded/i, 'form'],
  [/^multipart\/form-data/i, 'multipart'],
  [/^(?:application|text)\/(?:[\w.-]+\+)?xml\b/i, 'xml'],
  [/^text\//i, 'text'],
]

/** The kind of a media type, by its name alone. */
export function kindOf(mediaType: string): ContentKind {
  return kinds.find(([pattern]) => pattern.test(mediaType))?.[1] ?? 'bytes'
}

const order: readonly ContentKind[] = [
  'json',
  'multipart',
  'form',
  'xml',
  'events',
  'lines',
  'text',
  'bytes',
]

/**
 * The media types of a `content`, those first that are understood best; of several spellings of one
 * thing only the first.
 */
export function readMedia(owner: DataNode, references: References, notes: Notes): Media[] {
  // What names one media type goes before what names a range of them.
  const entries = [...owner.entries('content')].sort(
    ([a], [b]) => Number(a.includes('*')) - Number(b.includes('*')),
  )
  const all = entries.map(([name, each]): Media => {
    const node = references.settle(each)
    const item = node.get('itemSchema')
    const schema = node.get('schema')
    const named = kindOf(name)
    // Anything at all, or a name of the maker's own with an object in it, is JSON as a rule.
    const isRange = name.includes('*')
    const isStructured = schema !== undefined && isObjectSchema(schema, references)
    const isRaw = schema !== undefined && isBinary(schema, references)
    const isAnyJson = isRange && /^(?:\*\/\*|application\/\*)$/.test(name.trim()) && !isRaw
    const isOwnJson = named === 'bytes' && isStructured && !/^multipart\//i.test(name)
    // Texts of JSON and XML are no sequence of octets: what is one goes as it is.
    const isRawStructure = isRaw && isStructuredText(named)
    const asNamed = isRawStructure ? 'bytes' : named
    const whole = isAnyJson || isOwnJson ? 'json' : asNamed
    const kind = whole === 'json' && saysItStreams(owner, node, schema) ? 'lines' : whole
    const tell = (as: string, reason: string): void =>
      notes.add(
        'approximated',
        'TM-2315',
        { what: `The media type ${name}`, as, reason },
        node.origin,
      )
    if (kind !== whole) tell('a sequence of JSON texts', 'its description says that it streams')
    // A file of version 2.0 has the media types of all its neighbours.
    if (isRawStructure && schema?.members.get('type')?.value !== 'file')
      tell('bytes', 'its schema says that it is binary')
    if (kind === 'json' && named !== 'json')
      tell('JSON', isRange ? 'it may be anything' : 'it carries an object')
    else if (isStructured && kind === 'bytes')
      tell('bytes', 'its parts are not written or read one by one')
    return {
      mediaType: isRange ? oneOfRange(name, kind) : name,
      kind,
      node,
      schema: item ?? schema,
    }
  })
  all.sort((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind))
  const different = all.filter(
    (media, at) =>
      all.findIndex(
        (other) =>
          other.kind === media.kind &&
          isSameSchema(other.schema, media.schema) &&
          (media.kind === 'json' || media.kind === 'xml' || other.mediaType === media.mediaType),
      ) === at,
  )
  const used = onceEach(different, notes)
  for (const media of all) if (!used.includes(media)) media.node.readWhole()
  return used
}

/**
 * Gateways that turn streams into JSON texts, one after the other, have no media type for that:
 * they say so in words or in extensions.
 */
function saysItStreams(owner: DataNode, node: DataNode, schema: DataNode | undefined): boolean {
  const hasMark = [owner, node].some((each) =>
    [...each.members].some(
      ([key, { value }]) => /^x-(?:is-)?stream(?:s|ed|ing)?$/i.test(key) && value === true,
    ),
  )
  const words = String(owner.members.get('description')?.value ?? '')
  const title = String(schema?.members.get('title')?.value ?? '')
  return (
    hasMark ||
    /\(streaming (?:responses?|inputs?)\)/i.test(words) ||
    /^stream result of /i.test(title)
  )
}

/**
 * Each media type once: a range and a media type of its kind may come to the same one, of which
 * only one says what is in it.
 */
function onceEach(all: readonly Media[], notes: Notes): Media[] {
  const byType = new Map<string, Media>()
  for (const media of all) {
    const type = media.mediaType.toLowerCase()
    const known = byType.get(type)
    if (known === undefined || (known.schema === undefined && media.schema !== undefined))
      byType.set(type, media)
  }
  const isUsed = (media: Media): boolean => byType.get(media.mediaType.toLowerCase()) === media
  for (const { mediaType, schema, node } of all.filter((media) => !isUsed(media)))
    if (schema !== undefined)
      notes.add(
        'approximated',
        'TM-2315',
        {
          what: `Another description of ${mediaType}`,
          as: 'the one before',
          reason: 'the media type is the same',
        },
        node.origin,
      )
  return all.filter(isUsed)
}

/** Texts with a structure of their own, which bytes don't have. */
export function isStructuredText(kind: Media['kind']): boolean {
  return kind === 'json' || kind === 'xml' || kind === 'lines'
}

function isBinary(schema: DataNode, references: References): boolean {
  const target = references.peek(schema) ?? schema
  return (
    target.members.get('format')?.value === 'binary' || target.members.get('type')?.value === 'file'
  )
}

function isSameSchema(a: DataNode | undefined, b: DataNode | undefined): boolean {
  if (a === undefined || b === undefined) return a === b
  return (
    a === b ||
    (referenceOf(a) !== undefined && referenceOf(a)?.value === referenceOf(b)?.value) ||
    JSON.stringify(a.plain()) === JSON.stringify(b.plain())
  )
}

/** What is sent where a range of media types may be. */
function oneOfRange(range: string, kind: Media['kind']): string {
  if (kind === 'json') return 'application/json'
  return range
    .replace('*/*', 'application/octet-stream')
    .replace('/*', kind === 'text' ? '/plain' : '/octet-stream')
}

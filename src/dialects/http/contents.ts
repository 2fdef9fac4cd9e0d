import type {
  Field,
  InputField,
  NamedType,
  Operation,
  Origin,
  RecordType,
  ReferenceType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { filled, marked, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Style } from '../../runtime/http/parameters.js'
import type { Notes } from '../notes.js'
import { documented, fitting } from './annotations.js'
import { inRequests } from './anonymous-types.js'
import type { Direction } from './directions.js'
import type { BodySpecifics, ContentSpecifics, EncodingSpecifics } from './specifics.js'
import { readMedia, type Media } from './media-types.js'
import type { References } from './references.js'
import { placeOf, schemaName } from './schema-facts.js'
import type { Placed, SchemaReader, Where } from './schemas.js'
import { isToken } from './tokens.js'
import { xmlSpecifics } from './xml-specifics.js'

interface Content {
  readonly specifics: ContentSpecifics
  readonly placed: Placed
}

/** Several contents: their distinct types, and the variants that say which has which. */
export interface Contents {
  readonly variants: readonly ContentSpecifics[]
  readonly types: readonly Placed[]
}

/**
 * Reads bodies and answers: their media types, and what each carries (OpenAPI 3.1, sections 4.8.13
 * to 4.8.17).
 */
export class ContentReader {
  private readonly references: References
  private readonly schemas: SchemaReader
  private readonly notes: Notes

  constructor(references: References, schemas: SchemaReader, notes: Notes) {
    this.references = references
    this.schemas = schemas
    this.notes = notes
  }

  /**
   * The input `body`, and with it `contentType` where there is a choice.
   *
   * @param operation what the operation is called
   */
  readBody(node: DataNode, operation: string): InputField[] {
    const media = readMedia(node, this.references, this.notes).map((each): Media =>
      each.kind === 'events' ? { ...each, kind: 'text' } : each,
    )
    const [first] = media
    if (first === undefined) return []
    const { origin } = node
    const { variants, types } = this.readContents(media, placeOf(node, [operation, 'Body']), 'in')
    const several = types.length > 1
    const type: Type = several
      ? { kind: 'union', alternatives: types.map((each) => each.type) }
      : (types[0]?.type ?? { kind: 'anything' })
    const specifics: BodySpecifics = { contents: variants, ...marked({ several }) }
    const example = this.exampleOf(first)
    const body: InputField = {
      name: 'body',
      type,
      optional: !node.flag('required'),
      nullable: types.some((each) => each.nullable) && type.kind !== 'anything',
      place: 'body',
      ...documented(node),
      ...example,
      origin,
      specifics,
    }
    return media.length === 1
      ? [body]
      : [
          body,
          choice(
            'contentType',
            `How the body is written: as ${first.mediaType} when left out.`,
            variants,
            node,
          ),
        ]
  }

  /**
   * Where its bytes are files, a multipart body also takes their names and types: known once all
   * types are read.
   *
   * @param name what the operation is called
   */
  finish(operation: Operation, name: string): Operation {
    return {
      ...operation,
      inputs: operation.inputs.map((input) => {
        const specifics = input.specifics as Partial<BodySpecifics> | undefined
        if (specifics?.contents?.[0]?.kind !== 'multipart' || specifics.several === true)
          return input
        const filed = this.withFiles(input.type, name)
        return filed === undefined ? input : { ...input, type: filed }
      }),
    }
  }

  private withFiles(type: Type, name: string): Type | undefined {
    const record = type.kind === 'reference' ? this.schemas.types[type.to] : type
    if (record?.kind !== 'record') return undefined
    const isFile = (each: Type): boolean => each.kind === 'scalar' && each.base === 'bytes'
    const file = (bytes: Type, origin: Origin): Type => {
      const member = (name: string, optional: boolean, is: Type): Field => ({
        name,
        type: is,
        optional,
        nullable: false,
        origin,
      })
      const text: Type = { kind: 'scalar', base: 'text', format: 'string' }
      return {
        kind: 'union',
        alternatives: [
          bytes,
          {
            kind: 'record',
            fields: [
              member('content', false, bytes),
              member('name', true, text),
              member('type', true, text),
            ],
          },
        ],
      }
    }
    const hasFiles = record.fields.some(
      (field) => isFile(field.type) || (field.type.kind === 'list' && isFile(field.type.item)),
    )
    if (!hasFiles) return undefined
    const fields = record.fields.map((field): Field => {
      if (isFile(field.type)) return { ...field, type: file(field.type, field.origin) }
      if (field.type.kind === 'list' && isFile(field.type.item))
        return { ...field, type: { ...field.type, item: file(field.type.item, field.origin) } }
      return field
    })
    const id = `#operation:${name}/files`
    const { fields: _fields, ...rest } = record as RecordType
    this.schemas.anonymous.add(id, { steps: [name, 'Files'], title: undefined })
    const [{ origin } = { origin: 0 }] = fields
    this.schemas.types[id] = { ...rest, fields, id, name: `${name}Files`, origin }
    return { kind: 'reference', to: id }
  }

  /** Several contents of one body, and what types they have. */
  readContents(media: readonly Media[], place: readonly string[], direction: Direction): Contents {
    const contents = media.map((each, at) =>
      this.readContent(each, at === 0 ? place : [...place, each.kind], direction),
    )
    const types: Placed[] = []
    const texts: string[] = []
    const variants = contents.map(({ specifics, placed }): ContentSpecifics => {
      const text = this.shapeText(placed.type)
      let at = texts.indexOf(text)
      if (at === -1) {
        at = types.push(placed) - 1
        texts.push(text)
      }
      return { ...specifics, at }
    })
    return { variants, types }
  }

  /**
   * A type as a text that is the same for the same type, wherever it was written; types without a
   * name are what they are.
   */
  shapeText(type: Type): string {
    const { anonymous, types } = this.schemas
    const within = new Set<TypeId>()
    const write = (each: unknown): string =>
      JSON.stringify(each, (key, value: unknown) => {
        if (key === 'origin' || key === 'documentation') return undefined
        const to = (value as Partial<ReferenceType> | null)?.to
        if (typeof to !== 'string' || !anonymous.has(to) || within.has(to)) return value
        within.add(to)
        const { id: _id, name: _name, ...shape } = types[to] as NamedType
        const text = write(shape)
        within.delete(to)
        return text
      })
    return write(type)
  }

  private readContent(media: Media, steps: readonly string[], direction: Direction): Content {
    const { mediaType, kind, node, schema } = media
    const xml = kind === 'xml' && schema !== undefined ? this.rootElement(schema) : undefined
    const specifics: ContentSpecifics = {
      mediaType,
      kind,
      at: 0,
      ...filled({ encoding: this.readEncoding(node, kind) }),
      ...present({ xml }),
    }
    for (const key of ['example', 'examples']) if (direction === 'out') node.get(key)?.readWhole()
    return { specifics, placed: this.readPlaced(media, steps, direction) }
  }

  private readPlaced(media: Media, steps: readonly string[], direction: Direction): Placed {
    const { kind, schema } = media
    const where: Where = { steps, suffix: direction === 'in' ? inRequests : '' }
    if (kind === 'text' || kind === 'bytes' || (kind === 'xml' && schema === undefined)) {
      schema?.readWhole()
      const isNamed = schema !== undefined && this.references.peek(schema)?.members.has('enum')
      if (kind === 'text' && isNamed === true) return this.schemas.read(schema, where, direction)
      return { type: kind === 'bytes' ? byteType : textType, nullable: false }
    }
    if (schema === undefined) return { type: { kind: 'anything' }, nullable: true }
    if (kind === 'events' && direction === 'out') return this.readEvents(schema, steps)
    const item = this.schemas.read(this.itemsOf(media, schema) ?? schema, where, direction)
    if (kind !== 'lines' || direction !== 'in') return item
    const list: Type = {
      kind: 'list',
      item: item.type,
      ...marked({ itemNullable: item.nullable }),
    }
    return { type: list, nullable: false }
  }

  /** In old descriptions a sequence is described as a list. */
  private itemsOf({ kind, node }: Media, schema: DataNode): DataNode | undefined {
    const target = this.references.peek(schema) ?? schema
    const isList = target.members.get('type')?.value === 'array'
    if (kind !== 'lines' || node.members.has('itemSchema') || !isList) return undefined
    const items = target.get('items')
    if (items !== undefined) for (const each of [schema, target]) each.get('type')
    return items
  }

  /**
   * An event of a stream (WHATWG HTML, section 9.2): what its data are, where the schema speaks of
   * them alone.
   */
  private readEvents(schema: DataNode, steps: readonly string[]): Placed {
    const target = this.references.peek(schema) ?? schema
    const placed = this.schemas.read(schema, { steps: [...steps, 'Event'], suffix: '' }, 'out')
    if (target.members.get('properties')?.members.has('data') === true) return placed
    const { origin } = schema
    const text = (name: string): Field => ({
      name,
      type: { kind: 'scalar', base: 'text', format: 'string' },
      optional: true,
      nullable: false,
      origin,
    })
    const fields: Field[] = [
      {
        name: 'data',
        type: placed.type,
        optional: false,
        nullable: placed.nullable && placed.type.kind !== 'anything',
        origin,
      },
      text('event'),
      text('id'),
      { ...text('retry'), type: { kind: 'scalar', base: 'double', format: 'integer' } },
    ]
    return { type: { kind: 'record', fields }, nullable: false }
  }

  private rootElement(schema: DataNode): ContentSpecifics['xml'] {
    const target = this.references.peek(schema) ?? schema
    const own = xmlSpecifics(target, this.notes).xml
    return { ...own, name: own?.name ?? schemaName(target) }
  }

  private readEncoding(node: DataNode, kind: Media['kind']): Record<string, EncodingSpecifics> {
    if (kind !== 'multipart' && kind !== 'form') return {}
    const found = new Map<string, EncodingSpecifics>()
    for (const [name, entry] of node.entries('encoding')) {
      const [contentType, style, explode] = [
        entry.text('contentType'),
        entry.text('style') as Style | undefined,
        entry.get('explode'),
      ]
      const headers: Record<string, string> = {}
      for (const [header, each] of entry.entries('headers')) {
        const settled = this.references.settle(each)
        settled.readWhole()
        const schema = settled.members.get('schema')
        const only =
          schema?.members.get('const')?.value ??
          (schema?.members.get('enum')?.items.length === 1
            ? schema.members.get('enum')?.items[0]?.value
            : undefined) ??
          schema?.members.get('default')?.value
        if (typeof only === 'string' && isToken(header)) headers[header] = only
        else if (!/^content-type$/i.test(header))
          this.notes.add(
            'ignored',
            'TM-2315',
            {
              what: `The header ${header} of the part "${name}"`,
              as: 'absent',
              reason: isToken(header)
                ? 'its value is not said'
                : "HTTP can't have a header of that name",
            },
            each.origin,
          )
      }
      const specifics: EncodingSpecifics = {
        ...present({ contentType, style }),
        ...(explode === undefined ? {} : { explode: explode.value === true }),
        ...marked({ allowReserved: entry.flag('allowReserved') }),
        ...filled({ headers }),
      }
      found.set(name, specifics)
    }
    return Object.fromEntries(found)
  }

  private exampleOf({ node, schema }: Media): { example?: unknown } {
    const own = node.get('example')
    const [named] = node.entries('examples').map(([, each]) => this.references.settle(each))
    for (const [, each] of node.entries('examples')) each.readWhole()
    const value = own ?? named?.members.get('value') ?? named?.members.get('dataValue')
    return value === undefined || value.kind === 'null'
      ? {}
      : fitting(value, schema, this.schemas.rules, this.notes)
  }
}

/** The input that chooses between media types. */
export function choice(
  name: string,
  documentation: string,
  variants: readonly ContentSpecifics[],
  node: DataNode,
): InputField {
  const { origin } = node
  const types = [...new Set(variants.map((each) => each.mediaType))]
  const type: Type = {
    kind: 'enumeration',
    members: types.map((value) => ({ value, origin })),
    base: { kind: 'scalar', base: 'text', format: 'string' },
  }
  return {
    name,
    type,
    optional: true,
    nullable: false,
    place: 'header',
    documentation,
    origin,
    specifics: { name, choice: true },
  }
}

const textType: Type = { kind: 'scalar', base: 'text', format: 'string' }
const byteType: Type = { kind: 'scalar', base: 'bytes', format: 'byte' }

import { present } from '../../contract/present.js'
import { addAll } from '../../contract/lists.js'
import type {
  Fault,
  Field,
  InputField,
  NamedType,
  Operation,
  Origin,
  Outcome,
  RecordType,
  ReferenceType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Style } from '../../runtime/http/parameters.js'
import type { Notes } from '../notes.js'
import { inRequests } from './anonymous-types.js'
import { documented, fitting } from './annotations.js'
import type { Direction } from './directions.js'
import type {
  BodyLayout,
  ContentLayout,
  EncodingLayout,
  FaultLayout,
  HeaderLayout,
  OutcomeLayout,
} from './layout.js'
import { readMedia, type Media } from './media-types.js'
import type { References } from './references.js'
import { isToken } from './tokens.js'
import { placeOf, schemaName } from './schema-facts.js'
import type { Placed, SchemaReader, Where } from './schemas.js'
import { xmlLayout } from './xml-layout.js'

/** What an operation answers, read. */
export interface Answers {
  readonly outcome: Outcome
  readonly faults: readonly Fault[]
  readonly layout: Readonly<Record<string, readonly ContentLayout[]>>
  readonly byStatus: boolean
  /** The choice between media types, where there is one. */
  readonly inputs: readonly InputField[]
  readonly links: readonly AnswerLink[]
}

/** What an answer leads to. */
export interface AnswerLink {
  readonly words: string
  /** What goes into which parameter: runtime expressions (OpenAPI 3.1, section 4.8.20.4). */
  readonly parameters: readonly (readonly [name: string, expression: string])[]
  /** It is the same operation once more. */
  readonly leadsBack: boolean
}

interface Content {
  readonly layout: ContentLayout
  readonly placed: Placed
}

/** Several contents: their distinct types, and the layouts that say which has which. */
interface Contents {
  readonly layouts: readonly ContentLayout[]
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
    const { layouts, types } = this.readContents(media, placeOf(node, [operation, 'Body']), 'in')
    const several = types.length > 1
    const type: Type = several
      ? { kind: 'union', alternatives: types.map((each) => each.type) }
      : (types[0]?.type ?? { kind: 'anything' })
    const layout: BodyLayout = { contents: layouts, ...(several ? { several } : {}) }
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
      layout,
    }
    return media.length === 1
      ? [body]
      : [
          body,
          choice(
            'contentType',
            `How the body is written: as ${first.mediaType} when left out.`,
            layouts,
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
        const layout = input.layout as Partial<BodyLayout> | undefined
        if (layout?.contents?.[0]?.kind !== 'multipart' || layout.several === true) return input
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

  private readContents(
    media: readonly Media[],
    place: readonly string[],
    direction: Direction,
  ): Contents {
    const contents = media.map((each, at) =>
      this.readContent(each, at === 0 ? place : [...place, each.kind], direction),
    )
    const types: Placed[] = []
    const texts: string[] = []
    const layouts = contents.map(({ layout, placed }): ContentLayout => {
      const text = this.shapeText(placed.type)
      let at = texts.indexOf(text)
      if (at === -1) {
        at = types.push(placed) - 1
        texts.push(text)
      }
      return { ...layout, at }
    })
    return { layouts, types }
  }

  /**
   * A type as a text that is the same for the same type, wherever it was written; types without a
   * name are what they are.
   */
  private shapeText(type: Type): string {
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

  private readContent(
    { mediaType, kind, node, schema }: Media,
    steps: readonly string[],
    direction: Direction,
  ): Content {
    const where: Where = { steps, suffix: direction === 'in' ? inRequests : '' }
    const encoding = this.readEncoding(node, kind)
    const xml = kind === 'xml' && schema !== undefined ? this.rootElement(schema) : undefined
    const layout: ContentLayout = {
      mediaType,
      kind,
      at: 0,
      ...(Object.keys(encoding).length === 0 ? {} : { encoding }),
      ...present({ xml }),
    }
    for (const key of ['example', 'examples']) if (direction === 'out') node.get(key)?.readWhole()
    if (kind === 'text' || kind === 'bytes' || (kind === 'xml' && schema === undefined)) {
      schema?.readWhole()
      const isText = kind !== 'bytes'
      if (
        kind === 'text' &&
        schema !== undefined &&
        this.references.peek(schema)?.members.has('enum') === true
      )
        return { layout, placed: this.schemas.read(schema, where, direction) }
      return {
        layout,
        placed: {
          type: {
            kind: 'scalar',
            base: isText ? 'text' : 'bytes',
            format: isText ? 'string' : 'byte',
          },
          nullable: false,
        },
      }
    }
    if (schema === undefined)
      return { layout, placed: { type: { kind: 'anything' }, nullable: true } }
    if (kind === 'events' && direction === 'out')
      return { layout, placed: this.readEvents(schema, steps) }
    // In old descriptions a sequence is described as a list.
    const target = this.references.peek(schema) ?? schema
    const items =
      kind === 'lines' &&
      !node.members.has('itemSchema') &&
      target.members.get('type')?.value === 'array'
        ? target.get('items')
        : undefined
    if (items !== undefined) for (const each of [schema, target]) each.get('type')
    const placed = this.schemas.read(items ?? schema, where, direction)
    if (kind === 'lines' && direction === 'in')
      return {
        layout,
        placed: {
          type: {
            kind: 'list',
            item: placed.type,
            ...(placed.nullable ? { itemNullable: true } : {}),
          },
          nullable: false,
        },
      }
    return { layout, placed }
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

  private rootElement(schema: DataNode): ContentLayout['xml'] {
    const target = this.references.peek(schema) ?? schema
    const own = xmlLayout(target, this.notes).xml
    return { ...own, name: own?.name ?? schemaName(target) }
  }

  private readEncoding(node: DataNode, kind: Media['kind']): Record<string, EncodingLayout> {
    if (kind !== 'multipart' && kind !== 'form') return {}
    const found: Record<string, EncodingLayout> = {}
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
      const layout: EncodingLayout = {
        ...present({ contentType, style }),
        ...(explode === undefined ? {} : { explode: explode.value === true }),
        ...(entry.flag('allowReserved') ? { allowReserved: true as const } : {}),
        ...(Object.keys(headers).length === 0 ? {} : { headers }),
      }
      Object.defineProperty(found, name, {
        value: layout,
        enumerable: true,
        writable: true,
        configurable: true,
      })
    }
    return found
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

  /** The answers of an operation: what is good makes its outcome, the others are its faults. */
  readAnswers(node: DataNode, operation: string, method: string): Answers {
    const good: { status: string; contents: Contents; node: DataNode }[] = []
    const faults: Fault[] = []
    const links: AnswerLink[] = []
    const responses = node
      .entries('responses')
      .filter(([status]) => !status.startsWith('x-'))
      .map(
        ([status, each]) => [/^\dxx$/.test(status) ? status.toUpperCase() : status, each] as const,
      )
    const isSuccess = (status: string): boolean => /^[123]/.test(status)
    const successes = responses.filter(([status]) => isSuccess(status)).length
    const hasGood = successes > 0
    const roleOf = (status: string): string => {
      if (!isSuccess(status) && hasGood) return `Fault${status}`
      return successes > 1 ? `Answer${status}` : 'Answer'
    }
    for (const [status, each] of responses) {
      const response = this.references.settle(each)
      for (const key of ['description', 'summary']) response.get(key)
      addAll(links, this.readLinks(response, node))
      // What HEAD would have in its body never comes (RFC 9110, section 9.3.2).
      const contents = this.readContents(
        method === 'head' ? this.unread(response) : this.readSettled(response),
        placeOf(response, [operation, roleOf(status)]),
        'out',
      )
      if (isSuccess(status) || (status === 'default' && !hasGood))
        good.push({ status, contents, node: response })
      else {
        const [content, ...others] = contents.layouts
        const undecoded = response.get('headers')
        undecoded?.readWhole()
        if (undecoded !== undefined) this.notes.add('approximated', 'TM-2321', {}, undecoded.origin)
        if (contents.types.length > 1)
          this.notes.add(
            'ignored',
            'TM-2308',
            {
              chosen: content?.mediaType ?? '',
              others: others.map((each) => each.mediaType).join(', '),
            },
            response.origin,
          )
        faults.push({
          name: status,
          type: contents.types[0]?.type ?? { kind: 'nothing' },
          ...documented(response),
          origin: response.origin,
          layout: { ...present({ content }) } satisfies FaultLayout,
        })
      }
    }
    const headers = this.readHeaders(
      good.map((each) => each.node),
      operation,
    )
    const isUndeclared = method !== 'head' && good.length === 1 && this.isUndeclared(good[0])
    return {
      ...this.outcome(good, headers, node, isUndeclared),
      faults,
      links: [...new Map(links.map((each) => [each.words, each])).values()],
    }
  }

  /**
   * A good answer without a word of content: before OpenAPI 3.0 that meant that there is none (2.0,
   * "Response Object"), since then nobody knows.
   */
  private isUndeclared(answer: { status: string; node: DataNode } | undefined): boolean {
    if (answer === undefined || this.references.version.startsWith('2')) return false
    const { status, node } = answer
    // What a reference that leads nowhere stands for describes nothing.
    const isDescribed = node.members.has('description')
    if (!isDescribed || node.members.has('content') || !/^(?:200|2XX|default)$/.test(status))
      return false
    this.notes.add('approximated', 'TM-2318', { status }, node.origin)
    return true
  }

  private unread(response: DataNode): Media[] {
    response.get('content')?.readWhole()
    return []
  }

  /**
   * The media types of an answer. Sequences can't be had beside something else: they end, or not,
   * in their own way.
   */
  private readSettled(response: DataNode): Media[] {
    const all = readMedia(response, this.references, this.notes)
    const whole = all.filter((each) => each.kind !== 'events' && each.kind !== 'lines')
    const [first] = all
    if (whole.length === 0) return first === undefined ? [] : [first]
    const others = all.filter((each) => !whole.includes(each))
    if (others.length > 0)
      this.notes.add(
        'ignored',
        'TM-2308',
        {
          chosen: whole.map((each) => each.mediaType).join(', '),
          others: others.map((each) => each.mediaType).join(', '),
        },
        response.origin,
      )
    for (const each of others) each.node.readWhole()
    return whole
  }

  private outcome(
    good: readonly { status: string; contents: Contents; node: DataNode }[],
    headers: readonly Field[],
    node: DataNode,
    isUndeclared: boolean,
  ): Pick<Answers, 'outcome' | 'layout' | 'byStatus' | 'inputs'> {
    const { origin } = node
    const promised = headers.length === 0 ? {} : { headers }
    const layout = Object.fromEntries(
      good.map(({ status, contents }) => [status, contents.layouts]),
    )
    const texts = new Set(
      good.map(({ contents }) =>
        contents.types.map((each) => this.shapeText(each.type)).join('\n'),
      ),
    )
    const [first] = good
    if (first === undefined || (texts.size === 1 && first.contents.types.length === 0))
      return {
        outcome: {
          kind: 'nothing',
          ...(isUndeclared ? { undeclared: true as const } : {}),
          ...promised,
        },
        layout,
        byStatus: false,
        inputs: [],
      }
    const field = (type: Type, nullable: boolean): Field => ({
      name: 'body',
      type,
      optional: false,
      nullable: nullable && type.kind !== 'anything',
      ...documented(first.node),
      origin: first.node.origin,
    })
    if (texts.size === 1) {
      const { types, layouts } = first.contents
      const [only] = types
      if (types.length === 1 && only !== undefined) {
        const kind = layouts[0]?.kind
        if (kind === 'events' || kind === 'lines')
          return {
            outcome: {
              kind: 'value',
              field: field(
                {
                  kind: 'list',
                  item: only.type,
                  ...(only.nullable ? { itemNullable: true } : {}),
                },
                false,
              ),
              stream: true,
              ...promised,
            },
            layout,
            byStatus: false,
            inputs: [],
          }
        return {
          outcome: { kind: 'value', field: field(only.type, only.nullable), ...promised },
          layout,
          byStatus: false,
          inputs: [],
        }
      }
      const union: Type = { kind: 'union', alternatives: types.map((each) => each.type) }
      const outcome: Outcome = {
        kind: 'value',
        field: {
          ...field(
            union,
            types.some((each) => each.nullable),
          ),
          layout: { several: true } satisfies OutcomeLayout,
        },
        ...promised,
      }
      return {
        outcome,
        layout,
        byStatus: false,
        inputs: [
          choice(
            'accept',
            `What is asked for: ${layouts[0]?.mediaType ?? ''} when left out.`,
            layouts,
            node,
          ),
        ],
      }
    }
    const nothing: Type = { kind: 'nothing' }
    for (const { contents, node: response } of good) {
      const [chosen, ...others] = contents.layouts
      if (contents.types.length > 1)
        this.notes.add(
          'ignored',
          'TM-2308',
          {
            chosen: chosen?.mediaType ?? '',
            others: others.map((each) => each.mediaType).join(', '),
          },
          response.origin,
        )
    }
    const alternatives = good.map(({ status, contents }): Type => {
      const [placed] = contents.types
      const number: Type = { kind: 'scalar', base: 'double', format: 'integer' }
      return {
        kind: 'record',
        fields: [
          {
            name: 'status',
            type: /^\d+$/.test(status) ? { kind: 'literal', value: Number(status) } : number,
            optional: false,
            nullable: false,
            origin,
          },
          {
            name: 'body',
            type: placed?.type ?? nothing,
            optional: false,
            nullable: placed?.nullable === true && placed.type.kind !== 'anything',
            origin,
          },
        ],
      }
    })
    const firsts = Object.fromEntries(
      good.map(({ status, contents }) => [
        status,
        contents.layouts.filter((each) => each.at === 0),
      ]),
    )
    return {
      outcome: {
        kind: 'value',
        field: field({ kind: 'union', alternatives }, false),
        ...promised,
      },
      layout: firsts,
      byStatus: true,
      inputs: [],
    }
  }

  /**
   * The headers that good answers are promised to have; those that not all of them have may be
   * missing.
   */
  private readHeaders(responses: readonly DataNode[], operation: string): Field[] {
    const found = new Map<string, { field: Field; count: number }>()
    for (const response of responses) {
      for (const [name, each] of response.entries('headers')) {
        // Content-Type is said by the media types (section 4.8.17).
        const header = this.references.settle(each)
        if (/^content-type$/i.test(name)) {
          header.readWhole()
          continue
        }
        const content = header.get('content')
        const [mediaType, media] = [...(content?.members ?? [])][0] ?? []
        content?.readWhole()
        const schema = header.get('schema') ?? media?.get('schema')
        for (const key of ['style', 'example', 'examples', 'allowEmptyValue', 'allowReserved'])
          header.get(key)?.readWhole()
        const placed: Placed =
          schema === undefined
            ? {
                type: { kind: 'scalar', base: 'text', format: 'string' },
                nullable: false,
              }
            : this.schemas.read(
                schema,
                { steps: placeOf(header, [operation, name]), suffix: '' },
                'out',
              )
        const layout: HeaderLayout = {
          name,
          ...(header.flag('explode') ? { explode: true as const } : {}),
          ...(mediaType !== undefined && /json/i.test(mediaType) ? { json: true as const } : {}),
        }
        const field: Field = {
          name,
          type: placed.type,
          optional: !header.flag('required'),
          nullable: false,
          ...documented(header),
          ...(header.flag('deprecated') ? { deprecated: true } : {}),
          origin: header.origin,
          layout,
        }
        const known = found.get(name.toLowerCase())
        if (known === undefined) found.set(name.toLowerCase(), { field, count: 1 })
        else known.count += 1
      }
    }
    return [...found.values()].map(({ field, count }) =>
      count < responses.length ? { ...field, optional: true } : field,
    )
  }

  /** Links: which operation, and what of the answer goes into it (section 4.8.20). */
  private readLinks(response: DataNode, from: DataNode): AnswerLink[] {
    return response.entries('links').map(([name, each]) => {
      const link = this.references.settle(each)
      const reference = link.text('operationRef')
      const referred = reference === undefined ? undefined : this.references.lookUp(reference, link)
      const id = link.text('operationId') ?? referred?.text('operationId')
      const operation = id ?? reference ?? name
      const parameters = link
        .entries('parameters')
        .map(([parameter, value]) => [parameter, String(value.value)] as const)
      const given = parameters.map(([parameter, value]) => `${parameter} from ${value}`)
      const said = link.text('description')
      link.readWhole()
      return {
        words: `${operation}${given.length === 0 ? '' : ` (${given.join(', ')})`}${said === undefined ? '' : `: ${said.trim()}`}`,
        parameters,
        leadsBack:
          !link.members.has('server') &&
          (referred === from || (id !== undefined && id === from.text('operationId'))),
      }
    })
  }
}

function choice(
  name: string,
  documentation: string,
  layouts: readonly ContentLayout[],
  node: DataNode,
): InputField {
  const { origin } = node
  const types = [...new Set(layouts.map((each) => each.mediaType))]
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
    layout: { name, choice: true },
  }
}

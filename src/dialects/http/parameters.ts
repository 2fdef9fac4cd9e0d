import { present } from '../../contract/present.js'
import type { InputField, Place, Type } from '../../contract/contract.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Style } from '../../runtime/http/parameters.js'
import type { Notes } from '../notes.js'
import { inRequests } from './anonymous-types.js'
import { documented, exampleOf, fitting } from './annotations.js'
import type { ParameterLayout } from './layout.js'
import { kindOf } from './media-types.js'
import type { References } from './references.js'
import { placeOf } from './schema-facts.js'
import type { Placed, SchemaReader } from './schemas.js'
import { isToken } from './tokens.js'

type ParameterPlace = Exclude<Place, 'body' | 'messageHeader' | 'attachment'>

const styles: Readonly<Record<ParameterPlace, readonly Style[]>> = {
  path: ['simple', 'label', 'matrix'],
  query: ['form', 'spaceDelimited', 'pipeDelimited', 'tabDelimited', 'deepObject'],
  header: ['simple'],
  cookie: ['form', 'cookie'],
}

/** Reads the parameters of operations (OpenAPI 3.1, section 4.8.12). */
export class ParameterReader {
  private readonly references: References
  private readonly schemas: SchemaReader
  private readonly notes: Notes

  constructor(references: References, schemas: SchemaReader, notes: Notes) {
    this.references = references
    this.schemas = schemas
    this.notes = notes
  }

  /**
   * The parameters of an operation: its own, those of its path, and those that only the path's
   * template has.
   */
  read(path: string, node: DataNode, item: DataNode, operation: string): InputField[] {
    const found = new Map<string, InputField>()
    for (const each of [...item.list('parameters'), ...node.list('parameters')]) {
      const field = this.readParameter(this.references.settle(each), operation, path)
      // A parameter of the operation replaces that of the path (section 4.8.9).
      if (field !== undefined)
        found.set(`${field.place} ${(field.layout as ParameterLayout).name}`, field)
    }
    for (const [, name = ''] of path.matchAll(/\{([^}]+)\}/g)) {
      if (found.has(`path ${name}`)) continue
      this.notes.add('approximated', 'TM-2309', { path, name }, item.origin)
      found.set(`path ${name}`, {
        name,
        type: textType,
        optional: false,
        nullable: false,
        place: 'path',
        origin: item.origin,
        layout: { name } satisfies ParameterLayout,
      })
    }
    // The same name in two places: the later one yields.
    const names = new Set<string>()
    return [...found.values()].map((field) => {
      let { name } = field
      while (names.has(name)) name += '_'
      names.add(name)
      return { ...field, name }
    })
  }

  private readParameter(node: DataNode, operation: string, path: string): InputField | undefined {
    const name = node.text('name') ?? ''
    const declared = node.text('in') ?? ''
    const place =
      declared === 'querystring'
        ? 'query'
        : (['path', 'query', 'header', 'cookie'] as const).find((each) => each === declared)
    // Those of 2.0 have become a body.
    if (this.references.version.startsWith('2') && (declared === 'body' || declared === 'formData'))
      return undefined
    if (place === undefined) {
      // What a reference should have led to was told already.
      if (node.members.size > 0)
        this.notes.add('ignored', 'TM-2306', { key: `parameter in: ${declared}` }, node.origin)
      node.readWhole()
      return undefined
    }
    // These are the business of the body, of the answer, and of whoever calls (section 4.8.12.1).
    if (place === 'header' && /^(?:accept|content-type|authorization)$/i.test(name)) {
      node.readWhole()
      this.notes.add(
        'ignored',
        'TM-2315',
        {
          what: `The header parameter ${name}`,
          as: 'no input',
          reason: 'OpenAPI says that it is to be ignored',
        },
        node.origin,
      )
      return undefined
    }
    if ((place === 'header' || place === 'cookie') && !isToken(name)) {
      node.readWhole()
      this.notes.add(
        'ignored',
        'TM-2315',
        {
          what: `The ${place} parameter "${name}"`,
          as: 'no input',
          reason: `HTTP can't have a ${place} of that name`,
        },
        node.origin,
      )
      return undefined
    }
    if (place === 'path' && !path.includes(`{${name}}`)) {
      node.readWhole()
      this.notes.add(
        'ignored',
        'TM-2315',
        {
          what: `The path parameter "${name}"`,
          as: 'no input',
          reason: `the path ${path} has no place for it`,
        },
        node.origin,
      )
      return undefined
    }
    node.get('allowEmptyValue')
    const content = node.get('content')
    const [mediaType, media] = [...(content?.members ?? [])][0] ?? []
    const schema = content === undefined ? node.get('schema') : media?.get('schema')
    content?.readWhole()
    const { type, nullable }: Placed =
      schema === undefined
        ? { type: textType, nullable: false }
        : this.schemas.read(
            schema,
            { steps: placeOf(node, [operation, name]), suffix: inRequests },
            'in',
          )
    const kind = mediaType === undefined ? undefined : kindOf(mediaType)
    const isWhole = declared === 'querystring'
    const layout: ParameterLayout = {
      name,
      ...this.written(node, place),
      ...(node.flag('allowReserved') ? { allowReserved: true } : {}),
      ...(isWhole ? { whole: kind === 'json' ? 'json' : 'form' } : {}),
      ...(!isWhole && kind === 'json' ? { json: true as const } : {}),
    }
    const target = schema === undefined ? undefined : this.references.settle(schema)
    const preset = schema?.get('default') ?? target?.get('default')
    // Every text of an address counts: in a path nothing may be left out.
    return {
      name,
      type,
      optional: !node.flag('required') && place !== 'path',
      nullable: nullable && type.kind !== 'anything',
      place,
      ...documented(node),
      ...(node.flag('deprecated') ? { deprecated: true } : {}),
      ...this.example(node, schema, target),
      ...(preset === undefined ||
      preset.value === null ||
      preset.kind === 'object' ||
      preset.kind === 'list'
        ? {}
        : { default: preset.value }),
      origin: node.origin,
      layout,
    }
  }

  private written(
    node: DataNode,
    place: ParameterPlace,
  ): Pick<ParameterLayout, 'style' | 'explode'> {
    const declared = node.text('style')
    const style = styles[place].find((each) => each === declared)
    if (declared !== undefined && style === undefined)
      this.notes.add(
        'approximated',
        'TM-2315',
        {
          what: `The style "${declared}"`,
          as: styles[place][0] ?? 'form',
          reason: `parameters in ${place} can't have it`,
        },
        node.members.get('style')?.origin ?? node.origin,
      )
    const explode = node.get('explode')
    const usual = style === undefined || style === 'form' || style === 'cookie' ? undefined : false
    const explodes = explode === undefined ? usual : explode.value === true
    return {
      ...present({ style, explode: explodes }),
    }
  }

  private example(
    node: DataNode,
    schema: DataNode | undefined,
    target: DataNode | undefined,
  ): { example?: unknown } {
    const own = node.get('example')
    const [named] = node.entries('examples').map(([, each]) => this.references.settle(each))
    for (const [, each] of node.entries('examples')) each.readWhole()
    const value = own ?? named?.members.get('value') ?? named?.members.get('dataValue')
    if (value !== undefined && value.kind !== 'null')
      return fitting(value, schema, this.schemas.rules, this.notes)
    return schema === undefined || target === undefined
      ? {}
      : exampleOf(schema, target, this.schemas.rules, this.notes)
  }
}

const textType: Type = { kind: 'scalar', base: 'text', format: 'string' }

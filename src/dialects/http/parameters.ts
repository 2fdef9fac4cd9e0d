import type { InputField, Place, Type } from '../../contract/contract.js'
import { present, marked } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import type { Style } from '../../runtime/http/parameters.js'
import type { Notes } from '../notes.js'
import { documented, exampleOf, fitting } from './annotations.js'
import { inRequests } from './anonymous-types.js'
import { type ParameterSpecifics, parameterSpecifics } from './specifics.js'
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
      if (field !== undefined) found.set(`${field.place} ${parameterSpecifics(field).name}`, field)
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
        specifics: { name } satisfies ParameterSpecifics,
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
    // Those of 2.0 have become a body.
    if (this.references.version.startsWith('2') && (declared === 'body' || declared === 'formData'))
      return undefined
    const place = placesByWord.get(declared)
    const reason = place === undefined ? undefined : whyNoInput(name, place, path)
    if (place === undefined || reason !== undefined) {
      node.readWhole()
      if (place === undefined) this.noteUnknownPlace(node, declared)
      else this.notes.add('ignored', 'TM-2315', { ...reason, as: 'no input' }, node.origin)
      return undefined
    }
    node.get('allowEmptyValue')
    const content = node.get('content')
    const [mediaType, media] = [...(content?.members ?? [])][0] ?? []
    const schema = content === undefined ? node.get('schema') : media?.get('schema')
    content?.readWhole()
    const where = { steps: placeOf(node, [operation, name]), suffix: inRequests }
    const { type, nullable } =
      schema === undefined ? plainText : this.schemas.read(schema, where, 'in')
    const isJson = mediaType !== undefined && kindOf(mediaType) === 'json'
    const isWhole = declared === 'querystring'
    const specifics: ParameterSpecifics = {
      name,
      ...this.written(node, place),
      ...marked({ allowReserved: node.flag('allowReserved') }),
      ...(isWhole ? { whole: isJson ? 'json' : 'form' } : marked({ json: isJson })),
    }
    const target = schema === undefined ? undefined : this.references.settle(schema)
    return {
      name,
      type,
      // Every text of an address counts: in a path nothing may be left out.
      optional: !node.flag('required') && place !== 'path',
      nullable: nullable && type.kind !== 'anything',
      place,
      ...documented(node),
      ...marked({ deprecated: node.flag('deprecated') }),
      ...this.example(node, schema, target),
      ...presetOf(schema?.get('default') ?? target?.get('default')),
      origin: node.origin,
      specifics,
    }
  }

  /** What a reference should have led to was told already. */
  private noteUnknownPlace(node: DataNode, declared: string): void {
    if (node.members.size > 0)
      this.notes.add('ignored', 'TM-2306', { key: `parameter in: ${declared}` }, node.origin)
  }

  private written(
    node: DataNode,
    place: ParameterPlace,
  ): Pick<ParameterSpecifics, 'style' | 'explode'> {
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

/** What the description calls the places, and what they are. */
const placesByWord = new Map<string, ParameterPlace>([
  ['path', 'path'],
  ['query', 'query'],
  ['querystring', 'query'],
  ['header', 'header'],
  ['cookie', 'cookie'],
])

const plainText: Placed = { type: textType, nullable: false }

/** Why a parameter becomes no input of its operation; undefined where it does. */
function whyNoInput(
  name: string,
  place: ParameterPlace,
  path: string,
): { readonly what: string; readonly reason: string } | undefined {
  // These are the business of the body, of the answer, and of whoever calls (section 4.8.12.1).
  if (place === 'header' && /^(?:accept|content-type|authorization)$/i.test(name))
    return {
      what: `The header parameter ${name}`,
      reason: 'OpenAPI says that it is to be ignored',
    }
  if ((place === 'header' || place === 'cookie') && !isToken(name))
    return {
      what: `The ${place} parameter "${name}"`,
      reason: `HTTP can't have a ${place} of that name`,
    }
  if (place === 'path' && !path.includes(`{${name}}`))
    return {
      what: `The path parameter "${name}"`,
      reason: `the path ${path} has no place for it`,
    }
  return undefined
}

function presetOf(preset: DataNode | undefined): { default?: unknown } {
  if (preset === undefined || preset.value === null) return {}
  return preset.kind === 'object' || preset.kind === 'list' ? {} : { default: preset.value }
}

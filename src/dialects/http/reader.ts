import type { Contract, Endpoint, Fault, Field, InputField, Operation, Outcome, Place, SecurityScheme, Type } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { DataNode } from '../../documents/data-tree.js'
import type { Documents } from '../../documents/documents.js'
import { camelCase, pascalCase } from '../../naming/identifiers.js'
import type { Style } from '../../runtime/http/parameters.js'
import { Notes } from '../notes.js'
import type { BodyLayout, ContentLayout, OperationLayout, ParameterLayout } from './layout.js'
import { References } from './references.js'
import { documented, SchemaReader, type Placed } from './schemas.js'

const methods = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace']

/**
 * Reads an OpenAPI 3.0 or 3.1 description.
 *
 * @throws Problem of kind `metadata` with its place; docs/messages.md, TM-2016 and TM-2301 to TM-2304
 */
export async function readOpenApi(documents: Documents, name: string): Promise<Contract> {
  const references = await References.load(documents)
  const { root } = references
  root.read = true
  const version = String(root.get('openapi')?.value ?? root.get('swagger')?.value ?? '')
  if (!/^3\.[01](\.|$)/.test(version)) throw problem('TM-2301', { version }, { place: root.members.get('openapi')?.origin ?? root.members.get('swagger')?.origin ?? root.origin })
  return new DescriptionReader(references, documents, name).read()
}

class DescriptionReader {
  private readonly references: References
  private readonly documents: Documents
  private readonly name: string
  private readonly notes = new Notes()
  private readonly schemas: SchemaReader
  /** Paths of operations given so far, in small letters. */
  private readonly taken = new Set<string>()
  private readonly schemes = new Map<string, { scheme: SecurityScheme; key?: OperationLayout['key'] }>()

  constructor(references: References, documents: Documents, name: string) {
    this.references = references
    this.documents = documents
    this.name = name
    this.schemas = new SchemaReader(references, this.notes)
  }

  read(): Contract {
    const { root } = this.references
    const info = root.get('info')
    for (const key of ['title', 'version', 'description', 'summary', 'termsOfService', 'contact', 'license']) info?.get(key)?.readWhole()
    for (const key of ['tags', 'externalDocs', 'jsonSchemaDialect']) root.get(key)?.readWhole()
    const components = root.get('components')
    for (const [name, node] of components?.entries('securitySchemes') ?? []) this.readScheme(name, this.references.settle(node))
    const endpoints = this.readServers(root)
    const operations = this.readPaths(endpoints)
    if (operations.length === 0) throw problem('TM-2304', {}, { place: root.origin })
    this.schemas.readWaiting()
    this.noteUnread(root)
    this.schemas.nameEndlessLists()
    const title = info?.text('title') ?? this.name
    return {
      name: this.name,
      dialect: 'http',
      title,
      services: [{ name: title, endpoints, operations, origin: root.origin }],
      types: Object.fromEntries(Object.entries(this.schemas.types).sort(([a], [b]) => (a < b ? -1 : 1))),
      security: [...this.schemes.values()].map(({ scheme }) => scheme),
      notes: this.notes.all(),
      ...(info === undefined ? {} : documented(info)),
      origin: root.origin,
    }
  }

  /** Server addresses, relative ones against the document's own (section 4.8.5). */
  private readServers(root: DataNode): Endpoint[] {
    const { from } = this.documents.root
    const servers = root.list('servers')
    const address = (template: string): string => (/^https?:/i.test(from) && URL.canParse(template, from) ? new URL(template, from).href : template)
    if (servers.length === 0) return [{ name: 'server', address: address('/'), protocol: 'HTTP', origin: root.origin }]
    const taken = new Set<string>()
    return servers.map((server): Endpoint => {
      const description = server.text('description')
      let template = server.text('url') ?? '/'
      for (const [variable, node] of server.entries('variables')) {
        template = template.replaceAll(`{${variable}}`, node.text('default') ?? '')
        node.readWhole()
      }
      const wished = camelCase(description?.split(/[.,:;(]/)[0] ?? 'server').slice(0, 30)
      let name = wished
      for (let count = 2; taken.has(name); count += 1) name = `${wished}${count}`
      taken.add(name)
      return { name, address: address(template), protocol: 'HTTP', ...documented(server), origin: server.origin }
    })
  }

  private readPaths(endpoints: readonly Endpoint[]): Operation[] {
    const found: Operation[] = []
    for (const [path, item] of this.references.root.entries('paths')) {
      if (path.startsWith('x-')) continue
      const node = this.references.settle(item)
      for (const key of ['summary', 'description']) node.get(key)
      for (const method of methods) {
        const operation = node.get(method)
        if (operation === undefined) continue
        found.push(this.readOperation(path, method, operation, node, endpoints))
      }
    }
    return found
  }

  private readOperation(path: string, method: string, node: DataNode, item: DataNode, endpoints: readonly Endpoint[]): Operation {
    const operationPath = this.operationPath(path, method, node)
    const where = pascalCase(operationPath.join(' '))
    const parameters = this.readParameters(path, node, item, where)
    const body = node.get('requestBody')
    const bodyField = body === undefined ? [] : this.readBody(this.references.settle(body), where)
    // A parameter may be called like our own word for the body.
    const inputs = parameters.map((each) => (each.name === 'body' ? { ...each, name: 'body_' } : each))
    const { outcome, faults, answers, byStatus } = this.readResponses(node, where)
    const key = this.keyOf(node)
    node.get('externalDocs')?.readWhole()
    const layout: OperationLayout = { method: method.toUpperCase(), path, answers, ...(byStatus ? { byStatus: true as const } : {}), ...(key === undefined ? {} : { key }) }
    return {
      path: operationPath,
      inputs: [...inputs, ...bodyField],
      outcome,
      faults,
      wire: Object.fromEntries(endpoints.map((endpoint) => [endpoint.name, {}])),
      ...documented(node),
      ...(node.flag('deprecated') ? { deprecated: true } : {}),
      origin: node.origin,
      layout,
    }
  }

  /** By its operationId, under its first tag; an id with dots is a path already; without an id by method and path. */
  private operationPath(path: string, method: string, node: DataNode): string[] {
    const id = node.text('operationId')
    const [tag] = node.list('tags').map((each) => camelCase(String(each.value)))
    const words = path.replace(/\{([^}]*)\}/g, 'by $1')
    const base = id === undefined || id.trim() === '' ? camelCase(`${method} ${words}`) : id
    const steps = base.includes('.') ? base.split('.').filter((step) => step !== '').map(camelCase) : [camelCase(base)]
    const grouped = steps.length > 1 ? [camelCase(steps.slice(0, -1).join(' ')), steps.at(-1) ?? ''] : tag === undefined ? steps : [tag, ...steps]
    const free = (candidate: readonly string[]): boolean => !this.taken.has(candidate.join('.').toLowerCase())
    const take = (candidate: string[]): string[] => {
      this.taken.add(candidate.join('.').toLowerCase())
      return candidate
    }
    if (free(grouped)) return take(grouped)
    const last = grouped.at(-1) ?? ''
    let candidate = [...grouped.slice(0, -1), last + method.charAt(0).toUpperCase() + method.slice(1)]
    for (let count = 2; !free(candidate); count += 1) candidate = [...grouped.slice(0, -1), `${last}${count}`]
    this.notes.add('approximated', 'TM-2307', { id: id ?? base, name: candidate.join('.') }, node.origin)
    return take(candidate)
  }

  private readParameters(path: string, node: DataNode, item: DataNode, where: string): InputField[] {
    const found = new Map<string, InputField & { place: Place }>()
    for (const each of [...item.list('parameters'), ...node.list('parameters')]) {
      const parameter = this.references.settle(each)
      const field = this.readParameter(parameter, where)
      // A parameter of the operation replaces that of the path (section 4.8.9).
      if (field !== undefined) found.set(`${field.place} ${(field.layout as ParameterLayout).name}`, field)
    }
    for (const [, name = ''] of path.matchAll(/\{([^}]+)\}/g)) {
      if (found.has(`path ${name}`)) continue
      this.notes.add('approximated', 'TM-2309', { path, name }, item.origin)
      const type: Type = { kind: 'scalar', base: 'text', format: 'string', origin: item.origin }
      found.set(`path ${name}`, { name, type, optional: false, nullable: false, place: 'path', origin: item.origin, layout: { name } satisfies ParameterLayout })
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

  private readParameter(node: DataNode, where: string): InputField | undefined {
    const name = node.text('name') ?? ''
    const place = node.text('in') as Place | undefined
    if (place === undefined || !['path', 'query', 'header', 'cookie'].includes(place)) {
      this.notes.add('ignored', 'TM-2306', { key: `parameter in: ${place ?? ''}` }, node.origin)
      node.readWhole()
      return undefined
    }
    for (const key of ['example', 'examples', 'allowEmptyValue']) node.get(key)?.readWhole()
    const content = node.get('content')
    const schema = content === undefined ? node.get('schema') : [...content.members.values()][0]?.get('schema')
    content?.readWhole()
    const { type, nullable }: Placed = schema === undefined ? { type: { kind: 'scalar', base: 'text', format: 'string', origin: node.origin }, nullable: false } : this.schemas.read(schema, { id: `#operation:${where}/${name}`, name: where + pascalCase(name) }, 'in')
    const style = node.text('style') as Style | undefined
    const explode = node.get('explode')
    const explodes = explode === undefined ? style === undefined || style === 'form' ? undefined : false : explode.value === true
    const layout: ParameterLayout = {
      name,
      ...(style === undefined ? {} : { style }),
      ...(explodes === undefined ? {} : { explode: explodes }),
      ...(node.flag('allowReserved') ? { allowReserved: true } : {}),
      ...(content === undefined ? {} : { json: true as const }),
    }
    return { name, type, optional: !node.flag('required') && place !== 'path', nullable: nullable && type.kind !== 'anything', place, ...documented(node), ...(node.flag('deprecated') ? { deprecated: true } : {}), origin: node.origin, layout }
  }

  private readBody(node: DataNode, where: string): InputField[] {
    const media = this.choose(node)
    if (media === undefined) return []
    const [mediaType, content] = media
    const { type, nullable } = this.contentType(mediaType, content, `${where}Body`, 'in')
    const layout: BodyLayout = { mediaType }
    return [{ name: 'body', type, optional: !node.flag('required'), nullable, place: 'body', ...documented(node), origin: node.origin, layout }]
  }

  /** The media type to use: JSON first, then what else is understood. */
  private choose(node: DataNode): [string, DataNode] | undefined {
    const content = node.entries('content')
    const rank = (type: string): number => (/^[^;]*[/+]json\b/i.test(type) ? 0 : /^multipart\/form-data|^application\/x-www-form-urlencoded/i.test(type) ? 1 : /^text\/plain/i.test(type) ? 2 : 3)
    const [best, ...others] = [...content].sort(([a], [b]) => rank(a) - rank(b))
    if (best !== undefined && others.length > 0) {
      this.notes.add('ignored', 'TM-2308', { chosen: best[0], others: others.map(([type]) => type).join(', ') }, node.origin)
      for (const [, other] of others) other.readWhole()
    }
    for (const key of ['example', 'examples']) best?.[1].get(key)?.readWhole()
    return best
  }

  private contentType(mediaType: string, content: DataNode, where: string, direction: 'in' | 'out'): Placed {
    const { origin } = content
    const schema = content.get('schema')
    const isStructured = /[/+]json\b|^multipart\/form-data|^application\/x-www-form-urlencoded/i.test(mediaType)
    if (isStructured && schema !== undefined) return this.schemas.read(schema, { id: `#operation:${where}`, name: where }, direction)
    if (isStructured) return { type: { kind: 'anything', origin }, nullable: true }
    schema?.readWhole()
    const isText = mediaType.startsWith('text/')
    if (/xml\b/i.test(mediaType) || /event-stream|jsonl|ndjson/.test(mediaType)) this.notes.add('approximated', 'TM-2311', { type: mediaType, as: isText ? 'text' : 'bytes' }, origin)
    return { type: { kind: 'scalar', base: isText ? 'text' : 'bytes', format: isText ? 'string' : 'byte', origin }, nullable: false }
  }

  private readResponses(node: DataNode, where: string): { outcome: Outcome; faults: Fault[]; answers: Record<string, ContentLayout>; byStatus: boolean } {
    const good: { status: string; media: string | undefined; placed: Placed; node: DataNode }[] = []
    const faults: Fault[] = []
    const responses = node.entries('responses').filter(([status]) => !status.startsWith('x-'))
    const hasGood = responses.some(([status]) => /^[123]/.test(status))
    for (const [status, each] of responses) {
      const response = this.references.settle(each)
      response.get('description')
      const media = this.choose(response)
      const placed: Placed = media === undefined ? { type: { kind: 'nothing', origin: response.origin }, nullable: false } : this.contentType(media[0], media[1], `${where}${pascalCase(`answer ${status}`)}`, 'out')
      if (/^[123]/.test(status) || (status === 'default' && !hasGood)) good.push({ status, media: media?.[0], placed, node: response })
      else faults.push({ name: status, type: placed.type, ...documented(response), origin: response.origin, layout: { ...(media === undefined ? {} : { mediaType: media[0] }) } satisfies ContentLayout })
    }
    const { origin } = node
    const answers = Object.fromEntries(good.map(({ status, media }) => [status, media === undefined ? {} : { mediaType: media }]))
    const shapes = new Set(good.map(({ placed }) => JSON.stringify(placed.type, (key, value: unknown) => (key === 'origin' || key === 'documentation' ? undefined : value))))
    const [first] = good
    if (first === undefined || (shapes.size === 1 && first.placed.type.kind === 'nothing')) return { outcome: { kind: 'nothing', origin }, faults, answers, byStatus: false }
    const field = (type: Type, nullable: boolean): Field => ({ name: 'body', type, optional: false, nullable, ...documented(first.node), origin: first.node.origin })
    if (shapes.size === 1) return { outcome: { kind: 'value', field: field(first.placed.type, first.placed.nullable && first.placed.type.kind !== 'anything'), origin }, faults, answers, byStatus: false }
    const alternatives = good.map(({ status, placed }): Type => ({
      kind: 'record',
      origin,
      fields: [
        { name: 'status', type: /^\d+$/.test(status) ? { kind: 'literal', value: Number(status), origin } : { kind: 'scalar', base: 'double', format: 'integer', origin }, optional: false, nullable: false, origin },
        { name: 'body', type: placed.type, optional: false, nullable: placed.nullable && placed.type.kind !== 'anything', origin },
      ],
    }))
    return { outcome: { kind: 'value', field: field({ kind: 'union', alternatives, origin }, false), origin }, faults, answers, byStatus: true }
  }

  private readScheme(name: string, node: DataNode): void {
    const type = node.text('type') ?? ''
    const http = node.text('scheme')?.toLowerCase()
    const scheme = type === 'apiKey' ? 'key' : type === 'http' && (http === 'basic' || http === 'bearer' || http === 'digest') ? http : 'unsupported'
    const place = node.text('in') as 'header' | 'query' | 'cookie' | undefined
    const keyName = node.text('name')
    if (scheme === 'unsupported' || scheme === 'digest') this.notes.add('ignored', 'TM-2310', { name, type: http ?? type }, node.origin)
    node.readWhole()
    this.schemes.set(name, { scheme: { name, scheme, ...documented(node), origin: node.origin }, ...(scheme === 'key' && place !== undefined && keyName !== undefined ? { key: { in: place, name: keyName } } : {}) })
  }

  /** Where the key of the first alternative goes that wants one. */
  private keyOf(node: DataNode): OperationLayout['key'] {
    const own = node.get('security')
    const wanted = own ?? this.references.root.get('security')
    wanted?.readWhole()
    return (wanted?.items ?? []).flatMap((alternative) => [...alternative.members.keys()]).map((name) => this.schemes.get(name)?.key).find((key) => key !== undefined)
  }

  /** Tells what nobody looked at; components that nothing refers to don't count. */
  private noteUnread(node: DataNode): void {
    for (const [name, member] of node.members) {
      if (name.startsWith('x-')) continue
      const isShelf = /^\/components(?:\/[^/]+)?$/.test(member.pointer)
      if (member.read || isShelf) this.noteUnread(member)
      else if (!/^\/components\/[^/]+\/[^/]+$/.test(member.pointer)) this.notes.add('ignored', 'TM-2306', { key: name }, member.origin)
    }
    for (const item of node.items) if (item.read) this.noteUnread(item)
  }
}

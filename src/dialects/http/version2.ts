import type { DataNode } from '../../documents/data-node.js'
import type { References } from './references.js'

const methods = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch']
/**
 * What a parameter of 2.0 says of its value, where 3.0 has a schema of its own (2.0, "Parameter
 * Object").
 */
const valueKeywords = [
  'type',
  'format',
  'items',
  'default',
  'maximum',
  'exclusiveMaximum',
  'minimum',
  'exclusiveMinimum',
  'maxLength',
  'minLength',
  'pattern',
  'maxItems',
  'minItems',
  'uniqueItems',
  'enum',
  'multipleOf',
  'x-nullable',
]

/**
 * Puts a description of OpenAPI 2.0 into the form of 3.0, in place: what is moved keeps its place
 * in the document. Schemas stay where they are, and so do references to them.
 */
export function translateVersion2(references: References): void {
  new Translation(references).translate()
}

class Translation {
  private readonly references: References
  private readonly root: DataNode

  constructor(references: References) {
    this.references = references
    this.root = references.root
  }

  translate(): void {
    const { root } = this
    this.translateServers()
    for (const key of ['definitions', 'parameters', 'responses', 'consumes', 'produces', 'schemes'])
      root.get(key)
    const [consumes, produces] = [root, root].map((node, at) =>
      this.mediaTypes(node, at === 0 ? 'consumes' : 'produces'),
    )
    for (const [path, each] of root.entries('paths')) {
      if (path.startsWith('x-')) continue
      const item = this.references.settle(each)
      const shared = item.list('parameters')
      const own = this.translateParameters(shared)
      for (const method of methods) {
        const operation = item.get(method)
        if (operation === undefined) continue
        const further = this.translateParameters(operation.list('parameters'))
        const bodies = [
          ...own.bodies.filter((body) =>
            further.bodies.every((other) => other.text('name') !== body.text('name')),
          ),
          ...further.bodies,
        ]
        this.translateBody(
          operation,
          bodies,
          this.mediaTypes(operation, 'consumes') ?? consumes ?? [],
        )
        for (const [, response] of operation.entries('responses'))
          this.translateResponse(
            this.references.settle(response),
            this.mediaTypes(operation, 'produces') ?? produces ?? [],
          )
      }
    }
    this.translateSecurity()
  }

  private translateServers(): void {
    const { root } = this
    const host = root.text('host')
    const basePath = root.text('basePath') ?? '/'
    const schemes = root
      .list('schemes')
      .map((each) => String(each.value))
      .filter((scheme) => /^https?$/.test(scheme))
    // Encrypted first, where there is a choice.
    const addresses =
      host === undefined
        ? [basePath]
        : (schemes.length === 0 ? ['https'] : [...schemes].sort().reverse()).map(
            (scheme) => `${scheme}://${host}${basePath === '/' ? '' : basePath}`,
          )
    const servers = root.put('servers', root.derive('list', 'servers'))
    for (const address of addresses) {
      const server = servers.put(0, (root.members.get('host') ?? root).derive('object', 'server'))
      server.put('url', server.derive('text', 'url', address))
      if (addresses.length > 1)
        server.put(
          'description',
          server.derive('text', 'description', address.startsWith('https') ? 'secure' : 'open'),
        )
    }
  }

  private mediaTypes(node: DataNode, key: 'consumes' | 'produces'): string[] | undefined {
    const found = node.get(key)
    found?.readWhole()
    return found === undefined || found.items.length === 0
      ? undefined
      : found.items.map((each) => String(each.value))
  }

  /** Gives parameters their schemas; the body and the fields of forms are handed back. */
  private translateParameters(parameters: readonly DataNode[]): { bodies: DataNode[] } {
    const bodies: DataNode[] = []
    for (const each of parameters) {
      const parameter = this.references.settle(each)
      const place = parameter.text('in')
      if (place === 'body' || place === 'formData') bodies.push(parameter)
      else this.giveSchema(parameter)
    }
    return { bodies }
  }

  private giveSchema(node: DataNode): DataNode {
    const existing = node.members.get('schema')
    if (existing !== undefined) return existing
    const schema = node.derive('object', 'schema')
    for (const keyword of valueKeywords) {
      const value = node.take(keyword)
      if (value !== undefined) schema.put(keyword, value)
    }
    node.put('schema', schema)
    const place = node.text('in')
    const format = node.text('collectionFormat') ?? 'csv'
    if (
      schema.members.get('type')?.value === 'array' &&
      (place === 'query' || place === 'formData')
    ) {
      const style =
        { ssv: 'spaceDelimited', pipes: 'pipeDelimited', tsv: 'tabDelimited' }[format] ?? 'form'
      node.put('style', node.derive('text', 'style', style))
      node.put('explode', node.derive('boolean', 'explode', format === 'multi'))
    }
    return schema
  }

  private translateBody(
    operation: DataNode,
    bodies: readonly DataNode[],
    consumes: readonly string[],
  ): void {
    const whole = bodies.find((body) => body.text('in') === 'body')
    const fields = bodies.filter((body) => body.text('in') === 'formData')
    if (whole === undefined && fields.length === 0) return
    const body = operation.put('requestBody', (whole ?? operation).derive('object', 'requestBody'))
    const content = body.put('content', body.derive('object', 'content'))
    if (whole === undefined) this.translateForm(body, content, fields, consumes)
    else translateWhole(body, content, whole, consumes)
  }

  /** Fields of a form become the properties of one object. */
  private translateForm(
    body: DataNode,
    content: DataNode,
    fields: readonly DataNode[],
    consumes: readonly string[],
  ): void {
    const hasFiles = fields.some(isFile)
    const usable = hasFiles ? /^multipart\/form-data/i : /^multipart\/form-data|form-urlencoded/i
    const usual = hasFiles ? 'multipart/form-data' : 'application/x-www-form-urlencoded'
    const types = consumes.filter((type) => usable.test(type))
    const media = body.derive('object', 'form')
    const schema = media.put('schema', media.derive('object', 'schema'))
    schema.put('type', schema.derive('text', 'type', 'object'))
    const properties = schema.put('properties', schema.derive('object', 'properties'))
    const required = schema.put('required', schema.derive('list', 'required'))
    const encoding = media.derive('object', 'encoding')
    for (const field of fields) {
      const name = field.text('name') ?? ''
      const own = this.giveSchema(field)
      for (const key of ['description', 'required']) field.get(key)
      const description = field.members.get('description')
      if (description !== undefined) own.put('description', description)
      properties.put(name, own)
      if (field.flag('required')) required.put(0, required.derive('text', 0, name))
      translateEncoding(field, name, encoding)
    }
    const isRequired = fields.some((field) => field.flag('required'))
    body.put('required', body.derive('boolean', 'required', isRequired))
    if (encoding.members.size > 0) media.put('encoding', encoding)
    for (const type of types.length === 0 ? [usual] : types) content.put(type, media)
  }

  private translateResponse(response: DataNode, produces: readonly string[]): void {
    for (const [, header] of response.entries('headers')) this.giveSchema(header)
    if (response.members.has('content')) return
    const schema = response.get('schema')
    const examples = response.get('examples')
    examples?.readWhole()
    if (schema === undefined) return
    const content = response.put('content', response.derive('object', 'content'))
    const isFile = schema.members.get('type')?.value === 'file'
    for (const type of produces.length === 0
      ? [isFile ? 'application/octet-stream' : 'application/json']
      : produces) {
      const media = content.put(type, content.derive('object', type))
      media.put('schema', schema)
    }
  }

  private translateSecurity(): void {
    const { root } = this
    const components = root.put('components', root.derive('object', 'components'))
    const schemes = components.put(
      'securitySchemes',
      components.derive('object', 'securitySchemes'),
    )
    components.read = true
    for (const [name, scheme] of root.entries('securityDefinitions')) {
      schemes.put(name, scheme)
      if (scheme.text('type') === 'basic') {
        scheme.put('type', scheme.derive('text', 'type', 'http'))
        scheme.put('scheme', scheme.derive('text', 'scheme', 'basic'))
      }
      const flow = scheme.text('flow')
      if (scheme.text('type') !== 'oauth2' || flow === undefined) continue
      const flows = scheme.put('flows', scheme.derive('object', 'flows'))
      const own = flows.put(
        { application: 'clientCredentials', accessCode: 'authorizationCode' }[flow] ?? flow,
        flows.derive('object', flow),
      )
      for (const key of ['authorizationUrl', 'tokenUrl', 'scopes']) {
        const value = scheme.get(key)
        if (value !== undefined) own.put(key, value)
      }
    }
  }
}

/** A body that is described as one. */
function translateWhole(
  body: DataNode,
  content: DataNode,
  whole: DataNode,
  consumes: readonly string[],
): void {
  for (const key of ['description', 'required']) {
    const found = whole.get(key)
    if (found !== undefined) body.put(key, found)
  }
  const schema = whole.get('schema')
  const usable = consumes.filter((type) => !/form-urlencoded|^multipart/i.test(type))
  for (const type of usable.length === 0 ? ['application/json'] : usable) {
    const media = content.put(type, content.derive('object', type))
    if (schema !== undefined) media.put('schema', schema)
  }
}

/** How a list in a form is written. */
function translateEncoding(field: DataNode, name: string, encoding: DataNode): void {
  const [style, explode] = [field.get('style'), field.get('explode')]
  if (style === undefined || explode === undefined) return
  const entry = encoding.put(name, encoding.derive('object', name))
  entry.put('style', style)
  entry.put('explode', explode)
}

function isFile({ members }: DataNode): boolean {
  const type = members.get('type') ?? members.get('schema')?.members.get('type')
  return type?.value === 'file'
}

import type { Endpoint } from '../../contract/contract.js'
import { filled, present } from '../../contract/present.js'
import type { DataNode } from '../../documents/data-node.js'
import { camelCase } from '../../naming/identifiers.js'
import { documented } from './annotations.js'
import type { EndpointSpecifics } from './specifics.js'

/**
 * Collects the servers of a description: of the whole, of paths and of operations (OpenAPI 3.1,
 * section 4.8.5).
 */
export class ServerReader {
  /** Each address once, in the order in which they were met. */
  readonly endpoints: Endpoint[] = []
  private readonly from: string

  /** @param from the address of the document, which relative ones start from */
  constructor(from: string) {
    this.from = from
  }

  /** The names of the endpoints that a node's own servers are; undefined when it names none. */
  read(node: DataNode): string[] | undefined {
    const servers = node.list('servers')
    return servers.length === 0 ? undefined : servers.map((server) => this.readServer(server))
  }

  /** The endpoint of a description that names no server: where it came from. */
  readDefault(root: DataNode): string[] {
    return [
      this.add({
        name: 'server',
        address: this.absolute('/'),
        protocol: 'HTTP',
        origin: root.origin,
      }),
    ]
  }

  private readServer(server: DataNode): string {
    const named = server.text('name')
    const description = server.text('description')
    const template = this.absolute(server.text('url') ?? '/')
    let address = template
    const variables = new Map<string, { default: string; values?: string[] }>()
    for (const [variable, node] of server.entries('variables')) {
      const preset = node.members.get('default')
      const values = (node.members.get('enum')?.items ?? []).map((each) => String(each.value))
      // The default is required, and often forgotten.
      const said = preset?.kind === 'number' ? preset.written : String(preset?.value)
      const usual = preset === undefined ? (values[0] ?? '') : said
      address = address.replaceAll(`{${variable}}`, () => usual)
      variables.set(variable, { default: usual, ...filled({ values }) })
      node.readWhole()
    }
    const specifics: EndpointSpecifics | undefined =
      variables.size === 0 ? undefined : { template, variables: Object.fromEntries(variables) }
    return this.add({
      name: camelCase((named ?? description?.split(/[.,:;(]/)[0] ?? 'server').slice(0, 30)),
      address,
      protocol: 'HTTP',
      ...documented(server),
      origin: server.origin,
      ...present({ specifics }),
    })
  }

  private add(endpoint: Endpoint): string {
    const known = this.endpoints.find(
      (each) =>
        each.address === endpoint.address &&
        JSON.stringify(each.specifics) === JSON.stringify(endpoint.specifics),
    )
    if (known !== undefined) return known.name
    let { name } = endpoint
    for (let count = 2; this.endpoints.some((each) => each.name === name); count += 1)
      name = `${endpoint.name}${count}`
    this.endpoints.push({ ...endpoint, name })
    return name
  }

  private absolute(template: string): string {
    // The braces of variables are no part of an address.
    const plain = template.replace(/\{/g, '%7B').replace(/\}/g, '%7D')
    if (
      !/^https?:/i.test(this.from) ||
      /^[a-z][a-z\d+.-]*:|^%7B/i.test(plain) ||
      !URL.canParse(plain, this.from)
    )
      return template
    return new URL(plain, this.from).href.replace(/%7B/gi, '{').replace(/%7D/gi, '}')
  }
}

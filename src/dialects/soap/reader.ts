import type { Contract, Endpoint, Operation, Service } from '../../contract/contract.js'
import { addEach } from '../../contract/lists.js'
import { marked, present } from '../../contract/present.js'
import { problem, Problem } from '../../contract/problem.js'
import type { Documents } from '../../documents/documents.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import { BrokenParts } from '../broken-parts.js'
import { Notes } from '../notes.js'
import { Definitions, type Definition } from './definitions.js'
import { openedCircles } from './encoded-circles.js'
import { operationSpecifics, type ContractSpecifics, type EndpointSpecifics } from './specifics.js'
import { httpBinding, soap11Binding, soap12Binding, wsdl, xsd } from './namespaces.js'
import { OperationReader } from './operations.js'
import { withExamplesOfTwins } from './plain-twins.js'
import { asksFor, asksForAddressing, asksForMtom, readPolicies } from './policies.js'
import type { Port } from './ports.js'
import { documentationOf, documented, keyOf, qualifiedName, wantedAttribute } from './reading.js'
import { TypeReader } from './type-reader.js'

/**
 * Reads a WSDL 1.1 contract with its schemas.
 *
 * @param documents the starting WSDL; what it refers to is fetched on the way
 * @param name the name the contract goes by
 * @throws Problem of kind `metadata` with its place; docs/messages.md, TM-2101 to TM-2219
 */
export async function readWsdl(documents: Documents, name: string): Promise<Contract> {
  const notes = new Notes(documents)
  const broken = new BrokenParts(notes)
  const definitions = new Definitions(documents, notes, broken)
  await definitions.add(documents.root)
  const root = definitions.roots[0]
  if (root === undefined) throw new Error('a WSDL without a root was read')
  const declared = definitions.all('service')
  if (declared.length === 0) throw problem('TM-2101', {}, { place: root.place })

  const types = new TypeReader(definitions.schemas)
  types.readAll()
  const operations = new OperationReader(definitions, types, notes, broken)
  const declaredServices = readServices(declared, definitions, operations, notes)
  const elements = readElements(definitions, types, broken)
  types.readWaiting()
  const { services, ...sound } = broken.soundPart({
    services: declaredServices,
    types: types.finished(),
  })
  if (services.every((service) => service.operations.length === 0)) throw nothingToCall(root, notes)

  const documentation = documentationOf(root) ?? services[0]?.documentation
  const security = readPolicies(definitions.roots, notes)
  for (const each of new Set([...definitions.roots, ...definitions.schemas.roots]))
    noteUnread(each, notes)
  const isEncoded = services.some((service) =>
    service.operations.some((operation) => operationSpecifics(operation).encoded === true),
  )
  if (isEncoded) notes.add('approximated', 'TM-2121', {}, root.origin)
  const specifics: ContractSpecifics = { elements, ...marked({ encoded: isEncoded }) }
  const contract: Contract = {
    name,
    dialect: 'soap',
    title: titleOf(services[0], root, name),
    ...sound,
    services: withExamplesOfTwins(services, sound.types),
    security,
    notes: notes.all(),
    ...present({ documentation: documentation === '' ? undefined : documentation }),
    origin: root.origin,
    specifics,
  }
  return isEncoded ? openedCircles(contract) : contract
}

/** The global elements, for content that names them. */
function readElements(
  { schemas }: Definitions,
  types: TypeReader,
  broken: BrokenParts,
): ContractSpecifics['elements'] {
  return schemas.all('element').flatMap((component) => {
    const { name, element } = component
    const { origin } = element
    return broken.attempt(
      () => [{ name, type: types.elementType(component), origin }],
      (reason) => {
        element.readWhole()
        broken.add('element', { name: name[1], origin }, reason)
        return []
      },
    )
  })
}

/** That no operation can be called, and why. */
function nothingToCall(root: XmlElement, notes: Notes): Problem {
  const refused = notes.all().filter((note) => note.effect === 'refused')
  const reasons = refused.slice(0, 5).map((note) => note.message.replace(/\.$/, ''))
  const said =
    reasons.length === 0 ? 'none of its ports is bound to operations' : reasons.join('; ')
  return problem('TM-2103', { reasons: said }, { place: root.place })
}

/** Names that servers give to services when nobody else does. */
const anyService = /^(?:web)?services?\d*$/i

/**
 * What a contract is called: by its first service, or where that is called `Service` by the last
 * word of its namespace or address that tells anything, else by the contract's own name.
 */
function titleOf(service: Service | undefined, root: XmlElement, name: string): string {
  const own = service?.name ?? name
  if (!anyService.test(own)) return own
  const namespace = root.attributes.find(({ local }) => local === 'targetNamespace')?.value ?? ''
  const address = (service?.endpoints[0]?.address ?? '').replace(/^\w+:\/\/[^/]*/, '')
  const words = [namespace.replace(/^https?:\/\/[^/]*/, ''), address].map((each) =>
    each
      .split(/[/:#?]+/)
      .map((word) => word.replace(/\.\w+$/, ''))
      .findLast((word) => /^\p{L}./u.test(word) && word !== 'urn' && !anyService.test(word)),
  )
  return words.find((word) => word !== undefined) ?? name
}

/** A port type with the ports that are of it, and the service that first has one. */
interface PortGroup {
  readonly portType: Definition
  readonly ports: Port[]
  readonly service: Definition
}

function readServices(
  declared: readonly Definition[],
  definitions: Definitions,
  reader: OperationReader,
  notes: Notes,
): Service[] {
  const services = withOwnNames(
    declared.map((service) => ({
      service,
      ports: service.element
        .take(wsdl, 'port')
        .flatMap((port) => readPort(port, definitions, notes)),
    })),
  )
  const groups = byPortType(services)
  const paths = new GroupPaths(groups, notes)
  const operations = new Map<Definition, Operation[]>()
  for (const group of groups)
    addEach(
      operations,
      group.service,
      reader.read(group.portType, group.ports, {
        group: paths.of(group),
        service: group.service.name[1],
      }),
    )
  return services.map(({ service, ports }) => ({
    name: service.name[1],
    endpoints: ports.map((port) => port.endpoint),
    operations: operations.get(service) ?? [],
    ...documented(service.element),
    origin: service.element.origin,
  }))
}

function byPortType(
  services: readonly { readonly service: Definition; readonly ports: readonly Port[] }[],
): PortGroup[] {
  const groups = new Map<string, PortGroup>()
  for (const { service, ports } of services)
    for (const port of ports) {
      const key = keyOf(port.portType.name)
      const known = groups.get(key)
      if (known !== undefined) known.ports.push(port)
      else groups.set(key, { portType: port.portType, ports: [port], service })
    }
  // The shape of an operation is that of SOAP, where there is one.
  for (const { ports } of groups.values())
    ports.sort((a, b) => Number(isPlain(a)) - Number(isPlain(b)))
  return [...groups.values()]
}

function isPlain(port: Port): boolean {
  return port.soap === httpBinding
}

/**
 * Where the operations of port types stand. They are grouped under their service only where two of
 * them would otherwise have the same path; those of plain HTTP give way to those of SOAP.
 */
class GroupPaths {
  private readonly groups: readonly PortGroup[]
  private readonly notes: Notes
  /** Those that others give way to. */
  private readonly first: ReadonlySet<PortGroup>
  private readonly hasSoap: boolean
  /** How many of those have an operation of a name. */
  private readonly counts = new Map<string, number>()
  private readonly taken = new Set<string>()

  constructor(groups: readonly PortGroup[], notes: Notes) {
    this.groups = groups
    this.notes = notes
    const ofSoap = groups.filter(({ ports }) => !ports.every(isPlain))
    this.hasSoap = ofSoap.length > 0
    this.first = new Set(this.hasSoap ? ofSoap : groups)
    for (const group of this.first)
      for (const name of new Set(memberNames(group)))
        this.counts.set(name, (this.counts.get(name) ?? 0) + 1)
  }

  of(group: PortGroup): readonly string[] {
    const { portType, ports, service } = group
    const isFirst = this.first.has(group)
    const most = isFirst ? 1 : 0
    const hasTwins = memberNames(group).some((name) => (this.counts.get(name) ?? 0) > most)
    if (this.groups.length < 2 || !hasTwins) return []
    if (!isFirst) {
      const name = ports.map((port) => port.endpoint.name).join(' and ')
      const values = { name, group: portType.name[1] }
      this.notes.add('approximated', 'TM-2118', values, portType.element.origin)
    }
    const ofService = this.groups.filter((each) => each.service === service)
    const named = !isFirst || ofService.length > 1 ? portType : service
    return [this.ownName(named.name[1])]
  }

  /** Port types of two namespaces may have one name. */
  private ownName(name: string): string {
    const isFree = (candidate: string): boolean => !this.taken.has(candidate.toLowerCase())
    const own = isFree(name) ? name : numberedStep(name, isFree)
    this.taken.add(own.toLowerCase())
    return own
  }
}

/** What the operations of a port type are called as members of a client. */
function memberNames({ portType }: PortGroup): string[] {
  return portType.element.children
    .filter((child) => child.is(wsdl, 'operation'))
    .map((operation) => memberName(operation.attribute('name') ?? ''))
}

/**
 * Endpoints have names of their own in a contract, ports only in their service: those that share
 * one with a port of another service are called `Service.Port`.
 */
function withOwnNames<Read extends { readonly service: Definition; readonly ports: Port[] }>(
  services: readonly Read[],
): Read[] {
  const counts = new Map<string, number>()
  for (const { endpoint } of services.flatMap(({ ports }) => ports))
    counts.set(endpoint.name, (counts.get(endpoint.name) ?? 0) + 1)
  const named = (port: Port, { name: [, service] }: Definition): Port =>
    counts.get(port.endpoint.name) === 1
      ? port
      : { ...port, endpoint: { ...port.endpoint, name: `${service}.${port.endpoint.name}` } }
  return services.map((each) => ({
    ...each,
    ports: each.ports.map((port) => named(port, each.service)),
  }))
}

const bothSoaps = [soap12Binding, soap11Binding]

/**
 * The namespace of a binding's version of SOAP: that which its operations use, where the binding
 * says another.
 */
function soapOf({ name, element }: Definition, notes: Notes): string | undefined {
  const declared = bothSoaps.find((each) =>
    element.children.some((child) => child.is(each, 'binding')),
  )
  const used = bothSoaps.filter((each) =>
    element.children.some(({ children }) => children.some((child) => child.is(each, 'operation'))),
  )
  const [read] = used
  if (read === undefined || (declared !== undefined && used.includes(declared))) return declared
  if (declared !== undefined) {
    const values = { name: name[1], declared: versionOf(declared), read: versionOf(read) }
    notes.add('approximated', 'TM-2119', values, element.origin)
  }
  return read
}

/** A port as an endpoint, or nothing and a note where it can't be called. */
function readPort(element: XmlElement, definitions: Definitions, notes: Notes): Port[] {
  const name = wantedAttribute(element, 'name')
  const written = wantedAttribute(element, 'binding')
  const binding = definitions.require('binding', qualifiedName(written, element), {
    what: 'port',
    name,
    at: element,
    written,
  })
  const writtenType = wantedAttribute(binding.element, 'type')
  const portType = definitions.require('portType', qualifiedName(writtenType, binding.element), {
    what: 'binding',
    name: binding.name[1],
    at: binding.element,
    written: writtenType,
  })
  portType.element.read = true
  documentationOf(binding.element)

  const soap = soapOf(binding, notes)
  const specifics = soap === undefined ? plainEndpoint(binding) : soapEndpoint(binding, soap)
  if ('refused' in specifics) {
    notes.add('refused', 'TM-2110', { name, reason: specifics.refused }, element.origin)
    element.readWhole()
    binding.element.readWhole()
    return []
  }
  const isSoap = soap !== undefined
  const endpoint: Endpoint = {
    name,
    address: isSoap ? soapAddress(element) : plainAddress(element),
    protocol: specifics.protocol,
    ...documented(element),
    origin: element.origin,
    specifics: isSoap ? soapSpecifics(element, binding, portType, soap, definitions) : {},
  }
  return [{ endpoint, binding, portType, soap: soap ?? httpBinding }]
}

/** How the endpoints of a binding are spoken to, or why they can't be. */
type Spoken = { readonly protocol: string } | { readonly refused: string }

function plainEndpoint({ element }: Definition): Spoken {
  const verb = element.takeOne(httpBinding, 'binding')?.attribute('verb')?.toUpperCase()
  if (verb === undefined) return { refused: 'its binding is neither one of SOAP nor of HTTP' }
  const isKnown = verb === 'GET' || verb === 'POST'
  return isKnown ? { protocol: `HTTP ${verb}` } : { refused: `its binding is HTTP ${verb}` }
}

function soapEndpoint({ element }: Definition, soap: string): Spoken {
  const [binding] = bothSoaps.flatMap((each) => element.take(each, 'binding'))
  const transport = binding?.attribute('transport') ?? ''
  binding?.attribute('style')
  if (transport !== '' && !/soap\/http|soap\/bindings\/HTTP/i.test(transport))
    return { refused: `its transport is not HTTP but ${transport}` }
  return { protocol: `SOAP ${versionOf(soap)}` }
}

function plainAddress(port: XmlElement): string {
  return port.take(httpBinding, 'address')[0]?.attribute('location')?.trim() ?? ''
}

function soapAddress(port: XmlElement): string {
  const [address] = [soap11Binding, soap12Binding].flatMap((each) => port.take(each, 'address'))
  readReference(port)
  return address?.attribute('location')?.trim() ?? ''
}

/**
 * What holds for endpoints is said at any of the three (WS-Policy Attachment 1.5, section 4.1.2).
 */
function soapSpecifics(
  port: XmlElement,
  binding: Definition,
  portType: Definition,
  soap: string,
  { roots }: Definitions,
): EndpointSpecifics {
  const subjects = [port, binding.element, portType.element]
  return {
    version: versionOf(soap),
    ...marked({
      addressing: asksFor(subjects, roots, asksForAddressing),
      mtom: asksFor(subjects, roots, asksForMtom),
    }),
  }
}

function versionOf(soap: string): '1.1' | '1.2' {
  return soap === soap12Binding ? '1.2' : '1.1'
}

const addressCores = [
  'http://www.w3.org/2005/08/addressing',
  'http://schemas.xmlsoap.org/ws/2004/08/addressing',
]

/** Takes note of an endpoint's address in the way of WS-Addressing, where it says nothing more. */
function readReference(port: XmlElement): void {
  const references = port.children.filter(
    ({ local, namespace }) => local === 'EndpointReference' && addressCores.includes(namespace),
  )
  for (const reference of references)
    if (reference.children.every(({ local }) => local === 'Address' || local === 'Identity'))
      reference.readWhole()
}

/**
 * Tells every element and attribute that no reader has looked at; inside an element that was told,
 * nothing more.
 */
function noteUnread(element: XmlElement, notes: Notes): void {
  if (!element.read) {
    if (
      element.is(wsdl, 'message') ||
      element.is(wsdl, 'portType') ||
      element.is(wsdl, 'binding')
    ) {
      notes.add(
        'ignored',
        'TM-2112',
        {
          what: `The ${element.local} "${element.attribute('name') ?? ''}"`,
          reason: 'no service uses it',
        },
        element.origin,
      )
    } else if (
      element.is(xsd) &&
      ['group', 'attributeGroup', 'attribute'].includes(element.local)
    ) {
      notes.add(
        'ignored',
        'TM-2112',
        {
          what: `The ${element.local} "${element.attribute('name') ?? ''}"`,
          reason: 'nothing refers to it',
        },
        element.origin,
      )
    } else notes.add('ignored', 'TM-2203', { element: element.name }, element.origin)
    return
  }
  for (const attribute of element.attributes) {
    // Attributes of other namespaces say nothing in a schema (XML Schema part 1, section 3.1.1).
    const isForeign = element.is(xsd) && ![xsd, wsdl, ''].includes(attribute.namespace)
    if (!attribute.read && !isForeign)
      notes.add(
        'ignored',
        'TM-2204',
        { attribute: attribute.name, element: element.name },
        element.origin,
      )
  }
  for (const child of element.children) noteUnread(child, notes)
}

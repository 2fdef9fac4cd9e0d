import { marked } from '../../contract/present.js'
import { addEach } from '../../contract/lists.js'
import type { Contract, Endpoint, Operation, Service } from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { Documents } from '../../documents/documents.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { Definitions, type Definition } from './definitions.js'
import { openedCircles } from './encoded-circles.js'
import { operationLayout, type ContractLayout, type EndpointLayout } from './layout.js'
import { httpBinding, soap11Binding, soap12Binding, wsdl, xsd } from './namespaces.js'
import { OperationReader, type Port } from './operations.js'
import { withExamplesOfTwins } from './plain-twins.js'
import { asksFor, asksForAddressing, asksForMtom, readPolicies } from './policies.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import { Notes } from '../notes.js'
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
  const definitions = new Definitions(documents, notes)
  await definitions.add(documents.root)
  const root = definitions.roots[0]
  if (root === undefined) throw new Error('a WSDL without a root was read')
  const declared = definitions.all('service')
  if (declared.length === 0) throw problem('TM-2101', {}, { place: root.place })

  const types = new TypeReader(definitions.schemas)
  types.readAll()
  const operations = new OperationReader(definitions, types, notes)
  const services = readServices(declared, definitions, operations, notes)
  const elements = definitions.schemas.all('element').map((component) => ({
    name: component.name,
    type: types.elementType(component),
    origin: component.element.origin,
  }))
  types.readWaiting()
  if (services.every((service) => service.operations.length === 0)) {
    const reasons = notes
      .all()
      .filter((note) => note.effect === 'refused')
      .map((note) => note.message.replace(/\.$/, ''))
    throw problem(
      'TM-2103',
      {
        reasons:
          reasons.length === 0
            ? 'none of its ports is bound to operations'
            : reasons.slice(0, 5).join('; '),
      },
      { place: root.place },
    )
  }

  const documentation = documentationOf(root)
  const security = readPolicies(definitions.roots, notes)
  for (const each of new Set([...definitions.roots, ...definitions.schemas.roots]))
    noteUnread(each, notes)
  const isEncoded = services.some((service) =>
    service.operations.some((operation) => operationLayout(operation).encoded === true),
  )
  const known = types.finished()
  const layout: ContractLayout = { elements, ...marked({ encoded: isEncoded }) }
  if (isEncoded) notes.add('approximated', 'TM-2121', {}, root.origin)
  const contract: Contract = {
    name,
    dialect: 'soap',
    title: titleOf(services[0], root, name),
    services: withExamplesOfTwins(services, known),
    types: known,
    security,
    notes: notes.all(),
    ...((documentation ?? services[0]?.documentation)
      ? { documentation: documentation ?? services[0]?.documentation ?? '' }
      : {}),
    origin: root.origin,
    layout,
  }
  return isEncoded ? openedCircles(contract) : contract
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

function readServices(
  declared: readonly Definition[],
  definitions: Definitions,
  reader: OperationReader,
  notes: Notes,
): Service[] {
  const read = withOwnNames(
    declared.map((service) => ({
      service,
      ports: service.element
        .take(wsdl, 'port')
        .flatMap((port) => readPort(port, definitions, notes)),
    })),
  )
  const portTypes = new Map<string, { portType: Definition; ports: Port[]; service: Definition }>()
  for (const { service, ports } of read) {
    for (const port of ports) {
      const key = keyOf(port.portType.name)
      const known = portTypes.get(key)
      if (known === undefined)
        portTypes.set(key, { portType: port.portType, ports: [port], service })
      else known.ports.push(port)
    }
  }
  const byService = new Map<Definition, Operation[]>()
  const names = new Map<string, number>()
  const groups = [...portTypes.values()]
  // The shape of an operation is that of SOAP, where there is one.
  for (const { ports } of groups)
    ports.sort((a, b) => Number(a.soap === httpBinding) - Number(b.soap === httpBinding))
  const isPlain = ({ ports }: (typeof groups)[number]): boolean =>
    ports.every((port) => port.soap === httpBinding)
  const soapGroups = groups.filter((group) => !isPlain(group))
  const operationsIn = ({ portType }: (typeof groups)[number]): XmlElement[] =>
    portType.element.children.filter((child) => child.is(wsdl, 'operation'))
  const memberOf = (operation: XmlElement): string => memberName(nameOf(operation))
  for (const each of soapGroups.length > 0 ? soapGroups : groups)
    for (const name of new Set(operationsIn(each).map(memberOf)))
      names.set(name, (names.get(name) ?? 0) + 1)
  const groupNames = new Set<string>()
  // Port types of two namespaces may have one name.
  const ownGroup = (name: string): string => {
    const isFree = (candidate: string): boolean => !groupNames.has(candidate.toLowerCase())
    const own = isFree(name) ? name : numberedStep(name, isFree)
    groupNames.add(own.toLowerCase())
    return own
  }
  for (const each of groups) {
    const { portType, ports, service } = each
    // Operations are grouped under their service only where two of them would otherwise have the
    // same path; those of plain HTTP give way to those of SOAP.
    const twins = operationsIn(each).filter(
      (operation) =>
        (names.get(memberOf(operation)) ?? 0) >
        (soapGroups.includes(each) || soapGroups.length === 0 ? 1 : 0),
    )
    const clash = groups.length > 1 && twins.length > 0
    const givesWay = clash && isPlain(each) && soapGroups.length > 0
    const sameService = givesWay || groups.filter((group) => group.service === service).length > 1
    const group = clash ? [ownGroup((sameService ? portType : service).name[1])] : []
    if (givesWay)
      notes.add(
        'approximated',
        'TM-2118',
        { name: ports.map((port) => port.endpoint.name).join(' and '), group: portType.name[1] },
        portType.element.origin,
      )
    addEach(byService, service, reader.read(portType, ports, group))
  }
  return read.map(({ service, ports }) => ({
    name: service.name[1],
    endpoints: ports.map((port) => port.endpoint),
    operations: byService.get(service) ?? [],
    ...documented(service.element),
    origin: service.element.origin,
  }))
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

function nameOf(operation: XmlElement): string {
  return operation.attribute('name') ?? ''
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
  const version = (of: string | undefined): string => (of === soap12Binding ? '1.2' : '1.1')
  if (declared !== undefined)
    notes.add(
      'approximated',
      'TM-2119',
      { name: name[1], declared: version(declared), read: version(read) },
      element.origin,
    )
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
  const leaveOut = (reason: string): Port[] => {
    notes.add('refused', 'TM-2110', { name, reason }, element.origin)
    element.readWhole()
    binding.element.readWhole()
    return []
  }
  if (soap === undefined) {
    const verb = binding.element.takeOne(httpBinding, 'binding')?.attribute('verb')?.toUpperCase()
    if (verb !== 'GET' && verb !== 'POST')
      return leaveOut(
        verb === undefined
          ? 'its binding is neither one of SOAP nor of HTTP'
          : `its binding is HTTP ${verb}`,
      )
    const plain = element.take(httpBinding, 'address')[0]?.attribute('location')?.trim() ?? ''
    const endpoint: Endpoint = {
      name,
      address: plain,
      protocol: `HTTP ${verb}`,
      ...documented(element),
      origin: element.origin,
      layout: {} satisfies EndpointLayout,
    }
    return [{ endpoint, binding, portType, soap: httpBinding }]
  }
  const [soapBinding] = bothSoaps.flatMap((each) => binding.element.take(each, 'binding'))
  const transport = soapBinding?.attribute('transport') ?? ''
  soapBinding?.attribute('style')
  if (transport !== '' && !/soap\/http|soap\/bindings\/HTTP/i.test(transport))
    return leaveOut(`its transport is not HTTP but ${transport}`)
  const address =
    element.take(soap11Binding, 'address')[0] ?? element.take(soap12Binding, 'address')[0]
  const location = address?.attribute('location')?.trim() ?? ''
  readReference(element)
  // What holds for endpoints is said at any of the three (WS-Policy Attachment 1.5, section 4.1.2).
  const subjects = [element, binding.element, portType.element]
  const version = soap === soap12Binding ? '1.2' : '1.1'
  const endpoint: Endpoint = {
    name,
    address: location,
    protocol: `SOAP ${version}`,
    ...documented(element),
    origin: element.origin,
    layout: {
      version,
      ...marked({ addressing: asksFor(subjects, definitions.roots, asksForAddressing) }),
      ...marked({ mtom: asksFor(subjects, definitions.roots, asksForMtom) }),
    } satisfies EndpointLayout,
  }
  return [{ endpoint, binding, portType, soap }]
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

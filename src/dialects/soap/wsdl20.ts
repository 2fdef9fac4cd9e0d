import { addAll } from '../../contract/lists.js'
import { problem } from '../../contract/problem.js'
import { XmlElement } from '../../documents/xml-tree.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { soap11Binding, soap12Binding, wsdl, wsdl20, xsd } from './namespaces.js'
import { keyOf, qualifiedName, wantedAttribute } from './reading.js'

const soapExtension = 'http://www.w3.org/ns/wsdl/soap'
const httpTransport = 'http://schemas.xmlsoap.org/soap/http'
/** The prefix of names that this translation makes; no document can have it. */
const own = '$'

/**
 * A WSDL 2.0 description as the WSDL 1.1 definitions that say the same: interfaces are port types,
 * their faults and the elements they name are messages, endpoints are ports (WSDL 2.0 part 1,
 * section 2; part 2, section 5). Everything keeps its place in the document.
 *
 * @param others descriptions that this one includes or imports, whose interfaces it may use
 */
export function asDefinitions(
  root: XmlElement,
  others: readonly XmlElement[],
  notes: Notes,
  broken: BrokenParts,
): XmlElement {
  return new Translation(root, others, notes, broken).definitions()
}

/** The message of an operation that may be any element, if one may. */
function unclearPart(operation: XmlElement): XmlElement | undefined {
  return operation.children.find((child) =>
    ['#any', '#other'].includes(child.attribute('element') ?? ''),
  )
}

class Translation {
  private readonly root: XmlElement
  private readonly notes: Notes
  private readonly namespace: string
  private readonly interfaces = new Map<string, XmlElement>()
  private readonly faults = new Map<string, XmlElement>()
  /** By their names. */
  private readonly messages = new Map<string, XmlElement>()
  private readonly broken: BrokenParts

  constructor(root: XmlElement, others: readonly XmlElement[], notes: Notes, broken: BrokenParts) {
    this.root = root
    this.notes = notes
    this.broken = broken
    this.namespace = wantedAttribute(root, 'targetNamespace')
    for (const each of [root, ...others]) {
      const namespace = wantedAttribute(each, 'targetNamespace')
      for (const one of each.children.filter((child) => child.is(wsdl20, 'interface'))) {
        this.interfaces.set(keyOf([namespace, wantedAttribute(one, 'name')]), one)
        for (const fault of one.children.filter((child) => child.is(wsdl20, 'fault')))
          this.faults.set(keyOf([namespace, wantedAttribute(fault, 'name')]), fault)
      }
    }
  }

  definitions(): XmlElement {
    const { root } = this
    const portTypes = [...this.interfaces.values()]
      .filter((each) => this.isUsed(each))
      .map((each) => this.portType(each))
    const services = root.children
      .filter((child) => child.is(wsdl20, 'service'))
      .map((each) => this.service(each))
    const bindings = root.children
      .filter((child) => child.is(wsdl20, 'binding'))
      .flatMap((each) => this.binding(each))
    return this.make(root, wsdl, 'definitions', { targetNamespace: this.namespace }, [
      ...this.documentation(root),
      ...this.types(),
      ...this.messages.values(),
      ...portTypes,
      ...bindings,
      ...services,
      ...this.extensions(root),
    ])
  }

  private isUsed(each: XmlElement): boolean {
    return this.root.children.some(
      (child) => child.is(wsdl20, 'service') && this.interfaceOf(child) === each,
    )
  }

  private interfaceOf(element: XmlElement): XmlElement | undefined {
    const name = element.attribute('interface')
    return name === undefined ? undefined : this.interfaces.get(keyOf(qualifiedName(name, element)))
  }

  /** An element that stands for one of the description. Its own attributes count as read. */
  private make(
    source: XmlElement,
    namespace: string,
    local: string,
    attributes: Readonly<Record<string, string>>,
    children: readonly XmlElement[] = [],
  ): XmlElement {
    const made = new XmlElement(local, namespace, local, source, source, {
      [own]: this.namespace,
    })
    for (const [name, value] of Object.entries(attributes))
      made.attributes.push({ namespace: '', local: name, name, value, read: true })
    addAll(made.children, children)
    return made
  }

  private documentation(source: XmlElement): XmlElement[] {
    return source.children
      .filter((child) => child.is(wsdl20, 'documentation'))
      .map((each) => {
        const made = this.make(each, wsdl, 'documentation', {}, each.children)
        made.text = each.text
        return made
      })
  }

  /** What is of neither standard stays where it is, so that it is read or told. */
  private extensions(source: XmlElement): XmlElement[] {
    return source.children.filter(
      (child) => ![wsdl20, soapExtension, xsd].includes(child.namespace),
    )
  }

  private types(): XmlElement[] {
    return this.root.children
      .filter((child) => child.is(wsdl20, 'types'))
      .map((types) => {
        // Imports of schemas may stand there by themselves.
        const imports = types.children.filter((child) => child.is(xsd, 'import'))
        return this.make(types, wsdl, 'types', {}, [
          ...(imports.length === 0 ? [] : [this.make(types, xsd, 'schema', {}, imports)]),
          ...types.children.filter((child) => !imports.includes(child)),
        ])
      })
  }

  /** A message of one part, which is an element, or of none. */
  private message(source: XmlElement, name: string, element: string | undefined): string {
    if (!this.messages.has(name)) {
      const part =
        element === undefined || element === '#none'
          ? []
          : [this.make(source, wsdl, 'part', { name: element.replace(/^.*:/, ''), element })]
      this.messages.set(name, this.make(source, wsdl, 'message', { name }, part))
    }
    return `${own}:${name}`
  }

  /** The operations of an interface, and of those that it extends (part 1, section 2.2). */
  private operationsOf(each: XmlElement, within: readonly XmlElement[] = []): XmlElement[] {
    const extended = (each.attribute('extends') ?? '').split(/\s+/).filter((name) => name !== '')
    const bases = extended
      .map((name) => this.interfaces.get(keyOf(qualifiedName(name, each))))
      .filter((base) => base !== undefined)
    return [
      ...bases
        .filter((base) => !within.includes(base))
        .flatMap((base) => this.operationsOf(base, [...within, each])),
      ...each.children.filter((child) => child.is(wsdl20, 'operation')),
    ]
  }

  /** What the translation leaves behind is told. */
  private tellOthers(source: XmlElement, known: readonly string[]): void {
    for (const child of source.children)
      if ([wsdl20, soapExtension].includes(child.namespace) && !known.includes(child.local))
        this.notes.add('ignored', 'TM-2203', { element: child.name }, child.origin)
  }

  private portType(each: XmlElement): XmlElement {
    this.tellOthers(each, ['documentation', 'operation', 'fault'])
    const name = wantedAttribute(each, 'name')
    return this.make(each, wsdl, 'portType', { name }, [
      ...this.documentation(each),
      ...this.operationsOf(each).flatMap((operation) => this.operationOrTell(operation, name)),
    ])
  }

  private operationOrTell(source: XmlElement, portType: string): XmlElement[] {
    return this.broken.attempt(
      () => this.operation(source, portType),
      (reason) => {
        const path = [source.attribute('name') ?? '']
        this.broken.addOperation({ path, origin: source.origin }, reason)
        source.readWhole()
        return []
      },
    )
  }

  private operation(source: XmlElement, portType: string): XmlElement[] {
    const name = wantedAttribute(source, 'name')
    this.tellOthers(source, ['documentation', 'input', 'output', 'outfault'])
    const direction = (local: 'input' | 'output'): XmlElement[] =>
      source.children
        .filter((child) => child.is(wsdl20, local))
        .map((each) =>
          this.make(each, wsdl, local, {
            message: this.message(each, `${portType}.${name}.${local}`, each.attribute('element')),
          }),
        )
    const unclear = unclearPart(source)
    if (unclear !== undefined) {
      this.notes.add(
        'refused',
        'TM-2111',
        { name, endpoint: 'every endpoint', reason: `its ${unclear.local} may be any element` },
        unclear.origin,
      )
      return []
    }
    const faults = source.children
      .filter((child) => child.is(wsdl20, 'outfault'))
      .map((each) => {
        const written = wantedAttribute(each, 'ref')
        const fault = this.faults.get(keyOf(qualifiedName(written, each)))
        if (fault === undefined)
          throw problem(
            'TM-2102',
            {
              what: 'operation',
              name,
              kind: 'fault',
              reference: written,
              nearest: 'No interface declares it.',
            },
            { place: each.place },
          )
        const local = wantedAttribute(fault, 'name')
        return this.make(each, wsdl, 'fault', {
          name: local,
          message: this.message(fault, `fault.${local}`, fault.attribute('element')),
        })
      })
    return [
      this.make(source, wsdl, 'operation', { name }, [
        ...this.documentation(source),
        ...direction('input'),
        ...direction('output'),
        ...faults,
      ]),
    ]
  }

  /**
   * A binding; one that names no interface serves every service that uses it (part 1, section 2.9).
   */
  private binding(source: XmlElement): XmlElement[] {
    const name = wantedAttribute(source, 'name')
    this.tellOthers(source, ['documentation', 'operation', 'fault'])
    const bound = this.interfaceOf(source) ?? this.interfaceServedBy(name)
    if (bound === undefined) return []
    const isSoap = source.attribute('type') === soapExtension
    const type = `${own}:${wantedAttribute(bound, 'name')}`
    return [
      this.make(source, wsdl, 'binding', { name, type }, [
        ...this.documentation(source),
        ...(isSoap ? this.soapBinding(source, bound) : []),
        ...this.extensions(source),
      ]),
    ]
  }

  private interfaceServedBy(binding: string): XmlElement | undefined {
    const usesIt = (endpoint: XmlElement): boolean =>
      endpoint.is(wsdl20, 'endpoint') &&
      withoutPrefix(endpoint.attribute('binding') ?? '') === binding
    return this.root.children
      .filter((child) => child.is(wsdl20, 'service') && child.children.some(usesIt))
      .map((service) => this.interfaceOf(service))
      .find((each) => each !== undefined)
  }

  /** What is inside a binding to SOAP (part 2, section 5). */
  private soapBinding(source: XmlElement, bound: XmlElement): XmlElement[] {
    const soap =
      source.attribute('version', soapExtension) === '1.1' ? soap11Binding : soap12Binding
    const protocol =
      source.attribute('protocol', soapExtension) ?? 'http://www.w3.org/2003/05/soap/bindings/HTTP/'
    const transport = /HTTP/i.test(protocol) ? httpTransport : protocol
    const details = new Map(
      source.children
        .filter((child) => child.is(wsdl20, 'operation'))
        .map((each) => [withoutPrefix(each.attribute('ref') ?? ''), each]),
    )
    const operations = this.operationsOf(bound)
      .filter((each) => unclearPart(each) === undefined)
      .map((operation) => {
        const detail = details.get(wantedAttribute(operation, 'name'))
        return this.boundOperation(operation, detail, soap)
      })
    return [this.make(source, soap, 'binding', { style: 'document', transport }), ...operations]
  }

  /** @param detail what the binding says of the operation */
  private boundOperation(
    operation: XmlElement,
    detail: XmlElement | undefined,
    soap: string,
  ): XmlElement {
    const at = detail ?? operation
    const soapAction = detail?.attribute('action', soapExtension) ?? ''
    return this.make(at, wsdl, 'operation', { name: wantedAttribute(operation, 'name') }, [
      this.make(at, soap, 'operation', { soapAction }),
      ...this.boundDirection(operation, detail, soap, 'input'),
      ...this.boundDirection(operation, detail, soap, 'output'),
    ])
  }

  private boundDirection(
    operation: XmlElement,
    detail: XmlElement | undefined,
    soap: string,
    which: 'input' | 'output',
  ): XmlElement[] {
    const isThere = (child: XmlElement): boolean => child.is(wsdl20, which)
    if (!operation.children.some(isThere)) return []
    const said = detail?.children.find(isThere)?.children ?? []
    const headers = said
      .filter((child) => child.is(soapExtension, 'header'))
      .map((header) => {
        const element = wantedAttribute(header, 'element')
        const message = this.message(header, `header.${String(header.origin)}`, element)
        const part = withoutPrefix(element)
        return this.make(header, soap, 'header', { message, part, use: 'literal' })
      })
    const body = this.make(operation, soap, 'body', { use: 'literal' })
    return [this.make(detail ?? operation, wsdl, which, {}, [body, ...headers])]
  }

  private service(source: XmlElement): XmlElement {
    const ports = source.children
      .filter((child) => child.is(wsdl20, 'endpoint'))
      .map((endpoint) =>
        this.make(
          endpoint,
          wsdl,
          'port',
          {
            name: wantedAttribute(endpoint, 'name'),
            binding: wantedAttribute(endpoint, 'binding'),
          },
          [
            ...this.documentation(endpoint),
            this.make(endpoint, soap12Binding, 'address', {
              location: endpoint.attribute('address') ?? '',
            }),
            ...this.extensions(endpoint),
          ],
        ),
      )
    return this.make(source, wsdl, 'service', { name: wantedAttribute(source, 'name') }, [
      ...this.documentation(source),
      ...ports,
    ])
  }
}

function withoutPrefix(name: string): string {
  return name.replace(/^.*:/, '')
}

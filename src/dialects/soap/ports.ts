import type { Endpoint } from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Definition } from './definitions.js'
import { soap11Binding, soap12Binding, wsdl } from './namespaces.js'

/** A port that can be called, with the binding behind it. */
export interface Port {
  readonly endpoint: Endpoint
  readonly binding: Definition
  readonly portType: Definition
  /** The namespace of its SOAP binding elements: that which its operations use. */
  readonly soap: string
}

/**
 * The elements of SOAP of a local name, in the namespace of the port's version or else of the
 * other: some bindings mix them.
 */
export function takeOfSoap(element: XmlElement, { soap }: Port, local: string): XmlElement[] {
  const other = soap === soap12Binding ? soap11Binding : soap12Binding
  return [...element.take(soap, local), ...element.take(other, local)]
}

/** A port with what its binding says of all operations, and of each by name. */
export interface BoundPort extends Port {
  readonly style: string | undefined
  readonly byName: ReadonlyMap<string, readonly XmlElement[]>
}

/** A port, its binding read as far as it speaks of the port. */
export function boundPort(port: Port): BoundPort {
  const { element } = port.binding
  const [binding] = takeOfSoap(element, port, 'binding')
  const byName = new Map<string, XmlElement[]>()
  for (const each of element.take(wsdl, 'operation'))
    addTo(byName, each.attribute('name') ?? '', each)
  return { ...port, style: binding?.attribute('style'), byName }
}

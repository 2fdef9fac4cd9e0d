import type { Field, Operation, Outcome } from '../../contract/contract.js'
import { addEach, addTo } from '../../contract/lists.js'
import { compareTexts } from '../../contract/ordering.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import type { BrokenParts } from '../broken-parts.js'
import type { Notes } from '../notes.js'
import { BoundOperationReader } from './bound-operation.js'
import { differing, headersOf, inOneShape, type BoundShape } from './bound-shapes.js'
import type { Definition, Definitions } from './definitions.js'
import type { OperationWire } from './specifics.js'
import { MessageParts, NotYet } from './message-parts.js'
import { httpBinding, wsdl } from './namespaces.js'
import { readPlainOperation } from './plain-operation.js'
import { boundPort, type BoundPort, type Port } from './ports.js'
import { documentationOf, documented, wantedAttribute } from './reading.js'
import type { TypeReader } from './type-reader.js'

/** An operation of a port type among its overloads. */
interface Overload {
  readonly name: string
  /** What it is called in the client. */
  readonly given: string
  /** Its position among those of its name. */
  readonly at: number
  readonly isOverloaded: boolean
}

/** Where the operations of a port type stand. */
interface Standing {
  /** The first steps of their paths. */
  readonly group: readonly string[]
  /** The name of the service that they are counted with. */
  readonly service: string
}

/** An operation as all its bindings have it. */
interface OnTheWire {
  readonly shape: BoundShape
  /** By the names of endpoints. */
  readonly wire: Readonly<Record<string, OperationWire>>
}

/**
 * Reads the operations of one port type, as the bindings of these ports put them on the wire (WSDL
 * 1.1, sections 2.4, 2.5 and 3).
 */
export class OperationReader {
  private readonly parts: MessageParts
  private readonly bound: BoundOperationReader
  private readonly notes: Notes
  private readonly broken: BrokenParts

  constructor(definitions: Definitions, types: TypeReader, notes: Notes, broken: BrokenParts) {
    this.parts = new MessageParts(definitions, types)
    this.bound = new BoundOperationReader(definitions, types, this.parts, notes)
    this.notes = notes
    this.broken = broken
  }

  read(portType: Definition, ports: readonly Port[], { group, service }: Standing): Operation[] {
    documentationOf(portType.element)
    const bound = ports.map(boundPort)
    const elements = portType.element.take(wsdl, 'operation')
    const byName = new Map<string, XmlElement[]>()
    for (const element of elements) addTo(byName, wantedAttribute(element, 'name'), element)
    const byMember = new Map<string, XmlElement[]>()
    for (const [name, overloads] of byName) addEach(byMember, memberName(name), overloads)
    // Which one keeps the plain name must not depend on the order of the document.
    const plain = new Map(
      [...byMember].map(([member, namesakes]) => [member, firstByMessage(namesakes)]),
    )
    const taken = new Set([...plain.keys()].map((name) => name.toLowerCase()))
    return elements.flatMap((element) => {
      const name = wantedAttribute(element, 'name')
      const overloads = byName.get(name) ?? []
      const keeper = plain.get(memberName(name))
      const given = element === keeper ? name : this.nameBeside(keeper, element, taken)
      const at = overloads.indexOf(element)
      const overload = { name, given, at, isOverloaded: overloads.length > 1 }
      const path = [...group, given]
      return this.broken.attempt(
        () => this.readOperation(element, overload, bound, path),
        (reason) => {
          element.readWhole()
          this.broken.addOperation({ path, service, origin: element.origin }, reason)
          return []
        },
      )
    })
  }

  /**
   * The name of an operation beside the one that keeps it. That of an overload is the name of its
   * input message, which is all that tells it apart (WSDL 1.1, section 2.4.5); names that differ
   * only in what identifiers don't show are numbered.
   */
  private nameBeside(
    keeper: XmlElement | undefined,
    element: XmlElement,
    taken: Set<string>,
  ): string {
    const name = valueOf(element, 'name')
    const other = valueOf(keeper, 'name')
    const input = element.children.find((child) => child.is(wsdl, 'input'))
    const message = valueOf(input, 'message')
    const isOverload = other === name
    const wished = [valueOf(input, 'name'), message.replace(/^.*:/, '')]
    const isFree = (each: string): boolean => !taken.has(memberName(each).toLowerCase())
    const isFit = (each: string): boolean => each !== '' && each !== name && isFree(each)
    const given = (isOverload ? wished.find(isFit) : undefined) ?? numberedStep(name, isFree)
    taken.add(memberName(given).toLowerCase())
    if (isOverload)
      this.notes.add('approximated', 'TM-2117', { name, message, given }, element.origin)
    else this.notes.add('approximated', 'TM-2120', { name, other, given }, element.origin)
    return given
  }

  /** The operation, or nothing and a note where no binding offers it in a way that can be had. */
  private readOperation(
    element: XmlElement,
    overload: Overload,
    ports: readonly BoundPort[],
    path: readonly string[],
  ): Operation[] {
    const documentation = documented(element)
    element.attribute('parameterOrder')
    const bindings = ports.flatMap((port) => {
      const binding = bindingOf(element, overload, port)
      return binding === undefined ? [] : [{ port, binding }]
    })
    const read = this.readBindings(element, overload.name, bindings)
    if (read === undefined) {
      element.readWhole()
      if (bindings.length === 0) {
        const values = { endpoint: 'every endpoint', reason: 'no binding offers it' }
        this.notes.add('ignored', 'TM-2111', { name: overload.given, ...values }, element.origin)
      }
      return []
    }
    const { outputs, ...shape } = read.shape
    return [
      {
        path,
        ...shape,
        outcome: outcomeOf(outputs),
        wire: read.wire,
        ...documentation,
        origin: element.origin,
      },
    ]
  }

  /** The ways of putting an operation on the wire, in one shape. */
  private readBindings(
    element: XmlElement,
    name: string,
    bindings: readonly { readonly port: BoundPort; readonly binding: XmlElement }[],
  ): OnTheWire | undefined {
    // Ports often share a binding, which puts the operation on the wire in one way.
    const known = new Map<XmlElement, { wire: OperationWire; headers: readonly string[] }>()
    const endpoints = new Map<string, { wire: OperationWire; headers: readonly string[] }>()
    let shape: BoundShape | undefined
    for (const { port, binding } of bindings) {
      const endpoint = port.endpoint.name
      try {
        let here = known.get(binding)
        if (here === undefined) {
          const { action, ...read } = this.readBinding(element, name, binding, port)
          shape = shape === undefined ? read : inOneShape(shape, read)
          const wire = { action, ...differing(shape.specifics, read.specifics) }
          known.set(binding, (here = { wire, headers: headersOf(read) }))
        }
        endpoints.set(endpoint, here)
      } catch (error) {
        if (!(error instanceof NotYet)) throw error
        const values = { name, endpoint, reason: error.message }
        this.notes.add('refused', 'TM-2111', values, binding.origin)
        binding.readWhole()
      }
    }
    if (shape === undefined) return undefined
    const all = headersOf(shape)
    const wire = [...endpoints].map(([endpoint, here]) => {
      const without = all.filter((each) => !here.headers.includes(each))
      return [endpoint, without.length === 0 ? here.wire : { ...here.wire, without }] as const
    })
    return { shape, wire: Object.fromEntries(wire) }
  }

  /** The operation as one binding has it. */
  private readBinding(
    element: XmlElement,
    name: string,
    binding: XmlElement,
    port: BoundPort,
  ): BoundShape & Pick<OperationWire, 'action'> {
    documentationOf(binding)
    return port.soap === httpBinding
      ? { action: '', ...readPlainOperation(element, name, binding, port, this.parts) }
      : this.bound.read(element, name, binding, port)
  }
}

/**
 * Overloads are bound under the names of their messages; where those are left out, in the same
 * order.
 */
function bindingOf(
  element: XmlElement,
  { name, at, isOverloaded }: Overload,
  port: BoundPort,
): XmlElement | undefined {
  const bindings = port.byName.get(name) ?? []
  if (!isOverloaded) return bindings[0]
  const input = inputName(element)
  return bindings.find((each) => input !== '' && inputName(each) === input) ?? bindings[at]
}

/** The value of an attribute, without marking it as read. */
function valueOf(element: XmlElement | undefined, name: string): string {
  return element?.attributes.find(({ local }) => local === name)?.value ?? ''
}

/** The name of an operation's input. */
function inputName(operation: XmlElement): string {
  return valueOf(
    operation.children.find((child) => child.is(wsdl, 'input')),
    'name',
  )
}

function firstByMessage(operations: readonly XmlElement[]): XmlElement | undefined {
  return [...operations].sort((a, b) => compareTexts(messageKey(a), messageKey(b)))[0]
}

function messageKey(operation: XmlElement): string {
  const input = operation.children.find((child) => child.is(wsdl, 'input'))
  return `${valueOf(operation, 'name')} ${valueOf(input, 'name')} ${valueOf(input, 'message')}`
}

function outcomeOf(fields: readonly Field[]): Outcome {
  const [only, ...others] = fields
  if (only === undefined) return { kind: 'nothing' }
  return others.length === 0 ? { kind: 'value', field: only } : { kind: 'record', fields }
}

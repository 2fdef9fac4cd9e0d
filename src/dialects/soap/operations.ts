import { filled, marked, present } from '../../contract/present.js'
import { addEach, addTo } from '../../contract/lists.js'
import type {
  Choice,
  Endpoint,
  Fault,
  Field,
  InputField,
  Operation,
  Outcome,
  RecordType,
  ScalarType,
  Type,
} from '../../contract/contract.js'
import { problem } from '../../contract/problem.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Definition, Definitions } from './definitions.js'
import type {
  EndpointLayout,
  FaultLayout,
  FieldLayout,
  OperationLayout,
  PlainLayout,
  OperationWire,
  QualifiedName,
} from './layout.js'
import {
  addressingNamespaces,
  httpBinding,
  mimeBinding,
  soap11Binding,
  soap12Binding,
  wsdl,
} from './namespaces.js'
import { memberName, numberedStep } from '../../naming/methods.js'
import type { Notes } from '../notes.js'
import { documentationOf, documented, qualifiedName, wantedAttribute } from './reading.js'
import type { TypeReader } from './type-reader.js'

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
function takeOfSoap(element: XmlElement, { soap }: Port, local: string): XmlElement[] {
  const other = soap === soap12Binding ? soap11Binding : soap12Binding
  return [...element.take(soap, local), ...element.take(other, local)]
}

/** A port with what its binding says of all operations, and of each by name. */
interface BoundPort extends Port {
  readonly style: string | undefined
  readonly byName: ReadonlyMap<string, readonly XmlElement[]>
}

/** The style that operations of a port have which say none. */
function styleOf(port: Port): string | undefined {
  const [binding] = takeOfSoap(port.binding.element, port, 'binding')
  return binding?.attribute('style')
}

function boundOperations({ binding }: Port): Map<string, XmlElement[]> {
  const byName = new Map<string, XmlElement[]>()
  for (const each of binding.element.take(wsdl, 'operation'))
    addTo(byName, each.attribute('name') ?? '', each)
  return byName
}

/** Why something can't be had yet; told in a note, and the operation is left out. */
class NotYet extends Error {}

interface Part {
  readonly name: string
  readonly element: XmlElement
  readonly elementName: string | undefined
  readonly typeName: string | undefined
}

/**
 * Reads the operations of one port type, as the bindings of these ports put them on the wire (WSDL
 * 1.1, sections 2.4, 2.5 and 3).
 */
export class OperationReader {
  private readonly definitions: Definitions
  private readonly types: TypeReader
  private readonly notes: Notes

  constructor(definitions: Definitions, types: TypeReader, notes: Notes) {
    this.definitions = definitions
    this.types = types
    this.notes = notes
  }

  read(portType: Definition, ports: readonly Port[], group: readonly string[]): Operation[] {
    documentationOf(portType.element)
    const bound = ports.map((port): BoundPort => ({
      ...port,
      style: styleOf(port),
      byName: boundOperations(port),
    }))
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
      const operation = this.readOperation(
        element,
        { name, given, at: overloads.indexOf(element), isOverloaded: overloads.length > 1 },
        bound,
        group,
      )
      return operation === undefined ? [] : [operation]
    })
  }

  /**
   * The name of an operation beside the one that keeps it. That of an overload is the name of its
   * input message, which is all that tells it apart (WSDL 1.1, section 2.4.5); names that differ only
   * in what identifiers don't show are numbered.
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
    const wished =
      other === name
        ? [valueOf(input, 'name'), message.replace(/^.*:/, '')].filter(
            (each) => each !== '' && each !== name,
          )
        : []
    const isFree = (each: string): boolean => !taken.has(memberName(each).toLowerCase())
    const given = wished.find(isFree) ?? numberedStep(name, isFree)
    taken.add(memberName(given).toLowerCase())
    if (other === name)
      this.notes.add('approximated', 'TM-2117', { name, message, given }, element.origin)
    else this.notes.add('approximated', 'TM-2120', { name, other, given }, element.origin)
    return given
  }

  private readOperation(
    element: XmlElement,
    {
      name,
      given,
      at,
      isOverloaded,
    }: { name: string; given: string; at: number; isOverloaded: boolean },
    ports: readonly BoundPort[],
    group: readonly string[],
  ): Operation | undefined {
    const documentation = documented(element)
    element.attribute('parameterOrder')
    const wire: Record<string, OperationWire> = {}
    let shape: BoundShape | undefined
    let isBound = false
    // Ports often share a binding, which puts the operation on the wire in one way.
    const known = new Map<XmlElement, { wire: OperationWire; headers: readonly string[] }>()
    const headersAt = new Map<string, readonly string[]>()
    for (const port of ports) {
      const bindings = port.byName.get(name) ?? []
      // Overloads are bound under the names of their messages; where those are left out, in the
      // same order.
      const binding = isOverloaded
        ? (bindings.find(
            (each) => inputName(each) !== '' && inputName(each) === inputName(element),
          ) ?? bindings[at])
        : bindings[0]
      if (binding === undefined) continue
      isBound = true
      try {
        const same = known.get(binding)
        if (same !== undefined) {
          wire[port.endpoint.name] = same.wire
          headersAt.set(port.endpoint.name, same.headers)
          continue
        }
        const { action, ...read } = this.readBound(element, name, binding, port)
        shape = shape === undefined ? read : inOneShape(shape, read)
        const here = { action, ...differing(shape.layout, read.layout) }
        known.set(binding, { wire: here, headers: headersOf(read) })
        wire[port.endpoint.name] = here
        headersAt.set(port.endpoint.name, headersOf(read))
      } catch (error) {
        if (!(error instanceof NotYet)) throw error
        this.notes.add(
          'refused',
          'TM-2111',
          { name, endpoint: port.endpoint.name, reason: error.message },
          binding.origin,
        )
        binding.readWhole()
      }
    }
    if (shape === undefined) {
      element.readWhole()
      if (!isBound)
        this.notes.add(
          'ignored',
          'TM-2111',
          { name: given, endpoint: 'every endpoint', reason: 'no binding offers it' },
          element.origin,
        )
      return undefined
    }
    for (const [endpoint, taken] of headersAt) {
      const without = headersOf(shape).filter((each) => !taken.includes(each))
      if (without.length > 0) wire[endpoint] = { ...(wire[endpoint] as OperationWire), without }
    }
    const { outputs, ...rest } = shape
    const outcome = outcomeOf(outputs)
    const path = [...group, given]
    return { path, ...rest, outcome, wire, ...documentation, origin: element.origin }
  }

  /** The operation as one binding has it. */
  private readBound(
    element: XmlElement,
    name: string,
    binding: XmlElement,
    port: BoundPort,
  ): BoundShape & Pick<OperationWire, 'action'> {
    documentationOf(binding)
    if (port.soap === httpBinding) return this.readPlain(element, name, binding, port)
    const [soapOperation] = takeOfSoap(binding, port, 'operation')
    const action = soapOperation?.attribute('soapAction') ?? ''
    soapOperation?.attribute('soapActionRequired')
    const style = soapOperation?.attribute('style') ?? port.style ?? 'document'

    const input = element.takeOne(wsdl, 'input')
    const output = element.takeOne(wsdl, 'output')
    if (input === undefined)
      throw new NotYet("it has no input message: notifications from the service can't be called")
    const boundInput = this.boundMessage(binding, 'input', port)
    const boundOutput =
      output === undefined ? undefined : this.boundMessage(binding, 'output', port)
    const inputParts = this.partsOf(input, name, boundInput?.parts)
    const outputParts =
      output === undefined ? undefined : this.partsOf(output, name, boundOutput?.parts)

    const headers = (boundInput?.headers ?? []).map((header): InputField => ({
      ...this.readHeader(header),
      place: 'messageHeader',
    }))
    const attached = this.attachmentFields(input, name, boundInput)
    const request = this.readContent(
      inputParts.filter((part) => !attached.some((field) => field.name === part.name)),
      style,
      name,
      boundInput,
      name,
    )
    const isEncoded = boundInput?.encoded === true || boundOutput?.encoded === true
    if (
      isEncoded &&
      (style !== 'rpc' ||
        [...inputParts, ...(outputParts ?? [])].some((part) => part.typeName === undefined))
    )
      throw new NotYet(
        'its messages are encoded (use="encoded"), and not of the style rpc with parts of a type',
      )
    const returned = output === undefined ? [] : this.attachmentFields(output, name, boundOutput)
    const answer =
      outputParts === undefined
        ? undefined
        : this.readContent(
            outputParts.filter((part) => !returned.some((field) => field.name === part.name)),
            style,
            `${name}Response`,
            boundOutput,
            request.wrapped ? undefined : name,
          )
    const answerHeaders = this.answerHeaders(boundOutput?.headers ?? [], output ?? element)
    const outputs = [
      ...(answer?.fields ?? []).map((field) =>
        field.name === 'headers' && answerHeaders.length > 0
          ? { ...field, name: 'headers_' }
          : field,
      ),
      ...returned,
      ...answerHeaders,
    ]
    const addressedAction = this.addressedAction(element, input, port, name, action)

    const bodyInputs = request.fields.map((field): InputField => ({
      ...field,
      name: field.name === 'headers' ? 'headers_' : field.name,
      place: 'body',
    }))
    const layout: OperationLayout = {
      style: request.style,
      ...present({ request: request.wrapper }),
      ...(answer?.wrapper === undefined ? {} : { answer: answer.wrapper }),
      ...present({ addressedAction }),
      ...marked({ oneWay: answer === undefined }),
      ...marked({ encoded: isEncoded }),
    }
    return {
      action,
      inputs: [
        ...bodyInputs,
        ...attached.map((field): InputField => ({ ...field, place: 'attachment' })),
        ...headers,
      ],
      ...filled({ choices: request.choices }),
      outputs,
      faults: withHeaderFaults(
        this.readFaults(element, binding, port, name),
        [...(boundInput?.headers ?? []), ...(boundOutput?.headers ?? [])].flatMap((header) =>
          this.headerFaults(header),
        ),
      ),
      layout,
    }
  }

  /** The operation as a binding to plain HTTP has it (WSDL 1.1, section 4). */
  private readPlain(
    element: XmlElement,
    name: string,
    binding: XmlElement,
    port: Port,
  ): ReturnType<OperationReader['readBound']> {
    const verb = port.endpoint.protocol === 'HTTP GET' ? 'GET' : 'POST'
    const location = binding.takeOne(httpBinding, 'operation')?.attribute('location') ?? ''
    const input = element.takeOne(wsdl, 'input')
    const output = element.takeOne(wsdl, 'output')
    if (input === undefined)
      throw new NotYet("it has no input message: notifications from the service can't be called")
    const boundInput = binding.takeOne(wsdl, 'input')
    const boundOutput = binding.takeOne(wsdl, 'output')
    const isInPath = boundInput?.takeOne(httpBinding, 'urlReplacement') !== undefined
    boundInput?.takeOne(httpBinding, 'urlEncoded')
    const content = boundInput?.takeOne(mimeBinding, 'content')?.attribute('type')
    if (content !== undefined && content !== 'application/x-www-form-urlencoded')
      throw new NotYet(`its input is bound to ${content}`)
    const inputs = this.partsOf(input, name, undefined).map((part): InputField => {
      if (part.typeName === undefined) throw new NotYet(`its part "${part.name}" names no type`)
      return { ...this.partField(part, ['', part.name]), place: 'body' }
    })
    const parts = output === undefined ? [] : this.partsOf(output, name, undefined)
    const mimeXml = boundOutput?.takeOne(mimeBinding, 'mimeXml')
    const media = boundOutput?.take(mimeBinding, 'content').map((each) => {
      each.attribute('part')
      return each.attribute('type') ?? ''
    })
    const answered =
      mimeXml === undefined
        ? undefined
        : (parts.find((part) => part.name === mimeXml.attribute('part')) ?? parts[0])
    const origin = (output ?? element).origin
    const field = (type: Type): Field => ({
      name: 'value',
      type,
      optional: false,
      nullable: false,
      origin,
      layout: { place: 'element', name: ['', 'value'] } satisfies FieldLayout,
    })
    const isText = media?.some((each) => /^text\//.test(each)) === true
    const declared = (): Field =>
      field(
        isText
          ? { kind: 'scalar', base: 'text', format: 'xs:string' }
          : { kind: 'scalar', base: 'bytes', format: 'xs:base64Binary' },
      )
    const bare = media === undefined || media.length === 0 ? undefined : declared()
    const value = answered === undefined ? bare : this.partField(answered, ['', answered.name])
    const plainly = isText ? 'text' : 'bytes'
    const wrapped = answered === undefined ? plainly : (value?.layout as FieldLayout).name
    const answer = value === undefined ? undefined : wrapped
    const usualPlace = verb === 'GET' ? 'query' : 'form'
    const plain: PlainLayout = {
      verb,
      location,
      parameters: isInPath ? 'path' : usualPlace,
      ...present({ answer }),
    }
    return {
      action: '',
      inputs,
      outputs: value === undefined ? [] : [value],
      faults: [],
      layout: { style: 'plain', plain } satisfies OperationLayout,
    }
  }

  /** The soap:body and soap:header elements of one direction. */
  private boundMessage(
    binding: XmlElement,
    direction: 'input' | 'output',
    port: Port,
  ): BoundMessage | undefined {
    const bound = binding.takeOne(wsdl, direction)
    if (bound === undefined) return undefined
    bound.attribute('name')
    documentationOf(bound)
    const { root, attachments } = this.mimeParts(bound)
    const [body] = takeOfSoap(root, port, 'body')
    body?.attribute('encodingStyle')
    return {
      parts: body
        ?.attribute('parts')
        ?.split(/\s+/)
        .filter((part) => part !== ''),
      namespace: body?.attribute('namespace'),
      headers: [
        ...takeOfSoap(bound, port, 'header'),
        ...(root === bound ? [] : takeOfSoap(root, port, 'header')),
      ],
      attachments,
      encoded: body?.attribute('use') === 'encoded',
    }
  }

  private partsOf(
    direction: XmlElement,
    operation: string,
    chosen: readonly string[] | undefined,
  ): Part[] {
    documentationOf(direction)
    direction.attribute('name')
    const written = wantedAttribute(direction, 'message')
    const message = this.definitions.require('message', qualifiedName(written, direction), {
      what: 'operation',
      name: operation,
      at: direction,
      written,
    })
    const parts = partsOfMessage(message)
    return chosen === undefined ? parts : parts.filter((part) => chosen.includes(part.name))
  }

  /** What stands in the body: the parts inside a wrapper, or the parts themselves. */
  private readContent(
    parts: readonly Part[],
    style: string,
    wrapperName: string,
    bound: { namespace: string | undefined } | undefined,
    unwrapAs: string | undefined,
  ): {
    fields: Field[]
    choices: readonly Choice[]
    wrapper?: QualifiedName
    style: OperationLayout['style']
    wrapped: boolean
  } {
    if (style === 'rpc') {
      const fields = parts.map((part) => this.partField(part, ['', part.name]))
      return {
        fields,
        choices: [],
        wrapper: [bound?.namespace ?? '', wrapperName],
        style: 'rpc',
        wrapped: true,
      }
    }
    const [only, ...others] = parts
    if (only?.elementName !== undefined && others.length === 0) {
      const name = this.componentName(only.elementName, only.element)
      const component = this.definitions.schemas.require('element', name, only.element)
      const isWrapper = unwrapAs === undefined || name[1] === unwrapAs || only.name === 'parameters'
      const content = isWrapper ? this.types.wrapperContent(component) : undefined
      if (content !== undefined)
        return { ...content, wrapper: name, style: 'wrapped', wrapped: true }
    }
    return {
      fields: parts.map((part) => this.partField(part, undefined)),
      choices: [],
      style: 'bare',
      wrapped: false,
    }
  }

  /** The component of a schema that a part names. */
  private componentName(written: string, at: XmlElement): QualifiedName {
    return this.definitions.schemas.meant(qualifiedName(written, at), written, at)
  }

  private partField(part: Part, name: QualifiedName | undefined): Field {
    const { origin } = part.element
    const documentation = documented(part.element)
    if (part.elementName !== undefined) {
      const component = this.definitions.schemas.require(
        'element',
        this.componentName(part.elementName, part.element),
        part.element,
      )
      return {
        name: part.name,
        type: this.types.elementType(component),
        optional: false,
        nullable: component.element.attribute('nillable') === 'true',
        ...documentation,
        origin,
        layout: { place: 'element', name: component.name } satisfies FieldLayout,
      }
    }
    if (part.typeName === undefined)
      throw problem(
        'TM-2104',
        { what: `The part "${part.name}"`, attribute: 'element or type' },
        { place: part.element.place },
      )
    if (name === undefined)
      throw new NotYet(
        `its part "${part.name}" names a type where a document style message needs an element`,
      )
    const type: Type = this.types.typeNamed(
      this.componentName(part.typeName, part.element),
      part.element,
    )
    return {
      name: part.name,
      type,
      optional: false,
      nullable: false,
      ...documentation,
      origin,
      layout: { place: 'element', name } satisfies FieldLayout,
    }
  }

  /**
   * The parts of a MIME message: the one with the envelope, and the media types of those beside it
   * (WSDL 1.1, section 5).
   */
  private mimeParts(bound: XmlElement): {
    root: XmlElement
    attachments: ReadonlyMap<string, readonly string[]>
  } {
    const attachments = new Map<string, string[]>()
    const related = bound.takeOne(mimeBinding, 'multipartRelated')
    if (related === undefined) {
      if (bound.children.some((child) => child.namespace === mimeBinding))
        throw new NotYet('its message is bound to MIME without an envelope')
      return { root: bound, attachments }
    }
    let root = bound
    for (const part of related.take(mimeBinding, 'part')) {
      part.attribute('name')
      if (part.children.some(({ local }) => local === 'body')) root = part
      for (const content of part.take(mimeBinding, 'content')) {
        const name = content.attribute('part') ?? part.attribute('name') ?? ''
        addTo(attachments, name, content.attribute('type') ?? '*/*')
      }
      if (part.children.some((child) => child.is(mimeBinding, 'mimeXml')))
        throw new NotYet('it has an attachment of XML (mime:mimeXml)')
    }
    return { root, attachments }
  }

  /**
   * The parts of a message that travel beside it. Where only the sender knows their media type, he
   * says it.
   */
  private attachmentFields(
    direction: XmlElement,
    operation: string,
    bound: BoundMessage | undefined,
  ): Field[] {
    if (bound === undefined || bound.attachments.size === 0) return []
    const { origin } = direction
    const bytes: ScalarType = { kind: 'scalar', base: 'bytes', format: 'xs:base64Binary' }
    const parts = this.partsOf(direction, operation, undefined)
    return [...bound.attachments].map(([name, types]) => {
      const part = parts.find((each) => each.name === name)
      const [only = ''] = types
      const mediaType = types.length > 1 || only.includes('*') ? '' : only
      const field = (member: string, type: Type): Field => ({
        name: member,
        type,
        optional: false,
        nullable: false,
        origin,
        layout: { place: 'element', name: ['', member] } satisfies FieldLayout,
      })
      const text: ScalarType = {
        kind: 'scalar',
        base: 'text',
        format: 'xs:string',
        example: 'application/octet-stream',
      }
      const type: Type =
        mediaType === ''
          ? { kind: 'record', fields: [field('content', bytes), field('type', text)] }
          : bytes
      const said =
        mediaType === ''
          ? 'Travels beside the message; `type` says what it is.'
          : `Travels beside the message as ${mediaType}.`
      const documentation = [part === undefined ? undefined : documentationOf(part.element), said]
        .filter((each) => each !== undefined)
        .join('\n\n')
      return {
        name,
        type,
        optional: false,
        nullable: false,
        documentation,
        origin,
        layout: { place: 'attachment', name: ['', name], mediaType } satisfies FieldLayout,
      }
    })
  }

  private readHeader(header: XmlElement): Field {
    header.attribute('use')
    const partName = wantedAttribute(header, 'part')
    const part = this.headerPart(header, 'header')
    if (part === undefined) throw new NotYet(`its header names no part of a message: "${partName}"`)
    // A part of a type stands in an element of its own name, in the namespace that the header says
    // (WSDL 1.1, section 3.7).
    const field = this.partField(part, [header.attribute('namespace') ?? '', part.name])
    // The caller writes a header under its element's name, and may leave it out: it is often set
    // once for all calls.
    return { ...field, name: fieldName(field), optional: true }
  }

  private headerPart(header: XmlElement, what: string): Part | undefined {
    const written = wantedAttribute(header, 'message')
    const message = this.definitions.require('message', qualifiedName(written, header), {
      what,
      name: header.attribute('part') ?? '',
      at: header,
      written,
    })
    header.attribute('namespace')
    header.attribute('encodingStyle')
    return partsOfMessage(message).find((each) => each.name === header.attribute('part'))
  }

  /** The headers of an answer, as the one output `headers`. */
  private answerHeaders(headers: readonly XmlElement[], at: XmlElement): Field[] {
    if (headers.length === 0) return []
    const { origin } = at
    const type: RecordType = {
      kind: 'record',
      fields: headers.map((header) => this.readHeader(header)),
    }
    return [
      {
        name: 'headers',
        type,
        optional: true,
        nullable: false,
        documentation: 'Message headers.',
        origin,
        layout: { place: 'headers', name: ['', ''] } satisfies FieldLayout,
      },
    ]
  }

  /**
   * Faults about a header, whose detail stands in the header of the answer (WSDL 1.1, section 3.7).
   */
  private headerFaults(header: XmlElement): Fault[] {
    return header.children
      .filter((child) => child.local === 'headerfault' && child.namespace === header.namespace)
      .map((fault): Fault => {
        fault.read = true
        fault.attribute('use')
        const part = this.headerPart(fault, 'header fault')
        if (part?.elementName === undefined)
          throw new NotYet(`its header fault "${fault.attribute('part') ?? ''}" names no element`)
        const field = this.partField(part, undefined)
        const { name } = field.layout as FieldLayout
        return {
          name: name[1],
          type: field.type,
          ...documented(part.element),
          origin: fault.origin,
          layout: { element: name, inHeader: true } satisfies FaultLayout,
        }
      })
  }

  /**
   * What a message asks for by WS-Addressing (WS-Addressing 1.0, Metadata, section 4.4), unless
   * that is the SOAP action.
   */
  private addressedAction(
    operation: XmlElement,
    input: XmlElement,
    port: Port,
    name: string,
    action: string,
  ): string | undefined {
    const explicit = addressingNamespaces
      .map((namespace) => input.attribute('Action', namespace))
      .find((each) => each !== undefined)
    for (const each of [...operation.children])
      for (const namespace of addressingNamespaces) each.attribute('Action', namespace)
    if (explicit !== undefined) return explicit === action ? undefined : explicit
    if (action !== '' || (port.endpoint.layout as EndpointLayout).addressing !== true)
      return undefined
    const [namespace] = port.portType.name
    const delimiter = namespace.startsWith('urn:') ? ':' : '/'
    return [
      namespace.replace(/\/$/, ''),
      port.portType.name[1],
      input.attribute('name') ?? `${name}Request`,
    ].join(delimiter)
  }

  private readFaults(
    element: XmlElement,
    binding: XmlElement,
    port: Port,
    operation: string,
  ): Fault[] {
    for (const bound of binding.take(wsdl, 'fault')) {
      documentationOf(bound)
      bound.attribute('name')
      for (const fault of takeOfSoap(bound, port, 'fault')) {
        fault.attribute('name')
        fault.attribute('namespace')
        fault.attribute('encodingStyle')
        if (fault.attribute('use') === 'encoded')
          this.notes.add(
            'approximated',
            'TM-2112',
            { what: `The encoding of <${fault.name}>`, reason: 'its detail is read as literal' },
            fault.origin,
          )
      }
    }
    return element.take(wsdl, 'fault').map((fault): Fault => {
      const documentation = documented(fault)
      const written = wantedAttribute(fault, 'message')
      const message = this.definitions.require('message', qualifiedName(written, fault), {
        what: 'operation',
        name: operation,
        at: fault,
        written,
      })
      const [part] = partsOfMessage(message)
      if (part?.elementName === undefined)
        throw new NotYet(`its fault "${wantedAttribute(fault, 'name')}" names no element`)
      const field = this.partField(part, undefined)
      fault.attribute('name')
      const { name } = field.layout as FieldLayout
      return {
        name: name[1],
        type: field.type,
        ...documentation,
        origin: fault.origin,
        layout: { element: name } satisfies FaultLayout,
      }
    })
  }
}

/** An operation as a binding has it. */
interface BoundShape extends Pick<Operation, 'inputs' | 'choices' | 'faults'> {
  readonly layout: OperationLayout
  readonly outputs: readonly Field[]
}

/**
 * Two ways of putting an operation on the wire as one: with the headers and the faults about
 * headers of both. Elements around the content and actions are facts of the endpoint.
 *
 * @throws NotYet where anything else differs, which would need two shapes for one input
 */
function inOneShape(first: BoundShape, other: BoundShape): BoundShape {
  const body = ({ inputs, choices, outputs, faults, layout }: BoundShape): string =>
    JSON.stringify([
      inputs.filter(({ place }) => place !== 'messageHeader'),
      choices,
      outputs.filter((field) => !isHeaders(field)),
      faults.filter((fault) => (fault.layout as FaultLayout).inHeader !== true),
      { ...layout, request: undefined, answer: undefined, addressedAction: undefined },
      layout.request === undefined,
      layout.answer === undefined,
    ])
  if (body(first) !== body(other))
    throw new NotYet('its messages differ from those at the first endpoint')
  const headers = (of: BoundShape): readonly Field[] =>
    of.outputs.filter(isHeaders).flatMap(({ type }) => (type.kind === 'record' ? type.fields : []))
  const returned = withOthers(headers(first), headers(other))
  const [holder] = [...first.outputs, ...other.outputs].filter(isHeaders)
  return {
    ...first,
    inputs: withOthers(first.inputs, other.inputs),
    outputs: [
      ...first.outputs.filter((field) => !isHeaders(field)),
      ...(holder === undefined
        ? []
        : [{ ...holder, type: { ...(holder.type as RecordType), fields: returned } }]),
    ],
    faults: withHeaderFaults(first.faults, other.faults),
  }
}

/** The names of the headers that a request may have. */
function headersOf({ inputs }: Pick<BoundShape, 'inputs'>): string[] {
  return inputs.filter(({ place }) => place === 'messageHeader').map(({ name }) => name)
}

function isHeaders(field: Field): boolean {
  return (field.layout as FieldLayout).place === 'headers'
}

/** Fields with those of others that are not among them. @throws NotYet where one is of two types */
function withOthers<Each extends Field>(fields: readonly Each[], others: readonly Each[]): Each[] {
  const known = new Map(fields.map((field) => [field.name, field]))
  for (const other of others) {
    const same = known.get(other.name)
    if (same !== undefined && JSON.stringify(same.type) !== JSON.stringify(other.type))
      throw new NotYet(`its header "${other.name}" has another type at the first endpoint`)
  }
  return [...fields, ...others.filter(({ name }) => !known.has(name))]
}

/** What is put on the wire otherwise than at the first endpoint. */
function differing(first: OperationLayout, here: OperationLayout): Omit<OperationWire, 'action'> {
  const isSame = (one: unknown, other: unknown): boolean =>
    JSON.stringify(one) === JSON.stringify(other)
  const { request, answer, addressedAction } = here
  return {
    ...(request === undefined || isSame(first.request, request) ? {} : { request }),
    ...(answer === undefined || isSame(first.answer, answer) ? {} : { answer }),
    ...(addressedAction === undefined || first.addressedAction === addressedAction
      ? {}
      : { addressedAction }),
  }
}

/** What a binding says of one direction. */
interface BoundMessage {
  readonly parts: string[] | undefined
  readonly namespace: string | undefined
  readonly headers: XmlElement[]
  /** The media types of the parts that travel beside the message. */
  readonly attachments: ReadonlyMap<string, readonly string[]>
  readonly encoded: boolean
}

/** Faults with those about headers, which may be declared with several of them. */
function withHeaderFaults(faults: readonly Fault[], others: readonly Fault[]): Fault[] {
  return others.reduce<Fault[]>(
    (found, each) => (found.some(({ name }) => name === each.name) ? found : [...found, each]),
    [...faults],
  )
}

function partsOfMessage(message: Definition): Part[] {
  message.element.read = true
  documentationOf(message.element)
  const names = new Set<string>()
  return message.element.take(wsdl, 'part').map((element) => {
    const name = wantedAttribute(element, 'name')
    if (names.has(name))
      throw problem('TM-2222', { name, message: message.name[1] }, { place: element.place })
    names.add(name)
    return {
      name,
      element,
      elementName: element.attribute('element'),
      typeName: element.attribute('type'),
    }
  })
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
  return [...operations].sort((a, b) => (messageKey(a) < messageKey(b) ? -1 : 1))[0]
}

function messageKey(operation: XmlElement): string {
  const input = operation.children.find((child) => child.is(wsdl, 'input'))
  return `${valueOf(operation, 'name')} ${valueOf(input, 'name')} ${valueOf(input, 'message')}`
}

function fieldName(field: Field): string {
  return (field.layout as FieldLayout).name[1]
}

function outcomeOf(fields: readonly Field[]): Outcome {
  const [only, ...others] = fields
  if (only === undefined) return { kind: 'nothing' }
  return others.length === 0 ? { kind: 'value', field: only } : { kind: 'record', fields }
}

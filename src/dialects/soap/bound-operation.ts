import type {
  Choice,
  Fault,
  Field,
  InputField,
  RecordType,
  ScalarType,
} from '../../contract/contract.js'
import { addTo } from '../../contract/lists.js'
import { filled, marked, present } from '../../contract/present.js'
import type { XmlElement } from '../../documents/xml-tree.js'
import type { Notes } from '../notes.js'
import { withHeaderFaults, type BoundShape } from './bound-shapes.js'
import type { Definitions } from './definitions.js'
import {
  type FaultSpecifics,
  type FieldSpecifics,
  type OperationSpecifics,
  type OperationWire,
  type QualifiedName,
  fieldSpecifics,
  endpointSpecifics,
} from './specifics.js'
import { elementField, NotYet, type MessageParts, type Part } from './message-parts.js'
import { addressingNamespaces, mimeBinding, wsdl } from './namespaces.js'
import { takeOfSoap, type BoundPort, type Port } from './ports.js'
import { documentationOf, documented, wantedAttribute } from './reading.js'
import type { TypeReader } from './type-reader.js'

/** What a binding says of one direction. */
interface BoundMessage {
  readonly parts: string[] | undefined
  readonly namespace: string | undefined
  readonly headers: XmlElement[]
  /** The media types of the parts that travel beside the message. */
  readonly attachments: ReadonlyMap<string, readonly string[]>
  readonly encoded: boolean
}

/** What stands in the body of a message. */
interface Body {
  readonly fields: readonly Field[]
  readonly choices: readonly Choice[]
  readonly wrapper?: QualifiedName
  readonly style: OperationSpecifics['style']
  readonly wrapped: boolean
}

/** One direction of an operation, with its body and what travels beside it. */
interface Direction {
  readonly bound: BoundMessage | undefined
  readonly parts: readonly Part[]
  readonly body: Body
  readonly attached: readonly Field[]
}

/** Reads operations as bindings to SOAP have them (WSDL 1.1, section 3). */
export class BoundOperationReader {
  private readonly definitions: Definitions
  private readonly types: TypeReader
  private readonly parts: MessageParts
  private readonly notes: Notes

  constructor(definitions: Definitions, types: TypeReader, parts: MessageParts, notes: Notes) {
    this.definitions = definitions
    this.types = types
    this.parts = parts
    this.notes = notes
  }

  /** @throws NotYet where it can't be had in this way */
  read(
    element: XmlElement,
    name: string,
    binding: XmlElement,
    port: BoundPort,
  ): BoundShape & Pick<OperationWire, 'action'> {
    const [operation] = takeOfSoap(binding, port, 'operation')
    const action = operation?.attribute('soapAction') ?? ''
    operation?.attribute('soapActionRequired')
    const style = operation?.attribute('style') ?? port.style ?? 'document'
    const input = element.takeOne(wsdl, 'input')
    const output = element.takeOne(wsdl, 'output')
    if (input === undefined)
      throw new NotYet("it has no input message: notifications from the service can't be called")
    const boundInput = this.boundMessage(binding, 'input', port)
    const boundOutput = output && this.boundMessage(binding, 'output', port)
    const asked = this.direction(input, boundInput, {
      operation: name,
      style,
      wrapper: name,
      unwrapAs: name,
    })
    const answered =
      output &&
      this.direction(output, boundOutput, {
        operation: name,
        style,
        wrapper: `${name}Response`,
        unwrapAs: asked.body.wrapped ? undefined : name,
      })
    const isEncoded = boundInput?.encoded === true || boundOutput?.encoded === true
    const allParts = [...asked.parts, ...(answered?.parts ?? [])]
    if (isEncoded && (style !== 'rpc' || allParts.some(({ typeName }) => typeName === undefined)))
      throw new NotYet(
        'its messages are encoded (use="encoded"), and not of the style rpc with parts of a type',
      )
    const headers = [...(boundInput?.headers ?? []), ...(boundOutput?.headers ?? [])]
    const specifics: OperationSpecifics = {
      style: asked.body.style,
      ...present({
        request: asked.body.wrapper,
        answer: answered?.body.wrapper,
        addressedAction: this.addressedAction(element, input, port, name, action),
      }),
      ...marked({ oneWay: answered === undefined, encoded: isEncoded }),
    }
    return {
      action,
      inputs: this.inputs(asked),
      ...filled({ choices: asked.body.choices }),
      outputs: this.outputs(answered, output ?? element),
      faults: withHeaderFaults(
        this.readFaults(element, binding, port, name),
        headers.flatMap((header) => this.headerFaults(header)),
      ),
      specifics,
    }
  }

  /**
   * @param wrapper the element around the parts in the style rpc
   * @param unwrapAs what the element of a part must be called to be taken for a wrapper; undefined
   *   where any will do
   */
  private direction(
    element: XmlElement,
    bound: BoundMessage | undefined,
    {
      operation,
      style,
      wrapper,
      unwrapAs,
    }: { operation: string; style: string; wrapper: string; unwrapAs: string | undefined },
  ): Direction {
    const parts = this.parts.of(element, operation, bound?.parts)
    const attached = this.attachmentFields(element, operation, bound)
    const inBody = parts.filter(({ name }) => !attached.some((field) => field.name === name))
    const body =
      style === 'rpc'
        ? this.rpcBody(inBody, [bound?.namespace ?? '', wrapper])
        : this.documentBody(inBody, unwrapAs)
    return { bound, parts, body, attached }
  }

  private inputs({ bound, body, attached }: Direction): InputField[] {
    return [
      ...body.fields.map((field): InputField => ({ ...besideHeaders(field), place: 'body' })),
      ...attached.map((field): InputField => ({ ...field, place: 'attachment' })),
      ...(bound?.headers ?? []).map((header): InputField => ({
        ...this.readHeader(header),
        place: 'messageHeader',
      })),
    ]
  }

  private outputs(answered: Direction | undefined, at: XmlElement): Field[] {
    if (answered === undefined) return []
    const headers = this.answerHeaders(answered.bound?.headers ?? [], at)
    const { fields } = answered.body
    return [
      ...(headers.length === 0 ? fields : fields.map(besideHeaders)),
      ...answered.attached,
      ...headers,
    ]
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

  private rpcBody(parts: readonly Part[], wrapper: QualifiedName): Body {
    const fields = parts.map((part) => this.parts.field(part, ['', part.name]))
    return { fields, choices: [], wrapper, style: 'rpc', wrapped: true }
  }

  /** The parts inside a wrapper, or the parts themselves. */
  private documentBody(parts: readonly Part[], unwrapAs: string | undefined): Body {
    const [only, ...others] = parts
    if (only?.elementName !== undefined && others.length === 0) {
      const wrapper = this.parts.componentName(only.elementName, only.element)
      const component = this.definitions.schemas.require('element', wrapper, only.element)
      const isWrapper =
        unwrapAs === undefined || wrapper[1] === unwrapAs || only.name === 'parameters'
      const content = isWrapper ? this.types.wrapperContent(component) : undefined
      if (content !== undefined) return { ...content, wrapper, style: 'wrapped', wrapped: true }
    }
    const fields = parts.map((part) => this.parts.field(part))
    return { fields, choices: [], style: 'bare', wrapped: false }
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
    const parts = this.parts.of(direction, operation)
    return [...bound.attachments].map(([name, types]) => {
      const part = parts.find((each) => each.name === name)
      const [only = ''] = types
      const mediaType = types.length > 1 || only.includes('*') ? '' : only
      const said =
        mediaType === ''
          ? 'Travels beside the message; `type` says what it is.'
          : `Travels beside the message as ${mediaType}.`
      const sentences = [part && documentationOf(part.element), said]
      return {
        name,
        type: mediaType === '' ? typedBytes(origin) : bytes,
        optional: false,
        nullable: false,
        documentation: sentences.filter((each) => each !== undefined).join('\n\n'),
        origin,
        specifics: { place: 'attachment', name: ['', name], mediaType } satisfies FieldSpecifics,
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
    const field = this.parts.field(part, [header.attribute('namespace') ?? '', part.name])
    // The caller writes a header under its element's name, and may leave it out: it is often set
    // once for all calls.
    return { ...field, name: fieldSpecifics(field).name[1], optional: true }
  }

  private headerPart(header: XmlElement, what: string): Part | undefined {
    const name = header.attribute('part')
    header.attribute('namespace')
    header.attribute('encodingStyle')
    return this.parts.named(header, what, name ?? '').find((part) => part.name === name)
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
        specifics: { place: 'headers', name: ['', ''] } satisfies FieldSpecifics,
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
        const field = this.parts.field(part)
        const { name } = fieldSpecifics(field)
        return {
          name: name[1],
          type: field.type,
          ...documented(part.element),
          origin: fault.origin,
          specifics: { element: name, inHeader: true } satisfies FaultSpecifics,
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
    if (action !== '' || endpointSpecifics(port.endpoint).addressing !== true) return undefined
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
    for (const bound of binding.take(wsdl, 'fault')) this.readBoundFault(bound, port)
    return element.take(wsdl, 'fault').map((fault): Fault => {
      const documentation = documented(fault)
      const [part] = this.parts.named(fault, 'operation', operation)
      if (part?.elementName === undefined)
        throw new NotYet(`its fault "${wantedAttribute(fault, 'name')}" names no element`)
      const field = this.parts.field(part)
      fault.attribute('name')
      const { name } = fieldSpecifics(field)
      return {
        name: name[1],
        type: field.type,
        ...documentation,
        origin: fault.origin,
        specifics: { element: name } satisfies FaultSpecifics,
      }
    })
  }

  private readBoundFault(bound: XmlElement, port: Port): void {
    documentationOf(bound)
    bound.attribute('name')
    for (const fault of takeOfSoap(bound, port, 'fault')) {
      for (const attribute of ['name', 'namespace', 'encodingStyle']) fault.attribute(attribute)
      if (fault.attribute('use') !== 'encoded') continue
      const what = `The encoding of <${fault.name}>`
      const values = { what, reason: 'its detail is read as literal' }
      this.notes.add('approximated', 'TM-2112', values, fault.origin)
    }
  }
}

const bytes: ScalarType = { kind: 'scalar', base: 'bytes', format: 'xs:base64Binary' }

/** Bytes with their media type. */
function typedBytes(origin: Field['origin']): RecordType {
  const text: ScalarType = {
    kind: 'scalar',
    base: 'text',
    format: 'xs:string',
    example: 'application/octet-stream',
  }
  return {
    kind: 'record',
    fields: [elementField('content', bytes, origin), elementField('type', text, origin)],
  }
}

/** A field of a body, which leaves the name `headers` to the headers. */
function besideHeaders(field: Field): Field {
  return field.name === 'headers' ? { ...field, name: 'headers_' } : field
}

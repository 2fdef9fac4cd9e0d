import type {
  Endpoint,
  Field,
  Fault,
  ListType,
  Node,
  Operation,
  RecordType,
  Type,
} from '../../contract/contract.js'

/**
 * The facts of XML and SOAP that the neutral contract can't say. They stand as `specifics` (or
 * `wire`) beside the neutral shapes, and only this dialect looks into them.
 */

/** Namespace and local name; `''` is no namespace. */
export type QualifiedName = readonly [namespace: string, local: string]

/** Where a field stands in its record's element. */
export interface FieldSpecifics {
  /**
   * `group`: turns of members that repeat without an element around them; `open`: open content,
   * while a type is being read; `attachment`: beside the message; `headers`: the headers of an
   * answer.
   */
  readonly place: 'element' | 'attribute' | 'text' | 'group' | 'open' | 'attachment' | 'headers'
  /** The element's or attribute's name; for `text` that of nothing. */
  readonly name: QualifiedName
  /** The element itself occurs several times (the field's type is the list of its values). */
  readonly repeated?: true
  /** Of a group: texts may stand among its turns (mixed content). */
  readonly mixed?: true
  readonly open?: Omit<OpenSpecifics, 'at'>
  /** Of an attachment: its media type, `''` where the sender says it. */
  readonly mediaType?: string
}

/** Open content of a record (XML Schema part 1, sections 3.4.2 and 3.10). */
export interface OpenSpecifics {
  /** Its place among the fields. */
  readonly at: number
  /** Attributes that nobody declared may be there. */
  readonly attributes?: true
  readonly min?: number
  readonly max?: number
  /** The namespaces that elements may be in; when left out, any. */
  readonly namespaces?: readonly string[]
  /** The one that they may not be in. */
  readonly except?: string
}

export interface RecordSpecifics {
  /** The type's name in XML Schema, unless it is anonymous. What xsi:type says. */
  readonly typeName?: QualifiedName
  /** Members may come in any order (xs:all). */
  readonly anyOrder?: true
  readonly open?: OpenSpecifics
}

/**
 * How a list is written: as one element with an element for each item, or as one text with the
 * items separated by spaces (xs:list).
 */
export type ListSpecifics =
  | {
      readonly written: 'items'
      readonly item: QualifiedName
      /** An array of SOAP's own encoding, whose items may be called anything. */
      readonly encoded?: true
      /** How many dimensions such an array has, where that is more than one: lists of lists. */
      readonly dimensions?: number
    }
  | { readonly written: 'spaced' }
  | { readonly written: 'repeated' | 'turns' }

/** A map that is a table data set: rows by table. */
export interface MapSpecifics {
  readonly written: 'dataSet'
}

export interface EndpointSpecifics {
  /** The version of SOAP; none for plain HTTP. */
  readonly version?: '1.1' | '1.2'
  /** Messages are to be addressed by WS-Addressing. */
  readonly addressing?: true
  /** Bytes are to travel beside messages (MTOM). */
  readonly mtom?: true
}

/** The facts of a binding: they belong to an operation at one endpoint. */
export interface OperationWire {
  /** The SOAP action, `''` when the binding gives none. */
  readonly action: string
  /** The elements around the content, and what is asked for by WS-Addressing, where they differ. */
  readonly request?: QualifiedName
  readonly answer?: QualifiedName
  readonly addressedAction?: string
  /** Headers that other endpoints take, and this one does not. */
  readonly without?: readonly string[]
}

/** How an operation travels by plain HTTP, without SOAP (WSDL 1.1, section 4). */
export interface PlainSpecifics {
  readonly verb: 'GET' | 'POST'
  readonly location: string
  readonly parameters: 'query' | 'path' | 'form'
  readonly answer?: QualifiedName | 'text' | 'bytes'
}

/** The names around an operation's content. */
export interface OperationSpecifics {
  readonly style: 'wrapped' | 'bare' | 'rpc' | 'plain'
  /** Where the operation is not one of SOAP. */
  readonly plain?: PlainSpecifics
  /** The element that wraps the inputs; none when they are children of the body themselves. */
  readonly request?: QualifiedName
  /** The element that wraps the outputs; none when they are children of the body themselves. */
  readonly answer?: QualifiedName
  /** What the message asks for by WS-Addressing, where the SOAP action does not say it. */
  readonly addressedAction?: string
  /** No answer is to be expected. */
  readonly oneWay?: true
  /**
   * Messages are encoded by the rules of SOAP itself (SOAP 1.1, section 5): every element says its
   * type.
   */
  readonly encoded?: true
}

export interface FaultSpecifics {
  /** The element inside the fault's detail. */
  readonly element: QualifiedName
  /** It stands in the header of the answer instead: what is wrong is a header. */
  readonly inHeader?: true
}

/** Facts of the whole contract: global elements that are declared, for content that names them. */
export interface ContractSpecifics {
  /** Some operation's messages are encoded by the rules of SOAP itself. */
  readonly encoded?: true
  readonly elements: readonly ({ readonly name: QualifiedName; readonly type: Type } & Node)[]
}

export function fieldSpecifics(field: Field): FieldSpecifics {
  return field.specifics as FieldSpecifics
}
export function recordSpecifics(record: RecordType): RecordSpecifics {
  return (record.specifics ?? {}) as RecordSpecifics
}
export function listSpecifics(list: ListType): ListSpecifics {
  return list.specifics as ListSpecifics
}
export function endpointSpecifics(endpoint: Endpoint): EndpointSpecifics {
  return endpoint.specifics as EndpointSpecifics
}
export function operationSpecifics(operation: Operation): OperationSpecifics {
  return operation.specifics as OperationSpecifics
}
export function wireAt(operation: Operation, endpoint: string): OperationWire {
  return operation.wire[endpoint] as OperationWire
}
export function faultSpecifics(fault: Fault): FaultSpecifics {
  return fault.specifics as FaultSpecifics
}

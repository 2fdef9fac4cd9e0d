import { special } from '../../contract/special-members.js'
import type {
  ListType,
  Choice,
  Contract,
  Fault,
  Field,
  NamedType,
  Operation,
  RecordType,
  ScalarType,
  Type,
  TypeId,
  UnionType,
} from '../../contract/contract.js'
import { once } from '../../contract/once.js'
import { marked, present } from '../../contract/present.js'
import {
  directSubtypes,
  fieldsOfOutcome,
  namedType,
  operationsOf,
  reachableTypes,
} from '../../contract/queries.js'
import { anyValue } from '../../runtime/soap/anything.js'
import { dataSet } from '../../runtime/soap/data-set.js'
import { encodedMessages } from '../../runtime/soap/references.js'
import * as simple from '../../runtime/soap/simple.js'
import { Builtin, CodecReference, LateList, LiveCodecs, type CodecTree } from '../codec-tree.js'
import {
  faultSpecifics,
  fieldSpecifics,
  listSpecifics,
  operationSpecifics,
  recordSpecifics,
  type ContractSpecifics,
  type OpenSpecifics,
  type QualifiedName,
} from './specifics.js'
import { xsd } from './namespaces.js'

const simpleModule = 'runtime/soap/simple'

const builtinNames: Readonly<Record<string, keyof typeof simple>> = {
  string: 'text',
  normalizedString: 'normalizedText',
  token: 'token',
  language: 'token',
  Name: 'token',
  NCName: 'token',
  NMTOKEN: 'token',
  ID: 'token',
  IDREF: 'token',
  ENTITY: 'token',
  anyURI: 'uri',
  anySimpleType: 'text',
  boolean: 'boolean',
  decimal: 'decimal',
  integer: 'integer',
  nonPositiveInteger: 'integer',
  negativeInteger: 'integer',
  nonNegativeInteger: 'integer',
  positiveInteger: 'integer',
  long: 'long',
  int: 'int',
  short: 'short',
  byte: 'byte',
  unsignedLong: 'unsignedLong',
  unsignedInt: 'unsignedInt',
  unsignedShort: 'unsignedShort',
  unsignedByte: 'unsignedByte',
  float: 'float',
  double: 'double',
  duration: 'duration',
  dateTime: 'dateTime',
  time: 'time',
  date: 'date',
  gYearMonth: 'yearMonth',
  gYear: 'gregorianYear',
  gMonthDay: 'monthDay',
  gMonth: 'gregorianMonth',
  gDay: 'gregorianDay',
  hexBinary: 'hexBinary',
  base64Binary: 'base64Binary',
  QName: 'qualifiedName',
  NOTATION: 'qualifiedName',
  swaRef: 'attachedBytes',
}

const encodedTypes = new WeakMap<Contract, ReadonlySet<TypeId>>()

function typesInEncodedMessages(contract: Contract): ReadonlySet<TypeId> {
  const encoded = operationsOf(contract).filter(
    (operation) => operationSpecifics(operation).encoded === true,
  )
  return new Set(reachableTypes(contract, encoded))
}

/** Builds the trees of one contract. `nameOf` gives the value of `$is` for a type. */
export class CodecTrees {
  private readonly contract: Contract
  private readonly nameOf: (id: TypeId) => string
  private readonly subtypes: ReadonlyMap<TypeId, readonly TypeId[]>
  /** Do elements have to say their types? */
  private readonly isEncoded: boolean
  /**
   * The types in encoded messages, whose members may be left out or nil (SOAP 1.1, section 5.4).
   */
  private readonly loose: ReadonlySet<TypeId>

  constructor(contract: Contract, nameOf: (id: TypeId) => string) {
    this.contract = contract
    this.nameOf = nameOf
    this.subtypes = directSubtypes(contract)
    this.isEncoded = (contract.specifics as ContractSpecifics | undefined)?.encoded === true
    this.loose = once(encodedTypes, contract, () => typesInEncodedMessages(contract))
  }

  /** The codec of a named type; undefined when it is written out wherever it is used. */
  ofNamed(type: NamedType): Exclude<CodecTree, string | number | boolean> | undefined {
    if (!hasCodec(type)) return undefined
    switch (type.kind) {
      case 'record':
        return this.ofRecord(type)
      case 'enumeration':
        return { literals: type.members.map((member) => member.value) }
      case 'scalar':
        return this.ofScalar(type)
      case 'union':
        return this.ofUnion(type)
      default:
        return undefined
    }
  }

  of(type: Type, late: boolean): CodecTree {
    switch (type.kind) {
      case 'reference': {
        const named = namedType(this.contract, type.to)
        // Whatever isn't a record is declared above all records, so only references to records must
        // wait.
        if (hasCodec(named)) return new CodecReference(type.to, late && named.kind === 'record')
        return this.of(named, late)
      }
      case 'scalar':
        return this.ofScalar(type)
      case 'enumeration':
        return { literals: type.members.map((member) => member.value) }
      case 'list': {
        const specifics = listSpecifics(type)
        const bounds = {
          ...present({ min: type.minItems, max: type.maxItems }),
        }
        if (specifics.written === 'spaced')
          return { spaced: this.of(type.item, late), ...bounds, ...type.constraints }
        const item: QualifiedName = specifics.written === 'items' ? specifics.item : ['', '']
        const encoded =
          specifics.written === 'items' && specifics.encoded === true ? this.encodedTree(type) : {}
        return {
          items: item,
          ...encoded,
          of: this.of(type.item, late),
          ...marked({ nillable: type.itemNullable === true }),
          ...bounds,
        }
      }
      case 'union':
        return this.ofUnion(type)
      case 'fragment': {
        const records = Object.values(this.contract.types)
          .filter((each) => each.kind === 'record' && recordSpecifics(each).typeName !== undefined)
          .map((each) => each.id)
        return {
          anything: new Builtin('runtime/soap/anything', 'anyValue'),
          ...(type.mayBeRecord === true && records.length > 0
            ? { records: new LateList(records) }
            : {}),
        }
      }
      case 'map':
        return new Builtin('runtime/soap/data-set', 'dataSet')
      default:
        throw new Error(`XML has no ${type.kind} types`)
    }
  }

  /** What an array in SOAP's own encoding says of its items. */
  private encodedTree(list: ListType): { encoded: QualifiedName; dimensions?: number } {
    const dimensions = dimensionsOf(list)
    let item = list.item
    for (let at = 1; at < dimensions && item.kind === 'list'; at += 1) item = item.item
    return { encoded: this.itemTypeName(item), ...(dimensions > 1 ? { dimensions } : {}) }
  }

  /** The type of the items of an encoded array: `int[]` where they are arrays themselves. */
  private itemTypeName(item: Type): QualifiedName {
    if (item.kind !== 'list' || listSpecifics(item).written !== 'items')
      return this.typeName(item) ?? [xsd, 'anyType']
    const { encoded } = this.encodedTree(item)
    return [encoded[0], `${encoded[1]}[${','.repeat(dimensionsOf(item) - 1)}]`]
  }

  /**
   * A table of members, by their names. `defaultNamespace` is what holds for elements that do not
   * say otherwise.
   */
  members(
    fields: readonly Field[],
    defaultNamespace: string,
    late: boolean,
    open?: OpenSpecifics,
  ): { readonly [key: string]: CodecTree } {
    const members = new Map<string, CodecTree>()
    const { at, ...rules } = open ?? { at: -1 }
    fields.forEach((field, index) => {
      if (index === at) members.set(special.open, { open: true, ...rules })
      members.set(field.name, this.member(field, defaultNamespace, late))
    })
    if (at >= fields.length) members.set(special.open, { open: true, ...rules })
    return Object.fromEntries(members)
  }

  /** Everything the runtime needs to know of an operation by plain HTTP. */
  plainOperation(operation: Operation): { readonly [key: string]: CodecTree } {
    const { plain } = operationSpecifics(operation)
    if (plain === undefined) throw new Error(`${operation.path.join('.')} is one of SOAP`)
    const { outcome } = operation
    const { answer, ...request } = plain
    return {
      endpoints: Object.keys(operation.wire),
      ...request,
      namespace: '',
      input: this.members(operation.inputs, '', false),
      ...(answer === undefined || outcome.kind !== 'value'
        ? {}
        : {
            answer:
              typeof answer === 'string'
                ? answer
                : { element: answer, codec: this.of(outcome.field.type, false) },
          }),
    }
  }

  /** Everything the runtime needs to know of an operation's messages. */
  operation(operation: Operation): { readonly [key: string]: CodecTree } {
    const specifics = operationSpecifics(operation)
    const body = operation.inputs.filter((input) => input.place === 'body')
    const headers = operation.inputs.filter((input) => input.place === 'messageHeader')
    const { outcome } = operation
    const all = fieldsOfOutcome(outcome)
    const outputs = all.filter(
      (field) => !['attachment', 'headers'].includes(fieldSpecifics(field).place),
    )
    const [returnedHeaders] = all
      .filter((field) => fieldSpecifics(field).place === 'headers')
      .map((field) => (field.type.kind === 'record' ? field.type.fields : []))
    const namespace = commonNamespace(
      [...body, ...headers, ...outputs],
      specifics.style === 'rpc' ? '' : (specifics.request?.[0] ?? ''),
    )
    return {
      ...present({ request: specifics.request, addressedAction: specifics.addressedAction }),
      ...(specifics.encoded === true
        ? { encoded: new Builtin('runtime/soap/references', 'encodedMessages') }
        : {}),
      namespace,
      input: this.members(body, namespace, false),
      ...choicesTree(operation.choices),
      ...(headers.length === 0 ? {} : { headers: this.members(headers, namespace, false) }),
      ...attachmentsTree(operation.inputs),
      ...(specifics.oneWay === true
        ? {}
        : {
            answer: {
              ...present({ element: specifics.answer }),
              members: this.members(outputs, namespace, false),
              ...(outcome.kind === 'value' ? { value: outcome.field.name } : {}),
              ...present({
                headers: returnedHeaders && this.members(returnedHeaders, namespace, false),
              }),
              ...attachmentsTree(all),
            },
          }),
      ...(operation.faults.length === 0
        ? {}
        : {
            faults: Object.fromEntries(
              operation.faults.map((fault) => [fault.name, this.fault(fault)]),
            ),
          }),
    }
  }

  private fault(fault: Fault): CodecTree {
    return { element: faultSpecifics(fault).element, codec: this.of(fault.type, false) }
  }

  private ofRecord(record: RecordType & NamedType): { readonly [key: string]: CodecTree } {
    const { typeName, anyOrder, open } = recordSpecifics(record)
    const subtypes = this.subtypes.get(record.id) ?? []
    const isOneOfSeveral = record.base !== undefined || subtypes.length > 0
    const namespace = commonNamespace(record.fields, typeName?.[0] ?? '')
    return {
      ...present({ type: typeName }),
      ...(isOneOfSeveral ? { is: this.nameOf(record.id) } : {}),
      ...marked({ abstract: record.abstract === true }),
      ...present({ base: record.base && new CodecReference(record.base.to, true) }),
      ...marked({ narrows: record.restricts === true }),
      ...(namespace === (typeName?.[0] ?? '') ? {} : { namespace }),
      members: this.members(
        this.loose.has(record.id) ? record.fields.map(loosened) : record.fields,
        namespace,
        true,
        open,
      ),
      ...choicesTree(record.choices),
      ...marked({ anyOrder: anyOrder === true }),
      ...(subtypes.length === 0 ? {} : { subtypes: new LateList(subtypes) }),
    }
  }

  private member(field: Field, defaultNamespace: string, late: boolean): CodecTree {
    const { place, name, repeated, mixed } = fieldSpecifics(field)
    if (place === 'group') return this.turns(field, mixed === true, late)
    const list = repeated === true && field.type.kind === 'list' ? field.type : undefined
    const codec = this.of(list?.item ?? field.type, late)
    if (place === 'text') return { text: codec }
    const typeName = this.isEncoded ? this.typeName(list?.item ?? field.type) : undefined
    return {
      [place]: codec,
      ...present({ type: typeName }),
      ...marked({
        optional: field.optional,
        nillable: field.nullable || list?.itemNullable === true,
      }),
      ...present({ repeated: list && (true as const) }),
      ...present({ min: list?.minItems, max: list?.maxItems }),
      ...(name[1] === field.name ? {} : { name: name[1] }),
      ...(name[0] === (place === 'element' ? defaultNamespace : '') ? {} : { namespace: name[0] }),
      ...(typeof field.fixed === 'string' ? { fixed: field.fixed } : {}),
    }
  }

  /** Turns of a group that repeats. */
  private turns({ type, optional }: Field, mixed: boolean, late: boolean): CodecTree {
    const item = type.kind === 'list' ? elementAmongTexts(type.item) : undefined
    return {
      // Of texts alone there is no group, only texts.
      group: item?.kind === 'reference' ? this.of(item, late) : { members: {} },
      ...marked({ optional: optional, mixed: mixed }),
      ...(type.kind !== 'list' || type.minItems === undefined ? {} : { min: type.minItems }),
      ...(type.kind !== 'list' || type.maxItems === undefined ? {} : { max: type.maxItems }),
    }
  }

  private ofUnion({ alternatives, constraints }: UnionType): { readonly [key: string]: CodecTree } {
    return { union: alternatives.map((each) => this.of(each, false)), ...constraints }
  }

  /**
   * The name of a simple type in XML Schema, which encoded elements say; records say theirs
   * themselves.
   */
  private typeName(type: Type): QualifiedName | undefined {
    const named = type.kind === 'reference' ? namedType(this.contract, type.to) : undefined
    if (named?.kind === 'record') return recordSpecifics(named).typeName
    const [, namespace, local] = /^\{(.*)\}([^#/]+)$/.exec(named?.id ?? '') ?? []
    if (local !== undefined && namespace !== undefined && named?.kind !== 'list')
      return [namespace, local]
    const actual = named ?? type
    if (actual.kind === 'scalar') return [xsd, actual.format.replace('xs:', '')]
    if (actual.kind === 'enumeration') return [xsd, 'string']
    return undefined
  }

  private ofScalar(type: ScalarType): Builtin | { readonly [key: string]: CodecTree } {
    const builtin = new Builtin(
      simpleModule,
      type.format === 'xs:hexBinary'
        ? 'hexBinary'
        : (builtinNames[type.format.replace('xs:', '')] ?? 'text'),
    )
    if (type.constraints === undefined) return builtin
    return { restricts: builtin, ...type.constraints }
  }
}

/** What travels beside a message, with the media types. */
function attachmentsTree(fields: readonly Field[]): { readonly attachments?: CodecTree } {
  const attached = fields.filter((field) => fieldSpecifics(field).place === 'attachment')
  return attached.length === 0
    ? {}
    : {
        attachments: Object.fromEntries(
          attached.map((field) => [field.name, fieldSpecifics(field).mediaType ?? '']),
        ),
      }
}

/** Groups of members that exclude each other, as the checker knows them. */
function choicesTree(choices: readonly Choice[] | undefined): { readonly choices?: CodecTree } {
  if (choices === undefined) return {}
  return {
    choices: choices.map(({ alternatives, optional }) => ({
      of: alternatives.map(({ fields, required }) => ({
        members: fields,
        ...(required.length === fields.length ? {} : { required }),
      })),
      ...marked({ optional: optional === true }),
    })),
  }
}

/** Has a named type a codec of its own, or is it written out where it is used? */
function hasCodec(type: NamedType): boolean {
  return (
    type.kind === 'record' ||
    type.kind === 'enumeration' ||
    type.kind === 'union' ||
    (type.kind === 'scalar' && type.constraints !== undefined)
  )
}

function commonNamespace(fields: readonly Field[], preferred: string): string {
  const namespaces = fields
    .map(fieldSpecifics)
    .filter(({ place }) => place === 'element')
    .map(({ name }) => name[0])
  return namespaces.length === 0 || namespaces.includes(preferred)
    ? preferred
    : (namespaces[0] ?? preferred)
}

/** Codecs of a contract that work: what the stand-in reads and writes with. */
export function liveCodecs(contract: Contract, trees: CodecTrees): LiveCodecs {
  return new LiveCodecs(
    (name) => {
      if (name === 'anyValue') return anyValue
      if (name === 'dataSet') return dataSet
      if (name === 'encodedMessages') return encodedMessages
      return simple[name as keyof typeof simple]
    },
    (id) => trees.ofNamed(namedType(contract, id)),
  )
}

/** What stands among the texts of mixed content, where texts may stand too. */
function elementAmongTexts(item: Type): Type | undefined {
  return item.kind === 'union' ? item.alternatives.find((each) => each.kind === 'reference') : item
}

/** How many dimensions an array in SOAP's own encoding has. */
function dimensionsOf(list: ListType): number {
  const specifics = listSpecifics(list)
  return specifics.written === 'items' ? (specifics.dimensions ?? 1) : 1
}

/** An element that may be left out, or nil, whatever its schema says. */
function loosened(field: Field): Field {
  return fieldSpecifics(field).place === 'element'
    ? { ...field, optional: true, nullable: true }
    : field
}

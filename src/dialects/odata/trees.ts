import type {
  Contract,
  Field,
  NamedType,
  Operation,
  RecordType,
  ScalarType,
  Type,
  TypeId,
} from '../../contract/contract.js'
import { once } from '../../contract/once.js'
import { marked, present } from '../../contract/present.js'
import { directSubtypes, endpointsOf, namedType, someType } from '../../contract/queries.js'
import { Builtin, CodecReference, LateList, type CodecTree } from '../codec-tree.js'
import {
  fieldSpecifics,
  isFlags,
  operationSpecifics,
  type EndpointSpecifics,
  type InvocationSpecifics,
  type RecordSpecifics,
  type ResourceSpecifics,
} from './specifics.js'

/** Operations that nothing can be said of but that they are not there. */
const unrestricted: readonly string[] = [
  'delete',
  'changes',
  'aggregate',
  'createMedia',
  'download',
  'upload',
  'clear',
  'link',
  'unlink',
]

type Tree = { readonly [key: string]: CodecTree }

/** Builds the codecs and the operations of a contract as trees. */
export class ODataTrees {
  private readonly contract: Contract
  private readonly nameOf: (id: TypeId) => string
  private readonly subtypes: ReadonlyMap<string, readonly string[]>
  /** The runtime's module of primitive types. */
  readonly edmModule: string
  /** The runtime's protocol: its module and name. */
  readonly protocol: Builtin
  private flagIds: ReadonlySet<string> | undefined

  /** @param nameOf the value of `$is` for a type */
  constructor(contract: Contract, nameOf: (id: TypeId) => string) {
    this.contract = contract
    this.nameOf = nameOf
    this.subtypes = directSubtypes(contract)
    const { version } = endpointsOf(contract)[0]?.specifics as EndpointSpecifics
    const isNew = version.startsWith('4')
    this.edmModule = `runtime/odata/${isNew ? 'edm4' : 'edm2'}`
    this.protocol = new Builtin(
      `runtime/odata/${isNew ? 'v4' : 'v2'}`,
      { '2.0': 'v2', '3.0': 'v3', '4.0': 'v4', '4.01': 'v401' }[version],
    )
  }

  /**
   * The tree of a named type; undefined for the shapes in which entities are sent, which stand on
   * the wire as the entities do.
   */
  ofNamed(type: NamedType): CodecTree | undefined {
    if (type.kind === 'record')
      return type.variantOf === undefined ? this.structure(type) : undefined
    if (type.kind === 'enumeration')
      return {
        enumeration: type.id,
        values: type.members.map((member) => member.value),
        ...marked({ flags: this.flags().has(type.id) }),
      }
    return type.kind === 'scalar' ? this.scalar(type) : new Builtin(this.edmModule, 'untyped')
  }

  private structure(type: RecordType & NamedType): CodecTree {
    const subtypes = this.subtypes.get(type.id)
    const { keyPaths } = (type.specifics ?? {}) as Partial<RecordSpecifics>
    return {
      type: type.id,
      ...(subtypes !== undefined || type.base !== undefined ? { is: this.nameOf(type.id) } : {}),
      ...marked({ abstract: type.abstract === true, open: type.open === true }),
      ...present({ keys: type.keys, keyPaths }),
      members: Object.fromEntries(
        type.fields
          .filter((field) => fieldSpecifics(field).about !== true)
          .map((field) => [field.name, this.property(field)]),
      ),
      ...present({ base: type.base && new CodecReference(type.base.to, true) }),
      ...present({ subtypes: subtypes && new LateList(subtypes) }),
    }
  }

  /** Ids of the enumerations whose members combine. */
  private flags(): ReadonlySet<string> {
    this.flagIds ??= findFlags(this.contract)
    return this.flagIds
  }

  /** A field with what the runtime needs to know of it. */
  property(field: Field): Tree {
    const { navigation, computed, immutable, later, madeWhenMissing, wire, always } =
      fieldSpecifics(field)
    return {
      ...this.placed(field.type),
      ...marked({ nullable: field.nullable }),
      ...marked({
        optional:
          field.default !== undefined ||
          madeWhenMissing === true ||
          (navigation === undefined && field.optional && always !== true),
      }),
      ...present({ navigation: navigation && true }),
      ...(navigation?.set === undefined ? {} : { binds: navigation.set }),
      ...marked({
        computed: computed === true,
        immutable: immutable === true,
        later: later === true,
      }),
      ...present({ name: wire }),
    }
  }

  private placed(type: Type): Tree {
    if (type.kind !== 'list') return { is: this.value(type) }
    return isFlags(type) ? { is: this.value(type.item) } : { ...this.placed(type.item), many: true }
  }

  private value(type: Type): CodecTree {
    if (type.kind === 'scalar') return this.scalar(type)
    if (type.kind !== 'reference') return new Builtin(this.edmModule, 'untyped')
    const named = namedType(this.contract, type.to)
    // Records can be recursive: they are reached through functions.
    return named.kind === 'record'
      ? new CodecReference(named.variantOf ?? named.id, true)
      : new CodecReference(named.id, false)
  }

  private scalar(type: ScalarType): CodecTree {
    const name = type.format.replace(/^Edm\./, '')
    const builtin = new Builtin(
      this.edmModule,
      name === 'SByte' ? 'sbyte' : name.charAt(0).toLowerCase() + name.slice(1),
    )
    if (type.constraints === undefined) return builtin
    const { patterns, ...limits } = type.constraints
    return { restricts: builtin, ...limits, ...present({ patterns }) }
  }

  /** Everything that the runtime needs to know of an operation. */
  operation(operation: Operation): Tree {
    const specifics = operationSpecifics(operation)
    if (specifics.kind !== 'invoke') {
      const { restricted, streams, media, targets } = specifics
      return {
        ...this.resource(specifics),
        ...(restricted === undefined || unrestricted.includes(specifics.kind)
          ? {}
          : { restricted: restricted as Tree }),
        ...present({ streams }),
        ...marked({ media: media === true }),
        ...present({
          targets:
            targets &&
            Object.fromEntries(
              Object.entries(targets).map(([name, { entity, ...facts }]) => [
                name,
                { ...facts, of: new CodecReference(entity, false) },
              ]),
            ),
        }),
        protocol: this.protocol,
      }
    }
    const { outcome } = operation
    const parameters = operation.inputs.filter((input) => input.place === 'body')
    return {
      call: specifics.call,
      method: specifics.method,
      passing: specifics.passing,
      ...present({ on: specifics.on && this.bound(specifics.on) }),
      ...(parameters.length === 0
        ? {}
        : {
            parameters: Object.fromEntries(
              parameters.map((field) => [field.name, this.property(field)]),
            ),
          }),
      ...(outcome.kind === 'value' ? { returns: this.property(outcome.field) } : {}),
      ...present({
        asks: specifics.asks && {
          of: new CodecReference(specifics.asks.entity, false),
          options: specifics.asks.options,
        },
      }),
      protocol: this.protocol,
    }
  }

  private bound({ many, cast, ...place }: NonNullable<InvocationSpecifics['on']>): CodecTree {
    return {
      ...this.resource(place),
      ...marked({ many: many === true }),
      ...present({ cast }),
    }
  }

  private resource({ path, entity, singleton, within }: ResourceSpecifics): Tree {
    return {
      path,
      of: new CodecReference(entity, false),
      ...marked({ singleton: singleton === true }),
      ...present({ within: within && within.map((step) => this.resource(step)) }),
    }
  }
}

function findFlags(contract: Contract): Set<string> {
  const found = new Set<string>()
  const visit = (value: unknown): void => {
    if (typeof value !== 'object' || value === null) return
    const type = value as Type
    if (type.kind === 'list' && isFlags(type) && type.item.kind === 'reference')
      found.add(type.item.to)
    for (const [key, member] of Object.entries(value)) if (key !== 'origin') visit(member)
  }
  visit(contract.types)
  visit(contract.services)
  return found
}

const exactness = new WeakMap<Contract, boolean>()

/** Does the service's JSON carry numbers whose every digit counts? */
export function hasExactNumbers(contract: Contract): boolean {
  return once(exactness, contract, () =>
    someType(
      contract,
      (type) => type.kind === 'scalar' && (type.base === 'int64' || type.base === 'decimal'),
    ),
  )
}

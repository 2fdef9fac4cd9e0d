import type { Contract, Field, NamedType, Operation, ScalarType, Type } from '../../contract/contract.js'
import { namedType } from '../../contract/queries.js'
import * as values from '../../runtime/json/values.js'
import { Builtin, CodecReference, LiveCodecs, type CodecTree } from '../codec-tree.js'
import { bodyLayout, operationLayout, parameterLayout } from './layout.js'

const valuesModule = 'runtime/json/values'

const builtins: Readonly<Partial<Record<ScalarType['base'], keyof typeof values>>> = {
  text: 'text', boolean: 'boolean', int32: 'int32', int64: 'int64', decimal: 'decimal', float: 'double', double: 'double', bytes: 'base64', date: 'date', dateTime: 'dateTime', time: 'time', duration: 'duration',
}

/** Names of the runtime's values that codecs of this dialect use. */
export const valueNames: readonly string[] = [...Object.values(builtins), 'anything', 'integer', 'int64Text', 'decimalText']

/** Builds the JSON codecs of a contract as trees. */
export class JsonTrees {
  private readonly contract: Contract

  constructor(contract: Contract) {
    this.contract = contract
  }

  ofNamed(type: NamedType): CodecTree {
    return this.of(type, true)
  }

  of(type: Type, late: boolean): CodecTree {
    switch (type.kind) {
      case 'reference':
        namedType(this.contract, type.to)
        return new CodecReference(type.to, late)
      case 'scalar':
        return this.scalar(type)
      case 'enumeration':
        return { literals: type.members.map((member) => member.value) }
      case 'literal':
        return { literals: type.value === null ? [] : [type.value] }
      case 'list':
        return {
          items: this.of(type.item, late), ...(type.itemNullable === true ? { nullable: true } : {}), ...(type.minItems === undefined ? {} : { min: type.minItems }), ...(type.maxItems === undefined ? {} : { max: type.maxItems }),
        }
      case 'map':
        return { values: this.of(type.value, late) }
      case 'record':
        return { members: this.members(type.fields, late), ...(type.open === true ? { open: true } : {}) }
      case 'union': {
        const { discriminator } = type
        const ids = type.alternatives.map((each) => (each.kind === 'reference' ? each.to : ''))
        const when = Object.fromEntries(Object.entries(discriminator?.mapping ?? {}).map(([value, id]) => [value, ids.indexOf(id)]))
        return { oneOf: type.alternatives.map((each) => this.of(each, late)), ...(discriminator === undefined || Object.keys(when).length === 0 ? {} : { by: { member: discriminator.field, when } }) }
      }
      case 'intersection':
        return { allOf: type.parts.map((each) => this.of(each, late)) }
      default:
        return new Builtin(valuesModule, 'anything')
    }
  }

  /** Everything the runtime needs to know of an operation. */
  operation(operation: Operation): { readonly [key: string]: CodecTree } {
    const layout = operationLayout(operation)
    const parameters = operation.inputs.filter((input) => input.place !== 'body')
    const body = operation.inputs.find((input) => input.place === 'body')
    const { outcome } = operation
    const content = (mediaType: string | undefined, type: Type | undefined): CodecTree => ({
      ...(mediaType === undefined ? {} : { type: mediaType }),
      ...(type === undefined || type.kind === 'nothing' || type.kind === 'anything' || !isJson(mediaType ?? '') ? {} : { is: this.of(type, false) }),
    })
    const alternatives = outcome.kind === 'value' && layout.byStatus === true && outcome.field.type.kind === 'union' ? outcome.field.type.alternatives : undefined
    const answerType = (at: number): Type | undefined => {
      const alternative = alternatives?.[at]
      if (alternative?.kind === 'record') return alternative.fields.find((field) => field.name === 'body')?.type
      return outcome.kind === 'value' ? outcome.field.type : undefined
    }
    return {
      method: layout.method,
      path: layout.path,
      ...(parameters.length === 0 ? {} : { parameters: Object.fromEntries(parameters.map((field) => [field.name, this.parameter(field, field.place)])) }),
      ...(body === undefined
        ? {}
        : { body: { type: bodyLayout(body).mediaType, ...(body.type.kind === 'anything' ? {} : { is: this.of(isRaw(body) ? { kind: 'anything', origin: body.origin } : body.type, false) }), ...(body.optional ? { optional: true } : {}), ...(body.nullable ? { nullable: true } : {}) } }),
      answers: Object.fromEntries(Object.entries(layout.answers).map(([status, { mediaType }], at) => [status, content(mediaType, answerType(at))])),
      ...(layout.byStatus === true ? { byStatus: true } : {}),
      ...(operation.faults.length === 0 ? {} : { faults: Object.fromEntries(operation.faults.map((fault) => [fault.name, content((fault.layout as { mediaType?: string }).mediaType, fault.type)])) }),
      ...(layout.key === undefined ? {} : { key: { ...layout.key } }),
    }
  }

  private parameter(field: Field, place: string): CodecTree {
    const { name, style, explode, allowReserved, json: asJson } = parameterLayout(field)
    return {
      in: place,
      ...(name === field.name ? {} : { name }),
      is: this.of(field.type, false),
      ...(field.optional ? { optional: true } : {}),
      ...(field.nullable ? { nullable: true } : {}),
      ...(style === undefined ? {} : { style }),
      ...(explode === undefined ? {} : { explode }),
      ...(allowReserved === true ? { allowReserved } : {}),
      ...(asJson === true ? { json: true } : {}),
    }
  }

  private members(fields: readonly Field[], late: boolean): CodecTree {
    const members: Record<string, CodecTree> = {}
    for (const field of fields) {
      const value = { is: this.of(field.type, late), ...(field.optional ? { optional: true } : {}), ...(field.nullable ? { nullable: true } : {}) }
      Object.defineProperty(members, field.name, { value, enumerable: true })
    }
    return members
  }

  private scalar(type: ScalarType): CodecTree {
    const { format } = type
    const name = format === 'string:int64' ? 'int64Text' : format === 'string:decimal' ? 'decimalText' : format === 'integer' ? 'integer' : (builtins[type.base] ?? 'text')
    const builtin = new Builtin(valuesModule, name)
    if (type.constraints === undefined) return builtin
    const { patterns, ...bounds } = type.constraints
    return { restricts: builtin, ...bounds, ...(patterns === undefined ? {} : { patterns }) }
  }
}

/** Does the body travel as it is? */
function isRaw(body: Field): boolean {
  return !/[/+]json\b|^multipart\/form-data|^application\/x-www-form-urlencoded/i.test(bodyLayout(body).mediaType)
}

function isJson(mediaType: string): boolean {
  return /^[^;]*[/+]json\b/i.test(mediaType)
}

/** Does the contract's JSON carry numbers whose every digit counts? */
export function needsExactJson(contract: Contract): boolean {
  let needed = exactness.get(contract)
  if (needed === undefined) {
    needed = hasExactNumbers(contract)
    exactness.set(contract, needed)
  }
  return needed
}

const exactness = new WeakMap<Contract, boolean>()

function hasExactNumbers(contract: Contract): boolean {
  const isExact = (value: unknown): boolean => {
    if (typeof value !== 'object' || value === null) return false
    if ((value as ScalarType).kind === 'scalar') return ['int64', 'decimal'].includes((value as ScalarType).base) && !(value as ScalarType).format.startsWith('string:')
    return Object.entries(value).some(([key, member]) => key !== 'origin' && isExact(member))
  }
  return isExact(contract.types) || isExact(contract.services)
}

/** Codecs that work: what the stand-in reads and writes with. */
export function liveJson(contract: Contract, trees: JsonTrees): LiveCodecs {
  return new LiveCodecs((name) => values[name as keyof typeof values], (id) => trees.ofNamed(namedType(contract, id)))
}

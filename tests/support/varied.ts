import type {
  Choice,
  Contract,
  Field,
  Operation,
  RecordType,
  ScalarType,
  Type,
  TypeId,
} from '../../src/contract/contract.js'
import { basesOf, directSubtypes, fieldsOf, kindOf, namedType } from '../../src/contract/queries.js'
import { sampleInput, sampleValue } from '../../src/exercise/sample.js'

/** Decides between so many possibilities. */
export type Pick = (count: number) => number

/** Decisions that look random, and are the same for the same seed (mulberry32). */
export function pickFrom(seed: number): Pick {
  let state = seed >>> 0
  return (count) => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), state | 1)
    mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61)
    return ((mixed ^ (mixed >>> 14)) >>> 0) % Math.max(1, count)
  }
}

/**
 * Valid values in plain form, that go to the ends of what their types allow: the longest and the
 * shortest text, the bounds of numbers, every value, every alternative, nulls, and what may be left
 * out left out now and then.
 */
export class Varied {
  private readonly contract: Contract
  private readonly pick: Pick

  /** Everything is there that is no way to other things: OData leaves nothing out. */
  private readonly isWhole: boolean
  private isInput = false
  private isChange = false

  constructor(contract: Contract, pick: Pick) {
    this.contract = contract
    this.pick = pick
    this.isWhole = contract.dialect === 'odata'
  }

  input(operation: Operation): Record<string, unknown> {
    const { inputs, choices } = operation
    // What is asked for has a language of its own.
    if (this.isWhole) {
      this.isInput = true
      this.isChange = operation.path.at(-1) === 'update'
      const usual = sampleInput(this.contract, operation, { full: true })
      const asked = Object.entries(usual).filter(
        ([name]) => name !== 'select' && queryOptions.includes(name),
      )
      const own = inputs.filter(({ name }) => !queryOptions.includes(name))
      return {
        ...Object.fromEntries(this.pick(2) === 0 ? [] : asked),
        ...(/^(?:link|unlink|aggregate)$/.test(operation.path.at(-1) ?? '')
          ? usual
          : this.fields(own, choices, 0)),
      }
    }
    const plain = inputs.filter(({ place }) => place !== 'messageHeader')
    const headers = inputs.filter(({ place }) => place === 'messageHeader')
    return {
      ...this.fields(plain, choices, 0),
      ...(headers.length === 0 ? {} : { headers: this.fields(headers, [], 0) }),
    }
  }

  value(type: Type, name: string, depth = 0): unknown {
    switch (type.kind) {
      case 'reference':
        return this.named(type.to, name, depth + 1)
      case 'record':
        return this.record(type, depth)
      case 'enumeration':
        return type.members[this.pick(type.members.length)]?.value
      case 'literal':
        return type.value
      case 'union': {
        // Things that are there already are not played inside of others.
        const alternatives = type.alternatives.filter(
          (each) => each.kind !== 'record' || each.fields.every((field) => field.name !== '$bind'),
        )
        const at = this.pick(alternatives.length)
        const chosen = (alternatives[depth > 8 ? 0 : at] ?? type.alternatives[0]) as Type
        const value = this.value(chosen, name, depth)
        const [said] =
          Object.entries(type.discriminator?.mapping ?? {}).find(
            ([, id]) => chosen.kind === 'reference' && chosen.to === id,
          ) ?? []
        return said === undefined || type.discriminator === undefined
          ? value
          : { ...(value as object), [type.discriminator.field]: said }
      }
      case 'list': {
        const least = type.minItems ?? 0
        const room = Math.max(0, Math.min(2, (type.maxItems ?? Infinity) - least))
        const count = depth > 8 ? least : least + this.pick(room + 1)
        return Array.from({ length: count }, () =>
          type.itemNullable === true && this.pick(3) === 0
            ? null
            : this.value(type.item, name, depth + 1),
        )
      }
      case 'map':
        return { a: this.value(type.value, name, depth + 1) }
      case 'scalar':
        return this.scalar(type, name)
      default:
        return sampleValue(this.contract, type, name, { full: depth < 4 })
    }
  }

  private named(id: TypeId, name: string, depth: number): unknown {
    const type = namedType(this.contract, id)
    if (type.kind !== 'record') return this.value(type, name, depth)
    const kinds = (directSubtypes(this.contract).get(id) ?? []).filter(
      (each) => (namedType(this.contract, each) as RecordType).abstract !== true,
    )
    const at = this.pick(kinds.length + (type.abstract === true ? 0 : 1))
    const kind = kinds[at]
    if (kind === undefined) return this.record(type, depth)
    const own = namedType(this.contract, kind)
    if (own.kind !== 'record') return this.record(type, depth)
    return { $is: kindOf(this.contract, own).name, ...this.record(own, depth) }
  }

  private record(record: RecordType, depth: number): Record<string, unknown> {
    const all = [...basesOf(this.contract, record), record]
    const isFree =
      record.open === true && record.rest === undefined && record.openMember === undefined
    const further = isFree && record.patterned === undefined && this.pick(3) === 0
    const fields = this.fields(
      fieldsOf(this.contract, record),
      all.flatMap(({ choices = [] }) => choices),
      depth,
    )
    return further ? { ...fields, Further: 'more' } : fields
  }

  fields(
    fields: readonly Field[],
    choices: readonly Choice[] = [],
    depth = 0,
  ): Record<string, unknown> {
    const out = new Set<string>()
    const wanted = new Set<string>()
    for (const { alternatives } of choices) {
      const chosen = alternatives[this.pick(alternatives.length)]
      for (const { fields: names } of alternatives)
        for (const each of names) if (chosen?.fields.includes(each) !== true) out.add(each)
      for (const each of chosen?.required ?? []) wanted.add(each)
    }
    const made: Record<string, unknown> = {}
    for (const field of fields) {
      const { name, type, optional, nullable, fixed } = field
      if (out.has(name)) continue
      if (
        this.isWhole &&
        (name.startsWith('$') || (field.relation !== undefined && (this.isChange || depth > 4)))
      )
        continue
      if (
        optional &&
        !wanted.has(name) &&
        (!this.isWhole || this.isInput) &&
        (depth > 8 || this.pick(2) === 0)
      )
        continue
      if (fixed !== undefined) made[name] = fixed
      else made[name] = nullable && this.pick(3) === 0 ? null : this.value(type, name, depth + 1)
    }
    return made
  }

  private scalar(type: ScalarType, name: string): unknown {
    const { base, constraints = {} } = type
    const usual = sampleValue(this.contract, type, name, { full: true })
    const { minLength = 0, maxLength, patterns, allowed } = constraints
    if (patterns !== undefined || allowed !== undefined) return usual
    if (base === 'text' && type.format !== 'string' && !/xs:string|Edm.String/.test(type.format))
      return usual
    if (base === 'text')
      return ['x'.repeat(Math.max(minLength, 1)), 'x'.repeat(maxLength ?? 30), usual][this.pick(3)]
    if (base === 'boolean') return this.pick(2) === 0
    if (/^u?int(?:8|16|32|64)$|^double$/.test(base)) return this.number(type, usual)
    return usual
  }

  private number({ base, constraints = {}, format }: ScalarType, usual: unknown): unknown {
    const isText = base === 'int64' || base === 'uint64'
    const [least, most] = bounds[base] ?? ['0', '0']
    const given = [constraints.minimum ?? least, constraints.maximum ?? most][this.pick(2)] ?? '0'
    if (constraints.exclusiveMinimum ?? constraints.exclusiveMaximum ?? constraints.multipleOf)
      return usual
    if (this.pick(3) === 0) return usual
    if (isText) return given
    return base === 'double' && format !== 'integer' && given === '1000000.5'
      ? 1_000_000.5
      : Number(given)
  }
}

const queryOptions =
  'filter select expand orderBy top skip search count compute custom levels pageSize groupBy measures ifMatch ifNoneMatch maxAge'.split(
    ' ',
  )

/** What numbers of a base go to, where nothing else is said. */
const bounds: Readonly<Record<string, readonly [string, string]>> = {
  int8: ['-128', '127'],
  int16: ['-32768', '32767'],
  int32: ['-2147483648', '2147483647'],
  int64: ['-9223372036854775808', '9223372036854775807'],
  uint8: ['0', '255'],
  uint16: ['0', '65535'],
  uint32: ['0', '4294967295'],
  uint64: ['0', '18446744073709551615'],
  double: ['-3', '1000000.5'],
}

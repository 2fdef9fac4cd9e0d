import fc, { type Arbitrary } from 'fast-check'
import type { Contract, Field, ScalarType, Type } from '../../src/contract/contract.js'
import { leastDepth } from '../../src/contract/least-depth.js'
import { namedType } from '../../src/contract/queries.js'

/**
 * Random values of a type of an OpenAPI contract, in the shapes of the client. They have its shape,
 * but rules may refuse them.
 */
export function jsonValues(contract: Contract, type: Type, depth = 0): Arbitrary<unknown> {
  const inside = (each: Type): Arbitrary<unknown> => jsonValues(contract, each, depth + 1)
  switch (type.kind) {
    case 'reference':
      return jsonValues(contract, namedType(contract, type.to), depth + 1)
    case 'record': {
      if (type.rest === undefined || type.rest.kind === 'nothing')
        return members(contract, type.fields, depth)
      return fc
        .tuple(
          members(contract, type.fields, depth),
          fc.record({ rest_1: inside(type.rest) }, { requiredKeys: [] }),
        )
        .map((parts) => Object.assign({}, ...parts) as object)
    }
    case 'intersection':
      return fc
        .tuple(...type.parts.map(inside))
        .map((parts) => Object.assign({}, ...parts) as object)
    case 'union': {
      const { discriminator, alternatives } = type
      // Deep inside, what comes to an end soonest.
      const byDepth = [...alternatives].sort(
        (a, b) => leastDepth(contract, a) - leastDepth(contract, b),
      )
      const usable = depth > 6 ? byDepth.slice(0, 1) : alternatives
      return fc.oneof(
        ...usable.map((each) => {
          const told = Object.entries(discriminator?.mapping ?? {})
            .filter(([, id]) => each.kind === 'reference' && each.to === id)
            .map(([value]) => value)
          return discriminator === undefined || told.length === 0
            ? inside(each)
            : fc
                .tuple(inside(each), fc.constantFrom(...told))
                .map(([value, kind]) => ({ ...(value as object), [discriminator.field]: kind }))
        }),
      )
    }
    case 'list':
      return depth > 5 && (type.minItems ?? 0) === 0
        ? fc.constant([])
        : fc.array(type.itemNullable === true ? fc.option(inside(type.item)) : inside(type.item), {
            minLength: type.minItems ?? 0,
            maxLength: Math.max(type.minItems ?? 0, Math.min(type.maxItems ?? 2, 2)),
          })
    case 'tuple':
      return depth > 5
        ? fc.constant([])
        : fc.tuple(
            ...type.items.map(inside),
            ...(type.rest === undefined ? [] : [inside(type.rest)]),
          )
    case 'map':
      return depth > 5
        ? fc.constant({})
        : fc.dictionary(fc.constantFrom('a', 'b', 'ü'), inside(type.value), {
            maxKeys: 2,
            noNullPrototype: true,
          })
    case 'enumeration':
      return fc.constantFrom(...type.members.map((member) => member.value))
    case 'literal':
      return fc.constant(type.value)
    case 'scalar':
      return scalars(type)
    default:
      return fc
        .jsonValue({ maxDepth: 1, noUnicodeString: false } as object)
        .filter(
          (value) =>
            !JSON.stringify(value).includes('-0') && !JSON.stringify(value).includes('__proto__'),
        )
  }
}

function member(contract: Contract, field: Field, depth: number): Arbitrary<unknown> {
  if (depth > 6 && field.nullable) return fc.constant(null)
  const values = jsonValues(contract, field.type, depth)
  return field.nullable && field.type.kind !== 'anything'
    ? fc.option(values, { nil: null, freq: 4 })
    : values
}

function members(
  contract: Contract,
  fields: readonly Field[],
  depth: number,
): Arbitrary<Record<string, unknown>> {
  const usable = fields.filter(
    (field) => field.name !== '__proto__' && (depth < 5 || !field.optional),
  )
  const values = Object.fromEntries(
    usable.map((field) => [field.name, member(contract, field, depth)]),
  )
  const record = fc.record(values, {
    requiredKeys: usable.filter((field) => !field.optional).map((field) => field.name),
    noNullPrototype: true,
  })
  // A member may be called __proto__, which plain objects lose on the way.
  const odd = fields.find((field) => field.name === '__proto__')
  return odd === undefined
    ? record
    : fc.tuple(record, jsonValues(contract, odd.type, depth)).map(([value, member]) =>
        Object.defineProperty(value, '__proto__', {
          value: member,
          enumerable: true,
          writable: true,
          configurable: true,
        }),
      )
}

const decimals = fc.stringMatching(/^-?[1-9]\d{0,20}(\.\d{1,20})?$/)
const texts = new Map<string, Arbitrary<string>>()

/** Random texts, made once for each pair of limits: making them costs more than using them. */
function textsOf(least: number, most: number): Arbitrary<string> {
  const key = `${least} ${most}`
  const known =
    texts.get(key) ??
    fc.string({ unit: 'grapheme', minLength: least, maxLength: Math.max(least, most) })
  texts.set(key, known)
  return known
}

function scalars({ base, format, constraints }: ScalarType): Arbitrary<unknown> {
  const [least, most] = [
    Number(constraints?.minimum ?? constraints?.exclusiveMinimum ?? -1e6),
    Number(constraints?.maximum ?? constraints?.exclusiveMaximum ?? 1e6),
  ]
  switch (base) {
    case 'boolean':
      return fc.boolean()
    case 'text':
      return constraints?.patterns === undefined
        ? textsOf(constraints?.minLength ?? 0, Math.min(constraints?.maxLength ?? 8, 8))
        : fc.constantFrom('AB12', 'ab', 'A1', 'BKM-1')
    case 'int64':
      return fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n })
    case 'uint64':
      return fc.bigInt({ min: 0n, max: 2n ** 64n - 1n })
    case 'decimal':
      return decimals
    case 'bytes':
      return fc.uint8Array({ maxLength: 9 })
    case 'date':
      return fc.constantFrom('2026-11-23', '2024-02-29')
    case 'dateTime':
      return fc.constantFrom('2026-11-23T14:30:00Z', '2026-11-23T14:30:00.123+01:00')
    case 'time':
      return fc.constantFrom('14:30:00Z', '23:59:60Z')
    case 'duration':
      return fc.constantFrom('P1D', 'PT1.5S')
    case 'float':
    case 'double':
      return format === 'integer'
        ? fc.integer({ min: Math.ceil(least), max: Math.floor(most) })
        : fc
            .double({ min: least, max: most, noNaN: true })
            .map((each) => (Object.is(each, -0) ? 0 : each))
    default: {
      const [low, high] = {
        int8: [-128, 127],
        int16: [-32768, 32767],
        uint8: [0, 255],
        uint16: [0, 65535],
        uint32: [0, 4294967295],
      }[base as string] ?? [-2147483648, 2147483647]
      return fc.integer({ min: low ?? 0, max: high ?? 0 })
    }
  }
}

import { expect } from '@jest/globals'
import fc, { type Arbitrary } from 'fast-check'
import type { Choice, Contract, Field, ScalarType, Type } from '../../src/contract/contract.js'
import { alternativeDepth, leastDepth } from '../../src/contract/least-depth.js'
import { ExactNumber, fromPlain } from '../../src/contract/plain.js'
import {
  basesOf,
  directSubtypes,
  fieldsOf,
  namedType,
  resolve,
} from '../../src/contract/queries.js'

/** Values for the facets of the fixtures, worked by hand. */
const narrowedValues: Readonly<Record<string, readonly unknown[]>> = {
  'minimum 2026-04-01 exclusiveMaximum 2026-10-01': ['2026-04-01', '2026-09-30'],
  'maximum P14D': ['P14D', 'PT1H', '-P1M'],
  'maxLength 4 minLength 4': [new Uint8Array([1, 2, 3, 255])],
  'exclusiveMinimum 9007199254740993': [9007199254740994n, 9223372036854775807n],
  'patterns \\p{Lu}{2,4} A[^\\n\\r]* [^\\n\\r]*Z': ['AB', 'ÅZ', 'ABCD'],
  'maximum 9': [9, -2147483648],
  'patterns [0-9]{4}': ['0570'],
  'maxLength 10 patterns [0-9]{4}': ['0570', '9999'],
  'allowed 1 2 3 4': [
    [1, 2],
    [3, 4],
  ],
  'patterns [0-9]*[02468](?: [0-9]*[02468])*': [[2], [4, 18, 100]],
  'minimum 0 fractionDigits 2': ['0', '12.50', '100.00'],
}

/** From here on, values take the shortest way to an end. */
const deep = 3

/** Of types the one whose values end soonest. */
function soonest(model: Contract, types: readonly Type[]): Type[] {
  return [...types].sort((a, b) => leastDepth(model, a) - leastDepth(model, b)).slice(0, 1)
}

const text = (pattern: RegExp): Arbitrary<string> => fc.stringMatching(pattern)
const xmlText = fc
  .string({ unit: 'grapheme', maxLength: 12 })
  .filter((each) => !/[\u0000-\u001f\ufffe\uffff]|[\ud800-\udfff](?![\udc00-\udfff])/.test(each))
const whole = (least: bigint, most: bigint): Arbitrary<bigint> =>
  fc.bigInt({ min: least, max: most })
const small = (least: number, most: number): Arbitrary<number> =>
  fc.integer({ min: least, max: most })
const real = fc.double({ noDefaultInfinity: false }).map((each) => (Object.is(each, -0) ? 0 : each))
const date = fc
  .date({ min: new Date('0001-01-01'), max: new Date('9999-12-31'), noInvalidDate: true })
  .map((each) => each.toISOString().slice(0, 10))
const zone = fc.constantFrom('', 'Z', '+14:00', '-03:30')
const time = fc.constantFrom('00:00:00', '23:59:59.999999', '24:00:00', '12:30:00.5')
const narrowDecimals = text(/^[1-9]\d{0,3}(\.\d{1,3})?$/)
const someLetters = text(/^[a-z]{1,12}$/)
/** Random values of every built-in type, made once: making them costs more than using them. */
const scalars: Readonly<Record<string, Arbitrary<unknown>>> = {
  'xs:string': xmlText,
  'xs:anySimpleType': xmlText,
  'xs:normalizedString': xmlText,
  'xs:token': text(/^[a-zé]([ &<]?[a-z"']){0,5}$/),
  'xs:language': text(/^[a-z]{2}(-[A-Z]{2})?$/),
  'xs:Name': text(/^[:_a-z][\w.:-]{0,5}$/),
  'xs:NCName': text(/^[_a-z][\w.-]{0,5}$/),
  'xs:NMTOKEN': text(/^[\w.:-]{1,5}$/),
  'xs:IDREF': text(/^[_a-z]\w{0,5}$/),
  'xs:ID': text(/^[_a-z]\w{0,5}$/),
  'xs:anyURI': text(/^urn:[a-z]+:[a-z&?=]*$/),
  'xs:QName': text(/^(\{urn:[a-z]{1,3}\})?[a-z]{1,4}$/),
  'xs:boolean': fc.boolean(),
  'xs:decimal': text(/^-?\d{1,20}(\.\d{1,20})?$/),
  'xs:integer': whole(-(10n ** 30n), 10n ** 30n),
  'xs:nonPositiveInteger': whole(-(10n ** 20n), 0n),
  'xs:negativeInteger': whole(-(10n ** 20n), -1n),
  'xs:nonNegativeInteger': whole(0n, 10n ** 20n),
  'xs:positiveInteger': whole(1n, 10n ** 20n),
  'xs:long': whole(-(2n ** 63n), 2n ** 63n - 1n),
  'xs:unsignedLong': whole(0n, 2n ** 64n - 1n),
  'xs:int': small(-(2 ** 31), 2 ** 31 - 1),
  'xs:short': small(-32768, 32767),
  'xs:byte': small(-128, 127),
  'xs:unsignedInt': small(0, 2 ** 32 - 1),
  'xs:unsignedShort': small(0, 65535),
  'xs:unsignedByte': small(0, 255),
  'xs:float': real,
  'xs:double': real,
  'xs:duration': fc.constantFrom('P1D', '-P1Y2M3DT4H5M6.7S', 'PT0S'),
  'xs:date': fc.tuple(date, zone).map((each) => each.join('')),
  'xs:time': fc.tuple(time, zone).map((each) => each.join('')),
  'xs:dateTime': fc
    .tuple(date, time, zone)
    .map(([day, clock, offset]) => `${day}T${clock}${offset}`),
  'xs:gYearMonth': fc.constantFrom('2026-11', '-0044-03Z'),
  'xs:gYear': fc.constantFrom('2026', '12345'),
  'xs:gMonthDay': fc.constantFrom('--02-29', '--11-23Z'),
  'xs:gMonth': fc.constant('--11'),
  'xs:gDay': fc.constant('---31'),
  'xs:hexBinary': fc.uint8Array({ maxLength: 9 }),
  'xs:base64Binary': fc.uint8Array({ maxLength: 9 }),
}

/**
 * Random values of a type that satisfy the contract. Independent of the samples and of the codecs.
 */
export function valuesOf(model: Contract, type: Type, depth = 0): Arbitrary<unknown> {
  if (type.kind === 'reference') {
    const named = namedType(model, type.to)
    const subtypes = directSubtypes(model).get(type.to) ?? []
    if (named.kind !== 'record') return valuesOf(model, named, depth)
    const open = named.openExample === undefined ? {} : { $open: named.openExample }
    const own = recordValues(
      model,
      fieldsOf(model, named),
      [...basesOf(model, named), named].flatMap((each) => each.choices ?? []),
      depth + 1,
    ).map((value) => ({ ...value, ...open }))
    const tagged =
      named.base === undefined && subtypes.length === 0
        ? own
        : own.map((value) => ({ $is: named.name, ...value }))
    const references = subtypes.map((to): Type => ({ kind: 'reference', to }))
    const usable = depth > deep ? soonest(model, references) : references
    const choices = [
      ...(named.abstract === true ? [] : [tagged]),
      ...(depth > deep && named.abstract !== true ? [] : usable).map((each) =>
        valuesOf(model, each, depth),
      ),
    ]
    return fc.oneof(...choices)
  }
  switch (type.kind) {
    case 'list': {
      const known =
        narrowedValues[
          Object.entries(type.constraints ?? {})
            .flat(3)
            .join(' ')
        ]
      if (known !== undefined) return fc.constantFrom(...known)
      if (depth > 4 && (type.minItems ?? 0) === 0) return fc.constant([])
      const item =
        type.itemNullable === true
          ? fc.option(valuesOf(model, type.item, depth + 1), { nil: null })
          : valuesOf(model, type.item, depth + 1)
      return fc.array(item, {
        minLength: type.minItems ?? 0,
        maxLength: Math.min(type.maxItems ?? 3, 3),
      })
    }
    case 'enumeration':
      return fc.constantFrom(...type.members.map((member) => member.value))
    case 'fragment':
      return fc.oneof(
        fc.constantFrom('text', ' a<b '),
        fc.boolean(),
        fc.integer(),
        fc.double({ noNaN: true, noDefaultInfinity: true }).filter((each) => !Object.is(each, -0)),
        fc.bigInt({ min: -(2n ** 63n), max: 2n ** 63n - 1n }),
        fc.uint8Array({ maxLength: 4 }),
        fc.constantFrom(
          { $is: 'xs:date', $text: '2026-11-23' },
          { $is: 'xs:decimal', $text: '1.50' },
        ),
      )
    case 'union':
      return fc.oneof(...type.alternatives.map((each) => valuesOf(model, each, depth)))
    case 'scalar':
      break
    default:
      throw new Error(`no values for ${type.kind}`)
  }
  const { format, constraints } = type
  // What is narrowed further than its format has values that are known to fit.
  if (constraints?.allowed !== undefined)
    return fc.constantFrom(
      ...constraints.allowed.map((each) => fromPlain(model, type, new ExactNumber(each))),
    )
  const narrowed =
    constraints === undefined
      ? undefined
      : narrowedValues[Object.entries(constraints).flat(3).join(' ')]
  if (narrowed !== undefined) return fc.constantFrom(...narrowed)
  if (constraints?.minLength !== undefined && type.base === 'text') return someLetters
  if (constraints !== undefined && format === 'xs:decimal') return narrowDecimals
  return scalars[format] ?? fc.constant(undefined).map(() => expect(format).toBe('known'))
}

/** Random members, of which each choice allows them. */
export function recordValues(
  model: Contract,
  fields: readonly Field[],
  allChoices: readonly Choice[],
  depth: number,
): Arbitrary<Record<string, unknown>> {
  const members: Record<string, Arbitrary<unknown>> = {}
  const byName = new Map(fields.map((field) => [field.name, field]))
  const endOf = (each: Choice['alternatives'][number]): number =>
    alternativeDepth(each, byName, (type) => leastDepth(model, type))
  const choices =
    depth <= deep
      ? allChoices
      : allChoices.map((choice) => ({
          ...choice,
          alternatives: [...choice.alternatives]
            .sort((a, b) => endOf(a) - endOf(b))
            .slice(0, 1)
            .map(({ required }) => ({ required, fields: required })),
        }))
  // Recursion ends because what may be left out is, from some depth on.
  for (const field of fields.filter(
    (each) =>
      depth <= deep ||
      !each.optional ||
      choices.some(({ alternatives }) =>
        alternatives.some(({ required }) => required.includes(each.name)),
      ),
  )) {
    if (depth > deep && field.nullable) {
      members[field.name] = fc.constant(null)
      continue
    }
    const value =
      field.fixed === undefined
        ? valuesOf(model, field.type, depth)
        : fc.constant(
            resolve(model, field.type).kind === 'scalar' &&
              (resolve(model, field.type) as ScalarType).base === 'text'
              ? field.fixed
              : Number(field.fixed),
          )
    Object.defineProperty(members, field.name, {
      value: field.nullable ? fc.option(value, { nil: null, freq: 5 }) : value,
      enumerable: true,
    })
  }
  if (
    choices.some(({ alternatives }) => alternatives.some((each) => each.fields.includes('$open')))
  )
    members['$open'] = fc.constant({ elements: [{ name: '{urn:example}example' }] })
  // __proto__ would be lost on the way through plain objects.
  const record = (
    names: readonly string[],
    required: readonly string[],
  ): Arbitrary<Record<string, unknown>> =>
    fc.record(
      Object.fromEntries(
        Object.entries(members).filter(([name]) => name !== '__proto__' && names.includes(name)),
      ),
      {
        requiredKeys: required.filter(
          (name) => name !== '__proto__' && Object.hasOwn(members, name),
        ),
        noNullPrototype: true,
      },
    )
  const chosen = new Set(
    allChoices.flatMap(({ alternatives }) => alternatives.flatMap((each) => each.fields)),
  )
  const common = fields.filter((field) => !chosen.has(field.name))
  const ways = choices.map(({ alternatives, optional }) =>
    fc.oneof(
      ...(optional === true ? [fc.constant({})] : []),
      ...alternatives.map((each) => record(each.fields, each.required)),
    ),
  )
  return fc
    .tuple(
      record(
        common.map((field) => field.name),
        common.filter((field) => !field.optional).map((field) => field.name),
      ),
      ...ways,
    )
    .map((parts) => Object.assign({}, ...parts) as Record<string, unknown>)
}

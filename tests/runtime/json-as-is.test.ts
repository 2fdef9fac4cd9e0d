import fc from 'fast-check'
import { expect, test } from '@jest/globals'
import { asIsOf } from '../../src/runtime/http/json-as-is.js'
import { fromJson } from '../../src/runtime/http/json.js'
import type { AnyJsonCodec } from '../../src/runtime/http/json-codec.js'
import {
  anything,
  boolean,
  date,
  dateTime,
  decimal,
  double,
  int32,
  int64,
  integer,
  text,
  uint8,
} from '../../src/runtime/json/values.js'

const simple: fc.Arbitrary<AnyJsonCodec> = fc.constantFrom<AnyJsonCodec>(
  text,
  boolean,
  double,
  int32,
  uint8,
  integer,
  date,
  dateTime,
  anything,
  int64,
  decimal,
  { literals: ['a', 1, null] },
  { restricts: text, maxLength: 2 } as AnyJsonCodec,
  { restricts: int32, minimum: '0', maximum: '9' } as AnyJsonCodec,
)
const codecs = fc.letrec<{ codec: AnyJsonCodec }>((tie) => ({
  codec: fc.oneof(
    { maxDepth: 3, withCrossShrink: true },
    simple,
    fc.record({ items: tie('codec'), nullable: fc.boolean() }) as fc.Arbitrary<AnyJsonCodec>,
    fc.record({ values: tie('codec') }) as fc.Arbitrary<AnyJsonCodec>,
    fc.record({
      members: fc.dictionary(
        fc.constantFrom('a', 'b', 'constructor', '__proto__'),
        fc.record({
          is: tie('codec'),
          optional: fc.boolean(),
          nullable: fc.constantFrom(true, false),
        }),
      ),
      open: fc.constantFrom(true, false),
    }) as fc.Arbitrary<AnyJsonCodec>,
  ),
})).codec
const leaf = fc.oneof(
  fc.string({ maxLength: 3 }),
  fc.integer({ min: -5, max: 300 }),
  fc.double(),
  fc.boolean(),
  fc.constant(null),
  fc.constantFrom('2026-11-23', '2026-11-23T10:00:00Z', 2 ** 60, 1.5),
)
const jsons = fc.letrec<{ json: unknown }>((tie) => ({
  json: fc.oneof(
    { maxDepth: 3 },
    leaf,
    fc.array(tie('json'), { maxLength: 3 }),
    fc.dictionary(fc.constantFrom('a', 'b', 'c', 'constructor', '__proto__'), tie('json'), {
      maxKeys: 3,
    }),
  ),
})).json

/**
 * What reading finds where nothing is taken as it is: a name that is elsewhere switches that off,
 * at this level.
 */
function read(
  codec: AnyJsonCodec,
  json: unknown,
): { value: unknown; deviations: number } | 'breach' {
  let deviations = 0
  try {
    return {
      value: fromJson(codec, json, '', () => (deviations += 1), ['a name that nothing has']),
      deviations,
    }
  } catch {
    return 'breach'
  }
}

test('what is taken as it is would have been read as just that, without a deviation', () => {
  let taken = 0
  fc.assert(
    fc.property(codecs, jsons, (codec, raw) => {
      const json: unknown = JSON.parse(JSON.stringify(raw) ?? 'null')
      if (asIsOf(codec)?.(json) !== true) return
      taken += 1
      expect(read(codec, json)).toEqual({ value: json, deviations: 0 })
    }),
    { numRuns: 5000 },
  )
  // Often enough to mean something.
  expect(taken).toBeGreaterThan(150)
})

test("types that refer to themselves; numbers that a double can't hold; what is not in the contract", () => {
  const tree: AnyJsonCodec = {
    members: { name: { is: text }, inner: { is: { items: () => tree }, optional: true } },
  }
  const check = asIsOf(tree)
  expect([
    check?.({ name: 'a', inner: [{ name: 'b', inner: [] }] }),
    check?.({ name: 'a', inner: [{ name: 5 }] }),
    check?.({ name: 'a', more: 1 }),
    check?.({}),
    check?.(null),
  ]).toEqual([true, false, false, false, false])
  expect([
    asIsOf(integer as AnyJsonCodec)?.(2 ** 53),
    asIsOf(integer as AnyJsonCodec)?.(7),
  ]).toEqual([false, true])
  expect(asIsOf({ items: int64 as AnyJsonCodec })).toBeUndefined()
})

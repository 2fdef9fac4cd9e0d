import fc from 'fast-check'
import { expect, test } from '@jest/globals'
import { odd, straightOf } from '../../src/runtime/http/as-promised.js'
import { exactJson } from '../../src/runtime/json/exact-json.js'
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
  jsonText,
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
  // What is another value in JavaScript, often.
  int64,
  int64,
  decimal,
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

test('what is read straight would have been read as just that, without a deviation, and stays as it came', () => {
  let [taken, changed] = [0, 0]
  fc.assert(
    fc.property(codecs, jsons, fc.boolean(), (codec, raw, keepsDigits) => {
      const written = JSON.stringify(raw) ?? 'null'
      const json: unknown = keepsDigits ? exactJson(written) : JSON.parse(written)
      const before = jsonText(json)
      const value = straightOf(codec)?.(json) ?? odd
      if (value === odd) return
      taken += 1
      if (value !== json) changed += 1
      expect(read(codec, json)).toEqual({ value, deviations: 0 })
      expect(jsonText(json)).toBe(before)
    }),
    { numRuns: 8000 },
  )
  // Often enough to mean something.
  expect(taken).toBeGreaterThan(200)
  expect(changed).toBeGreaterThan(20)
})

test("types that refer to themselves; numbers that a double can't hold; what is not in the contract", () => {
  const tree: AnyJsonCodec = {
    members: {
      name: { is: text },
      inner: { is: { items: () => tree }, optional: true },
      count: { is: int64 as AnyJsonCodec, optional: true },
    },
  }
  const straight = straightOf(tree)
  const whole = { name: 'a', inner: [{ name: 'b', inner: [] }] }
  expect(straight?.(whole)).toBe(whole)
  const counted = { name: 'a', inner: [{ name: 'b', count: 5 }, { name: 'c' }] }
  expect(straight?.(counted)).toEqual({
    name: 'a',
    inner: [{ name: 'b', count: 5n }, { name: 'c' }],
  })
  expect(counted.inner[0]?.count).toBe(5)
  for (const wrong of [
    { name: 'a', inner: [{ name: 5 }] },
    { name: 'a', more: 1 },
    { name: 'a', count: 'many' },
    {},
    null,
  ])
    expect(straight?.(wrong)).toBe(odd)
  expect([
    straightOf(integer as AnyJsonCodec)?.(2 ** 53),
    straightOf(integer as AnyJsonCodec)?.(7),
  ]).toEqual([odd, 7])
  expect(straightOf({ oneOf: [text as AnyJsonCodec] })).toBeUndefined()
})

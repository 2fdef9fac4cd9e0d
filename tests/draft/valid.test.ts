import { expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { breaches, described, recorded } from '../support/drafting.js'

/** Names that turn up again and again, some of which tell something, and some that are keys. */
const names = fc.constantFrom(
  'a',
  'b',
  'c',
  'type',
  'kind',
  'items',
  'value',
  '17',
  '18',
  '19',
  '',
  '$ref',
)
const leaves = fc.oneof(
  fc.constantFrom(null, true, false, 0, 1, -7, 1.5, 2 ** 53, 1e21, 1e-9),
  fc.constantFrom(
    '',
    'x',
    'rising',
    'falling',
    '2027-07-15',
    '2027-07-15T06:00:00Z',
    '12.50',
    '007',
    'true',
  ),
  fc.string({ maxLength: 5 }),
)
const { value } = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 4, withCrossShrink: true },
    leaves,
    fc.array(tie('value'), { maxLength: 4 }),
    fc.dictionary(names, tie('value'), { maxKeys: 5 }),
  ),
}))

test('whatever was recorded is valid by what is drafted from it', () => {
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.constantFrom('/things', '/things/17', '/others'), value), {
        minLength: 1,
        maxLength: 8,
      }),
      (answers) => {
        const recordings = answers.map(([path, answer]) =>
          recorded('GET', path, JSON.stringify(answer)),
        )
        expect(breaches(described(recordings).plain, recordings)).toEqual([])
      },
    ),
    { numRuns: 200 },
  )
})

/** A random shape, and a way to make values of it. */
interface Shape {
  readonly make: fc.Arbitrary<unknown>
}
const scalarShapes: readonly fc.Arbitrary<unknown>[] = [
  fc.integer({ min: -1000, max: 1000 }),
  fc.boolean(),
  fc.constantFrom('2027-07-15', '2027-07-16', '2028-02-29'),
  fc.constantFrom('rising', 'falling', 'slack'),
  fc.double({ min: 0, max: 10, noNaN: true }).map((each) => Math.round(each * 100) / 100 + 0.005),
  fc.uuid(),
  fc.string({ minLength: 1, maxLength: 12 }),
]
const shape: fc.Memo<Shape> = fc.memo((depth): fc.Arbitrary<Shape> => {
  const scalar = fc.constantFrom(...scalarShapes).map((make): Shape => ({ make }))
  if (depth <= 1) return scalar
  const record = fc
    .uniqueArray(fc.tuple(fc.constantFrom(...'pqrstuvw'), shape(depth - 1), fc.boolean()), {
      selector: ([name]) => name,
      minLength: 2,
      maxLength: 6,
    })
    .map((members): Shape => ({
      make: fc.record(Object.fromEntries(members.map(([name, { make }]) => [name, make])), {
        requiredKeys: members.filter(([, , isRequired]) => isRequired).map(([name]) => name),
      }),
    }))
  const list = shape(depth - 1).map(({ make }): Shape => ({
    make: fc.array(make, { maxLength: 4 }),
  }))
  return fc.oneof(scalar, record, list)
})

test('of a random shape fifty answers are enough for nine of ten further ones', () => {
  const shares: number[] = []
  fc.assert(
    fc.property(shape(3), fc.integer(), ({ make }, seed) => {
      const all = fc
        .sample(make, { numRuns: 100, seed })
        .map((each) => recorded('GET', '/things', { it: each }))
      const [known, further] = [all.slice(0, 50), all.slice(50)]
      const { plain } = described(known)
      expect(breaches(plain, known)).toEqual([])
      shares.push(1 - breaches(plain, further).length / further.length)
    }),
    { numRuns: 30 },
  )
  shares.sort((one, other) => one - other)
  expect(shares[Math.floor(shares.length / 10)]).toBeGreaterThanOrEqual(0.9)
})

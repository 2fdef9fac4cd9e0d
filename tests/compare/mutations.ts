import { describe, expect, test } from '@jest/globals'
import { Problem } from '../../src/contract/problem.js'
import { codeDisagreements, saidOfCalls, WireJudge } from '../support/judging.js'
import { mutatedDocument } from '../support/mutated-documents.js'
import { editionOf, fixtureText, pairOf, type Pair } from '../support/pairs.js'
import { freshFolder } from '../support/program.js'
import { pickFrom } from '../support/varied.js'
import { beyondTheStandIn } from './pairs.js'

/** Others than last time with SEED. */
const seed = Number(process.env['SEED'] ?? 1)
/** What is said besides to break, and that the stand-in does not show. */
const beyond: (typeof beyondTheStandIn)['quay.xml'] = [
  [/\bRefusal\b/, 'faults are answered to nobody who calls as he should'],
  [/^Bookings\.update: .* is new, and required/, 'a change need not have everything'],
]
/** The compiler takes so many at a time. */
const atOnce = 175

/**
 * Changes a description at random, so often, and asks both judges of every change.
 *
 * @param file one of tests/fixtures/compare
 */
export function judgeMutations(file: keyof typeof beyondTheStandIn, count: number): void {
  describe(`${file}, changed at random`, () => {
    const pairs: Pair[] = []
    test("every verdict on code is the compiler's", async () => {
      const text = await fixtureText(file)
      const base = await editionOf(file, text)
      for (let at = 0; pairs.length < count; at += 1) {
        const changed = mutatedDocument(file, text, pickFrom(seed * 100_003 + at))
        const after = await editionOf(file, changed, base.names).catch((error: unknown) => {
          // What is no description any more has nothing to compare.
          if (error instanceof Problem) return undefined
          throw error
        })
        if (after !== undefined) pairs.push(pairOf(`change ${String(at)}`, base, after))
      }
      const wrong: string[] = []
      for (let at = 0; at < pairs.length; at += atOnce)
        wrong.push(...(await codeDisagreements(await freshFolder(), pairs.slice(at, at + atOnce))))
      expect(wrong).toEqual([])
    }, 900_000)

    test('no call fails or deviates of which nothing is said, and what is said to break does', async () => {
      const judge = new WireJudge(await freshFolder(), 4, 10)
      const wrong: string[] = []
      for (const pair of pairs) {
        const found = await judge.troubles(pair)
        const said = saidOfCalls(pair)
        for (const [path, troubles] of found)
          if (!said.has(path))
            wrong.push(`${pair.name}: ${path}: not foreseen: ${troubles[0] ?? ''}`)
        for (const [path, changes] of said) {
          const surely = changes.filter(({ calls }) => calls.verdict === 'break')
          const isSeen = surely.some(
            ({ text }) =>
              ![...beyond, ...beyondTheStandIn[file]].some(([each]) =>
                each.test(`${path}: ${text}`),
              ),
          )
          if (isSeen && !found.has(path))
            wrong.push(
              `${pair.name}: ${path}: nothing happens: ${surely.map(({ text }) => text).join('; ')}`,
            )
        }
      }
      expect(wrong).toEqual([])
    }, 900_000)
  })
}

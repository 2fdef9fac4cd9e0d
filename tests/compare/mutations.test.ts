import { describe, expect, test } from '@jest/globals'
import { Problem } from '../../src/contract/problem.js'
import { codeDisagreements, saidOfCalls, WireJudge } from '../support/judging.js'
import { mutatedDocument } from '../support/mutated-documents.js'
import { editionOf, fixtureText, pairOf, type Pair } from '../support/pairs.js'
import { freshFolder } from '../support/program.js'
import { pickFrom } from '../support/varied.js'
import { beyondTheStandIn } from './pairs.js'

/** Descriptions are changed at random, so many of each: others than last time with SEED. */
const counts = { 'quay.yaml': 120, 'quay.wsdl': 120, 'quay.xml': 120 } as const
const seed = Number(process.env['SEED'] ?? 1)
/** What is said besides to break, and that the stand-in does not show. */
const beyond: (typeof beyondTheStandIn)['quay.xml'] = [
  [/\bRefusal\b/, 'faults are answered to nobody who calls as he should'],
  [/^Bookings\.update: .* is new, and required/, 'a change need not have everything'],
]
/** The compiler takes so many at a time. */
const atOnce = 175

describe.each(Object.keys(counts) as (keyof typeof counts)[])('%s, changed at random', (file) => {
  const pairs: Pair[] = []
  test("every verdict on code is the compiler's", async () => {
    const text = await fixtureText(file)
    const base = await editionOf(file, text)
    for (let at = 0; pairs.length < counts[file]; at += 1) {
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
  }, 300_000)

  test('no call fails or deviates of which nothing is said, and what is said to break does', async () => {
    const judge = new WireJudge(await freshFolder(), 6)
    const wrong: string[] = []
    for (const pair of pairs) {
      const found = await judge.troubles(pair)
      const said = saidOfCalls(pair)
      for (const [path, troubles] of found)
        if (!said.has(path)) wrong.push(`${pair.name}: ${path}: not foreseen: ${troubles[0] ?? ''}`)
      for (const [path, changes] of said) {
        const surely = changes.filter(({ calls }) => calls.verdict === 'break')
        const isSeen = surely.some(
          ({ text }) =>
            ![...beyond, ...beyondTheStandIn[file]].some(([each]) => each.test(`${path}: ${text}`)),
        )
        if (isSeen && !found.has(path))
          wrong.push(
            `${pair.name}: ${path}: nothing happens: ${surely.map(({ text }) => text).join('; ')}`,
          )
      }
    }
    expect(wrong).toEqual([])
  }, 600_000)
})

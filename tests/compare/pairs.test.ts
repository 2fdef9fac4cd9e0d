import { beforeAll, describe, expect, test } from '@jest/globals'
import { codeDisagreements, saidOfCalls, WireJudge } from '../support/judging.js'
import { editionOf, fixtureText, pairOf, type Pair } from '../support/pairs.js'
import { freshFolder } from '../support/program.js'
import { beyondTheStandIn, edited, edits } from './pairs.js'

/** So many inputs and answers at random for every operation, and for those that wait for something. */
const [rounds, more] = [10, 60]

describe.each(Object.keys(edits) as (keyof typeof edits)[])('%s', (file) => {
  const pairs: Pair[] = []
  beforeAll(async () => {
    const text = await fixtureText(file)
    const base = await editionOf(file, text)
    for (const edit of edits[file]) {
      const changed = edited(text, edit)
      expect([edit[0], changed]).not.toEqual([edit[0], text])
      const after = await editionOf(file, changed, base.names)
      pairs.push(pairOf(`${edit[0]}: as it is to another`, base, after))
      const other = await editionOf(file, changed)
      pairs.push(pairOf(`${edit[0]}: back`, other, await editionOf(file, text, other.names)))
    }
  })

  test('the compiler fails what is said to break in code, and nothing else', async () => {
    expect(await codeDisagreements(await freshFolder(), pairs)).toEqual([])
  })

  test('calls fail or deviate where that is said, and nowhere else', async () => {
    const judge = new WireJudge(await freshFolder(), rounds, more)
    const wrong: string[] = []
    const unused = new Set(beyondTheStandIn[file])
    const isBeyond = (texts: readonly string[]): boolean =>
      texts.every((text) =>
        beyondTheStandIn[file].some((each) => each[0].test(text) && (unused.delete(each) || true)),
      )
    for (const pair of pairs) {
      const found = await judge.troubles(pair)
      const said = saidOfCalls(pair)
      for (const [path, troubles] of found)
        if (!said.has(path)) wrong.push(`${pair.name}: ${path}: not foreseen: ${troubles[0] ?? ''}`)
      for (const [path, changes] of said) {
        const texts = changes.map(({ text }) => text)
        if (!found.has(path) && !isBeyond(texts))
          wrong.push(`${pair.name}: ${path}: nothing happens: ${texts.join('; ')}`)
      }
    }
    expect(wrong).toEqual([])
    expect([...unused]).toEqual([])
  }, 600_000)
})

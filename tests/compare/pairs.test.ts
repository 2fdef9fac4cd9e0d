import { beforeAll, describe, expect, test } from '@jest/globals'
import type { Change } from '../../src/compare/change.js'
import { addTo } from '../../src/contract/lists.js'
import {
  brokenLines,
  editionOf,
  fixtureText,
  pairOf,
  type Edition,
  type Pair,
} from '../support/pairs.js'
import { freshFolder } from '../support/program.js'
import { bundled, callsAgainst } from '../support/wire.js'
import { beyondTheStandIn, edited, edits } from './pairs.js'

/** So many inputs and answers at random for every operation. */
const rounds = 40

describe.each(Object.keys(edits) as (keyof typeof edits)[])('%s', (file) => {
  const pairs: Pair[] = []
  beforeAll(async () => {
    const text = await fixtureText(file)
    const base = await editionOf(file, text)
    for (const edit of edits[file]) {
      const changed = edited(text, edit)
      pairs.push(
        pairOf(`${edit[0]}: as it is to another`, base, await editionOf(file, changed, base.names)),
      )
      const other = await editionOf(file, changed)
      pairs.push(pairOf(`${edit[0]}: back`, other, await editionOf(file, text, other.names)))
    }
  })

  test('the compiler fails what is said to break in code, and nothing else', async () => {
    const broken = await brokenLines(await freshFolder(), pairs)
    const wrong = pairs.flatMap(({ name, changes }, at) => {
      const lines = broken[at] ?? []
      const unexplained = lines
        .filter(
          ({ uses }) =>
            !changes.some((change) => change.code.verdict !== 'fine' && touches(change, uses)),
        )
        .map(({ text, said }) => `${name}: not foreseen: ${text}\n    ${said}`)
      const untrue = changes
        .filter(
          (change) =>
            change.code.verdict === 'break' && !lines.some(({ uses }) => touches(change, uses)),
        )
        .map(({ text }) => `${name}: compiles all the same: ${text}`)
      return [...unexplained, ...untrue]
    })
    expect(wrong).toEqual([])
  })

  test('calls fail or deviate where that is said, and nowhere else', async () => {
    const folder = await freshFolder()
    const wrong: string[] = []
    const atHome = new Map<Edition, Awaited<ReturnType<typeof callsAgainst>>>()
    const clients = new Map<Edition, string>()
    const unused = new Set(beyondTheStandIn[file])
    const isBeyond = (texts: readonly string[]): boolean =>
      texts.every((text) =>
        beyondTheStandIn[file].some((each) => each[0].test(text) && (unused.delete(each) || true)),
      )
    for (const { name, before, after, changes } of pairs) {
      const client = clients.get(before) ?? (await bundled(folder, before))
      clients.set(before, client)
      // What the stand-in does not play fails at home, too.
      const usual = atHome.get(before) ?? (await callsAgainst(client, before, before, rounds))
      atHome.set(before, usual)
      expect(
        [...usual.values()]
          .flatMap((each) => [...each])
          .filter((each) => !/not played here/.test(each)),
      ).toEqual([])
      const found = withoutUsual(await callsAgainst(client, before, after, rounds), usual)
      const said = new Map<string, string[]>()
      for (const change of changes)
        if (change.calls.verdict !== 'fine')
          for (const path of change.callers) addTo(said, path, change.text)
      for (const [path, troubles] of found)
        if (!said.has(path)) wrong.push(`${name}: ${path}: not foreseen: ${troubles[0] ?? ''}`)
      for (const [path, texts] of said)
        if (!found.has(path) && !isBeyond(texts))
          wrong.push(`${name}: ${path}: nothing happens: ${texts.join('; ')}`)
    }
    expect(wrong).toEqual([])
    expect([...unused]).toEqual([])
  }, 300_000)
})

/** Does a change say something of what a line uses: of the member itself, or of the whole? */
function touches({ names }: Change, uses: readonly string[]): boolean {
  return names.some(({ name, member }) =>
    member === undefined
      ? uses.some((use) => use === name || use.startsWith(`${name}.`))
      : uses.includes(`${name}.${member}`) || uses.includes(name),
  )
}

function withoutUsual(
  found: ReadonlyMap<string, ReadonlySet<string>>,
  usual: ReadonlyMap<string, ReadonlySet<string>>,
): Map<string, string[]> {
  return new Map(
    [...found].flatMap(([path, troubles]) => {
      const own = [...troubles].filter((each) => usual.get(path)?.has(each) !== true)
      return own.length === 0 ? [] : [[path, own] as const]
    }),
  )
}

import { cp, mkdir, readdir, readFile, writeFile } from 'node:fs/promises'
import { join, relative } from 'node:path'
import { pathToFileURL } from 'node:url'
import { expect, test } from '@jest/globals'
import { demoWsdl, freshFolder, repository, tolmach } from '../support/program.js'

/** Everything in a folder, by path, but for what changes with the time. */
async function stateOf(folder: string): Promise<Record<string, string>> {
  const entries = (await readdir(folder, { recursive: true, withFileTypes: true })).filter((each) =>
    each.isFile(),
  )
  const texts = await Promise.all(
    entries.map(
      async (each) =>
        [
          relative(folder, join(each.parentPath, each.name)),
          (await readFile(join(each.parentPath, each.name), 'utf8')).replace(
            /"taken": "[^"]*"|"startedDateTime": "[^"]*"|"(?:time|wait)": \d+|\d{4}-\d\d-\d\dT[\d:.]+Z/g,
            '',
          ),
        ] as const,
    ),
  )
  return Object.fromEntries(texts.sort(([a], [b]) => (a < b ? -1 : 1)))
}

const killAt = pathToFileURL(join(repository, 'tests/support/kill-at.mjs')).href

test('a kill at any change of a file, 200 in all, leaves what was or what is new: the next command sees to it', async () => {
  const empty = await freshFolder()
  const imported = await freshFolder()
  await cp(join(repository, 'demo/berths'), join(imported, 'metadata'), { recursive: true })
  await cp(join(repository, 'demo/berths'), join(empty, 'metadata'), { recursive: true })
  expect((await tolmach(imported, ['import', 'metadata/desk.wsdl', '--as', 'berths'])).code).toBe(0)
  const generated = await freshFolder()
  await cp(imported, generated, { recursive: true })
  expect((await tolmach(generated, ['generate'])).code).toBe(0)
  const changed = await freshFolder()
  await cp(generated, changed, { recursive: true })
  await writeFile(
    join(changed, 'tolmach.yaml'),
    `${await readFile(join(changed, 'tolmach.yaml'), 'utf8')}    importSuffix: .ts\n`,
  )
  await writeFile(join(changed, 'src/clients/berths/mine.md'), 'mine')
  const renewed = await freshFolder()
  await cp(imported, renewed, { recursive: true })
  await writeFile(
    join(renewed, 'metadata/desk.wsdl'),
    (await readFile(demoWsdl, 'utf8')).replace('One berth, by its code on the quay.', 'A berth.'),
  )
  const lines: readonly (readonly [words: string, from: string])[] = [
    ['import metadata/desk.wsdl --as berths', empty],
    ['import metadata/desk.wsdl --as berths --overwrite', renewed],
    ['import metadata/desk.wsdl --as second', imported],
    ['generate', imported],
    ['generate', changed],
    ['diagram berths --around Vessel --view ships', imported],
    ['diagram berths model.svg', imported],
    ['show berths --save page.html', imported],
    ['sample berths reserveBerth --save input.json', imported],
  ]
  let kills = 0
  for (const [words, from] of lines) {
    const copy = async (): Promise<string> => {
      const folder = join(await freshFolder(), 'project')
      await mkdir(folder)
      await cp(from, folder, { recursive: true })
      return folder
    }
    const run = (folder: string, at: number): ReturnType<typeof tolmach> =>
      tolmach(folder, words.split(' '), {
        env: { NODE_OPTIONS: `--import ${killAt}`, KILL_AT: String(at) },
      })
    const whole = await copy()
    const ran = await run(whole, 0)
    expect([words, ran.code]).toEqual([words, 0])
    const [old, fresh] = [await stateOf(from), await stateOf(whole)]
    const count = Number(/(\d+) changes/.exec(ran.stderr)?.[1])
    // Of a client's many files each is like the one before.
    const moments = Array.from({ length: count }, (_, at) => at + 1).filter(
      (at) => count < 45 || at < 12 || at > count - 16 || at % 4 === 0,
    )
    const seen = { old: 0, new: 0 }
    for (let start = 0; start < moments.length; start += 4) {
      await Promise.all(
        moments.slice(start, start + 4).map(async (at) => {
          const folder = await copy()
          expect((await run(folder, at)).code).not.toBe(0)
          kills += 1
          await tolmach(folder, ['list', '--quiet'])
          const state = await stateOf(folder)
          // What is left of work that was broken off lies where version control does not look, or
          // is a file aside whose name says so.
          for (const path of Object.keys(state))
            if (path.startsWith('.tolmach') || /(?:^|\/)\.[^/]+\.[0-9a-f]{8}\.new$/.test(path))
              Reflect.deleteProperty(state, path)
          const isNew = JSON.stringify(state) === JSON.stringify(fresh)
          if (!isNew) expect({ words, at, state }).toEqual({ words, at, state: old })
          seen[isNew ? 'new' : 'old'] += 1
        }),
      )
    }
    expect([words, seen.old > 0]).toEqual([words, true])
  }
  expect(kills).toBeGreaterThanOrEqual(200)
})

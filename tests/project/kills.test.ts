import { cp, readdir, readFile, writeFile } from 'node:fs/promises'
import { join, relative } from 'node:path'
import { pathToFileURL } from 'node:url'
import { isDeepStrictEqual } from 'node:util'
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

const changes = pathToFileURL(join(repository, 'tests/support/changes-of-files.mjs')).href

/** A copy of a project, in a folder of its own. */
async function copyOf(project: string): Promise<string> {
  const folder = join(await freshFolder(), 'project')
  await cp(project, folder, { recursive: true })
  return folder
}

/** What the next command makes of a project in which one was killed. */
async function stateAfterKill(folder: string): Promise<Record<string, string>> {
  await tolmach(folder, ['list', '--quiet'])
  const state = await stateOf(folder)
  // What is left of work that was broken off lies where version control does not look, or is a
  // file aside whose name says so.
  const left = /^\.tolmach|(?:^|\/)\.[^/]+\.[0-9a-f]{8}\.new$/
  return Object.fromEntries(Object.entries(state).filter(([path]) => !left.test(path)))
}

test('a kill at any change of a file, more than 200 in all, leaves what was or what is new: the next command sees to it', async () => {
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
    const run = (folder: string, env: Record<string, string>): ReturnType<typeof tolmach> =>
      tolmach(folder, words.split(' '), { env: { NODE_OPTIONS: `--import ${changes}`, ...env } })
    const [whole, snapshots] = [await copyOf(from), await freshFolder()]
    expect([words, (await run(whole, { SNAPSHOTS: snapshots })).code]).toEqual([words, 0])
    const [old, fresh] = [await stateOf(from), await stateOf(whole)]
    const count = (await readdir(snapshots)).length
    // Of a client's many files each is like the one before.
    const moments = Array.from({ length: count }, (_, at) => String(at + 1)).filter(
      (at) => count < 45 || Number(at) < 12 || Number(at) > count - 16 || Number(at) % 4 === 0,
    )
    const killed = await copyOf(from)
    const middle = String(Math.ceil(count / 2))
    expect([words, (await run(killed, { KILL_AT: middle })).code]).toEqual([words, -1])
    let remained = 0
    for (const folder of [...moments.map((at) => join(snapshots, at)), killed]) {
      kills += 1
      const state = await stateAfterKill(folder)
      if (isDeepStrictEqual(state, fresh)) continue
      expect({ words, folder, state }).toEqual({ words, folder, state: old })
      remained += 1
    }
    expect([words, remained > 0]).toEqual([words, true])
  }
  expect(kills).toBeGreaterThanOrEqual(200)
})

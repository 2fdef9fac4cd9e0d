import { cp, readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { serveContracts, type Served } from '../../src/app/serve-contracts.js'
import { freshFolder, repository, tolmach } from '../support/program.js'

/**
 * What people see, whole: each file of `tests/outputs` begins with a command line and shows what
 * comes of it, in a terminal of 100 columns, of as many as its name ends in (`call.80.txt`), or in a
 * pipe (`call.pipe.txt`). `npm run outputs` writes them anew, to be read in review.
 */
const outputs = join(repository, 'tests/outputs')
const demo = join(repository, 'demo')
const documents = {
  berths: 'berths/desk.wsdl',
  ferries: 'ferries/openapi.yaml',
  registry: 'registry/registry.xml',
}
const names = (await readdir(outputs)).map((file) => file.replace(/\.txt$/, ''))

/** Words that stand for what differs from run to run. */
let places: ReadonlyMap<string, string>
let project: string
const standIns: Served[] = []

beforeAll(async () => {
  project = await freshFolder()
  const found = new Map<string, string>()
  // In the project, so that what is shown is as long wherever the repository lies.
  await cp(demo, join(project, 'demo'), { recursive: true })
  for (const [name, document] of Object.entries(documents)) {
    const path = join('demo', document)
    await tolmach(project, ['import', path, '--as', name, '--quiet'])
    const standIn = await serveContracts([join(demo, document)], {
      seed: join(demo, name, 'seed.yaml'),
    })
    standIns.push(standIn)
    found.set(`$${name}`, standIn.addresses[0]?.service.replace(/\/$/, '') ?? '')
  }
  places = found
})
afterAll(() => Promise.all(standIns.map((each) => each.stop())))

/** A text with what stands in the place of its words, or the other way round. */
function replaced(text: string, pairs: Iterable<readonly [string, string]>): string {
  return [...pairs].reduce((made, [from, to]) => made.replaceAll(from, to), text)
}

/** A folder whose path is as long everywhere: lines are broken by its length. */
async function folderOfLength(length: number): Promise<string> {
  const fresh = await freshFolder()
  return join(fresh, 'quay'.padEnd(length - fresh.length - 1, '-'))
}

async function outputOf(line: string, width: string): Promise<string> {
  const folder = await folderOfLength(90)
  await cp(project, folder, { recursive: true })
  const words = replaced(line, places).split(' ').slice(2)
  const env = { COLUMNS: width === 'pipe' ? '' : width }
  const { code, stdout, stderr } = await tolmach(folder, words, { env })
  const known = [...places].map(([word, place]) => [place, word] as const)
  const told = replaced(
    [line, stdout, ...(stderr === '' ? [] : ['(standard error)', stderr])].join('\n'),
    [[folder, '$project'], ...known],
  )
  return `${told}(exit code ${String(code)})\n`
    .replace(/\b\d+ ms\b/g, '0 ms')
    .replace(/"milliseconds": \d+/g, '"milliseconds": 0')
    .replace(/^date: .*$/gm, 'date: …')
    .replace(/"date": "[^"]*"/g, '"date": "…"')
}

describe('what people see', () => {
  test.each(names)('%s', async (name) => {
    const file = join(outputs, `${name}.txt`)
    const reviewed = await readFile(file, 'utf8')
    const [, width = '100'] = /\.(\d+|pipe)$/.exec(name) ?? []
    const shown = await outputOf(reviewed.split('\n')[0] ?? '', width)
    if (process.env['WRITE_OUTPUTS'] === '1') await writeFile(file, shown)
    else expect(shown).toBe(reviewed)
  })
})

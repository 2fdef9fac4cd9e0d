import { execFile } from 'node:child_process'
import { access, readdir, readFile, stat, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { beforeAll, expect, test } from '@jest/globals'
import { demoWsdl, freshFolder, repository } from '../support/program.js'

const execute = promisify(execFile)

let archive: string
/** A folder where it is a package that programs are developed with. */
let folder: string

const run = async (cwd: string, line: string): Promise<string> =>
  (await execute(line, { cwd, shell: true, env: { ...process.env, NO_COLOR: '1' } })).stdout

beforeAll(async () => {
  const packed = await freshFolder()
  // What is built is there already.
  const pack = `npm pack --silent --ignore-scripts --pack-destination ${packed}`
  archive = join(packed, (await run(repository, pack)).trim())
  folder = await freshFolder()
  await writeFile(
    join(folder, 'package.json'),
    '{"type":"module","scripts":{"clients":"tolmach generate"}}',
  )
  await run(folder, `npm install --save-dev --prefer-offline --no-audit --no-fund ${archive}`)
}, 300_000)

async function files(path: string): Promise<string[]> {
  const entries = await readdir(path, { recursive: true, withFileTypes: true })
  return entries
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
}

test('installed it takes less than 40 MB, with nothing of it that is not needed to run', async () => {
  const all = await files(join(folder, 'node_modules'))
  const facts = await Promise.all(all.map((each) => stat(each)))
  // A file that has two names takes its place once.
  const sizes = new Map(facts.map(({ ino, size }) => [ino, size]))
  expect([...sizes.values()].reduce((sum, size) => sum + size, 0)).toBeLessThan(40e6)
  const own = all.filter((each) => each.includes('/node_modules/tolmach/'))
  expect(own.filter((each) => /\.map$|\/tests\/|\.tsbuildinfo$|\/dist\/cli\//.test(each))).toEqual(
    [],
  )
})

test('the images and pages that its README links to are there', async () => {
  const at = join(folder, 'node_modules/tolmach')
  const readme = await readFile(join(at, 'README.md'), 'utf8')
  const links = [...readme.matchAll(/\]\((?!https?:|#)([^)#]+)/g)].map(([, path]) => path ?? '')
  expect(links.filter((each) => each.endsWith('.png')).length).toBeGreaterThan(5)
  for (const link of links) await expect(access(join(at, link))).resolves.toBeUndefined()
})

test('as a package with a script, by npx, and globally: metadata to client, pictures in every format', async () => {
  await run(folder, `npx tolmach import ${demoWsdl} --as desk --only getBerth`)
  expect(await run(folder, 'npm run --silent clients')).toContain('1 operation')
  for (const name of ['d.svg', 'd.png', 'd.pdf', 'd.html'])
    await run(folder, `npx tolmach diagram desk ${name}`)
  expect((await readFile(join(folder, 'd.pdf'))).subarray(0, 5).toString()).toBe('%PDF-')
  await writeFile(
    join(folder, 'list.js'),
    `import { listContracts } from 'tolmach'
     console.log((await listContracts()).map(({ contract, client }) => contract + ' ' + client))`,
  )
  expect(await run(folder, 'node list.js')).toContain("'desk current'")
  const prefix = await freshFolder()
  await run(
    prefix,
    `npm install --global --prefix ${prefix} --prefer-offline --no-audit --no-fund ${archive}`,
  )
  expect(await run(folder, `${join(prefix, 'bin/tolmach')} list`)).toContain('desk')
}, 120_000)

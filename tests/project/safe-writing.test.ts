import { fork } from 'node:child_process'
import { chmod, mkdir, readdir, readFile, rename, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { parse } from 'yaml'
import { textDigest } from '../../src/contract/digest.js'
import { validProjectText, writeContractEntry } from '../../src/project/project-file.js'
import { replaceFolder, restoreFolder } from '../../src/project/safe-writing.js'
import { demoWsdl, freshFolder, repository, tolmach } from '../support/program.js'

describe('a folder is replaced as a whole', () => {
  test('the old contents go, those to keep stay, nothing is left beside', async () => {
    const base = await freshFolder()
    const folder = join(base, 'client')
    await replaceFolder(folder, { 'a.ts': '1', 'sub/b.ts': '2' })
    await writeFile(join(folder, 'mine.md'), 'mine')
    await replaceFolder(folder, { 'c.ts': '3' }, ['mine.md'])
    expect((await readdir(folder)).sort()).toEqual(['c.ts', 'mine.md'])
    expect(await readdir(base)).toEqual(['client'])
  })

  test('a swap that was cut short between its two renames is undone', async () => {
    const base = await freshFolder()
    const folder = join(base, 'client')
    await replaceFolder(folder, { 'a.ts': '1' })
    await rename(folder, join(base, '.client.previous'))
    await restoreFolder(folder)
    expect(await readFile(join(folder, 'a.ts'), 'utf8')).toBe('1')
  })

  test('what can\'t be written is told, and the old contents are still there', async () => {
    const base = await freshFolder()
    await writeFile(join(base, 'file'), 'x')
    await expect(replaceFolder(join(base, 'file', 'client'), { 'a.ts': '1' })).rejects.toMatchObject({ code: 'TM-1008' })
    expect(await readFile(join(base, 'file'), 'utf8')).toBe('x')
  })

  test('killing generate at random moments, 50 times, leaves the old client or the new one, whole', async () => {
    const folder = await freshFolder()
    const client = join(folder, 'src/clients/berths')
    await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
    const started = Date.now()
    expect((await tolmach(folder, ['generate'])).code).toBe(0)
    const whole = Date.now() - started
    const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
    const outcomes = { old: 0, new: 0 }
    for (let round = 0; round < 50; round += 1) {
      const suffix = round % 2 === 0 ? '.ts' : ''
      await writeFile(join(folder, 'tolmach.yaml'), project + (suffix === '' ? '' : `    importSuffix: "${suffix}"\n`))
      const before = JSON.parse(await readFile(join(client, 'manifest.json'), 'utf8')) as { inputs: string }
      const child = fork(join(repository, 'dist/bin/main.js'), ['generate', '--quiet'], { cwd: folder, silent: true, env: { ...process.env, NODE_OPTIONS: '' } })
      const ended = new Promise((done) => child.on('exit', done))
      setTimeout(() => child.kill('SIGKILL'), whole * (0.4 + Math.random() * 0.8))
      await ended
      await restoreFolder(client)
      const manifest = JSON.parse(await readFile(join(client, 'manifest.json'), 'utf8')) as { inputs: string; files: Record<string, string> }
      for (const [path, digest] of Object.entries(manifest.files)) expect(textDigest(await readFile(join(client, path), 'utf8'))).toBe(digest)
      outcomes[manifest.inputs === before.inputs ? 'old' : 'new'] += 1
    }
    // Both must have happened, or the moments were not random enough to prove anything.
    expect(Math.min(outcomes.old, outcomes.new)).toBeGreaterThan(0)
    expect((await tolmach(folder, ['generate'])).code).toBe(0)
  })
})

describe('the project file', () => {
  test('comments and other contracts survive when a contract is written', async () => {
    const folder = await freshFolder()
    const text = '# our services\ntolmach: 1\ncontracts:\n  # the old one\n  cargo:\n    from: ./cargo.wsdl # by mail\n    folder: src/clients/cargo\n'
    await writeFile(join(folder, 'tolmach.yaml'), text)
    await writeContractEntry(folder, 'berths', { from: 'x', folder: 'y', only: ['a', 'b'] })
    await writeContractEntry(folder, 'berths', { from: 'z', folder: 'y', only: ['a', 'b'] })
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toBe(`${text}  berths:\n    from: z\n    folder: y\n    only:\n      - a\n      - b\n`)
  })

  test.each([
    ['tolmach: 2\n', 1, '"tolmach" must be [1]'], ['tolmach: 1\ncontracts:\n  9x: {}\n', 3, '"contracts.9x" is not allowed'], ['tolmach: 1\ncontracts:\n  a:\n    from: 5\n    folder: x\n', 4, '"contracts.a.from" must be a string'],
    ['tolmach: 1\ncontracts:\n  a: { from: x }\n', 3, '"contracts.a.folder" is required'], ['tolmach: 1\na: b: c\n', 2, ''], ['[]', 1, 'must be of type object'], ['tolmach: 1\ncontracts: { a: { from: x, folder: y, class: lower } }', 2, 'a class name'],
  ])('%j is refused with its line', async (text, line, words) => {
    await expect(validProjectText(text)).rejects.toMatchObject({ code: 'TM-1003', message: expect.stringContaining(words), place: { document: 'tolmach.yaml', line } })
  })

  test('the JSON Schema for editors judges as we do', async () => {
    const schema = JSON.parse(await readFile(join(repository, 'docs/tolmach.schema.json'), 'utf8')) as object
    const validate = new Ajv2020({ strict: false }).compile(schema)
    const entry = 'from: x\n    folder: y\n'
    const more = ['', '    class: Quay\n', '    class: quay\n', '    only: [a, "b*"]\n', '    only: []\n', '    only: a\n', '    importSuffix: .ts\n', '    importSuffix: .mjs\n', '    endpoint: ""\n', '    sites: {}\n', '    session: { open: { call: a, keep: { id: $.x } }, use: { headers: { H: $id } }, close: { call: b } }\n', '    session: { close: { call: b } }\n', '    session: { open: { call: a, keep: { 1d: x } } }\n']
    const placed = [
      'sites: { test: { berths: { url: "https://quay.example", credential: desk, ca: x.pem } } }', 'sites: { test: { berths: { url: "ftp://quay.example" } } }', 'sites: { test: { 9: {} } }', 'sites: { "a b": {} }', 'sites: { test: { berths: { credential: { gate: a } } } }', 'sites: { test: { berths: { credential: {} } } }',
      ...['kind: basic, user: me, password: $P', 'kind: basic, user: me, password: in-the-clear', 'kind: basic, user: me', 'kind: digest, user: $U, password: $P', 'kind: magic', 'user: me', 'kind: bearer, token: $T', 'kind: bearer, token: $T, user: me', 'kind: key, value: $K, place: header, name: X', 'kind: key, value: $K, place: trailer', 'kind: oauth2, clientId: a, clientSecret: $S, scopes: [a], tokenUrl: "https://t.example"', 'kind: oauth2, clientId: a, tokenUrl: t', 'kind: ntlm, user: a, password: $P, domain: D', 'kind: wsse, user: a, password: $P, digest: true', 'kind: certificate, cert: a, key: b, passphrase: $P', 'kind: certificate, cert: a'].map((each) => `credentials: { desk: { ${each} } }`),
    ]
    const texts = ['tolmach: 1\n', 'tolmach: 2\n', 'contracts: {}\n', 'tolmach: "1"\n', ...more.map((each) => `tolmach: 1\ncontracts:\n  a-1:\n    ${entry}${each}`), `tolmach: 1\ncontracts:\n  1a:\n    ${entry}`, 'tolmach: 1\ncontracts:\n  a: { from: x }\n', ...placed.map((each) => `tolmach: 1\n${each}\n`)]
    for (const text of texts) {
      const ours = await validProjectText(text).then(() => true, () => false)
      expect([text, validate(parse(text))]).toEqual([text, ours])
    }
  })

  test('a folder that can\'t be written leaves everything as it was', async () => {
    const folder = await freshFolder()
    await writeFile(join(folder, 'tolmach.yaml'), 'tolmach: 1\n')
    await mkdir(join(folder, 'snapshots'))
    await writeFile(join(folder, 'snapshots', 'berths'), 'in the way')
    await chmod(folder, 0o755)
    const { code, stderr } = await tolmach(folder, ['import', demoWsdl, '--as', 'berths'])
    expect({ code, told: /error TM-1008/.test(stderr) || code === 0 }).toMatchObject({ told: true })
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toContain('tolmach: 1')
  })
})

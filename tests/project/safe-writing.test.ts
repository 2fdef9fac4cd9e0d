import { execFileSync, fork } from 'node:child_process'
import {
  chmod,
  mkdir,
  readdir,
  readFile,
  readlink,
  rm,
  stat,
  symlink,
  writeFile,
} from 'node:fs/promises'
import { hostname } from 'node:os'
import { basename, join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { Ajv2020 } from 'ajv/dist/2020.js'
import { parse } from 'yaml'
import { contractEntryChange, validProjectText } from '../../src/project/project-file.js'
import { whileLocked } from '../../src/project/project-lock.js'
import { recoverProject, writeFileSafely, writeTogether } from '../../src/project/safe-writing.js'
import { demoWsdl, freshFolder, repository, tolmach } from '../support/program.js'

describe('files and folders of a project are written together', () => {
  test('the old contents go, those to keep stay or move, nothing is left beside', async () => {
    const project = await freshFolder()
    const folder = join(project, 'src/client')
    await writeTogether(project, [
      { path: folder, files: { 'a.ts': '1', 'sub/b.ts': '2' } },
      { path: join(project, 'names.json'), contents: 'n' },
    ])
    await writeFile(join(folder, 'mine.md'), 'mine')
    await symlink('mine.md', join(folder, 'link'))
    await writeTogether(project, [
      {
        path: folder,
        files: { 'c.ts': '3' },
        keep: new Map([
          ['mine.md', 'mine.md.kept'],
          ['link', 'link'],
        ]),
      },
    ])
    expect((await readdir(folder)).sort()).toEqual(['c.ts', 'link', 'mine.md.kept'])
    expect(await readlink(join(folder, 'link'))).toBe('mine.md')
    expect((await readdir(project)).sort()).toEqual(['.tolmach', 'names.json', 'src'])
    expect(await readdir(join(project, '.tolmach'))).toEqual([])
  })

  test("what can't be written is told, and everything is as it was", async () => {
    const project = await freshFolder()
    await writeFile(join(project, 'file'), 'x')
    await writeFile(join(project, 'names.json'), 'old')
    await expect(
      writeTogether(project, [
        { path: join(project, 'names.json'), contents: 'new' },
        { path: join(project, 'file', 'client'), files: { 'a.ts': '1' } },
      ]),
    ).rejects.toMatchObject({ code: 'TM-1008' })
    expect([
      await readFile(join(project, 'file'), 'utf8'),
      await readFile(join(project, 'names.json'), 'utf8'),
    ]).toEqual(['x', 'old'])
  })

  test('a folder that is a link stays one, inside the project and out of it', async () => {
    const [project, elsewhere] = [await freshFolder(), await freshFolder()]
    for (const target of [join(project, 'real'), join(elsewhere, 'real')]) {
      await mkdir(target)
      await rm(join(project, 'client'), { force: true })
      await symlink(target, join(project, 'client'))
      await writeTogether(project, [{ path: join(project, 'client'), files: { 'a.ts': '1' } }])
      expect([await readlink(join(project, 'client')), await readdir(target)]).toEqual([
        target,
        ['a.ts'],
      ])
    }
    expect(await readdir(elsewhere)).toEqual(['real'])
  })

  test('a journal that somebody else put there moves nothing out of the project, nor into it', async () => {
    const [project, elsewhere] = [await freshFolder(), await freshFolder()]
    await writeFile(join(elsewhere, 'secret'), 'theirs')
    await symlink(elsewhere, join(project, 'way-out'))
    await mkdir(join(project, '.tolmach/x'), { recursive: true })
    for (const name of ['1', '2', '3']) await writeFile(join(project, '.tolmach/x', name), name)
    const moves = [
      ['.tolmach/x/1', join(elsewhere, 'new')],
      ['.tolmach/x/2', 'way-out/new'],
      ['.tolmach/x/3', '../new'],
      [`../${basename(elsewhere)}/secret`, 'stolen'],
      [null, 5],
    ].map(([from, to]) => ({ from, to, old: '.tolmach/x/old' }))
    await writeFile(join(project, '.tolmach/journal.json'), JSON.stringify(moves))
    await recoverProject(project)
    expect([
      await readdir(elsewhere),
      (await readdir(project)).sort(),
      await readdir(join(project, '.tolmach')),
    ]).toEqual([['secret'], ['.tolmach', 'way-out'], ['.gitignore', 'x']])
    for (const text of ['{', '[]', 'null', '"x"']) {
      await writeFile(join(project, '.tolmach/journal.json'), text)
      await recoverProject(project)
    }
  })
})

describe('a file that somebody names is written through', () => {
  test('links stay links, modes stay, devices and pipes are written into', async () => {
    const folder = await freshFolder()
    const at = (name: string): string => join(folder, name)
    await writeFile(at('target'), 'old', { mode: 0o640 })
    await symlink('target', at('link'))
    await symlink('nothing-yet', at('dangling'))
    for (const name of ['link', 'dangling', 'plain']) await writeFileSafely(at(name), 'new')
    expect([
      await readFile(at('target'), 'utf8'),
      (await stat(at('target'))).mode & 0o777,
      await readlink(at('link')),
      await readFile(at('nothing-yet'), 'utf8'),
      await readlink(at('dangling')),
    ]).toEqual(['new', 0o640, 'target', 'new', 'nothing-yet'])
    await writeFileSafely('/dev/null', 'new')
    expect((await stat('/dev/null')).isCharacterDevice()).toBe(true)
    execFileSync('/usr/bin/mkfifo', [at('pipe')])
    const heard = readFile(at('pipe'), 'utf8')
    await writeFileSafely(at('pipe'), 'through')
    expect([await heard, (await stat(at('pipe'))).isFIFO()]).toEqual(['through', true])
    await expect(writeFileSafely(folder, 'x')).rejects.toMatchObject({ code: 'TM-1008' })
    expect((await readdir(folder)).sort()).toEqual([
      'dangling',
      'link',
      'nothing-yet',
      'pipe',
      'plain',
      'target',
    ])
  })
})

describe('one writes at a time', () => {
  test('others wait their turn; a dead process holds nothing up; one that lives is named', async () => {
    const project = await freshFolder()
    const order: string[] = []
    const write = (name: string): Promise<void> =>
      whileLocked(project, name, async () => {
        order.push(`${name} begins`)
        await new Promise((done) => setTimeout(done, 30))
        order.push(`${name} ends`)
      })
    await Promise.all(['a', 'b', 'c', 'd'].map(write))
    for (let at = 0; at < order.length; at += 2)
      expect(order[at + 1]).toBe(order[at]?.replace('begins', 'ends'))
    const gone = fork(join(repository, 'tests/support/nothing.cjs'))
    await new Promise((done) => gone.on('exit', done))
    await mkdir(join(project, '.tolmach'), { recursive: true })
    await writeFile(
      join(project, '.tolmach/lock'),
      JSON.stringify({ process: gone.pid, host: hostname(), command: 'import', since: 'then' }),
    )
    await Promise.all(['e', 'f'].map(write))
    expect(order.length).toBe(12)
    expect(await readdir(project)).toEqual([])
  })

  test('eight imports at once: all are in the project file', async () => {
    const folder = await freshFolder()
    await writeFile(join(folder, 'tolmach.yaml'), '# ours\ntolmach: 1\n')
    const names = Array.from({ length: 8 }, (_, at) => `desk${at}`)
    const codes = await Promise.all(
      names.map(async (name) => (await tolmach(folder, ['import', demoWsdl, '--as', name])).code),
    )
    const text = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
    const { contracts } = parse(text) as { contracts: Record<string, { class: string }> }
    expect([
      codes,
      Object.keys(contracts).sort(),
      new Set(Object.values(contracts).map((each) => each.class)).size,
      text.startsWith('# ours'),
    ]).toEqual([names.map(() => 0), names, 8, true])
    expect((await readdir(folder)).sort()).toEqual(['snapshots', 'tolmach.yaml'])
  })
})

describe('the project file', () => {
  test('comments and other contracts survive when a contract is written', async () => {
    const folder = await freshFolder()
    const text =
      '# our services\ntolmach: 1\ncontracts:\n  # the old one\n  cargo:\n    from: ./cargo.wsdl # by mail\n    folder: src/clients/cargo\n'
    await writeFile(join(folder, 'tolmach.yaml'), text)
    for (const from of ['x', 'z'])
      await writeTogether(folder, [
        await contractEntryChange(folder, 'berths', { from, folder: 'y', only: ['a', 'b'] }),
      ])
    expect(await readFile(join(folder, 'tolmach.yaml'), 'utf8')).toBe(
      `${text}  berths:\n    from: z\n    folder: y\n    only:\n      - a\n      - b\n`,
    )
  })

  test.each<[string, number, string]>([
    ['tolmach: 2\n', 1, '"tolmach" must be [1]'],
    ['tolmach: 1\ncontracts:\n  9x: {}\n', 3, '"contracts.9x" is not allowed'],
    [
      'tolmach: 1\ncontracts:\n  a:\n    from: 5\n    folder: x\n',
      4,
      '"contracts.a.from" must be a string',
    ],
    ['tolmach: 1\ncontracts:\n  a: { from: x }\n', 3, '"contracts.a.folder" is required'],
    ['tolmach: 1\na: b: c\n', 2, ''],
    ['[]', 1, 'must be of type object'],
    ...[
      ['/etc', 'outside'],
      ['../x', 'outside'],
      ['a/../../x', 'outside'],
      ['C:/x', 'outside'],
      ['.', 'the project itself'],
      ['a/..', 'the project itself'],
      ['snapshots/x', 'other things'],
      ['.git', 'other things'],
    ].map(([folder = '', words = '']): [string, number, string] => [
      `tolmach: 1\ncontracts:\n  a:\n    from: x\n    folder: ${folder}\n`,
      5,
      words,
    ]),
    [
      'tolmach: 1\ncontracts:\n  a: { from: x, folder: src/y }\n  b: { from: x, folder: src/Y/ }\n',
      4,
      'that of a already',
    ],
    [
      'tolmach: 1\ncontracts:\n  a: { from: x, folder: src/y/z }\n  b: { from: x, folder: src/y }\n',
      4,
      'lie in each other',
    ],
    [
      'tolmach: 1\ncontracts: { a: { from: x, folder: y, class: lower } }',
      2,
      'class name (a capital',
    ],
  ])('%j is refused with its line', async (text, line, words) => {
    await expect(validProjectText(text)).rejects.toMatchObject({
      code: expect.stringMatching(/TM-10(?:03|28)/),
      message: expect.stringContaining(words),
      place: { document: 'tolmach.yaml', line },
    })
  })

  test('the JSON Schema for editors judges as we do', async () => {
    const schema = JSON.parse(
      await readFile(join(repository, 'docs/tolmach.schema.json'), 'utf8'),
    ) as object
    const validate = new Ajv2020({ strict: false }).compile(schema)
    const entry = 'from: x\n    folder: y\n'
    const more = [
      '',
      '    class: Quay\n',
      '    class: quay\n',
      '    only: [a, "b*"]\n',
      '    only: []\n',
      '    only: a\n',
      '    importSuffix: .ts\n',
      '    importSuffix: .mjs\n',
      '    endpoint: ""\n',
      '    sites: {}\n',
      '    session: { open: { call: a, keep: { id: $.x } }, use: { headers: { H: $id } }, close: { call: b } }\n',
      '    session: { close: { call: b } }\n',
      '    pages: { a: {}, b.c: { rows: /items, total: X-Total, next: /page/next, into: after } }\n',
      '    pages: { a: { rows: items } }\n',
      '    pages: { a: { next: "a b" } }\n',
      '    session: { open: { call: a, keep: { 1d: x } } }\n',
    ]
    const placed = [
      'sites: { test: { berths: { url: "https://quay.example", credential: desk, ca: x.pem } } }',
      'sites: { test: { berths: { url: "ftp://quay.example" } } }',
      'sites: { test: { 9: {} } }',
      'sites: { "a b": {} }',
      'sites: { test: { berths: { credential: { gate: a } } } }',
      'sites: { test: { berths: { credential: {} } } }',
      ...[
        'kind: basic, user: me, password: $P',
        'kind: basic, user: me, password: in-the-clear',
        'kind: basic, user: me',
        'kind: digest, user: $U, password: $P',
        'kind: magic',
        'user: me',
        'kind: bearer, token: $T',
        'kind: bearer, token: $T, user: me',
        'kind: key, value: $K, place: header, name: X',
        'kind: key, value: $K, place: trailer',
        'kind: oauth2, clientId: a, clientSecret: $S, scopes: [a], tokenUrl: "https://t.example"',
        'kind: oauth2, clientId: a, tokenUrl: t',
        'kind: ntlm, user: a, password: $P, domain: D',
        'kind: wsse, user: a, password: $P, digest: true',
        'kind: certificate, cert: a, key: b, passphrase: $P',
        'kind: certificate, cert: a',
      ].map((each) => `credentials: { desk: { ${each} } }`),
    ]
    const texts = [
      'tolmach: 1\n',
      'tolmach: 2\n',
      'contracts: {}\n',
      'tolmach: "1"\n',
      ...more.map((each) => `tolmach: 1\ncontracts:\n  a-1:\n    ${entry}${each}`),
      `tolmach: 1\ncontracts:\n  1a:\n    ${entry}`,
      'tolmach: 1\ncontracts:\n  a: { from: x }\n',
      ...placed.map((each) => `tolmach: 1\n${each}\n`),
    ]
    for (const text of texts) {
      const ours = await validProjectText(text).then(
        () => true,
        () => false,
      )
      expect([text, validate(parse(text))]).toEqual([text, ours])
    }
  })

  test("a folder that can't be written leaves everything as it was", async () => {
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

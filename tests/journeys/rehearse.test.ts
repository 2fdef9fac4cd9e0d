import { execFile } from 'node:child_process'
import { cp, mkdir, readdir, readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { pathToFileURL } from 'node:url'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, startStandIn, tolmach } from '../support/program.js'
import { hasViewers } from '../support/viewers.js'

const worlds = [
  {
    name: 'berths',
    document: 'desk.wsdl',
    file: 'reserve.yaml',
    steps: 14,
    spoil: ['added: 1, gone: 0', 'added: 2, gone: 0'],
    reason: /expected +2 added +line \d+\s+there was 1/,
  },
  {
    name: 'ferries',
    document: 'openapi.yaml',
    file: 'book.yaml',
    steps: 12,
    spoil: ['status: 201', 'status: 200'],
    reason: /expected +answers with the status 200 +line \d+\s+there was 201/,
  },
  {
    name: 'registry',
    document: 'registry.xml',
    file: 'enter.yaml',
    steps: 13,
    spoil: ['body: { CallSign', 'body: { Colour: red, CallSign'],
    reason: /does not satisfy the contract[\s\S]*Colour/,
  },
  {
    name: 'cargo',
    document: 'cargo.xml',
    file: 'crate.yaml',
    steps: 10,
    spoil: ['equals: 96.45', 'equals: 96.4'],
    reason: /expected +\$\.Weight equals 96\.4 +line \d+\s+there was "96\.450"/,
  },
]

describe.each(worlds)(
  'the round trip of $name',
  ({ name, document, file, steps, spoil, reason }) => {
    let folder: string
    let standIn: Awaited<ReturnType<typeof startStandIn>>
    beforeAll(async () => {
      folder = await freshFolder()
      standIn = await startStandIn(`${name}/${document}`)
      await cp(join(repository, 'demo', name, 'rehearsals', file), join(folder, file))
      expect(
        (
          await tolmach(folder, [
            'import',
            join(repository, 'demo', name, document),
            '--as',
            name,
            '--quiet',
          ])
        ).code,
      ).toBe(0)
      await writeFile(
        join(folder, 'tolmach.yaml'),
        `${await readFile(join(folder, 'tolmach.yaml'), 'utf8')}sites:\n  here: { ${name}: { url: "${standIn.service}" } }\n`,
      )
    })
    afterAll(() => standIn.stop())

    test('list, add, list, find, change, delete, list: played twice, and all is as before', async () => {
      for (const _ of [1, 2])
        expect(
          await tolmach(folder, [
            'rehearse',
            file,
            '--at',
            'here',
            '--save',
            'report.html',
            '--junit',
            'report.xml',
          ]),
        ).toMatchObject({
          code: 0,
          stdout: expect.stringContaining(`All ${steps} steps went as expected.`) as unknown,
        })
      expect(await readFile(join(folder, 'report.xml'), 'utf8')).toMatch(
        new RegExp(`tests="${steps}" failures="0"`),
      )
      const told = JSON.parse(
        (await tolmach(folder, ['rehearse', file, '--at', 'here', '--json'])).stdout,
      ) as {
        ok: boolean
        rehearsals: {
          steps: { outcome: string; compared?: { after: { marks: (string | null)[] } } }[]
        }[]
      }
      expect(told.ok).toBe(true)
      // Exactly one row is new in the first comparison, none in the last.
      const marks = told.rehearsals
        .flatMap((each) => each.steps)
        .flatMap(({ compared }) =>
          compared === undefined
            ? []
            : [compared.after.marks.filter((mark) => mark === 'added').length],
        )
      expect(marks).toEqual([1, 0])
    })

    test('what was kept serves later: answers to compare with, and a stand-in that plays them', async () => {
      await tolmach(folder, ['rehearse', file, '--at', 'here', '--keep', 'kept'])
      const files = await readdir(join(folder, 'kept'))
      expect(files).toContain(`${name}.har`)
      const list = files.find((each) => each.startsWith('01-')) ?? ''
      const [, operation = ''] = /^01-\w+-(.*)\.json$/.exec(list) ?? []
      const input = (await readFile(join(folder, file), 'utf8')).includes('orderBy')
        ? [
            '--with',
            'orderBy=Number',
            ...(name === 'registry' ? ['--with', 'filter=OwnerNumber eq 9007199254741005'] : []),
          ]
        : []
      expect(
        await tolmach(folder, [
          'call',
          name,
          operation,
          ...input,
          '--all',
          '--url',
          standIn.service,
          '--against',
          join('kept', list),
        ]),
      ).toMatchObject({ code: 0 })
      const recorded = await startStandIn(`${name}/${document}`, [
        '--recorded',
        join(folder, 'kept', `${name}.har`),
      ])
      expect(await tolmach(folder, ['rehearse', file, '--url', recorded.service])).toMatchObject({
        code: 0,
        stdout: expect.stringContaining(`All ${steps} steps went as expected.`) as unknown,
      })
      recorded.stop()
    })

    test('one that fails tells why, leaves out the rest, and cleans up', async () => {
      const text = await readFile(join(folder, file), 'utf8')
      await writeFile(join(folder, 'spoiled.yaml'), text.replace(spoil[0] ?? '', spoil[1] ?? ''))
      const told = await tolmach(folder, ['rehearse', 'spoiled.yaml', '--at', 'here'])
      expect(told.code).toBe(6)
      expect(told.stdout).toMatch(reason)
      expect(told.stdout).toMatch(/went as expected, 1 did not, \d+ (?:was|were) left out\./)
      if (text.includes('afterwards:'))
        expect(told.stdout).toMatch(/afterwards\n {2}[✗✓·] Nothing is left behind/)
    })
  },
)

test('several files, several contracts; nothing is called when one of them is not valid', async () => {
  const folder = await freshFolder()
  await mkdir(join(folder, 'r'))
  await writeFile(
    join(folder, 'r', 'a.yaml'),
    `rehearsal: 1\ntitle: A\ncontract: ${join(repository, 'demo/berths/desk.wsdl')}\nsteps: [{ call: listBerths }]\n`,
  )
  await writeFile(join(folder, 'r', 'b.yaml'), 'rehearsal: 1\nsteps: [{ cal: listBerths }]\n')
  expect(await tolmach(folder, ['rehearse', 'r/a.yaml', 'r/b.yaml'])).toMatchObject({
    code: 2,
    stdout: '',
    stderr: expect.stringContaining('r/b.yaml:2') as unknown,
  })
  expect(
    await tolmach(folder, ['rehearse', 'r/a.yaml', '--url', 'http://127.0.0.1:1']),
  ).toMatchObject({
    code: 6,
    stdout: expect.stringMatching(
      /✗ listBerths[\s\S]*the connection was refused[\s\S]*Between you and the service/,
    ) as unknown,
  })
  for (const [words, reason] of [
    [['rehearse', 'no.yaml'], 'no such file'],
    [['rehearse', 'r/a.yaml', '--save', 'x.txt'], '.html'],
    [['rehearse', 'r/a.yaml', '--url', 'nowhere'], 'not a valid address'],
    [['rehearse', 'r/a.yaml', '--at', 'moon'], 'sites belong to a project'],
  ] as const) {
    const told = await tolmach(folder, words)
    expect([2, 6]).toContain(told.code)
    expect((told.stdout + told.stderr).replace(/\s+/g, ' ')).toContain(reason)
  }
})

test('the example of a unit test with a stand-in runs as it stands', async () => {
  const { stdout } = await promisify(execFile)(process.execPath, ['--test', 'docs/examples/'], {
    cwd: repository,
    env: { ...process.env, NODE_OPTIONS: '', NODE_TEST_CONTEXT: undefined },
  })
  expect(stdout).toMatch(/# pass 3\n# fail 0/)
})

;(hasViewers ? test : test.skip)(
  'the report as a page: what failed is open, tables stand beside each other, nothing is loaded',
  async () => {
    const folder = await freshFolder()
    const standIn = await startStandIn()
    const rehearsal = (
      await readFile(join(repository, 'demo/berths/rehearsals/reserve.yaml'), 'utf8')
    ).replace('contract: berths', `contract: ${join(repository, 'demo/berths/desk.wsdl')}`)
    await writeFile(join(folder, 'good.yaml'), rehearsal)
    await writeFile(
      join(folder, 'bad.yaml'),
      rehearsal
        .replace('title: A berth', 'title: <img src=x onerror=alert(1)> A berth')
        .replace('berth: S-3', 'berth: S-4'),
    )
    for (const each of ['good', 'bad'])
      await tolmach(folder, [
        'rehearse',
        `${each}.yaml`,
        '--url',
        standIn.service,
        '--save',
        `${each}.html`,
      ])
    standIn.stop()
    const { launch } = await import('puppeteer-core')
    const browser = await launch({
      executablePath: '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    })
    try {
      const page = await browser.newPage()
      await page.setViewport({ width: 1280, height: 800 })
      const troubles: string[] = []
      page.on('console', (message) => void troubles.push(message.text()))
      page.on('pageerror', (error) => void troubles.push(String(error)))
      page.on(
        'request',
        (request) => void (request.url().startsWith('file:') || troubles.push(request.url())),
      )
      const evaluate = <T>(expression: string): Promise<T> =>
        page.evaluate(expression) as Promise<T>
      await page.goto(pathToFileURL(join(folder, 'good.html')).href)
      expect(
        await evaluate(
          '[...document.querySelectorAll(".step .outcome")].map((each) => each.textContent).join()',
        ),
      ).toBe(Array.from({ length: 14 }, () => 'passed').join())
      expect(
        await evaluate(
          '[...document.querySelectorAll("tr.added td")].map((each) => each.textContent).slice(0, 3).join()',
        ),
      ).toMatch(/^added,\d{16},S-3$/)
      const [left, right] = await evaluate<number[]>(
        '[...document.querySelectorAll(".pair section")].slice(0, 2).map((each) => each.getBoundingClientRect().top)',
      )
      expect(left).toBe(right)
      await page.goto(pathToFileURL(join(folder, 'bad.html')).href)
      expect(await evaluate('document.querySelector("li.failed details").open')).toBe(true)
      expect(await evaluate('document.querySelector("li.failed .unmet").innerText')).toContain(
        'there was "2027-01-15"',
      )
      expect(await evaluate('document.images.length')).toBe(0)
      expect(troubles).toEqual([])
    } finally {
      await browser.close()
    }
  },
)

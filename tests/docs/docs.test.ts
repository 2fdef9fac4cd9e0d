import { readFile, readdir } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { commands } from '../../src/cli/commands.js'
import { messages } from '../../src/contract/messages.js'
import { exitCodes } from '../../src/contract/problem.js'
import { validProjectText } from '../../src/project/project-file.js'
import { settingsFrom } from '../../src/runtime/soap/settings.js'
import { settingRows } from '../../src/typescript/settings-table.js'
import { nodeTransport } from '../../src/runtime/node/transport.js'
import { freshFolder, repository, startServer, tolmach } from '../support/program.js'

const doc = (name: string): Promise<string> => readFile(join(repository, 'docs', name), 'utf8')

describe('the documentation is true', () => {
  test('docs/messages.md lists every message, and no other', async () => {
    const listed = [...(await doc('messages.md')).matchAll(/^\| (TM-\d{4}) \| (\w+) \|/gm)].map(
      ([, code, kind]) => `${code ?? ''} ${kind ?? ''}`,
    )
    expect(listed).toEqual(Object.entries(messages).map(([code, { kind }]) => `${code} ${kind}`))
  })

  test('every message is used, and every code used is in the catalogue', async () => {
    const files = (
      await readdir(join(repository, 'src'), { recursive: true, encoding: 'utf8' })
    ).filter((name) => name.endsWith('.ts') && !name.endsWith('messages.ts'))
    const source = (
      await Promise.all(files.map((file) => readFile(join(repository, 'src', file), 'utf8')))
    )
      .join('\n')
      .replace(/\/\*\*[\s\S]*?\*\//g, '')
    const used = new Set([...source.matchAll(/'(TM-\d{4})'/g)].map(([, code]) => code ?? ''))
    expect([...used].sort()).toEqual(Object.keys(messages).sort())
  })

  test('docs/settings.md says each setting as the prompt, the project file and clients have it', async () => {
    const text = await doc('settings.md')
    const { stdout: help } = await tolmach(await freshFolder(), ['call', '--help'])
    const source = (
      await Promise.all(
        ['connection.ts', 'soap/settings.ts', 'node/transport.ts'].map((name) =>
          readFile(join(repository, 'src/runtime', name), 'utf8'),
        ),
      )
    ).join('\n')
    const values: Readonly<Record<string, string>> = {
      url: 'http://h',
      proxy: 'http://h',
      headers: '{ a: b }',
      serverVariables: '{ a: b }',
      timeLimit: '10s',
      retries: '1',
      mostBytes: '1',
      mtom: 'true',
      addressing: 'true',
    }
    for (const { meaning, prompt, project, ofSiteOnly, variables = [], ...inCode } of settingRows) {
      expect(text).toContain(`| ${meaning} |`)
      if (prompt !== undefined) expect(help).toContain(`${prompt} `)
      if (project !== undefined) {
        const said = `${project}: ${values[project] ?? 'x'}`
        const ofContract = ofSiteOnly === true ? '' : `, ${said}`
        const file = `tolmach: 1\ncontracts:\n  q: { from: x, folder: y${ofContract} }\nsites:\n  s: { q: { ${said} } }\n`
        await expect(validProjectText(file)).resolves.toMatchObject({ sites: { s: { q: {} } } })
      }
      for (const name of [inCode.code, inCode.transport])
        if (name !== undefined) expect(source).toContain(`  readonly ${name}?:`)
      for (const name of variables) {
        expect(text).toContain(`\`_${name}\``)
        const set = { [`Q_${name}`]: name === 'HEADERS' ? '{"a":"b"}' : '1' }
        const others = {
          Q_CLIENT_ID: name.startsWith('CLIENT') ? 'c' : '',
          Q_USER: name.startsWith('CLIENT') ? '' : 'u',
        }
        const isRead =
          inCode.transport !== undefined ||
          Object.keys(settingsFrom({ ...others, ...set }, 'Q')).includes(inCode.code ?? '')
        expect([name, isRead]).toEqual([name, true])
      }
    }
  })

  test('docs/dependencies.md speaks of every package that is needed', async () => {
    const manifest = JSON.parse(await readFile(join(repository, 'package.json'), 'utf8')) as {
      dependencies: object
      devDependencies: object
    }
    const text = await doc('dependencies.md')
    for (const name of [
      ...Object.keys(manifest.dependencies),
      ...Object.keys(manifest.devDependencies),
    ])
      expect(text).toContain(`\`${name}\``)
    expect(await readFile(join(repository, 'package-lock.json'), 'utf8')).not.toContain(
      '"resolved"',
    )
  })

  test('docs/coverage.md names tests that exist', async () => {
    const named = new Set(
      [...(await doc('coverage.md')).matchAll(/`(tests\/[\w/.-]+)`/g)].map(
        ([, path]) => path ?? '',
      ),
    )
    expect(named.size).toBeGreaterThan(3)
    for (const path of named) await expect(readFile(join(repository, path))).resolves.toBeDefined()
  })

  test("tool and clients call themselves by the package's version", async () => {
    const { version } = JSON.parse(await readFile(join(repository, 'package.json'), 'utf8')) as {
      version: string
    }
    const agents: (string | undefined)[] = []
    const server = await startServer((request, response) => {
      agents.push(request.headers['user-agent'])
      response.writeHead(404).end()
    })
    await nodeTransport()(server.url)
    await tolmach(await freshFolder(), ['import', server.url])
    await server.stop()
    expect(new Set(agents)).toEqual(new Set([`tolmach-client/${version}`, `tolmach/${version}`]))
  })

  test('docs/coverage.md says of every line what judges it', async () => {
    const lines = (await doc('coverage.md')).split('\n').filter((line) => line.startsWith('| '))
    const cells = lines.map((line) => line.split(/(?<!\\)\|/).slice(1, -1))
    expect(cells.filter((row) => row.length !== 4 || row.at(-1)?.trim() === '')).toEqual([])
  })

  test('the reference has the exit codes, and every command with its options and examples', async () => {
    const reference = await doc('reference.md')
    for (const [kind, code] of Object.entries(exitCodes))
      expect(reference).toMatch(new RegExp(`\`${kind}\`[^\\n]*\\| ${code} \\|`))
    for (const { name, load } of commands) {
      expect(reference).toContain(`\`tolmach ${name}`)
      const { code, stdout } = await tolmach(repository, [name, '--help'])
      expect(code).toBe(0)
      expect(stdout).toMatch(/Examples:\n( {2}tolmach .*\n?){2,}/)
      for (const [, option] of stdout.matchAll(/^ {2}(--[\w-]+)/gm))
        if (option !== '--help') expect(reference).toContain(option)
      expect(typeof (await load()).declare).toBe('function')
    }
  })

  test('the library in the README works as it says', async () => {
    const folder = await freshFolder()
    const readme = await readFile(join(repository, 'README.md'), 'utf8')
    const program = /```js\n([\s\S]*?)```/.exec(readme)?.[1] ?? ''
    expect(program).toContain('importContract')
    const { writeFile, mkdir, symlink } = await import('node:fs/promises')
    await mkdir(join(folder, 'node_modules'))
    await symlink(repository, join(folder, 'node_modules/tolmach'))
    await writeFile(
      join(folder, 'use.mjs'),
      program.replace('./desk.wsdl', join(repository, 'demo/berths/desk.wsdl')),
    )
    const { spawnSync } = await import('node:child_process')
    const ran = spawnSync(process.execPath, ['use.mjs'], {
      cwd: folder,
      encoding: 'utf8',
      env: { ...process.env, NODE_OPTIONS: '' },
    })
    expect(ran.stderr).toBe('')
    expect(ran.stdout).toContain('src/clients/berths')
  })

  test('the demo runs from beginning to end, offline', async () => {
    const { code, stdout } = await tolmach(await freshFolder(), ['demo'])
    expect(code).toBe(0)
    expect(stdout).toContain('That was all.')
  })
})

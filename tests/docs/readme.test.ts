import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdir, readFile, writeFile } from 'node:fs/promises'
import { createServer, type AddressInfo } from 'node:net'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { freshFolder, repository } from '../support/program.js'

/** The lines that the README has a person type who starts, each block by itself. */
async function blocks(): Promise<string[][]> {
  const readme = await readFile(join(repository, 'README.md'), 'utf8')
  const [, section = ''] =
    /^## Your own service in five minutes\n([\s\S]*?)^## /m.exec(readme) ?? []
  return section
    .split(/\n(?! {4})/)
    .map((block) => [...block.matchAll(/^ {4}(.+)$/gm)].map(([, line = '']) => line))
    .filter((lines) => lines.length > 0)
}

async function freePort(): Promise<number> {
  const server = createServer()
  await new Promise<void>((listening) => server.listen(0, '127.0.0.1', listening))
  const { port } = server.address() as AddressInfo
  await new Promise((closed) => server.close(closed))
  return port
}

let standIns: ChildProcess
let folder: string
let lines: string[]
let env: NodeJS.ProcessEnv

beforeAll(async () => {
  const home = await freshFolder()
  folder = await freshFolder()
  const program = join(repository, 'dist/bin/main.js')
  await writeFile(
    join(home, 'tolmach'),
    `#!/bin/sh\nexec "${process.execPath}" "${program}" "$@"\n`,
    {
      mode: 0o755,
    },
  )
  // Colours are switched on where CI is set.
  env = { ...process.env, NO_COLOR: '1', PATH: `${home}:${process.env['PATH'] ?? ''}` }
  const port = String(await freePort())
  const [second = [], ...others] = (await blocks()).map((block) =>
    block.map((line) => line.replaceAll('4801', port)),
  )
  lines = others.flat()
  // What is ended is the stand-ins themselves.
  const started = second.map((line) => line.replace(/^tolmach serve/, 'exec tolmach serve'))
  standIns = spawn('bash', ['-ec', started.join('\n')], { cwd: home, env })
  await new Promise<void>((listening, fail) => {
    let told = ''
    standIns.stdout?.on('data', (piece: Buffer) => {
      told += piece.toString()
      if (/^registry +service http/m.test(told)) listening()
    })
    standIns.once('exit', () => fail(new Error(told.slice(-2000))))
  })
})
afterAll(() => {
  standIns.kill()
})

const shells = ['bash', 'zsh', 'fish'].filter(
  (shell) => spawnSync(shell, ['-c', 'true']).status === 0,
)

test.each(shells)(
  'every line for whoever starts can be typed as it stands, in %s',
  async (shell) => {
    const empty = join(folder, shell)
    await mkdir(empty)
    expect(lines.length).toBeGreaterThan(12)
    for (const line of lines) {
      const { status, stderr } = spawnSync(shell, ['-c', line], {
        cwd: empty,
        env,
        encoding: 'utf8',
      })
      expect({ line, status, stderr: status === 0 ? '' : stderr }).toEqual({
        line,
        status: 0,
        stderr: '',
      })
    }
  },
)

import { spawnSync } from 'node:child_process'
import { writeFile } from 'node:fs/promises'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from '@jest/globals'
import { freshFolder, repository, tolmach } from '../support/program.js'

let folder: string
beforeAll(async () => {
  folder = await freshFolder()
  for (const [name, path] of [
    ['berths', 'berths/desk.wsdl'],
    ['ferries', 'ferries/openapi.yaml'],
  ] as const)
    await tolmach(folder, ['import', join(repository, 'demo', path), '--as', name, '--quiet'])
  await writeFile(
    join(folder, 'tolmach'),
    `#!/bin/sh\nexec "${process.execPath}" "${join(repository, 'dist/bin/main.js')}" "$@"\n`,
    { mode: 0o755 },
  )
})

/** The words at the end of a line, without what they mean. */
async function wordsAt(line: string, shell = 'zsh'): Promise<string[]> {
  const { stdout, stderr } = await tolmach(folder, ['completion', shell, '--line', line])
  expect(stderr).toBe('')
  return stdout.split('\n').flatMap((each) => (each === '' ? [] : [each.replace(/\t.*/, '')]))
}

describe('what may stand at the cursor', () => {
  test.each<[string, string[]]>([
    ['tolmach comp', ['compare', 'completion']],
    ['tolmach --project . loc', ['locate']],
    ['npx tolmach call ', ['berths', 'ferries', ':files']],
    ['tolmach call BER', ['berths', ':files']],
    ['tolmach call berths res', ['reserveBerth']],
    ['tolmach call --timeout 10s berths res', ['reserveBerth']],
    ['tolmach call ferries sail', ['sailings.search', 'sailings.get']],
    ['tolmach call berths reserveBerth --with Res', ['Reservation.', ':open']],
    ['tolmach call berths reserveBerth --with Reservation.N', ['Reservation.Nights=', ':open']],
    [
      'tolmach call berths reserveBerth --with Reservation.Vessel.N',
      ['Reservation.Vessel.Name=', ':open'],
    ],
    ['tolmach call berths reserveBerth --with headers.D', ['headers.DeskKey.', ':open']],
    ['tolmach call berths quoteDues --with Tide=h', ['Tide=half', 'Tide=high water']],
    ['tolmach call berths listBerths --columns "Code,Na', ['Code,Name']],
    ['tolmach call berths quoteDues --columns A', ['Amount']],
    ['tolmach call berths listBerths --format=j', ['--format=json']],
    ['tolmach call berths listBerths --format t', ['table', 'text']],
    ['tolmach call berths listBerths --format table --for', []],
    ['tolmach call berths listBerths --with a=1 --wit', ['--with']],
    ['tolmach call berths listBerths --endpoint ', ['DeskLine11', 'DeskLine12']],
    ['tolmach show berths Ber', ['Berth', 'BerthCode', 'BerthTaken']],
    ['tolmach diagram ferries a.svg --around Sailing', ['Sailing', 'SailingFull']],
    ['tolmach call berths listBerths --save ', [':files']],
    ['tolmach rehearse ', [':files']],
    ['tolmach completion z', ['zsh']],
    ['tolmach call nothing ', []],
    ['tolmach nonsense ', []],
    ['tolmach call berths listBerths --with "unended', []],
  ])('%s', async (line, words) => {
    expect(await wordsAt(line)).toEqual(words)
  })

  test('in bash, words that it takes apart at = begin behind that', async () => {
    expect(await wordsAt('tolmach call berths quoteDues --with Tide=h', 'bash')).toEqual([
      'half',
      'high water',
    ])
  })

  test('outside of a project nothing is offered, and nothing is said', async () => {
    const nowhere = await freshFolder()
    const { code, stdout, stderr } = await tolmach(nowhere, [
      'completion',
      'bash',
      '--line',
      'tolmach call ',
    ])
    expect([code, stdout, stderr]).toEqual([0, ':files\n', ''])
  })
})

const shells = [
  ['bash', ['bash', '--norc', '--noprofile', '-i'], 'source <(tolmach completion bash)'],
  ['zsh', ['zsh', '-f', '-i'], 'source <(tolmach completion zsh)'],
  ['fish', ['fish', '--no-config', '-i'], 'tolmach completion fish | source'],
] as const
const isThere = (shell: string): boolean =>
  existsSync('/usr/bin/python3') && spawnSync(shell, ['--version']).status === 0

describe.each(shells)('in %s (left out where it is not)', (shell, words, on) => {
  ;(isThere(shell) ? test : test.skip)(
    'operations, inputs and values are completed at a terminal',
    () => {
      const { stdout } = spawnSync(
        '/usr/bin/python3',
        [
          join(repository, 'tests/support/typing.py'),
          JSON.stringify(words),
          JSON.stringify([
            { keys: `${on}; echo rea''dy\n`, shows: 'ready\r\n' },
            { keys: 'tolmach call berths rese\t', shows: 'reserveBerth' },
            { keys: ' --with Reservation.Ni\t', shows: 'Nights=' },
            { keys: '2 --form\t', shows: '--format' },
            { keys: ' js\t', shows: 'json' },
            { keys: ' --preview --with Reservation.Ar\t', shows: 'Arrival=' },
          ]),
        ],
        {
          cwd: folder,
          encoding: 'utf8',
          env: {
            ...process.env,
            PATH: `${folder}:${process.env['PATH'] ?? ''}`,
            HOME: folder,
            TERM: 'xterm',
          },
        },
      )
      expect(stdout).not.toContain('not shown:')
    },
  )
})

import { cp, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import {
  freshFolder,
  repository,
  startServer,
  startStandIn,
  tolmach,
  type Ran,
} from '../support/program.js'
import { freePort, hasServers, startNginx, startProxy, type Gate } from '../support/nginx.js'
import { atTerminal, hasTerminal } from '../support/terminal.js'

const secret = 'Öl&"kanne\'7/='
const plain = (told: string): string => told.replace(/\s+/g, ' ')

;(hasServers ? describe : describe.skip)(
  'services behind nginx, TLS and proxies (left out where there is none)',
  () => {
    let folder: string
    let standIn: Awaited<ReturnType<typeof startStandIn>>
    let gate: Gate
    let proxy: Awaited<ReturnType<typeof startProxy>>
    let elsewhere: Awaited<ReturnType<typeof startServer>>
    let caught: { method: string; headers: Record<string, unknown>; body: string }[]
    const env = { CLERK: 'clerk', CLERK_PASSWORD: secret, DESK_KEY: 'made-up key 4711' }
    const call = (
      url: string,
      words: readonly string[] = [],
      variables: Record<string, string> = env,
    ): Promise<Ran> =>
      tolmach(
        folder,
        [
          'call',
          'berths',
          'getBerth',
          '--with',
          'Code=N-1',
          '--url',
          url,
          '--pick',
          '$.Name',
          ...words,
        ],
        { env: variables },
      )
    beforeAll(async () => {
      folder = await freshFolder()
      caught = []
      elsewhere = await startServer((request, response, body) => {
        if (request.url === '/slow/') return void setTimeout(() => response.end('late'), 3000)
        caught.push({ method: request.method ?? '', headers: request.headers, body })
        response.setHeader('content-type', 'text/plain').end('caught')
      })
      standIn = await startStandIn()
      gate = await startNginx(
        await freshFolder(),
        standIn.service,
        elsewhere.url.replace('127.0.0.1', 'localhost'),
        'clerk',
        secret,
      )
      proxy = await startProxy(await freshFolder(), 'guest', 'pass-through')
      expect(
        (
          await tolmach(folder, [
            'import',
            join(repository, 'demo/berths/desk.wsdl'),
            '--as',
            'berths',
            '--quiet',
          ])
        ).code,
      ).toBe(0)
      await writeFile(
        join(folder, 'tolmach.yaml'),
        `${await readFile(join(folder, 'tolmach.yaml'), 'utf8')}sites:
  secure: { berths: { url: "${gate.secure}/open/", ca: "${gate.certificates.ca}" } }
  clerks: { berths: { url: "${gate.secure}/clerks/", ca: "${gate.certificates.ca}", credential: badge } }
credentials:
  clerk: { kind: basic, user: $CLERK, password: $CLERK_PASSWORD }
  digest: { kind: digest, user: $CLERK, password: $CLERK_PASSWORD }
  badge: { kind: certificate, cert: "${gate.certificates.clientCert}", key: "${gate.certificates.clientKey}" }
  deskKey: { kind: key, value: $DESK_KEY, place: header, name: X-Desk-Key }
`,
      )
    })
    afterAll(async () => {
      for (const each of [standIn, gate, proxy]) each.stop()
      await elsewhere.stop()
    })

    test('a basic login: without one, with the wrong kind, with a wrong password, and right; answers come compressed', async () => {
      const none = await call(`${gate.plain}/guarded/`)
      expect(none.code).toBe(4)
      expect(plain(none.stderr)).toContain(
        'it offers basic; configured is nothing. Write in tolmach.yaml: credentials: { berths: { kind: basic, user: $BERTHS_USER, password: $BERTHS_PASSWORD } }, and below contracts.berths: credential: berths.',
      )
      expect(
        plain((await call(`${gate.plain}/guarded/`, ['--credential', 'digest'])).stderr),
      ).toContain('offers basic; configured is digest')
      expect(
        plain(
          (
            await call(`${gate.plain}/guarded/`, ['--credential', 'clerk'], {
              ...env,
              CLERK_PASSWORD: 'wrong one',
            })
          ).stderr,
        ),
      ).toContain('So the user or the secret is wrong')
      expect(await call(`${gate.plain}/guarded/`, ['--credential', 'clerk'])).toMatchObject({
        code: 0,
        stdout: 'Nordkai\n',
      })
      // Also from a file beside the project file, below the environment.
      await writeFile(join(folder, '.env'), `# ours\nCLERK="clerk"\nCLERK_PASSWORD=\`${secret}\`\n`)
      expect(await call(`${gate.plain}/guarded/`, ['--credential', 'clerk'], {})).toMatchObject({
        code: 0,
        stdout: 'Nordkai\n',
      })
      expect(
        (await call(`${gate.plain}/guarded/`, ['--credential', 'clerk'], { CLERK: 'nobody' })).code,
      ).toBe(4)
      const { headers } = JSON.parse(
        (await call(`${gate.plain}/guarded/`, ['--credential', 'clerk', '--json'])).stdout,
      ) as { headers: Record<string, string> }
      expect(headers['content-encoding']).toBe('gzip')
    })

    test("a private authority: told how to trust it, then trusted by a variable or by the site; a certificate of the client's own", async () => {
      const untrusted = await call(`${gate.secure}/open/`)
      expect(untrusted.code).toBe(4)
      expect(plain(untrusted.stderr)).toMatch(
        /certificate is not trusted.*its certificate is for localhost, 127\.0\.0\.1, signed by "Brackmouth Harbour Authority", and holds until \d{4}.*signed by nobody whom this machine trusts.*NODE_EXTRA_CA_CERTS=authority\.pem, or ca: authority\.pem under the site/,
      )
      expect(
        await call(`${gate.secure}/open/`, [], {
          ...env,
          NODE_EXTRA_CA_CERTS: gate.certificates.ca,
        }),
      ).toMatchObject({ code: 0, stdout: 'Nordkai\n' })
      const at = (site: string, ...words: string[]): Promise<Ran> =>
        tolmach(
          folder,
          [
            'call',
            'berths',
            'getBerth',
            '--with',
            'Code=N-1',
            '--at',
            site,
            '--pick',
            '$.Name',
            ...words,
          ],
          { env },
        )
      expect(await at('secure')).toMatchObject({ code: 0, stdout: 'Nordkai\n' })
      expect(await at('clerks')).toMatchObject({ code: 0, stdout: 'Nordkai\n' })
      expect(await at('clerks', '--credential', 'deskKey')).toMatchObject({
        code: 4,
        stderr: expect.stringContaining('HTTP 403') as unknown,
      })
      const wrongName = await call(gate.secure.replace('localhost', '127.0.0.2') + '/open/', [], {
        ...env,
        NODE_EXTRA_CA_CERTS: gate.certificates.ca,
      })
      expect(wrongName.code).toBe(4)
    })

    test('a proxy with a login, for http and for https; without it; and what NO_PROXY names goes straight', async () => {
      const through = (address: string): Record<string, string> => ({
        ...env,
        HTTP_PROXY: address,
        HTTPS_PROXY: address,
        NODE_EXTRA_CA_CERTS: gate.certificates.ca,
      })
      expect(await call(`${gate.plain}/open/`, [], through(proxy.address))).toMatchObject({
        code: 0,
        stdout: 'Nordkai\n',
      })
      expect(await call(`${gate.secure}/open/`, [], through(proxy.address))).toMatchObject({
        code: 0,
        stdout: 'Nordkai\n',
      })
      for (const url of [`${gate.plain}/open/`, `${gate.secure}/open/`]) {
        const refused = await call(url, [], through(proxy.host))
        expect(refused.code).toBe(4)
        expect(plain(refused.stderr)).toMatch(
          /HTTP 407.*proxy on the way wants to know who calls.*HTTPS_PROXY=http:\/\/user:password@host:port/,
        )
      }
      const nobody = `http://127.0.0.1:${await freePort()}`
      expect((await call(`${gate.plain}/open/`, [], through(nobody))).code).toBe(4)
      expect(
        await call(`${gate.plain}/open/`, [], {
          ...through(nobody),
          NO_PROXY: 'localhost,127.0.0.1',
        }),
      ).toMatchObject({ code: 0 })
    })

    test('redirects never carry a credential or a body to another origin', async () => {
      for (const [path, credential] of [
        ['moved', 'clerk'],
        ['found', 'clerk'],
        ['moved', 'deskKey'],
        ['found', 'deskKey'],
      ] as const)
        await call(`${gate.plain}/${path}/`, ['--credential', credential])
      // What asked to be sent again with its body was not sent on at all.
      expect(caught.map(({ method }) => method)).toEqual(['GET', 'GET'])
      for (const { headers, body } of caught) {
        expect(body).toBe('')
        expect(JSON.stringify(headers)).not.toMatch(/authorization|x-desk-key|4711|cookie/i)
      }
    })

    test('what is wrong with an address is told', async () => {
      const cases = [
        [
          `http://no-such-host.invalid/desk`,
          /name of the host.*Nobody knows the name|name of that host/,
        ],
        [gate.plain.replace(/\d+$/, String(await freePort())), /Nothing listens on port \d+/i],
        [gate.plain.replace('http:', 'https:'), /does not speak TLS.*http:\/\/ in front/],
        [
          gate.secure.replace('https:', 'http:').replace('localhost', '127.0.0.1'),
          /On your side: the port speaks TLS.*https:\/\/ in front/,
        ],
        [`${gate.plain}/login/`, /HTML page titled "Sign in".*a web page came instead of data/],
      ] as const
      for (const [url, pattern] of cases) {
        const { code, stderr } = await call(url)
        expect([1, 4, 5]).toContain(code)
        expect(plain(stderr)).toMatch(pattern)
      }
    })

    test('a slow service, and a published address that only its own network knows', async () => {
      const slow = await call(`${gate.plain}/slow/`, ['--timeout', '700ms'])
      expect(slow.code).toBe(4)
      expect(plain(slow.stderr)).toMatch(
        /within 0\.7 s\. Between you and the service: .*Allow more time with --timeout/,
      )
      const wsdl = (await readFile(join(repository, 'demo/berths/desk.wsdl'), 'utf8'))
        .replaceAll('http://desk.brackmouth.example/desk', 'http://deskhost/desk')
        .replaceAll('schemaLocation="', `schemaLocation="${join(repository, 'demo/berths')}/`)
      await writeFile(join(folder, 'inner.wsdl'), wsdl)
      const inner = await tolmach(folder, ['call', 'inner.wsdl', 'getBerth', '--with', 'Code=N-1'])
      expect(inner.code).toBe(4)
      expect(plain(inner.stderr)).toMatch(
        /"deskhost" looks like a name of the service's own network.*give it with --url, or under sites in tolmach\.yaml/,
      )
    })

    test('metadata behind a login: with a credential; asked once at a terminal; a login page is told as one', async () => {
      const wsdl = `${gate.plain}/guarded-desk?wsdl`
      expect(await tolmach(folder, ['import', wsdl, '--as', 'guarded'], { env })).toMatchObject({
        code: 4,
        stderr: expect.stringContaining('TM-2004') as unknown,
      })
      expect(
        await tolmach(folder, ['import', wsdl, '--as', 'guarded', '--credential', 'clerk'], {
          env,
        }),
      ).toMatchObject({ code: 0 })
      expect(
        await tolmach(folder, ['import', `${gate.plain}/login/`, '--as', 'page'], { env }),
      ).toMatchObject({ code: 4, stderr: expect.stringContaining('TM-2017') as unknown })
      if (!hasTerminal) return
      const { code, screen } = await atTerminal(
        folder,
        ['import', wsdl, '--as', 'asked'],
        [
          ['user at', 'clerk\r'],
          ['password: ', 'wrong\r'],
          ['does not take that login', ''],
          ['user at', 'clerk\r'],
          ['password: ', `${secret}\r`],
        ],
      )
      expect({ code, screen }).toEqual({
        code: 0,
        screen: expect.stringContaining('8 operations') as unknown,
      })
      expect(screen).not.toContain(secret)
      expect(screen).toContain('the variable ASKED_PASSWORD, or asked for')
      const project = await readFile(join(folder, 'tolmach.yaml'), 'utf8')
      expect(project).toContain('asked: { kind: basic, user: clerk, password: $ASKED_PASSWORD }')
      const remembered = await tolmach(
        folder,
        ['call', 'asked', 'getBerth', '--with', 'Code=N-1', '--url', `${gate.plain}/guarded/`],
        { env: { ...env, ASKED_PASSWORD: secret } },
      )
      expect(remembered).toMatchObject({ code: 0 })
      // Where no file of variables knows the login.
      const own = await freshFolder()
      await cp(folder, own, { recursive: true })
      await rm(join(own, '.env'), { force: true })
      const words = ['call', 'berths', 'listBerths', '--url', `${gate.plain}/guarded/`]
      const typed = (password: string): [string, string][] => [
        ['user of "clerk" (CLERK): ', 'clerk\r'],
        ['password of "clerk" (CLERK_PASSWORD): ', `${password}\r`],
      ]
      const calls = [
        ['wrong', secret],
        ['wrong', 'wrong', 'wrong'],
      ].map((passwords) =>
        atTerminal(own, [...words, '--credential', 'clerk'], passwords.flatMap(typed)),
      )
      expect(await Promise.all(calls)).toMatchObject([{ code: 0 }, { code: 4 }])
      for (const file of ['tolmach.yaml', 'snapshots/asked/index.json'])
        expect(await readFile(join(folder, file), 'utf8')).not.toContain(secret)
    })
  },
)

describe('credentials in the project file', () => {
  test.each([
    [
      'a password in the clear',
      'desk: { kind: basic, user: me, password: hush-hush }',
      /tolmach\.yaml:4:\d+ The password of the credential "desk" stands in the clear\. Write the name of a variable in its place, `password: \$DESK_PASSWORD`/,
    ],
    ['a kind that there is not', 'desk: { kind: magic }', /kind/],
    ['something that the kind has not', 'desk: { kind: bearer, token: $T, user: me }', /user/],
    ['something missing', 'desk: { kind: basic, user: me }', /password/],
    [
      'a variable that is not set',
      'desk: { kind: basic, user: me, password: $NO_SUCH_VARIABLE }',
      /TM-1023.*NO_SUCH_VARIABLE, which is not set/,
    ],
    [
      'another name',
      'dask: { kind: bearer, token: $T }',
      /TM-1024 There is no credential "desk".*Nearest: "dask"/,
    ],
  ])('%s is told with its remedy, and the secret is not', async (_what, entry, pattern) => {
    const folder = await freshFolder()
    await writeFile(
      join(folder, 'tolmach.yaml'),
      `tolmach: 1\ncontracts: {}\ncredentials:\n  ${entry}\n`,
    )
    const { code, stderr } = await tolmach(folder, [
      'import',
      'http://127.0.0.1:1/desk?wsdl',
      '--as',
      'berths',
      '--credential',
      'desk',
    ])
    expect(code).toBe(2)
    expect(plain(stderr)).toMatch(pattern)
    expect(stderr).not.toContain('hush-hush')
  })
})

import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints, runBundled } from '../support/compilers.js'
import { freePort } from '../support/nginx.js'
import { freshFolder, isReached, repository, tolmach, tolmachJson } from '../support/program.js'

/**
 * PHP's own SOAP server, which knows nothing of us, publishes services from fixtures; the generated
 * clients call every operation.
 */
const services = ['encoded', 'literal', 'document'] as const

function hasPhp(): boolean {
  try {
    return /^soap$/im.test(execFileSync('php', ['-m'], { encoding: 'utf8' }))
  } catch {
    return false
  }
}

const isThere = process.env['TOLMACH_WANTS_PHP'] === '1' || hasPhp()

;(isThere ? describe : describe.skip)(
  'an independent SOAP server: PHP (left out where it is not installed)',
  () => {
    let folder: string
    let base: string
    let php: ChildProcess
    beforeAll(async () => {
      folder = await freshFolder()
      base = `http://127.0.0.1:${await freePort()}`
      php = spawn(
        'php',
        ['-S', base.slice('http://'.length), join(repository, 'tests/fixtures/php/server.php')],
        { stdio: 'ignore' },
      )
      await isReached(base)
      for (const name of services) {
        const { stderr, code } = await tolmach(folder, [
          'import',
          join(repository, `tests/fixtures/php/${name}.wsdl`),
          '--as',
          name,
        ])
        expect(`${code} ${stderr.replace(/\n[\s\S]*/, '')}`).toBe('0 ')
      }
      expect((await tolmach(folder, ['generate'])).code).toBe(0)
    })
    afterAll(() => void php.kill())

    const call = async (
      name: string,
      operation: string,
      input: object,
    ): Promise<{ value: unknown; deviations: string[] }> => {
      await writeFile(join(folder, 'input.json'), JSON.stringify(input))
      const called = await tolmachJson(folder, [
        'call',
        name,
        operation,
        '--input',
        'input.json',
        '--url',
        `${base}/${name}`,
      ])
      return {
        value: called['value'],
        deviations: (called['deviations'] as { path: string; message: string }[]).map(
          ({ path, message }) => `${path} ${message}`,
        ),
      }
    }
    const crate = {
      Number: '9007199254740993',
      Contents: 'Ropes & <twine> é',
      Weight: '12.50',
      Landed: null,
      Fragile: true,
      Quay: 'South',
      Marks: ['a', ' b '],
    }

    test('the clients compile', async () =>
      expect(await complaints(folder, { skipLibCheck: true })).toBe(''))

    test.each(['encoded', 'literal'] as const)(
      'rpc/%s: records and arrays there and back, several outputs, a fault',
      async (name) => {
        const added = await call(name, 'add', { crate, copies: 2 })
        expect(added.value).toEqual([
          { ...crate, Contents: 'Ropes & <twine> é (0)' },
          { ...crate, Contents: 'Ropes & <twine> é (1)' },
        ])
        expect(
          (await call(name, 'add', { crate: { ...crate, Marks: [] }, copies: 0 })).value,
        ).toEqual([])
        expect(
          (
            await call(name, 'total', {
              crates: [crate, { ...crate, Weight: '0.125', Landed: '2026-11-23T08:00:00Z' }],
            })
          ).value,
        ).toEqual({ total: '12.625', count: 2 })
        const refused = await tolmach(folder, [
          'call',
          name,
          'refuse',
          '--with',
          'reason=late',
          '--url',
          `${base}/${name}`,
          '--json',
        ])
        expect({ code: refused.code, ...(JSON.parse(refused.stdout) as object) }).toMatchObject({
          code: 1,
          failure: {
            kind: 'fault',
            message: expect.stringContaining('Refused: late'),
            faultCode: 'Client',
          },
        })
      },
    )

    test('one object twice in an answer: PHP writes a reference, which is followed, and told where the contract promised none', async () => {
      const encoded = await call('encoded', 'twice', { crate })
      expect(encoded).toEqual({ value: { Left: crate, Right: crate }, deviations: [] })
      const literal = await call('literal', 'twice', { crate })
      expect(literal).toEqual({
        value: { Left: crate, Right: crate },
        deviations: ['pair.Right refers to another element, as only encoded messages do'],
      })
    })

    test('a user name token in the header, as text and as digest, which PHP works out for itself', async () => {
      await writeFile(
        join(folder, 'src/who.ts'),
        `import { connect as plainConnect, leave, settingsFrom, type Connection, type Settings } from './clients/document/index.js'
import { wsseLogin } from './clients/document/logins.js'
const connect = (settings: Settings): Connection => plainConnect({ ...settings, logins: [wsseLogin] })
declare const process: { argv: string[]; env: Record<string, string | undefined> }
const url = process.argv[2] ?? ''
const who = (user: string, password: string, digest?: boolean): Promise<unknown> => leave(connect({ url, credential: { kind: 'wsse', user, password, ...(digest === undefined ? {} : { digest }) } }), { Name: 'who' })
const asked = [() => who('Åse', 'héslo <1>'), () => who('Åse', 'héslo <1>', true), () => who('Åse', 'wrong', true), () => leave(connect({ url }), { Name: 'who' }),
  () => leave(connect({ url, ...settingsFrom({ QUAYS_WSSE_USER: 'Åse', QUAYS_WSSE_PASSWORD: 'héslo <1>', QUAYS_WSSE_DIGEST: 'true' }, 'QUAYS') }), { Name: 'who' })]
for (const ask of asked) await ask().catch((error: unknown) => console.log(error instanceof Error ? error.message : error))
`,
      )
      expect(await runBundled(folder, 'src/who.ts', `${base}/document`)).toBe(
        'It is Åse by text.\nIt is Åse by digest.\nThe token is wrong.\nIt is nobody.\nIt is Åse by digest.\n',
      )
    })

    test('document/literal over SOAP 1.2: a subtype, bytes, repeated elements, a declared fault', async () => {
      const moored = {
        Vessel: { $is: 'Tug', Name: 'Sturdy & Co', Draught: '4.10', Pull: 65.5 },
        Since: '2026-11-23',
        Seal: 'AQID',
        Lines: [1, 2, 3],
      }
      expect((await call('document', 'moor', moored)).value).toEqual(moored)
      expect(
        (await call('document', 'moor', { Vessel: { Name: '', Draught: null } })).value,
      ).toMatchObject({ Vessel: { Name: '', Draught: null } })
      expect((await call('document', 'leave', { Name: 'Polaire' })).value).toBeNull()
      const stuck = await tolmach(folder, [
        'call',
        'document',
        'leave',
        '--with',
        'Name=Sturdy',
        '--url',
        `${base}/document`,
        '--json',
      ])
      expect(JSON.parse(stuck.stdout)).toMatchObject({
        failure: {
          kind: 'fault',
          fault: 'Stuck',
          detail: { Name: 'Sturdy', Until: '2026-12-01' },
          message: expect.stringContaining('The tug is stuck.'),
        },
      })
    })
  },
)

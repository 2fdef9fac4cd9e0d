import { execFileSync, spawn, type ChildProcess } from 'node:child_process'
import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals'
import { complaints } from '../support/compilers.js'
import { freePort } from '../support/nginx.js'
import { freshFolder, isReached, repository, tolmach, tolmachJson } from '../support/program.js'

/**
 * Perl's SOAP server, which reads encoded messages without their description and writes answers as
 * it sees fit: names, types and namespaces of its own.
 */
function hasPerl(): boolean {
  try {
    execFileSync('perl', ['-MSOAP::Transport::HTTP', '-e', '1'], { stdio: 'ignore' })
    return true
  } catch {
    return false
  }
}

const isThere = process.env['TOLMACH_WANTS_SERVERS'] === '1' || hasPerl()

;(isThere ? describe : describe.skip)(
  'an independent SOAP server: Perl (left out where it is not installed)',
  () => {
    let folder: string
    let url: string
    let perl: ChildProcess
    beforeAll(async () => {
      folder = await freshFolder()
      const fixtures = join(repository, 'tests/fixtures/perl')
      const port = await freePort()
      url = `http://127.0.0.1:${String(port)}/`
      perl = spawn('perl', [join(fixtures, 'server.pl'), String(port)], { stdio: 'ignore' })
      await isReached(url)
      await tolmach(folder, ['import', join(fixtures, 'locks.wsdl')])
      await tolmach(folder, ['generate'])
    })
    afterAll(() => void perl.kill())

    const call = async (
      operation: string,
      input: object,
    ): Promise<{ value: unknown; deviations: Set<string> }> => {
      await writeFile(join(folder, 'input.json'), JSON.stringify(input))
      const { value, deviations } = await tolmachJson(folder, [
        ...['call', 'locks', operation, '--input', 'input.json', '--url', url],
      ])
      const told = deviations as { message: string }[]
      return { value, deviations: new Set(told.map(({ message }) => message)) }
    }
    const lock = { Name: 'Ropes & twine', Length: 1.5, Built: 1920, Open: true, Levels: [1, -2] }
    const qualified = 'is in the namespace "urn:brackmouth:locks", where the contract promised none'

    test('the client compiles; a record that requires itself may leave that out', async () =>
      expect(await complaints(folder, { skipLibCheck: true })).toBe(''))

    test('what Perl sees: every value of its type, nothing where nothing was sent', async () => {
      const sent = { ...lock, Open: false, Next: { Name: '007', Levels: [], Next: null } }
      expect((await call('seen', { lock: sent })).value).toBe(
        'Lock{Built=1920, Length=1.5, Levels=[1, -2], Name=Ropes & twine, Next=Lock{Levels=[], Name=007, Next=nothing}, Open=0}',
      )
      expect(await call('sum', { levels: [1, 2, 39] })).toEqual({
        value: 42,
        deviations: new Set(),
      })
    })

    test('the returned value is the first, whatever it is called; a name without its namespace is told', async () => {
      expect(await call('echo', { lock })).toEqual({
        value: lock,
        deviations: new Set([
          'names its type "namesp1:Lock" without the right namespace',
          qualified,
        ]),
      })
    })

    test('members that are left out, or nil, are no deviation', async () => {
      expect(await call('flight', { lock: { Name: 'A', Length: 2 }, count: 2 })).toEqual({
        value: [
          { Name: 'A 1', Length: 2, Open: null },
          { Name: 'A 2', Length: 4, Open: null },
        ],
        deviations: new Set([qualified]),
      })
    })

    test('one record twice is written once, and referred to', async () => {
      const { value } = await call('ring', { lock: { Name: 'A' } })
      expect(value).toEqual([{ Name: 'A' }, { Name: 'A' }])
    })

    test('texts with letters beyond ASCII come as bytes, are read as the texts that they are, and told', async () => {
      const { value, deviations } = await call('echo', { lock: { Name: 'Åse – 鎖' } })
      expect(value).toEqual({ Name: 'Åse – 鎖' })
      expect([...deviations]).toContain('is sent as bytes, and read as the text that they make')
    })

    test('a fault with a detail that nobody declared', async () => {
      const { code, stdout } = await tolmach(folder, [
        ...['call', 'locks', 'close', '--with', 'reason=é', '--url', url, '--json'],
      ])
      expect({ code, ...(JSON.parse(stdout) as object) }).toMatchObject({
        code: 1,
        failure: {
          kind: 'fault',
          faultCode: 'Client.Locked',
          message: expect.stringContaining('Locked: é'),
        },
      })
    })
  },
)

import { execFile } from 'node:child_process'
import { chmod, readdir, symlink, writeFile } from 'node:fs/promises'
import { createServer, type AddressInfo, type Server } from 'node:net'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import fc from 'fast-check'
import { curlLine } from '../../src/exercise/curl.js'
import { freshFolder } from '../support/program.js'

const execute = promisify(execFile)

let folder: string
let server: Server
let heard = ''
let url: string

/**
 * A folder for programs in which there is curl, and `evil`, which leaves a file behind when
 * somebody starts it.
 */
beforeAll(async () => {
  folder = await freshFolder()
  const { stdout } = await execute('/bin/sh', ['-c', 'command -v curl'])
  await symlink(stdout.trim(), join(folder, 'curl'))
  await writeFile(join(folder, 'evil'), `#!/bin/sh\n: > '${folder}/evil-was-started'\n`)
  await chmod(join(folder, 'evil'), 0o755)
  server = createServer((socket) => {
    let all = Buffer.alloc(0)
    socket.on('data', (chunk: Buffer) => {
      all = Buffer.concat([all, chunk])
      heard = all.toString()
      const [head = '', ...body] = heard.split('\r\n\r\n')
      const length = Number(/^content-length: (\d+)$/im.exec(head)?.[1] ?? 0)
      if (heard.includes('\r\n\r\n') && Buffer.byteLength(body.join('\r\n\r\n')) >= length)
        socket.end('HTTP/1.1 204 No Content\r\n\r\n')
    })
    socket.on('error', () => undefined)
  })
  await new Promise<void>((done) => server.listen(0, '127.0.0.1', done))
  url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(() => void server.close())

/**
 * What a server hears when bash runs the line: the request line, headers in lower case, and the
 * body.
 */
async function run(
  line: string,
  variables: readonly string[],
): Promise<{ request: string; headers: string[]; body: string }> {
  heard = ''
  const env = {
    PATH: folder,
    ...Object.fromEntries(variables.map((name) => [name, 'from-the-environment'])),
  }
  await execute('/bin/bash', ['--noprofile', '--norc', '-c', line], { env, cwd: folder })
  const [head = '', ...body] = heard.split('\r\n\r\n')
  const [request = '', ...headers] = head.split('\r\n')
  return { request, headers, body: body.join('\r\n\r\n') }
}

const escapes = [
  '$(evil)',
  '`evil`',
  ';evil;',
  '|evil',
  '&evil&',
  "'evil'",
  '";evil;"',
  '\nevil\n',
  '$PATH',
  '!!',
  '*',
  '~',
  '{a,b}',
  '[1-3]',
  '\\',
  '@/etc/hostname',
  '-o evil',
  '<(evil)',
  '#',
  "'\\'';evil",
  '%24(evil)',
]
const token = fc.constantFrom(
  'GET',
  'Q$U',
  'A`evil`',
  "A'evil'",
  'A|evil',
  'A&evil',
  '!B',
  '#C',
  '*',
  '~',
  '-o',
  '$PATH',
)
const text = fc
  .array(fc.oneof(fc.constantFrom(...escapes), fc.string({ maxLength: 6 })), { maxLength: 4 })
  .map((parts) => parts.join(''))
const headerText = text.map((value) => value.replace(/[^ -~]/g, '').trim())

test('bash sends what was to be sent, and starts curl alone, whatever stands in the request', async () => {
  await fc.assert(
    fc.asyncProperty(
      token,
      fc.uniqueArray(
        fc.tuple(
          token.map((name) => `x-${name.toLowerCase()}`),
          headerText,
        ),
        { selector: ([name]) => name, maxLength: 3 },
      ),
      text,
      text.map((body) => body.replaceAll('\0', '')),
      async (method, headers, path, body) => {
        const target = new URL(`/a?b=${path}`, url).href
        const request = {
          method,
          url: target,
          headers: { ...Object.fromEntries(headers), 'x-`evil`-key': 'a secret' },
          body,
        }
        const { line, variables } = curlLine(request, 'QUAY')
        const came = await run(line, variables)
        expect(came.request).toBe(
          `${method} ${target.slice(url.length).replace(/#.*$/s, '')} HTTP/1.1`,
        )
        for (const [name, value] of headers)
          expect(came.headers).toContain(`${name}:${value === '' ? '' : ` ${value}`}`)
        expect(came.headers).toContain('x-`evil`-key: from-the-environment')
        expect(came.body).toBe(body)
      },
    ),
    { numRuns: 120 },
  )
  expect((await readdir(folder)).sort()).toEqual(['curl', 'evil'])
})

import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { describe, expect, test } from '@jest/globals'
import { parse } from 'yaml'
import { freshFolder, repository, startStandIn, tolmach } from '../support/program.js'

const worlds = [
  ['berths/desk.wsdl', 'reserveBerth'],
  ['ferries/openapi.yaml', 'bookings.create'],
  ['ferries/openapi.yaml', 'bookings.lash'],
  ['registry/registry.xml', 'Vessels.create'],
  ['cargo/cargo.xml', 'Crates.create'],
] as const

describe.each(worlds)('a sample of %s %s', (document, operation) => {
  test.each([false, true])(
    "as YAML says the same as JSON (full: %s), tells each field's type, and is taken as it stands",
    async (full) => {
      const folder = await freshFolder()
      const path = join(repository, 'demo', document)
      const words = ['sample', path, operation, ...(full ? ['--full'] : [])]
      const json = JSON.parse((await tolmach(folder, words)).stdout) as Record<string, unknown>
      const { stdout } = await tolmach(folder, [...words, '--format', 'yaml'])
      expect(parse(stdout)).toEqual(json)
      expect(stdout.startsWith(`# ${operation}\n`)).toBe(true)
      // Every field has its comment, behind it or above it.
      const lines = stdout.split('\n')
      for (const [at, line] of lines.entries())
        if (/^ *\w+:/.test(line) && !/^ *\$/.test(line))
          expect(line + (lines[at - 1] ?? '')).toContain('#')
      await writeFile(join(folder, 'input.yaml'), stdout)
      const standIn = await startStandIn(document)
      const { stderr } = await tolmach(folder, [
        'call',
        path,
        operation,
        '--input',
        'input.yaml',
        '--url',
        standIn.service,
      ])
      standIn.stop()
      // The service may well refuse it, for its own reasons; the contract does not.
      expect(stderr).not.toMatch(/TM-1013|TM-9001/)
    },
  )
})

test("what can't be made is said, with its place; what the other option would add is told", async () => {
  const folder = await freshFolder()
  const schema = {
    type: 'object',
    required: ['code', 'never'],
    properties: {
      code: { type: 'string', pattern: '^[A-Z]{3}-\\d$' },
      never: { type: 'string', pattern: '^a$', minLength: 3 },
      note: { type: 'string' },
    },
  }
  await writeFile(
    join(folder, 'odd.json'),
    JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Odd', version: '1' },
      servers: [{ url: 'http://quay.example' }],
      paths: {
        '/a': {
          post: {
            operationId: 'a',
            requestBody: { required: true, content: { 'application/json': { schema } } },
            responses: { 204: { description: 'd' } },
          },
        },
      },
    }),
  )
  const { code, stdout, stderr } = await tolmach(folder, [
    'sample',
    'odd.json',
    'a',
    '--format',
    'yaml',
  ])
  expect(code).toBe(0)
  expect(stderr).toMatch(/^to be filled in {2}body\.never {2}no text was found that matches \^?a/)
  expect(stderr).not.toContain('body.code')
  expect(stdout).toContain('may be added: note (text)')
})

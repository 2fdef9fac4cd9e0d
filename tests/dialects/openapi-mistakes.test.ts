import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { parse } from 'yaml'
import { noNames } from '../../src/contract/kept-names.js'
import { Problem } from '../../src/contract/problem.js'
import { operationsOf } from '../../src/contract/queries.js'
import { http } from '../../src/dialects/http/index.js'
import { readOpenApi } from '../../src/dialects/http/reader.js'
import { documentsOf } from '../../src/documents/documents.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { assignNames } from '../../src/naming/names.js'
import { clientFiles } from '../../src/typescript/client.js'
import { repository } from '../support/program.js'

const folder = join(repository, 'tests/fixtures/openapi')
const fixtures = readdirSync(folder)
  .filter((name) => /\.\w+$/.test(name))
  .map((name) => parse(readFileSync(join(folder, name), 'utf8'), { merge: true }) as object)
/** It was found to break once: a discriminator whose member is null. */
const telling = fixtures.find((each) => JSON.stringify(each).includes('that tell their children'))
const junk = [
  null,
  [],
  {},
  'x',
  '',
  5,
  -1,
  true,
  false,
  ['x'],
  { a: 1 },
  { $ref: '#/components/schemas/Boat' },
  { $ref: '#/nowhere' },
  { $ref: 5 },
  { type: 5 },
  [[]],
  { type: ['object', 5] },
  'object',
]

/**
 * Puts something that does not belong there into a description: down a way of steps, each a share
 * of the members that there are.
 */
function spoiled(document: object, way: readonly number[], wrong: unknown): object {
  const copy = structuredClone(document) as Record<string, unknown>
  let [holder, name]: [Record<string, unknown> | undefined, string] = [undefined, '']
  let node: unknown = copy
  for (const step of way) {
    const names = typeof node === 'object' && node !== null ? Object.keys(node) : []
    if (names.length === 0) break
    holder = node as Record<string, unknown>
    name = names[Math.floor(step * names.length)] ?? ''
    node = holder[name]
  }
  if (holder !== undefined && name !== 'openapi' && name !== 'swagger')
    holder[name] = structuredClone(wrong)
  return copy
}

test('whatever stands where it should not, a description is read and generated with notes, or refused with a place', async () => {
  const steps = fc.array(fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true }), {
    minLength: 2,
    maxLength: 12,
  })
  const counts = { read: 0, refused: 0 }
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom(...fixtures),
      fc.array(fc.tuple(steps, fc.constantFrom(...junk)), { minLength: 1, maxLength: 3 }),
      async (fixture, mistakes) => {
        const text = JSON.stringify(
          mistakes.reduce((document, [way, wrong]) => spoiled(document, way, wrong), fixture),
        )
        const document = {
          label: 'api.json',
          from: '/api.json',
          bytes: new Uint8Array(),
          text,
          refers: new Map<string, string>(),
        }
        try {
          const contract = await readOpenApi(documentsOf([document], 'api.json'), 'api')
          const runtime = new Proxy<Record<string, string>>({}, { get: () => '' })
          clientFiles(
            contract,
            assignNames(contract, noNames, http.emit.reservedNames(contract)),
            http,
            {
              contractName: 'api',
              runtime,
              sources: {},
              inputs: '',
              importSuffix: '.js',
              sample: () => ({}),
            },
          )
          for (const operation of operationsOf(contract))
            for (const full of [false, true])
              sampleInput(contract, operation, { full, rules: http.rules?.(contract) })
          http.play(contract)
          counts.read += 1
        } catch (error) {
          if (!(error instanceof Problem)) throw error
          expect(error.place).toMatchObject({ document: 'api.json' })
          counts.refused += 1
        }
      },
    ),
    { numRuns: 700, examples: [[telling ?? {}, [[[0.8, 0, 0, 0.75, 0], null]]]] },
  )
  expect(counts.read).toBeGreaterThan(450)
})

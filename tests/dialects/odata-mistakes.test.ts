import { readdirSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import fc from 'fast-check'
import { noNames } from '../../src/contract/kept-names.js'
import { Problem } from '../../src/contract/problem.js'
import { operationsOf } from '../../src/contract/queries.js'
import { odata } from '../../src/dialects/odata/index.js'
import { documentsOf } from '../../src/documents/documents.js'
import { sampleInput } from '../../src/exercise/sample.js'
import { assignNames } from '../../src/naming/names.js'
import { clientFiles } from '../../src/typescript/client.js'
import { repository } from '../support/program.js'

const folder = join(repository, 'tests/fixtures/odata')
const fixtures = readdirSync(folder).map((name) => readFileSync(join(folder, name), 'utf8'))
const junk = [
  '',
  ' ',
  'x',
  '.',
  'a.b.c',
  '/',
  'Collection(',
  'Collection(Collection(Edm.Int32))',
  'Edm.Nothing',
  'true',
  '-1',
  '99999999999999999999',
  '__proto__',
  'constructor',
  '*',
  '('.repeat(50),
]

/**
 * One mistake: a value that stands elsewhere or makes no sense, an attribute or an element that is
 * gone, there twice, or called otherwise.
 */
function spoiled(text: string, kind: number, at: number, from: number, wrong: string): string {
  const attributes = [
    ...text.matchAll(/(?<= )(?!xmlns)[\w:]+="([^"]*)"|"(\$?[\w.@]+)"(?=: "([^"]*)")/g),
  ]
  const elements = [
    ...text.matchAll(
      /<(?!\/|!|edmx:Edmx|Schema)[\w:]+[^<>]*\/>|"\$?[\w.@]+": (?:"[^"]*"|\d+|true|false),/g,
    ),
  ]
  const pick = <T>(items: readonly T[], share: number): T | undefined =>
    items[Math.floor(share * items.length)]
  const replace = (found: RegExpMatchArray | undefined, by: (text: string) => string): string =>
    found === undefined
      ? text
      : text.slice(0, found.index) + by(found[0]) + text.slice((found.index ?? 0) + found[0].length)
  const value = (pick(attributes, from)?.[1] ?? wrong).replaceAll('$', '')
  if (kind === 0)
    return replace(pick(attributes, at), (each) => each.replace(/"[^"]*"$/, `"${wrong}"`))
  if (kind === 1)
    return replace(pick(attributes, at), (each) => each.replace(/"[^"]*"$/, `"${value}"`))
  if (kind === 2) return replace(pick(attributes, at), () => '')
  if (kind === 3) return replace(pick(elements, at), () => '')
  if (kind === 4) return replace(pick(elements, at), (each) => each + each)
  return replace(pick(elements, at), () => pick(elements, from)?.[0] ?? '')
}

test('whatever stands where it should not, metadata is read and generated with notes, or refused with a place', async () => {
  const share = fc.double({ min: 0, max: 1, maxExcluded: true, noNaN: true })
  const counts = { read: 0, refused: 0 }
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom(...fixtures),
      fc.array(fc.tuple(fc.nat(5), share, share, fc.constantFrom(...junk)), {
        minLength: 1,
        maxLength: 3,
      }),
      async (fixture, mistakes) => {
        const text = mistakes.reduce(
          (all, [kind, at, from, wrong]) => spoiled(all, kind, at, from, wrong),
          fixture,
        )
        const document = {
          label: 'metadata.xml',
          from: '/metadata.xml',
          bytes: new Uint8Array(),
          text,
          refers: new Map<string, string>(),
        }
        try {
          const contract = await odata.read(documentsOf([document], 'metadata.xml'), 'service')
          const runtime = new Proxy<Record<string, string>>({}, { get: () => '' })
          clientFiles(
            contract,
            assignNames(contract, noNames, odata.emit.reservedNames(contract)),
            odata,
            {
              contractName: 'service',
              runtime,
              sources: {},
              inputs: '',
              importSuffix: '.js',
              sample: () => ({}),
            },
          )
          for (const operation of operationsOf(contract))
            for (const full of [false, true])
              sampleInput(contract, operation, { full, rules: undefined })
          odata.play(contract)
          counts.read += 1
        } catch (error) {
          if (!(error instanceof Problem)) throw error
          expect(error.place).toMatchObject({ document: 'metadata.xml' })
          counts.refused += 1
        }
      },
    ),
    { numRuns: 600 },
  )
  expect(counts.read).toBeGreaterThan(250)
})

import { writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import * as fc from 'fast-check'
import { draftOf } from '../../src/draft/draft.js'
import { yamlDraft } from '../../src/draft/yaml-draft.js'
import { complaints } from '../support/compilers.js'
import { recorded } from '../support/drafting.js'
import { freshFolder, tolmach } from '../support/program.js'

/** Names that are awkward in YAML, in schemas or in programs. */
const names = fc.constantFrom(
  ...['a', 'type', 'items', '17', '18', '19', '', '$ref', '__proto__', 'constructor'],
  ...['a b', 'class', '*/', '${x}', "'", 'ä', '# no comment'],
)
const leaves = fc.oneof(
  fc.constantFrom(null, true, 0, 1.5, 2 ** 53, 'rising', '2027-07-15', '*/ alert(1)', 'a: b # c'),
  fc.string({ maxLength: 5 }),
)
const { value } = fc.letrec((tie) => ({
  value: fc.oneof(
    { maxDepth: 4 },
    leaves,
    fc.array(tie('value'), { maxLength: 4 }),
    fc.dictionary(names, tie('value'), { maxKeys: 5 }),
  ),
}))

test('whatever is drafted can be imported, and its client compiles under the strictest settings', async () => {
  const folder = await freshFolder()
  const path = fc.constantFrom('/things', '/things/17', '/others', '/*%2F/x')
  const sets = fc.sample(fc.array(fc.tuple(path, value), { minLength: 1, maxLength: 8 }), 15)
  for (const [at, answers] of sets.entries()) {
    const { description } = draftOf(
      answers.map(([address, answer]) => recorded('GET', address, JSON.stringify(answer))),
    )
    await writeFile(join(folder, `d${String(at)}.yaml`), yamlDraft(description, ['*/ # drafted']))
    const ran = await tolmach(folder, ['import', `d${String(at)}.yaml`, '--as', `d${String(at)}`])
    expect([ran.code, ran.code === 0 ? '' : ran.stderr, answers]).toEqual([0, '', answers])
  }
  const made = await tolmach(folder, ['generate'])
  expect([made.code, made.code === 0 ? '' : made.stderr]).toEqual([0, ''])
  expect(await complaints(folder)).toBe('')
}, 120_000)

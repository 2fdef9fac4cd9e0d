import { relative } from 'node:path'
import { expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import { placeOf } from '../../src/documents/places.js'
import { metadataFiles } from '../support/contracts.js'
import { repository } from '../support/program.js'

/** Objects of a contract with their paths, what only the dialect looks into left out. */
function* objectsIn(value: unknown, path = ''): Generator<[string, Record<string, unknown>]> {
  if (typeof value !== 'object' || value === null) return
  if (!Array.isArray(value)) yield [path, value as Record<string, unknown>]
  for (const [key, member] of Object.entries(value))
    if (key !== 'specifics' && key !== 'wire' && key !== 'notes')
      yield* objectsIn(member, `${path}/${key}`)
}

test('only what bears a name says where it was declared, as one number that is a place in its documents', async () => {
  let counted = 0
  const astray = new Set<string>()
  for (const file of await metadataFiles()) {
    const read = await readSource(file, 'x').catch(() => undefined)
    if (read === undefined) continue
    for (const [path, each] of objectsIn(read.contract)) {
      if (!('origin' in each)) continue
      const where = `${relative(repository, file)} ${path}`
      expect([where, typeof each['origin']]).toEqual([where, 'number'])
      if (!['name', 'value', 'path'].some((key) => key in each)) astray.add(where)
      placeOf(read.documents.all(), each['origin'] as number)
      counted += 1
    }
  }
  expect([...astray]).toEqual([])
  expect(counted).toBeGreaterThan(3000)
})

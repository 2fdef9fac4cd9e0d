import { readFile, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { readSource } from '../../src/app/contracts/read-source.js'
import { cacheFolder } from '../../src/project/cache.js'
import { readContract, writeContract } from '../../src/project/stored-contract.js'
import { freshFolder, repository } from '../support/program.js'

const before = process.env['XDG_CACHE_HOME']
beforeAll(async () => {
  process.env['XDG_CACHE_HOME'] = await freshFolder()
})
afterAll(() => {
  if (before === undefined) delete process.env['XDG_CACHE_HOME']
  else process.env['XDG_CACHE_HOME'] = before
})

test('a contract comes back as it was kept, whatever its types are called; a broken one is none', async () => {
  const { contract } = await readSource(join(repository, 'demo/berths/desk.wsdl'), 'berths')
  const [first] = Object.values(contract.types)
  const named = Object.fromEntries(
    ['__proto__', 'a\tb', 'c\nd', 'constructor'].map((id) => [id, { ...first, id }]),
  )
  const whole = { ...contract, types: { ...contract.types, ...named } }
  Object.defineProperty(whole.types, '__proto__', {
    value: { ...first, id: '__proto__' },
    enumerable: true,
  })
  await writeContract('kept', whole as typeof contract)
  const read = await readContract('kept')
  expect(Object.keys(read?.types ?? {})).toEqual(Object.keys(whole.types))
  expect(JSON.stringify(read?.types)).toBe(JSON.stringify(whole.types))
  expect({ ...read, types: {} }).toEqual({ ...JSON.parse(JSON.stringify(contract)), types: {} })
  // What was read once is the same thing from then on.
  expect(read?.types[first?.id ?? '']).toBe(read?.types[first?.id ?? ''])
  expect(await readContract('nothing')).toBeUndefined()

  const file = join(cacheFolder(), 'kept')
  const text = await readFile(file, 'utf8')
  for (const cut of [text.length - 2, Math.floor(text.length / 2), 10]) {
    await writeFile(file, text.slice(0, cut))
    expect(await readContract('kept')).toBeUndefined()
  }
})

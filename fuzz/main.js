// Reads documents with mistakes, as many as wished: npm run fuzz -- --count 300 --seed 1
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import { join } from 'node:path'
import process from 'node:process'
import { parseArgs } from 'node:util'
import { randomFrom } from './mutations.js'

const { values } = parseArgs({ options: { count: { type: 'string', default: '300' }, seed: { type: 'string', default: '1' } } })
const [count, first] = [Number(values.count), Number(values.seed)]

// The core writes nothing, whatever it reads.
let written = 0
for (const name of ['writeFile', 'mkdir', 'rename', 'rm', 'cp', 'unlink']) fs.promises[name] = () => Promise.reject(new Error(`${name}, number ${String((written += 1))}`))
syncBuiltinESMExports()

const { outcomeOf, readFixtures, spoiled } = await import('./documents.js')
const fixtures = await readFixtures(join(import.meta.dirname, '..', 'tests', 'fixtures'))
const outcomes = new Map()
const failures = []
let slowest = 0
for (let seed = first; seed < first + count; seed += 1) {
  const random = randomFrom(seed)
  const fixture = fixtures[Math.floor(random() * fixtures.length)]
  const text = spoiled(fixture, random)
  try {
    const { result, milliseconds } = await outcomeOf(fixture, text)
    outcomes.set(result, (outcomes.get(result) ?? 0) + 1)
    slowest = Math.max(slowest, milliseconds)
    // A mistake may make a document mean more, but not without end.
    if (milliseconds > 3000 + 20 * fixture.milliseconds) failures.push(`seed ${String(seed)}, ${fixture.name}: took ${milliseconds.toFixed(0)} ms, without mistakes ${fixture.milliseconds.toFixed(0)}`)
  } catch (error) {
    failures.push(`seed ${String(seed)}, ${fixture.name}: ${error.stack?.split('\n').slice(0, 4).join('\n    ')}`)
  }
}
if (written > 0) failures.push(`${String(written)} files would have been written`)
const refused = [...outcomes].filter(([result]) => result !== 'read').sort((a, b) => b[1] - a[1])
console.log(`${String(count)} documents from ${String(fixtures.length)}: ${String(outcomes.get('read') ?? 0)} read, ${String(refused.reduce((sum, [, times]) => sum + times, 0))} refused (${refused.slice(0, 8).map(([code, times]) => `${code} ${String(times)}`).join(', ')}), ${String(failures.length)} failed; the slowest took ${slowest.toFixed(0)} ms, memory at most ${(process.resourceUsage().maxRSS / 1024).toFixed(0)} MB`)
for (const failure of failures.slice(0, 20)) console.log(failure)
process.exitCode = failures.length === 0 ? 0 : 1

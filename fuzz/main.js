// Reads documents, answers and requests with mistakes, as many of each as wished: npm run fuzz --
// --count 300 --seed 1 [--of answers]
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import { join } from 'node:path'
import process from 'node:process'
import { parseArgs } from 'node:util'
import { metadataFiles, outcomeOf, readFixtures, spoiled } from './documents.js'
import { answerOutcome, requestOutcome, startFixtures } from './exchanges.js'
import { pick, randomFrom } from './mutations.js'
import { processorTime } from './processor-time.js'

const folder = join(import.meta.dirname, '..', 'tests', 'fixtures')
const { values } = parseArgs({
  options: {
    count: { type: 'string', default: '300' },
    seed: { type: 'string', default: '1' },
    of: { type: 'string', multiple: true, default: ['documents', 'answers', 'requests'] },
  },
})
const [count, first] = [Number(values.count), Number(values.seed)]

/** What becomes of each kind of thing with mistakes: `try` one, and how long it may take. */
const kinds = {
  async documents() {
    const fixtures = await readFixtures(folder)
    const attempt = async (random) => {
      const fixture = pick(fixtures, random)
      // A mistake may make a document mean more, but not without end.
      return {
        of: fixture.name,
        outcome: await outcomeOf(fixture, spoiled(fixture, random)),
        limit: 3000 + 20 * fixture.milliseconds,
      }
    }
    return { attempt, fixtures: fixtures.length }
  },
  answers: () => exchanges(answerOutcome),
  requests: () => exchanges(requestOutcome),
}

/** Answers and requests go through the same clients, which take long to make. */
let started
async function exchanges(outcome) {
  started ??= metadataFiles(folder).then((files) => startFixtures(files.map(({ file }) => file)))
  const { fixtures } = await started
  const attempt = async (random) => {
    const fixture = pick(fixtures, random)
    return { of: fixture.name, outcome: await outcome(fixture, random), limit: 2000 }
  }
  return { attempt, fixtures: fixtures.length }
}

/** Tries as many as wished; tells what became of them. */
async function run(kind) {
  const { attempt, fixtures } = await kinds[kind]()
  const allowed = forbidWriting()
  const outcomes = new Map()
  const failures = []
  let slowest = 0
  for (let seed = first; seed < first + count; seed += 1) {
    try {
      const before = processorTime()
      const { of, outcome, limit } = await attempt(randomFrom(seed))
      const taken = processorTime() - before
      outcomes.set(outcome.result, (outcomes.get(outcome.result) ?? 0) + 1)
      slowest = Math.max(slowest, taken)
      if (taken > limit)
        failures.push(
          `seed ${String(seed)}, ${of}: took ${taken.toFixed(0)} ms, of ${limit.toFixed(0)}`,
        )
    } catch (error) {
      failures.push(`seed ${String(seed)}: ${error.stack?.split('\n').slice(0, 5).join('\n    ')}`)
    }
  }
  const written = allowed()
  if (written > 0) failures.push(`${String(written)} files would have been written`)
  if (Object.keys(Object.prototype).length > 0)
    failures.push(`every object has now: ${Object.keys(Object.prototype).join(', ')}`)
  const counts = [...outcomes]
    .sort((a, b) => b[1] - a[1])
    .map(([result, times]) => `${result} ${String(times)}`)
  console.log(
    `${String(count)} ${kind} from ${String(fixtures)}: ${String(failures.length)} failed; ${counts.join(', ')}; the slowest took ${slowest.toFixed(0)} ms, memory at most ${(process.resourceUsage().maxRSS / 1024).toFixed(0)} MB`,
  )
  for (const failure of failures.slice(0, 20)) console.log(failure)
  return failures.length
}

/**
 * Whatever is read, nothing is written. Gives what allows it again, and tells how often it was
 * tried.
 */
function forbidWriting() {
  const names = ['writeFile', 'mkdir', 'rename', 'rm', 'cp', 'unlink']
  const own = Object.fromEntries(names.map((name) => [name, fs.promises[name]]))
  let tried = 0
  for (const name of names)
    fs.promises[name] = () => Promise.reject(new Error(`${name}, number ${String((tried += 1))}`))
  syncBuiltinESMExports()
  return () => {
    Object.assign(fs.promises, own)
    syncBuiltinESMExports()
    return tried
  }
}

let failed = 0
for (const kind of values.of) failed += await run(kind)
await (await started)?.stop()
process.exitCode = failed === 0 ? 0 : 1

// Does work grow with the document, and no faster? Counted, not timed: how often the parts of the
// program ran, by V8's own count, and how much memory they took, on documents of n and of twice n
// things. Run with: npm run build && node bench/counted.js [n] [part of a document's name]
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { Session } from 'node:inspector/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import process from 'node:process'
import { documents, operations } from './documents.js'

const [count, wanted = ''] = [Number(process.argv[2] ?? 100), process.argv[3]]
/** Twice is the floor; some sorting is allowed, and looking things up in larger tables. */
const most = 2.3
const base = mkdtempSync(join(tmpdir(), 'tolmach-counted-'))
process.env.XDG_CACHE_HOME = join(base, 'cache')

const session = new Session()
session.connect()
await session.post('Profiler.enable')
await session.post('HeapProfiler.enable')
// Before anything is loaded: what is compiled already would not be counted.
await session.post('Profiler.startPreciseCoverage', { callCount: true, detailed: true })
const { diagramText, findInContract, generateClient, importContract } =
  await import('../dist/app/index.js')
const { locateThing, sampleFor, showContract } = await import('../dist/app/index.js')

/** What a person does with a contract. */
async function useOf(file, operation) {
  await importContract(file, { as: 'berths' })
  await generateClient('berths')
  await showContract('berths')
  await showContract('berths', operation)
  await findInContract('berths', 'Berth77')
  await locateThing('berths', operation)
  await sampleFor('berths', operation)
  await diagramText('berths', { all: true })
}

/** How often each block of code ran, and how many bytes were taken, while something is done. */
async function work(task) {
  await session.post('Profiler.takePreciseCoverage')
  await session.post('HeapProfiler.startSampling', {
    samplingInterval: 8192,
    includeObjectsCollectedByMajorGC: true,
    includeObjectsCollectedByMinorGC: true,
  })
  await task()
  const { profile } = await session.post('HeapProfiler.stopSampling')
  const { result } = await session.post('Profiler.takePreciseCoverage')
  const blocks = new Map()
  for (const { url, functions } of result)
    for (const { functionName, ranges } of functions)
      for (const { startOffset, endOffset, count: times } of ranges) {
        const file = url.replace(/^.*\/(?=dist|node_modules)/, '')
        const place = `${file} ${functionName} ${startOffset} to ${endOffset}`
        blocks.set(place, (blocks.get(place) ?? 0) + times)
      }
  const ran = [...blocks.values()].reduce((sum, times) => sum + times, 0)
  return { blocks, ran, bytes: profile.samples.reduce((sum, { size }) => sum + size, 0) }
}

function measured(file, size) {
  const folder = join(base, `${file}-${size}`)
  mkdirSync(folder)
  writeFileSync(join(folder, file), documents[file](size))
  process.chdir(folder)
  const [operation] = operations[file.replace(/^.*\./, '')]
  return work(() => useOf(file, operation))
}

/** Blocks of code that ran far more often for twice as much: one loop inside of another. */
function suspects(small, large) {
  const least = count * count
  return [...large.blocks]
    .filter(([place, times]) => times > least && times > 3 * (small.blocks.get(place) ?? times))
    .sort((a, b) => b[1] - a[1])
}

let tooFast = 0
console.log(`| document | blocks run at ${count} | at ${2 * count} | grow by | bytes grow by |`)
console.log('|---|---|---|---|---|')
for (const file of Object.keys(documents).filter((name) => name.includes(wanted))) {
  // What is loaded or made once is made before anything is counted.
  await measured(file, 10)
  const [small, large] = [await measured(file, count), await measured(file, 2 * count)]
  const [ran, bytes] = [large.ran / small.ran, large.bytes / small.bytes]
  const found = suspects(small, large)
  const isTooFast = Math.max(ran, bytes) > most || found.length > 0
  if (isTooFast) tooFast += 1
  console.log(
    `| ${file} | ${small.ran} | ${large.ran} | ${ran.toFixed(2)} | ${bytes.toFixed(2)}${isTooFast ? ' **too fast**' : ''} |`,
  )
  for (const [place, times] of found.slice(0, 5))
    console.log(`  ${place}: ${small.blocks.get(place)} times, then ${times}`)
}
process.chdir(tmpdir())
rmSync(base, { recursive: true })
process.exitCode = tooFast === 0 ? 0 : 1

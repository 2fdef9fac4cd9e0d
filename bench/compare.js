// How long comparing two contracts takes, beside reading them: medians in one process.
//   npm run build && node bench/compare.js [operations]
import { mkdtempSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { compareContracts, openContract } from '../dist/app/index.js'

const wanted = Number(process.argv[2] ?? 1100)
const folder = mkdtempSync(join(tmpdir(), 'tolmach-bench-'))

/** A service of so many operations whose types lead to each other; the second edition differs everywhere. */
function description(isSecond) {
  const schemas = {}
  const paths = {}
  const types = wanted / 2
  for (let at = 0; at < types; at += 1) {
    const properties = { next: { $ref: `#/components/schemas/Thing${(at + 1) % types}` } }
    for (let member = 0; member < 8; member += 1)
      properties[`member${member}`] =
        member % 2 === 0 ? { type: 'string' } : { type: 'integer', format: 'int32' }
    if (isSecond) {
      delete properties.member0
      properties.further = { type: 'string' }
    }
    schemas[`Thing${at}`] = { type: 'object', properties }
    const reference = { $ref: `#/components/schemas/Thing${at}` }
    const content = { 'application/json': { schema: reference } }
    paths[`/things${at}`] = {
      get: { operationId: `get${at}`, responses: { 200: { description: 'd', content } } },
      put: {
        operationId: `put${at}`,
        requestBody: { required: true, content },
        responses: { 204: { description: 'd' } },
      },
    }
  }
  const info = { title: 'Things', version: '1' }
  return JSON.stringify({ openapi: '3.1.0', info, paths, components: { schemas } }, null, 1)
}

const [first, second] = ['first.json', 'second.json'].map((name) => join(folder, name))
writeFileSync(first, description(false))
writeFileSync(second, description(true))

async function seconds(work) {
  const start = performance.now()
  await work()
  return (performance.now() - start) / 1000
}
const median = (all) => [...all].sort((a, b) => a - b)[Math.floor(all.length / 2)]

const reading = []
const comparing = []
let changes = 0
for (let round = 0; round < 7; round += 1) {
  reading.push(
    await seconds(async () => {
      await openContract(first)
      await openContract(second)
    }),
  )
  comparing.push(
    await seconds(async () => {
      changes = (await compareContracts(first, second)).changes.length
    }),
  )
}
const [read, compared] = [median(reading), median(comparing)]
console.log(
  `${wanted} operations, ${changes} changes: reading both ${read.toFixed(2)} s, reading and comparing ${compared.toFixed(2)} s, ${(compared / read).toFixed(2)} times as long`,
)

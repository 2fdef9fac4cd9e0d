// What a generated call costs over a bare fetch that parses the same answer, for bodies of 1 kB,
// 100 kB and 1 MB. Run with: npm run build && node bench/calls.js
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { pathToFileURL } from 'node:url'
import { bundleClient } from '../dist/exercise/run-client.js'
import { generateClient, importContract } from '../dist/app/index.js'
import { nodeTransport } from '../dist/runtime/node/transport.js'

const folder = mkdtempSync(join(tmpdir(), 'tolmach-bench-'))
const sizes = [1_000, 100_000, 1_000_000]
const rounds = { 1_000: 400, 100_000: 150, 1_000_000: 40 }

const row = (at, exact) => ({
  code: `BRK-${String(at).padStart(4, '0')}`,
  line: at % 2 === 0 ? 'Skerry & Sound' : 'Out "there"',
  leaves: '2027-07-15T08:30:00+02:00',
  freeCars: at % 40,
  open: at % 3 === 0,
  ...(exact
    ? { number: `@${9_007_199_254_740_993n + BigInt(at)}@`, price: '@1250.50@' }
    : { notice: 'bring a coat' }),
})
/** A list of about so many bytes; long and exact numbers stand in it as bare numbers. */
function listOf(bytes, exact) {
  const one = JSON.stringify(row(0, exact)).length + 1
  return JSON.stringify(
    Array.from({ length: Math.round(bytes / one) }, (_, at) => row(at, exact)),
  ).replace(/"@([\d.]+)@"/g, '$1')
}

const properties = {
  code: { type: 'string' },
  line: { type: 'string' },
  leaves: { type: 'string', format: 'date-time' },
  freeCars: { type: 'integer', format: 'int32' },
  open: { type: 'boolean' },
}
const description = (exact) => ({
  openapi: '3.1.0',
  info: { title: 'Bench', version: '1' },
  servers: [{ url: 'http://quay.example' }],
  paths: Object.fromEntries(
    sizes.map((size) => [
      `/${exact ? 'exact' : 'plain'}/${size}`,
      {
        get: {
          operationId: `rows${size}`,
          responses: {
            200: {
              description: 'd',
              content: {
                'application/json': {
                  schema: { type: 'array', items: { $ref: '#/components/schemas/Row' } },
                },
              },
            },
          },
        },
      },
    ]),
  ),
  components: {
    schemas: {
      Row: {
        type: 'object',
        required: ['code', 'line', 'leaves', 'freeCars', 'open'],
        properties: exact
          ? {
              ...properties,
              number: { type: 'integer', format: 'int64' },
              price: { type: 'number', format: 'decimal' },
            }
          : { ...properties, notice: { type: 'string' } },
      },
    },
  },
})

const bodies = Object.fromEntries(
  [false, true].flatMap((exact) =>
    sizes.map((size) => [`/${exact ? 'exact' : 'plain'}/${size}`, listOf(size, exact)]),
  ),
)
writeFileSync(join(folder, 'bodies.json'), JSON.stringify(bodies))
writeFileSync(
  join(folder, 'server.mjs'),
  `import { readFileSync } from 'node:fs'\nimport { createServer } from 'node:http'\nconst bodies = JSON.parse(readFileSync(${JSON.stringify(join(folder, 'bodies.json'))}, 'utf8'))\nconst server = createServer((request, response) => response.writeHead(200, { 'content-type': 'application/json' }).end(bodies[request.url]))\nserver.listen(0, '127.0.0.1', () => console.log(server.address().port))\n`,
)
const server = spawn(process.execPath, [join(folder, 'server.mjs')], {
  stdio: ['ignore', 'pipe', 'inherit'],
})
const port = await new Promise((done) =>
  server.stdout.once('data', (chunk) => done(String(chunk).trim())),
)
const base = `http://127.0.0.1:${port}`

const median = (times) => times.sort((a, b) => a - b)[Math.floor(times.length / 2)]
/** Medians of several things done in turn, so that a busy moment touches them all. */
async function medians(count, actions) {
  const times = actions.map(() => [])
  for (let round = -Math.ceil(count / 5); round < count; round += 1) {
    for (const [at, action] of actions.entries()) {
      const started = performance.now()
      await action()
      if (round >= 0) times[at].push(performance.now() - started)
    }
  }
  return times.map(median)
}

console.log(
  '| answer | body | fetch and JSON alone | generated call | ratio | with the Node transport | ratio |\n|---|---|---|---|---|---|---|',
)
for (const exact of [false, true]) {
  const name = exact ? 'exact' : 'plain'
  writeFileSync(join(folder, `${name}.json`), JSON.stringify(description(exact)))
  await importContract(join(folder, `${name}.json`), { as: name, project: folder })
  const { folder: written } = await generateClient(name, { project: folder })
  writeFileSync(join(folder, `${name}.mjs`), await bundleClient(join(folder, written)))
  const module = await import(pathToFileURL(join(folder, `${name}.mjs`)).href)
  const Client = Object.values(module).find(
    (each) => typeof each === 'function' && 'fromVariables' in each,
  )
  const [plain, node] = [
    new Client({ url: base }),
    new Client({ url: base, fetch: nodeTransport() }),
  ]
  for (const size of sizes) {
    const address = `${base}/${name}/${size}`
    const [bare, call, through] = await medians(rounds[size], [
      async () => (await fetch(address)).json(),
      () => plain[`rows${size}`](),
      () => node[`rows${size}`](),
    ])
    console.log(
      `| ${exact ? 'with exact numbers' : 'without exact numbers'} | ${size / 1000} kB | ${bare.toFixed(2)} ms | ${call.toFixed(2)} ms | ${(call / bare).toFixed(2)} | ${through.toFixed(2)} ms | ${(through / bare).toFixed(2)} |`,
    )
  }
}
server.kill()
rmSync(folder, { recursive: true, force: true })

/**
 * A large description with deep sharing, in the manner of big public platforms: 900 schemas of 30 to
 * 200 members, many of them inline, unions by the hundred, 1,100 operations. How long do import and
 * generate take, one after the other and in one process, in processor time as a ratio to a process
 * that parses the same document and writes as many bytes in as many files?
 *
 *   npm run build && node bench/deep.js
 */
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

const program = resolve('dist/bin/main.js')
const schemaCount = 900
const operationCount = 1100
const prose =
  'How a vessel, its berth or its cargo stands, as the harbour office last heard of it. '

/** Numbers that look random and are the same every time. */
let seed = 7
const next = (below) => {
  seed = (seed * 1103515245 + 12345) % 2147483648
  return seed % below
}
const ref = (at) => ({ $ref: `#/components/schemas/Thing${at}` })
const kinds = ['free', 'taken', 'closed', 'waiting', 'towed', 'moored', 'cleared', 'held']

function member(at, depth) {
  const documented = (schema) => ({ ...schema, description: prose.repeat(1 + next(3)) })
  switch (next(depth > 2 ? 8 : 12)) {
    case 0:
      return documented({ type: 'integer', format: next(2) === 0 ? 'int64' : 'int32' })
    case 1:
      return documented({ type: 'string', format: 'date-time', nullable: true })
    case 2:
      return documented({ type: 'string', enum: kinds.slice(0, 2 + next(6)) })
    case 3:
      return documented({ type: 'boolean' })
    case 4:
      return documented({ type: 'array', items: ref(next(schemaCount)) })
    case 5:
      return documented({ type: 'number', minimum: 0 })
    case 6:
    case 7:
      return documented({ type: 'string', maxLength: 40 + next(200) })
    case 8:
      return documented({
        anyOf: [ref(next(schemaCount)), ref(next(schemaCount)), { type: 'string' }],
      })
    case 9:
    case 10:
      return documented({
        type: 'object',
        properties: Object.fromEntries(
          Array.from({ length: 2 + next(6) }, (_, each) => [`part${each}`, member(at, depth + 1)]),
        ),
      })
    default:
      return documented(ref(next(schemaCount)))
  }
}

function description() {
  const schemas = Object.fromEntries(
    Array.from({ length: schemaCount }, (_, at) => {
      const names = Array.from({ length: 12 + next(24) }, (_each, each) => `member${each}`)
      return [
        `Thing${at}`,
        {
          type: 'object',
          required: names.slice(0, 4),
          properties: Object.fromEntries(names.map((name) => [name, member(at, 0)])),
        },
      ]
    }),
  )
  const paths = Object.fromEntries(
    Array.from({ length: operationCount }, (_, at) => [
      `/things${at % 90}/${at}/{id}`,
      {
        [at % 3 === 0 ? 'post' : 'get']: {
          operationId: `${at % 3 === 0 ? 'change' : 'read'}Thing${at}`,
          tags: [`part ${at % 90}`],
          description: prose.repeat(3),
          parameters: [{ name: 'id', in: 'path', required: true, schema: { type: 'string' } }],
          ...(at % 3 === 0
            ? {
                requestBody: {
                  content: { 'application/json': { schema: ref(next(schemaCount)) } },
                },
              }
            : {}),
          responses: {
            200: {
              description: 'Done.',
              content: { 'application/json': { schema: ref(at % schemaCount) } },
            },
            default: {
              description: 'Not done.',
              content: { 'application/json': { schema: ref(next(schemaCount)) } },
            },
          },
        },
      },
    ]),
  )
  return {
    openapi: '3.0.3',
    info: { title: 'Harbours', version: '1' },
    servers: [{ url: 'http://127.0.0.1:1/' }],
    paths,
    components: { schemas },
  }
}

/** Processor time and peak memory of a process. */
function run(words, cwd) {
  const script = `import resource, subprocess, sys\ncode = subprocess.call(sys.argv[1:], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)\nused = resource.getrusage(resource.RUSAGE_CHILDREN)\nprint(used.ru_utime + used.ru_stime, used.ru_maxrss)\nsys.exit(code)`
  const { status, stdout } = spawnSync('python3', ['-c', script, process.execPath, ...words], {
    cwd,
    encoding: 'utf8',
    env: { ...process.env, XDG_CACHE_HOME: join(cwd, 'cache'), NODE_OPTIONS: '' },
  })
  if (status !== 0) throw new Error(`${words.join(' ')} failed`)
  const [seconds, kilobytes] = stdout.trim().split(' ').map(Number)
  return { seconds, megabytes: kilobytes / 1024 }
}

const base = mkdtempSync(join(tmpdir(), 'tolmach-deep-'))
const text = JSON.stringify(description(), null, 1)
const project = (name) => {
  const folder = join(base, name)
  mkdirSync(folder)
  writeFileSync(join(folder, 'api.json'), text)
  return folder
}
const [apart, together, floor] = ['apart', 'together', 'floor'].map(project)
const imported = run([program, 'import', 'api.json', '--as', 'harbours'], apart)
const generated = run([program, 'generate', 'harbours'], apart)
const both = run([program, 'import', 'api.json', '--as', 'harbours', '--generate'], together)
const clients = join(apart, 'src/clients')
const sizes = readdirSync(clients, { recursive: true })
  .map((name) => statSync(join(clients, name)))
  .filter((found) => found.isFile())
  .map(({ size }) => size)
writeFileSync(
  join(floor, 'floor.mjs'),
  `import { readFileSync, writeFileSync } from 'node:fs'\nJSON.parse(readFileSync('api.json', 'utf8'))\nlet at = 0\nfor (const size of ${JSON.stringify(sizes)}) writeFileSync('written' + at++, 'x'.repeat(size))\n`,
)
const least = run(['floor.mjs'], floor)
const cache = join(apart, 'cache/tolmach')
const kept = readdirSync(cache)
  .filter((name) => name.startsWith('contract-'))
  .reduce((sum, name) => sum + statSync(join(cache, name)).size, 0)
const megabytes = text.length / 1e6
console.log(
  `${megabytes.toFixed(1)} MB, ${sizes.length} files, ${(sizes.reduce((sum, each) => sum + each, 0) / 1e6).toFixed(1)} MB written, the contract in the cache ${(kept / text.length).toFixed(2)} times the document`,
)
for (const [name, { seconds, megabytes: memory }] of Object.entries({
  floor: least,
  import: imported,
  generate: generated,
  'import --generate': both,
}))
  console.log(
    `${name}: ${seconds.toFixed(1)} s, ${(seconds / least.seconds).toFixed(1)} times the floor, ${memory.toFixed(0)} MB at most, ${(memory / megabytes).toFixed(1)} times the document`,
  )
console.log(
  `one after the other: ${((imported.seconds + generated.seconds) / least.seconds).toFixed(1)} times the floor`,
)
rmSync(base, { recursive: true, force: true })

// How long a person waits: start-up and a whole call, beside what Node itself takes. Run with: npm
// run bench
import { spawn, spawnSync } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

const rounds = 15
const program = resolve('dist/bin/main.js')
const folder = mkdtempSync(join(tmpdir(), 'tolmach-bench-'))
const cache = join(folder, 'cache')
const env = { ...process.env, XDG_CACHE_HOME: cache, NODE_OPTIONS: '' }

function timed(words) {
  const started = process.hrtime.bigint()
  const { status, stderr } = spawnSync(process.execPath, words, {
    cwd: folder,
    env,
    encoding: 'utf8',
  })
  if (status !== 0) throw new Error(`${words.join(' ')}: ${stderr}`)
  return Number(process.hrtime.bigint() - started) / 1e6
}

/** The medians of several programs, run in turn so that a busy moment touches them all. */
function medians(programs, before = () => undefined) {
  const times = programs.map(() => [])
  for (let round = 0; round < rounds; round += 1) {
    programs.forEach((words, at) => {
      before(at)
      times[at].push(timed(words))
    })
  }
  return times.map((each) => each.sort((a, b) => a - b)[Math.floor(rounds / 2)])
}

const standIn = spawn(
  process.execPath,
  [
    program,
    'serve',
    resolve('demo/berths/desk.wsdl'),
    '--seed',
    resolve('demo/berths/seed.yaml'),
    '--json',
  ],
  { cwd: folder, env },
)
const address = await new Promise((done) => {
  let printed = ''
  standIn.stdout.on('data', (chunk) => {
    printed += chunk
    if (printed.trimEnd().endsWith('}')) done(JSON.parse(printed).addresses[0])
  })
})
timed([program, 'import', address.metadata, '--as', 'berths'])
timed([program, 'generate', 'berths'])
writeFileSync(
  join(folder, 'fetch.mjs'),
  `const answer = await fetch(${JSON.stringify(address.metadata)})\nawait answer.text()\nprocess.exit(0)\n`,
)
const call = [program, 'call', 'berths', 'listBerths']
timed(call)
const [node, help, warm, preview, fetched, completed] = medians([
  ['-e', '0'],
  [program, '--help'],
  call,
  [...call, '--preview'],
  ['fetch.mjs'],
  [program, 'completion', 'bash', '--line', 'tolmach call berths list'],
])
const [cold] = medians([call], () => rmSync(cache, { recursive: true, force: true }))
standIn.kill()
rmSync(folder, { recursive: true, force: true })

const row = (what, time) =>
  `| ${what} | ${time.toFixed(0)} ms | ${(time / node).toFixed(2)} | ${time > node ? '+' : ''}${(time - node).toFixed(0)} ms |`
console.log(
  [
    '| what | median of 15 | to `node -e 0` | over it |',
    '|---|---|---|---|',
    row('`node -e 0`', node),
    row('`tolmach --help`', help),
    row('a program of one `fetch` to the same server', fetched),
    row('a whole warm `tolmach call`', warm),
    row('the same with `--preview` (nothing sent)', preview),
    row('completing an operation', completed),
    row('the first `tolmach call`, nothing cached', cold),
  ].join('\n'),
)

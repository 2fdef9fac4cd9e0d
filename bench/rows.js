// What a call for each row takes in memory and time: 2,000 rows and 20,000, eight calls at a time,
// one in ten failing. Run with: npm run build && node bench/rows.js
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'

const program = resolve('dist/bin/main.js')
const folder = mkdtempSync(join(tmpdir(), 'tolmach-bench-'))
writeFileSync(
  join(folder, 'peak.mjs'),
  "import { writeFileSync } from 'node:fs'\nprocess.on('exit', () => writeFileSync(process.env.PEAK, String(process.resourceUsage().maxRSS)))\n",
)
const standIn = spawn(
  process.execPath,
  [
    program,
    'serve',
    resolve('demo/berths/desk.wsdl'),
    '--seed',
    resolve('demo/berths/seed.yaml'),
    '--fail',
    '10%',
    '--json',
  ],
  { cwd: folder, stdio: ['ignore', 'pipe', 'ignore'] },
)
let printed = ''
const { service } = await new Promise((done) =>
  standIn.stdout.on('data', (chunk) => {
    printed += chunk
    if (printed.trimEnd().endsWith('}')) done(JSON.parse(printed).addresses[0])
  }),
)

async function run(rows) {
  writeFileSync(
    join(folder, 'stays.csv'),
    `Vessel,Nights\n${Array.from({ length: rows }, (_, at) => `BKM-${String(at % 1000).padStart(3, '0')},${1 + (at % 60)}\n`).join('')}`,
  )
  const env = { ...process.env, PEAK: join(folder, 'peak') }
  const started = performance.now()
  const child = spawn(
    process.execPath,
    [
      '--import',
      join(folder, 'peak.mjs'),
      program,
      'call',
      resolve('demo/berths/desk.wsdl'),
      'quoteDues',
      '--url',
      service,
      '--each',
      'stays.csv',
      '--parallel',
      '8',
      '--save',
      'out.csv',
      '--overwrite',
    ],
    { cwd: folder, env, stdio: ['ignore', 'ignore', 'pipe'] },
  )
  let told = ''
  child.stderr.on('data', (chunk) => (told += chunk))
  await new Promise((done) => child.on('close', done))
  const { readFileSync } = await import('node:fs')
  return {
    seconds: (performance.now() - started) / 1000,
    peak: Number(readFileSync(join(folder, 'peak'), 'utf8')) / 1024,
    told: told.split('\n')[0],
  }
}

await run(10)
const few = await run(2000)
const many = await run(20_000)
standIn.kill()
rmSync(folder, { recursive: true, force: true })
console.log(
  '| rows | seconds | calls a second | peak memory | what was told |\n|---|---|---|---|---|',
)
for (const [rows, { seconds, peak, told }] of [
  [2000, few],
  [20_000, many],
])
  console.log(
    `| ${rows} | ${seconds.toFixed(1)} | ${(rows / seconds).toFixed(0)} | ${peak.toFixed(0)} MB | ${told} |`,
  )
console.log(`\nPeak at 20,000 rows to that at 2,000: ${(many.peak / few.peak).toFixed(2)}`)

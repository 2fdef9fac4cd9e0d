// Does work grow with the document, and no faster? Each command on documents of n and of four times
// n operations, in all three dialects. Run with: npm run build && node bench/growth.js [n] [part of
// a document's name]
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import process from 'node:process'
import { documents, operations } from './documents.js'

const program = resolve('dist/bin/main.js')
const base = mkdtempSync(join(tmpdir(), 'tolmach-growth-'))
const times = 4
const [count, wanted = ''] = [Number(process.argv[2] ?? 1000), process.argv[3]]
function commands(file) {
  const [operation, input] = operations[file.replace(/^.*\./, '')]
  return [
    ['import', file, '--as', 'berths'],
    ['generate', 'berths'],
    ['list'],
    ['show', 'berths'],
    ['show', 'berths', operation],
    ['show', 'berths', '--find', 'Berth77'],
    ['show', 'berths', '--save', 'page.html'],
    ['locate', 'berths', operation],
    ['sample', 'berths', operation],
    [
      'call',
      'berths',
      operation,
      '--with',
      input,
      '--header',
      'X-Key=1',
      '--url',
      'http://127.0.0.1:1/',
      '--preview',
    ],
    ['diagram', 'berths', 'all.mmd'],
  ]
}

/**
 * Seconds that a process computes, apart from what its start takes: waiting for a disk is not
 * counted.
 */
function seconds(words, cwd) {
  const script =
    'import resource, subprocess, sys\ncode = subprocess.call(sys.argv[1:], stdout=subprocess.DEVNULL)\nused = resource.getrusage(resource.RUSAGE_CHILDREN)\nprint(used.ru_utime)\nsys.exit(code)'
  const { status, stdout, stderr } = spawnSync(
    'python3',
    ['-c', script, process.execPath, '--max-old-space-size=6000', program, ...words],
    { cwd, encoding: 'utf8', env: { ...process.env, XDG_CACHE_HOME: join(cwd, 'cache') } },
  )
  if (status !== 0) throw new Error(`${words.join(' ')}: ${stderr.slice(0, 500)}`)
  return Number(stdout)
}

const start = seconds(['--version'], base)
let grown = 0
console.log(
  `| document | command | n = ${count} | ${times * count} | grows by (floor ${times}) |\n|---|---|---|---|---|`,
)
for (const [file, write] of Object.entries(documents).filter(([name]) => name.includes(wanted))) {
  const folders = [count, times * count].map((size) => {
    const folder = join(base, `${file}-${size}`)
    mkdirSync(folder)
    writeFileSync(join(folder, file), write(size))
    return folder
  })
  for (const command of commands(file)) {
    const [small, large] = folders.map((folder) => Math.max(seconds(command, folder) - start, 0.01))
    // What is over in less than a fifth of a second is start more than anything.
    const growth = large / Math.max(small, 0.2)
    if (growth > times * 1.5) grown += 1
    console.log(
      `| ${file} | ${command.filter((word) => word !== file).join(' ')} | ${small.toFixed(2)} s | ${large.toFixed(2)} s | ${growth.toFixed(1)}${growth > times * 1.5 ? ' **too fast**' : ''} |`,
    )
  }
}
rmSync(base, { recursive: true })
process.exitCode = grown === 0 ? 0 : 1

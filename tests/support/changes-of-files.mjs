// Loaded before the program. Before each change of a file in the current folder it keeps, in a
// folder below SNAPSHOTS, what a kill at that moment would leave; before the one that KILL_AT names
// it ends the program, as the system would.
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import process from 'node:process'
import { join, resolve, sep } from 'node:path'

const killAt = Number(process.env.KILL_AT)
const snapshots = process.env.SNAPSHOTS
const here = fs.realpathSync('.') + sep
let count = 0

function beforeChange() {
  count += 1
  if (count === killAt) process.kill(process.pid, 'SIGKILL')
  if (snapshots !== undefined)
    fs.cpSync(here, join(snapshots, String(count)), { recursive: true, verbatimSymlinks: true })
}

for (const name of [
  'mkdir',
  'writeFile',
  'rename',
  'rm',
  'rmdir',
  'cp',
  'link',
  'unlink',
  'chmod',
  'symlink',
]) {
  const original = fs.promises[name]
  fs.promises[name] = (...words) => {
    const touched = words
      .slice(0, 2)
      .some((word) => typeof word === 'string' && resolve(word).startsWith(here))
    if (touched) beforeChange()
    return original(...words)
  }
}
syncBuiltinESMExports()

// Loaded before the program: ends it, as the system would, just before its nth change of a file in
// the current folder; with KILL_AT=0 it writes on descriptor 2 how many there are.
import fs from 'node:fs'
import { syncBuiltinESMExports } from 'node:module'
import process from 'node:process'
import { resolve, sep } from 'node:path'

const at = Number(process.env.KILL_AT)
const here = fs.realpathSync('.') + sep
let count = 0
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
    const touches = words
      .slice(0, 2)
      .some((word) => typeof word === 'string' && resolve(word).startsWith(here))
    if (touches && ++count === at) process.kill(process.pid, 'SIGKILL')
    return original(...words)
  }
}
syncBuiltinESMExports()
if (at === 0) process.on('exit', () => fs.writeSync(2, `\n${count} changes\n`))

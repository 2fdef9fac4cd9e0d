// Builds where what goes into the build has changed since the last one; with --built, keeps what it was made from.
import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import process from 'node:process'

const kept = join('dist', 'built-from')

function inputs() {
  const sources = readdirSync('src', { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => join(entry.parentPath, entry.name))
  return [
    ...sources,
    'package-lock.json',
    'tsconfig.json',
    'tsconfig.build.json',
    'scripts/bundle-cli.js',
    'scripts/bundle-pictures.js',
  ].sort()
}

function digest() {
  const hash = createHash('sha256')
  for (const file of inputs()) hash.update(`${file}\0`).update(readFileSync(file)).update('\0')
  return hash.digest('hex')
}

function builtFrom() {
  try {
    return readFileSync(kept, 'utf8')
  } catch {
    return undefined
  }
}

const wanted = digest()
if (process.argv.includes('--built')) writeFileSync(kept, wanted)
else if (builtFrom() !== wanted)
  execFileSync('npm', ['run', '--silent', 'build'], { stdio: 'inherit' })

// The checks of the text, side by side: form, types, rules and arrows. What a check says is shown
// when it ends, and one that fails fails them all.
import { spawn } from 'node:child_process'
import process from 'node:process'

const checks = {
  prettier: ['node_modules/prettier/bin/prettier.cjs', '--log-level', 'warn', '--check', '.'],
  eslint: ['node_modules/eslint/bin/eslint.js', '.'],
  tsc: ['node_modules/typescript-7/bin/tsc', '-p', '.'],
  arrows: ['scripts/arrows.js'],
  api: ['scripts/write-api.js', '--check'],
}

function run([name, words]) {
  return new Promise((resolve) => {
    const chunks = []
    const child = spawn(process.execPath, words, { stdio: ['ignore', 'pipe', 'pipe'] })
    child.stdout.on('data', (chunk) => void chunks.push(chunk))
    child.stderr.on('data', (chunk) => void chunks.push(chunk))
    child.on('close', (code) => {
      process.stdout.write(Buffer.concat(chunks))
      if (code !== 0) console.log(`${name} fails`)
      resolve(code === 0)
    })
  })
}

const passed = await Promise.all(Object.entries(checks).map(run))
process.exitCode = passed.every(Boolean) ? 0 : 1

#!/usr/bin/env node
import { setFlagsFromString } from 'node:v8'
import { run } from './run.js'

// Where metadata is fetched from the web, HTTP is parsed in WebAssembly. Compiling all of that and optimising it in the background pays off
// for servers; a command that reads a few documents would only wait for it, most of all when it ends.
for (const flag of ['--liftoff-only', '--wasm-lazy-compilation', '--wasm-lazy-validation']) setFlagsFromString(flag)

// Whoever reads our output may have read enough: `tolmach show … | head`.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error
  process.exit(0)
})

const exitCode = await run(process.argv.slice(2))
// Connections kept alive for a next call would hold the program up; what was printed must be out before it ends.
await Promise.all([process.stdout, process.stderr].map((stream) => new Promise<void>((resolve) => stream.write('', () => resolve()))))
process.exit(exitCode)

#!/usr/bin/env node
import { setFlagsFromString } from 'node:v8'
import { run } from './run.js'

// Where metadata is fetched from the web, HTTP is parsed in WebAssembly. Compiling all of that and
// optimising it in the background pays off for servers; a command that reads a few documents would
// only wait for it, most of all when it ends.
for (const flag of ['--liftoff-only', '--wasm-lazy-compilation', '--wasm-lazy-validation'])
  setFlagsFromString(flag)

/** What a program ends with whose answer nobody could read. */
const unheard = 7

// Whoever reads our output may have read enough, `tolmach show … | head`: that is no trouble of
// theirs. Anything else is told in a line.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE')
    process.stderr.write(
      `error TM-1008  Standard output can't be written: ${error.code === 'ENOSPC' ? 'there is no space left' : (error.code ?? error.message)}.\n`,
    )
  process.exit(unheard)
})
// Nobody hears of that; the exit code still tells what came of the command.
process.stderr.on('error', () => undefined)

const exitCode = await run(process.argv.slice(2))
// Connections kept alive for a next call would hold the program up; what was printed must be out
// before it ends.
await Promise.all(
  [process.stdout, process.stderr].map(
    (stream) => new Promise<void>((resolve) => stream.write('', () => resolve())),
  ),
)
process.exit(exitCode)

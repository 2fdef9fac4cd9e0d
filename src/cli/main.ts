#!/usr/bin/env node
import { run } from './run.js'

const exitCode = await run(process.argv.slice(2))
// Connections kept alive for a next call would hold the program up; what was printed must be out before it ends.
await Promise.all([process.stdout, process.stderr].map((stream) => new Promise<void>((resolve) => stream.write('', () => resolve()))))
process.exit(exitCode)

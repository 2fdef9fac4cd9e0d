import { rm } from 'node:fs/promises'
import process from 'node:process'

/** Takes away what the tests wrote; with `KEEP_TEMPORARY=1` it stays, for who wants to look. */
export default async function end() {
  if (process.env.KEEP_TEMPORARY === '1') process.stdout.write(`kept: ${process.env.TMPDIR}\n`)
  else await rm(process.env.TMPDIR, { recursive: true, force: true, maxRetries: 3 })
}

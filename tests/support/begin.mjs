import { mkdtemp } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import process from 'node:process'

/** Everything that a run of the tests writes lies in one folder, which `end.mjs` takes away. */
export default async function begin() {
  process.env.TMPDIR = await mkdtemp(join(tmpdir(), 'tolmach-tests-'))
}

import { execFile } from 'node:child_process'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { expect, test } from '@jest/globals'
import { repository } from '../support/program.js'

const execute = promisify(execFile)

/** Counted, not timed: what fails here is no busy machine but a loop inside of another one. */
test('in every dialect, twice as much to read is about twice the work', async () => {
  const told = await execute(process.execPath, [join(repository, 'bench/counted.js'), '50']).catch(
    (error: { readonly stdout: string; readonly stderr: string }) => error,
  )
  expect(told.stderr).toBe('')
  expect(told.stdout).not.toContain('too fast')
  expect(told.stdout.match(/^\| \w+\.\w+ \|/gm)).toHaveLength(7)
})

import { execFile } from 'node:child_process'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { expect, it } from '@jest/globals'
import { repository } from '../support/program.js'

it('three hundred documents with mistakes are read, or refused with a place, in time, and nothing of them runs', async () => {
  // It ends with 1 where one of them is not.
  const { stdout } = await promisify(execFile)(process.execPath, [join(repository, 'fuzz/main.js'), '--count', '300', '--seed', '1'])
  const [, read = '', refused = ''] = /: (\d+) read, (\d+) refused .* 0 failed/.exec(stdout) ?? []
  expect(Number(read) + Number(refused)).toBe(300)
  // Mistakes that make every document unreadable would judge nothing but the parser.
  expect(Number(read)).toBeGreaterThan(100)
  expect(Number(refused)).toBeGreaterThan(30)
}, 120_000)

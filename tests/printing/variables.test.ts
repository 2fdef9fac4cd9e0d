import { execFileSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from '@jest/globals'
import { parse } from 'dotenv'
import fc from 'fast-check'
import { valueInVariables } from '../../src/printing/escaping.js'
import { freshFolder } from '../support/program.js'

test('a value in a file of variables is itself to a shell and to programs, whatever it says', async () => {
  const texts = fc.sample(
    fc.string({ unit: fc.constantFrom(...'aB0 \t\n$(){}`"\'#&;|<>\\*?~!=:/.,%é') }),
    {
      numRuns: 400,
      seed: 11,
    },
  )
  const written = ['http://h/$(touch${IFS}x)', 'a`id`', 'a b', '&x=1;id', '', ...texts].flatMap(
    (text) => {
      const value = valueInVariables(text)
      // The name of a variable stands for that one, on purpose.
      return value === undefined || /^\$\w+$/.test(text) ? [] : [{ text, value }]
    },
  )
  expect(written.length).toBeGreaterThan(100)
  const file = join(await freshFolder(), 'x.env')
  writeFileSync(file, written.map(({ value }, at) => `V${String(at)}=${value}`).join('\n'))
  const names = written.map((_, at) => `"$V${String(at)}"`).join(' ')
  const shell = execFileSync('bash', ['-uc', `. ${file}; printf '%s\\0' ${names}`]).toString()
  const program = parse(execFileSync('cat', [file]))
  for (const [at, { text }] of written.entries())
    expect([text, shell.split('\0')[at], program[`V${String(at)}`]]).toEqual([text, text, text])
})

import { execFile } from 'node:child_process'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { describe, expect, it } from '@jest/globals'
import { repository } from '../support/program.js'

/**
 * What the fuzzer counted for three hundred things with mistakes: how many had each outcome. It
 * ends with 1 where one of them failed.
 */
async function outcomesOf(kind: string): Promise<Record<string, number>> {
  const { stdout } = await promisify(execFile)(process.execPath, [
    join(repository, 'fuzz/main.js'),
    '--count',
    '300',
    '--seed',
    '1',
    '--of',
    kind,
  ])
  const [, counts = ''] = /: 0 failed; ([^;]*);/.exec(stdout) ?? []
  return Object.fromEntries(
    counts.split(', ').map((each) => [each.replace(/ \d+$/, ''), Number(/\d+$/.exec(each)?.[0])]),
  )
}

const sum = (counts: Record<string, number>): number =>
  Object.values(counts).reduce((all, count) => all + count, 0)

describe('three hundred with mistakes are taken or refused by type, in time; nothing of them runs and nothing is written:', () => {
  it('documents', async () => {
    const outcomes = await outcomesOf('documents')
    expect(sum(outcomes)).toBe(300)
    // Mistakes that make every document unreadable would judge nothing but the parser.
    expect(outcomes['read']).toBeGreaterThan(100)
    expect(sum(outcomes) - (outcomes['read'] ?? 0)).toBeGreaterThan(30)
  })

  it('answers, to calls of generated clients', async () => {
    const outcomes = await outcomesOf('answers')
    expect(sum(outcomes)).toBe(300)
    expect(outcomes['value']).toBeGreaterThan(100)
    expect(outcomes['breach']).toBeGreaterThan(50)
    expect(outcomes['fault']).toBeGreaterThan(10)
  })

  it('requests, of which the stand-in refuses none without a reason', async () => {
    const outcomes = await outcomesOf('requests')
    expect(sum(outcomes)).toBe(300)
    expect(outcomes['answered']).toBeGreaterThan(80)
    expect(outcomes['400']).toBeGreaterThan(20)
  })
})

import { execFile } from 'node:child_process'
import { join } from 'node:path'
import { promisify } from 'node:util'
import { beforeAll, describe, expect, it } from '@jest/globals'
import { repository } from '../support/program.js'

/**
 * What the fuzzer counted for three hundred things of each kind with mistakes: how many had each
 * outcome. It ends with 1 where one of them failed.
 */
async function outcomesOfAll(): Promise<Map<string, Record<string, number>>> {
  const { stdout } = await promisify(execFile)(process.execPath, [
    join(repository, 'fuzz/main.js'),
    '--count',
    '300',
    '--seed',
    '1',
  ]).catch(({ stdout: told }: { readonly stdout: string }) => {
    throw new Error(told)
  })
  const lines = stdout.matchAll(/^300 (\w+) from \d+: 0 failed; ([^;]*);/gm)
  return new Map(
    [...lines].map(([, kind = '', counts = '']) => [
      kind,
      Object.fromEntries(
        counts
          .split(', ')
          .map((each) => [each.replace(/ \d+$/, ''), Number(/\d+$/.exec(each)?.[0])]),
      ),
    ]),
  )
}

const sum = (counts: Record<string, number>): number =>
  Object.values(counts).reduce((all, count) => all + count, 0)

describe('three hundred with mistakes are taken or refused by type, in time; nothing of them runs and nothing is written:', () => {
  let all: Awaited<ReturnType<typeof outcomesOfAll>>
  beforeAll(async () => {
    all = await outcomesOfAll()
  })

  it('documents', () => {
    const outcomes = all.get('documents') ?? {}
    expect(sum(outcomes)).toBe(300)
    // Mistakes that make every document unreadable would judge nothing but the parser.
    expect(outcomes['read']).toBeGreaterThan(100)
    expect(sum(outcomes) - (outcomes['read'] ?? 0)).toBeGreaterThan(30)
  })

  it('answers, to calls of generated clients', () => {
    const outcomes = all.get('answers') ?? {}
    expect(sum(outcomes)).toBe(300)
    expect(outcomes['value']).toBeGreaterThan(100)
    expect(outcomes['breach']).toBeGreaterThan(50)
    expect(outcomes['fault']).toBeGreaterThan(10)
  })

  it('requests, of which the stand-in refuses none without a reason', () => {
    const outcomes = all.get('requests') ?? {}
    expect(sum(outcomes)).toBe(300)
    expect(outcomes['answered']).toBeGreaterThan(80)
    expect(outcomes['400']).toBeGreaterThan(20)
  })
})

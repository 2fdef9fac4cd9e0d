import { stepFor, mostOf, nextVersion, type Step } from '../../compare/next-version.js'
import type { PackedRecord, RecordedVersion } from '../../project/packed-record.js'
import { namesFor } from '../clients/client-names.js'
import { changesBetween } from '../compare-contracts.js'
import type { KeptContract, OpenContract } from '../contracts/open-contract.js'
import { foldChanges } from '../describe/fold-changes.js'
import { asPacked } from './as-packed.js'

/** What is different in a package since it was packed last, and how much its version goes up. */
export interface SincePacked {
  readonly changes: RecordedVersion['changes']
  readonly step: Step
}

/**
 * What is different in the clients of a package since it was packed last, as far as their callers
 * are concerned.
 *
 * @param now the contracts that are in it from now on
 * @throws Problem TM-1044 when what it was made of can't be read
 */
export async function sincePacked(
  record: PackedRecord,
  now: readonly KeptContract[],
): Promise<SincePacked> {
  const isAlone = now.length === 1
  const before = Object.keys(record.contracts)
  const parts = await Promise.all(
    now
      .filter(({ name }) => before.includes(name))
      .map(async (open) => {
        const was = await asPacked(record, open)
        return was === undefined ? noChanges : changesOf(was, open, isAlone)
      }),
  )
  const membership = membershipChanges(
    before,
    now.map(({ name }) => name),
  )
  return {
    changes: [...membership.changes, ...parts.flatMap(({ changes }) => changes)],
    step: mostOf([membership.step, ...parts.map(({ step }) => step)]),
  }
}

const noChanges: SincePacked = { changes: [], step: 'none' }

/** What it means that other clients are in a package than were. */
function membershipChanges(before: readonly string[], now: readonly string[]): SincePacked {
  const gone = before.filter((name) => !now.includes(name))
  const added = now.filter((name) => !before.includes(name))
  const isAddressedAnew = (before.length === 1) !== (now.length === 1)
  const breaking = [
    ...gone.map((name) => `the client of ${name} is gone`),
    ...(isAddressedAnew
      ? [
          now.length === 1
            ? 'it has one client only, which is imported by the name of the package'
            : 'it has several clients, each imported by a module of its own',
        ]
      : []),
  ]
  const steps: Step[] = [
    ...breaking.map(() => 'major' as const),
    ...added.map(() => 'minor' as const),
  ]
  return {
    step: mostOf(steps),
    changes: [
      ...breaking.map((text) => ({ verdict: 'break' as const, text })),
      ...added.map((name) => ({ verdict: 'fine' as const, text: `the client of ${name} is new` })),
    ],
  }
}

/** What is different in one client. */
async function changesOf(
  was: OpenContract,
  open: KeptContract,
  isAlone: boolean,
): Promise<SincePacked> {
  const found = await changesBetween(was, open, await namesFor(open))
  const loud = foldChanges(found.filter(({ quiet }) => quiet !== true))
  return {
    step: stepFor(found),
    changes: loud.map(({ first, others }) => ({
      ...(isAlone ? {} : { client: open.name }),
      verdict: first.code.verdict,
      text:
        others.length === 0 ? first.text : `${first.text}, and the same in ${others.join(', ')}`,
    })),
  }
}

/**
 * The version that a package gets which is not as it was packed last.
 *
 * @param wish a version, or `auto`
 */
export function versionAfter(record: PackedRecord | undefined, wish: string, step: Step): string {
  if (wish !== 'auto') return wish
  if (record === undefined) return '1.0.0'
  // What was made anew is not what it was, if only by a word.
  return nextVersion(record.version, mostOf([step, 'patch']))
}

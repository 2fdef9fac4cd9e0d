import { worstOf, type Change } from './change.js'

/** How much of a version goes up (Semantic Versioning 2.0.0, items 6 to 8). */
export type Step = 'major' | 'minor' | 'patch' | 'none'

/** By how much the version of a client goes up that is made anew after some changes. */
export function stepFor(changes: readonly Change[]): Step {
  if (changes.length === 0) return 'none'
  const { code } = worstOf(changes)
  if (code === 'break') return 'major'
  const isMore =
    code === 'may break' || changes.some(({ kind }) => kind === 'new' || kind === 'value new')
  return isMore ? 'minor' : 'patch'
}

/**
 * The next version after one.
 *
 * @param version `major.minor.patch`; before 1.0.0 what breaks is a minor step (item 4)
 */
export function nextVersion(version: string, step: Step): string {
  const [major = 1, minor = 0, patch = 0] = version.split('.').map(Number)
  if (step === 'none') return version
  if (step === 'major' && major > 0) return `${String(major + 1)}.0.0`
  if (step === 'patch') return `${String(major)}.${String(minor)}.${String(patch + 1)}`
  return `${String(major)}.${String(minor + 1)}.0`
}

import { worstOf, type Change } from './change.js'

/** How much of a version goes up (Semantic Versioning 2.0.0, items 6 to 8), the most first. */
const steps = ['major', 'minor', 'patch', 'none'] as const
export type Step = (typeof steps)[number]

/** The most of several steps. */
export function mostOf(each: readonly Step[]): Step {
  return steps.find((step) => each.includes(step)) ?? 'none'
}

/** By how much the version of a client goes up that is made anew after some changes. */
export function stepFor(changes: readonly Pick<Change, 'kind' | 'calls' | 'code'>[]): Step {
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
 * @param version `major.minor.patch`; before 1.0.0 what breaks is a minor step (item 4). After a
 *   pre-release (item 9) comes the release that it announced
 */
export function nextVersion(version: string, step: Step): string {
  const [release = '', ...others] = version.replace(/\+.*/, '').split('-')
  const [major = 1, minor = 0, patch = 0] = release.split('.').map(Number)
  if (step === 'none') return version
  if (others.length > 0) return release
  if (step === 'major' && major > 0) return `${String(major + 1)}.0.0`
  if (step === 'patch') return `${String(major)}.${String(minor)}.${String(patch + 1)}`
  return `${String(major)}.${String(minor + 1)}.0`
}

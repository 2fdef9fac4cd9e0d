import { distance } from 'fastest-levenshtein'

/**
 * Finds the one name that a person means: the exact one, else the only one that differs by case
 * alone.
 *
 * @returns the name as it stands in `names`, or undefined
 */
export function matchName(wanted: string, names: readonly string[]): string | undefined {
  if (names.includes(wanted)) return wanted
  const folded = names.filter((name) => name.toLowerCase() === wanted.toLowerCase())
  return folded.length === 1 ? folded[0] : undefined
}

/**
 * The path of an operation that a person means: the whole of it, or its last step where only one
 * ends in that.
 */
export function matchPath(wanted: string, paths: readonly string[]): string | undefined {
  const whole = matchName(wanted, paths)
  if (whole !== undefined || wanted.includes('.')) return whole
  const lastStep = (path: string): string => path.slice(path.lastIndexOf('.') + 1)
  const step = matchName(wanted, [...new Set(paths.map(lastStep))])
  const ending = paths.filter((path) => lastStep(path) === step)
  return ending.length === 1 ? ending[0] : undefined
}

/**
 * Up to three of `names` that look most like `wanted`, the most alike first; names that are quite
 * different are left out.
 */
export function nearestNames(wanted: string, names: readonly string[]): string[] {
  const target = wanted.toLowerCase()
  const allowed = Math.max(2, Math.floor(target.length / 2))
  return names
    .map((name) => ({
      name,
      apart:
        name.toLowerCase().includes(target) && target.length > 2
          ? 1
          : distance(target, name.toLowerCase()),
    }))
    .filter(({ apart }) => apart <= allowed)
    .sort((a, b) => a.apart - b.apart || (a.name < b.name ? -1 : 1))
    .slice(0, 3)
    .map(({ name }) => name)
}

/**
 * A sentence for a message: the nearest names, or the names there are when none is near and they
 * are few.
 */
export function nearestAdvice(wanted: string, names: readonly string[]): string {
  const near = nearestNames(wanted, names)
  if (near.length > 0) return `Nearest: ${near.map((name) => `"${name}"`).join(', ')}.`
  if (names.length === 0) return 'There are none.'
  const few = [...names].sort().slice(0, 8)
  return `There ${names.length === 1 ? 'is' : 'are'}: ${few.map((name) => `"${name}"`).join(', ')}${names.length > few.length ? ` and ${names.length - few.length} more` : ''}.`
}

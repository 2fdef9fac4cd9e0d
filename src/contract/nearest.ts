import { compareTexts } from './ordering.js'
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
 * The path of an operation that a person means: the whole of it, its last step where only one ends
 * in that, or what has the same letters, as an operationId has (`Zones_List` of `zones.list`).
 */
export function matchPath(wanted: string, paths: readonly string[]): string | undefined {
  return matchSteps(wanted, paths) ?? matchLetters(wanted, paths)
}

function matchLetters(wanted: string, paths: readonly string[]): string | undefined {
  const lettersOf = (text: string): string => text.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '')
  const letters = lettersOf(wanted)
  if (letters === '') return undefined
  const alike = paths.filter((path) => lettersOf(path) === letters)
  return alike.length === 1 ? alike[0] : undefined
}

function matchSteps(wanted: string, paths: readonly string[]): string | undefined {
  const whole = matchName(wanted, paths)
  if (whole !== undefined || wanted.includes('.')) return whole
  const lastStep = (path: string): string => path.slice(path.lastIndexOf('.') + 1)
  const step = matchName(wanted, [...new Set(paths.map(lastStep))])
  const ending = paths.filter((path) => lastStep(path) === step)
  return ending.length === 1 ? ending[0] : undefined
}

/**
 * Up to three of `names` that look most like `wanted`, the most alike first.
 *
 * @param allowed how many letters a name may differ by; names that differ by more are left out
 */
export function nearestNames(
  wanted: string,
  names: readonly string[],
  allowed = Math.max(2, Math.floor(wanted.length / 2)),
): string[] {
  const target = wanted.toLowerCase()
  return names
    .map((name) => {
      const lower = name.toLowerCase()
      const isPart = target.length > 2 && lower.includes(target)
      return { name, apart: isPart ? 1 : distance(target, lower), length: name.length }
    })
    .filter(({ apart }) => apart <= allowed)
    .sort((a, b) => a.apart - b.apart || a.length - b.length || compareTexts(a.name, b.name))
    .slice(0, 3)
    .map(({ name }) => name)
}

/** So many names can be told all at once. */
const few = 8

/**
 * A sentence for a message: the nearest names, or the names there are when they are few, else those
 * that are the least different.
 */
export function nearestAdvice(wanted: string, names: readonly string[]): string {
  const near = nearestNames(wanted, names)
  if (near.length > 0) return `Nearest: ${near.map((name) => `"${name}"`).join(', ')}.`
  if (names.length === 0) return 'There are none.'
  const isAll = names.length <= few
  const told = isAll ? [...names].sort() : nearestNames(wanted, names, Infinity)
  const listed = told.map((name) => `"${name}"`).join(', ')
  if (!isAll) return `There are ${names.length}; the nearest are ${listed}.`
  return `There ${names.length === 1 ? 'is' : 'are'}: ${listed}.`
}

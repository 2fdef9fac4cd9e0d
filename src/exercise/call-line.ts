import { isPlainObject } from '../contract/plain.js'
import { shellWord } from './shell-word.js'

/** So many inputs are written on the line itself. */
const mostOnLine = 4

/**
 * The line at the prompt that calls an operation with an input: inputs that are few and plain on
 * the line itself, others in a file that the line before it writes.
 *
 * @param input in plain form, one that `sample` makes
 */
export function callLine(contract: string, operation: string, input: unknown): string {
  const words = [contract, operation].map(shellWord).join(' ')
  const leaves = leavesOf(input, '')
  if (leaves !== undefined && leaves.length <= mostOnLine)
    return [
      `tolmach call ${words}`,
      ...leaves.map(([path, value]) => `--with ${shellWord(`${path}=${value}`)}`),
    ].join(' ')
  return `tolmach sample ${words} --save input.json\ntolmach call ${words} --input input.json`
}

/**
 * The plain values in an input with the paths to them, as `--with` takes them; undefined where one
 * has no such form.
 */
function leavesOf(value: unknown, path: string): (readonly [string, string])[] | undefined {
  if (isPlainObject(value))
    return spread(Object.entries(value), (name) => {
      if (!/^[A-Za-z_][\w-]*$/.test(name)) return undefined
      return path === '' ? name : `${path}.${name}`
    })
  if (path === '') return undefined
  if (Array.isArray(value)) return spread(value.entries(), (at) => `${path}[${String(at)}]`)
  if (typeof value === 'string') return /[\n\r]/.test(value) ? undefined : [[path, value]]
  return value === null ? undefined : [[path, String(value)]]
}

function spread<Step>(
  members: Iterable<readonly [Step, unknown]>,
  pathOf: (step: Step) => string | undefined,
): (readonly [string, string])[] | undefined {
  const found: (readonly [string, string])[] = []
  for (const [step, value] of members) {
    const path = pathOf(step)
    const inside = path === undefined ? undefined : leavesOf(value, path)
    if (inside === undefined) return undefined
    for (const leaf of inside) found.push(leaf)
    if (found.length > mostOnLine) return found
  }
  return found
}

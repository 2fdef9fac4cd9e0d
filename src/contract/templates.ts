import { ExactNumber, isPlainObject } from './plain.js'

/** A reference as a whole value: `$input.Berth`, `$rows[0].Code`. */
const whole = /^\$[A-Za-z_][\w.[\]]*$/
/** References inside of a text: `Berth ${input.Berth} is taken.` */
const inside = /\$\{([A-Za-z_][\w.[\]]*)\}/g

/**
 * A plain value with its `$` references filled in: `$name.field` stands for a value,
 * `${name.field}` inside a text for its text, `$$` at the start for a dollar sign. Members whose
 * reference leads to nothing are left out.
 *
 * @param lookUp the value that a reference leads to, or undefined
 */
export function fillTemplate(template: unknown, lookUp: (path: string) => unknown): unknown {
  if (Array.isArray(template)) return template.map((each) => fillTemplate(each, lookUp))
  if (isPlainObject(template)) {
    return Object.fromEntries(
      Object.entries(template)
        .map(([key, value]) => [key, fillTemplate(value, lookUp)])
        .filter(([, value]) => value !== undefined),
    )
  }
  if (typeof template !== 'string') return template
  if (template.startsWith('$$')) return template.slice(1)
  if (whole.test(template)) return lookUp(template.slice(1))
  return template.replace(inside, (_, path: string) => plainText(lookUp(path)))
}

/** The paths of all references in a template. */
export function referencesIn(template: unknown): string[] {
  if (Array.isArray(template)) return template.flatMap(referencesIn)
  if (isPlainObject(template)) return Object.values(template).flatMap(referencesIn)
  if (typeof template !== 'string' || template.startsWith('$$')) return []
  return whole.test(template)
    ? [template.slice(1)]
    : [...template.matchAll(inside)].map(([, path]) => path ?? '')
}

/** A path of names and positions as its steps: `rows[0].Code` -> `rows`, `0`, `Code`. */
export function stepsOf(path: string): string[] {
  return path.split(/[.[\]]+/).filter((step) => step !== '')
}

/** What a path of steps leads to inside a plain value; undefined where it leads to nothing. */
export function inPlain(value: unknown, steps: readonly string[]): unknown {
  return steps.reduce<unknown>(
    (current, step) =>
      (isPlainObject(current) || Array.isArray(current)) && Object.hasOwn(current, step)
        ? (current as Record<string, unknown>)[step]
        : undefined,
    value,
  )
}

/** A plain value as a text; nothing for what is not there. */
export function plainText(value: unknown): string {
  if (value instanceof ExactNumber) return value.source
  if (value === undefined || value === null) return ''
  if (typeof value === 'object') return JSON.stringify(value)
  return String(value as string | number | boolean | bigint)
}

/** A time: a number of seconds, or a text that says its unit: `200ms`, `10s`, `2m`. */
export type Time = number | `${number}${'ms' | 's' | 'm'}`

const units: Readonly<Record<string, number>> = { ms: 1, s: 1000, m: 60_000 }

/**
 * The milliseconds of a time as people write it, in which a bare number is one of seconds.
 *
 * @returns undefined for what is no time
 */
export function readTime(written: string | number): number | undefined {
  if (written === Infinity) return Infinity
  const [, number, unit = 's'] = /^(\d+(?:\.\d+)?)\s*(ms|s|m)?$/.exec(String(written).trim()) ?? []
  return number === undefined ? undefined : Number(number) * (units[unit] ?? 1000)
}

/**
 * The milliseconds of a time of settings.
 *
 * @throws TypeError for what is no time
 */
export function milliseconds(time: Time): number {
  const read = readTime(time)
  if (read === undefined)
    throw new TypeError(
      `"${time}" is not a time: a number of seconds, or one like 200ms, 10s or 2m`,
    )
  return read
}

/**
 * The order of dates, times and durations given as text (XML Schema part 2, sections 3.2.6.2 and
 * 3.2.7.4).
 */

const moment =
  /^(?:(-?\d{4,})(?:-(\d\d)(?:-(\d\d))?)?|--(\d\d)(?:-(\d\d))?|---(\d\d))?T?(?:(\d\d):(\d\d):(\d\d(?:\.\d+)?))?(Z|[+-]\d\d:\d\d)?$/
const span =
  /^(-?)P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$/

/**
 * Compares two moments or two durations of the same type.
 *
 * @returns negative, zero or positive; undefined when the standard leaves the order open, or a
 *   text is neither
 */
export function compareMoments(left: string, right: string): number | undefined {
  if (span.test(left) && span.test(right)) return compareSpans(left, right)
  const a = seconds(left)
  const b = seconds(right)
  if (a === undefined || b === undefined) return undefined
  if (a.zoned === b.zoned) return a.at - b.at
  // Without a zone it may be anywhere from +14:00 to -14:00.
  const difference = a.at - b.at
  return Math.abs(difference) > 14 * 3600 ? difference : undefined
}

function seconds(text: string): { at: number; zoned: boolean } | undefined {
  const found = moment.exec(text)
  if (found === null || text === '') return undefined
  const [
    ,
    year = '2000',
    month,
    day,
    month2,
    day2,
    day3,
    hours = '0',
    minutes = '0',
    rest = '0',
    zone,
  ] = found
  const clock = Number(hours) * 3600 + Number(minutes) * 60 + Number(rest)
  const offset =
    zone === undefined || zone === 'Z'
      ? 0
      : (zone.startsWith('-') ? -60 : 60) * (Number(zone.slice(1, 3)) * 60 + Number(zone.slice(4)))
  return {
    at:
      daysBefore(Number(year), Number(month ?? month2 ?? 1), Number(day ?? day2 ?? day3 ?? 1)) *
        86400 +
      clock -
      offset,
    zoned: zone !== undefined,
  }
}

/**
 * Days from the first of March of the year 0 to this day, in the Gregorian calendar without end on
 * either side.
 */
function daysBefore(year: number, month: number, day: number): number {
  const shifted = month > 2 ? year : year - 1
  return (
    365 * shifted +
    Math.floor(shifted / 4) -
    Math.floor(shifted / 100) +
    Math.floor(shifted / 400) +
    Math.floor((153 * ((month + 9) % 12) + 2) / 5) +
    day -
    1
  )
}

/** One duration is longer than another when it is so from each of four days (section 3.2.6.2). */
function compareSpans(left: string, right: string): number | undefined {
  const parts = (text: string): { months: number; seconds: number } => {
    const [, sign, years = '0', months = '0', days = '0', hours = '0', minutes = '0', rest = '0'] =
      span.exec(text) ?? []
    const direction = sign === '-' ? -1 : 1
    return {
      months: direction * (Number(years) * 12 + Number(months)),
      seconds:
        direction *
        (Number(days) * 86400 + Number(hours) * 3600 + Number(minutes) * 60 + Number(rest)),
    }
  }
  const [a, b] = [parts(left), parts(right)]
  const differences = (
    [
      [1696, 9],
      [1697, 2],
      [1903, 3],
      [1903, 7],
    ] as const
  ).map(([year, month]) => {
    const after = ({ months, seconds: more }: typeof a): number =>
      daysBefore(
        year + Math.floor((month - 1 + months) / 12),
        ((((month - 1 + months) % 12) + 12) % 12) + 1,
        1,
      ) *
        86400 +
      more
    return after(a) - after(b)
  })
  const [first = 0] = differences
  return differences.every((each) => Math.sign(each) === Math.sign(first)) ? first : undefined
}

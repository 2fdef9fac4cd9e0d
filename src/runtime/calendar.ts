/** Dates and clocks as ISO 8601 has them: every protocol asks the same of them. */

/** How far from UTC a clock can be, as a pattern: at most 14 hours. */
export const offset = '[+-](?:(?:0\\d|1[0-3]):[0-5]\\d|14:00)'

/**
 * Does the calendar have the day that a text begins with, like `2028-02-29`? The text is known to
 * begin with a year, a month and a day.
 */
export function dayExists(text: string): boolean {
  const [, years = '', month = '', day = ''] = /^(-?\d+)-(\d\d)-(\d\d)/.exec(text) ?? []
  const lengths = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
  const year = Number(years)
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0
  return (
    Number(day) >= 1 &&
    Number(day) <= (month === '02' && !leap ? 28 : (lengths[Number(month) - 1] ?? 0))
  )
}

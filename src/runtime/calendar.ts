/** Dates and clocks as ISO 8601 has them: every protocol asks the same of them. */

/** How far from UTC a clock can be, as a pattern: at most 14 hours. */
export const offset = '[+-](?:(?:0\\d|1[0-3]):[0-5]\\d|14:00)'

/**
 * Does the calendar have the day that a text begins with, like `2028-02-29`? The text is known to
 * begin with a year, a month and a day.
 */
export function dayExists(text: string): boolean {
  const dash = text.indexOf('-', 1)
  const month = Number(text.slice(dash + 1, dash + 3))
  const day = Number(text.slice(dash + 4, dash + 6))
  // Every month has days up to the 28th.
  if (day <= 28) return day >= 1 && month >= 1 && month <= 12
  const year = Number(text.slice(0, dash))
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0
  const lengths = [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]
  return day <= (lengths[month - 1] ?? 0)
}

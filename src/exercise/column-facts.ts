/**
 * What a person looks for first: keys, names, states, dates, amounts; short words only where a word
 * begins, so that `Paid` is no key and `Description` no date.
 */
const ranks: readonly RegExp[] = [
  /(?:^|_)(?:id|key|code|number|no|Id|Key|Code|Number|No)$|[a-z](?:ID|Id|Key|Code|Number|No)$/,
  /(?:name|title|subject|label)$/i,
  /(?:state|status|kind|type|phase|priority)$|^\$is$/i,
  /(?:[Dd]ate|[Dd]ay|[Tt]ime)$|[a-z](?:At|On|To|From|Since|Until)$/,
  /(?:amount|price|total|dues|sum|cost|count|quantity|balance)$/i,
]
const dateRank = 3

/**
 * How soon a person looks for a column: 0 for keys, then names, states, dates, amounts; then those
 * of records within (`Owner.Name`), and everything else.
 *
 * @param heading its name, or a path to it, whose last step counts
 * @param cells its values, where they may tell a date that the name doesn't
 */
export function columnRank(heading: string, cells: readonly string[] = []): number {
  const found = ranks.findIndex((each) => each.test(heading))
  const isDate = (cell: string): boolean => /^\d{4}-\d\d-\d\d/.test(cell)
  const told = found < 0 && cells.some(isDate) ? dateRank : found
  if (told < 0) return ranks.length
  return heading.includes('.') ? ranks.length - 1 + (told + 1) / (ranks.length + 1) : told
}

/** Does a column hold numbers, which stand to the right? What is missing or null does not matter. */
export function isNumericColumn(cells: readonly string[]): boolean {
  return (
    cells.every((cell) => /^(?:|null|[+-]?\d[\d.,]*)$/.test(cell)) &&
    cells.some((cell) => /\d/.test(cell))
  )
}

/** Texts of several words that are longer than this are wrapped. */
const longestLine = 28
/** What is longer is no value that anybody reads: it may be broken. */
export const longestValue = 48

/** Does a column hold prose, which may be wrapped? Values may not. */
export function isProseColumn(cells: readonly string[]): boolean {
  return cells.some(
    (cell) => cell.length > longestLine && /\s/.test(cell) && !/^\d{4}-\d\d-/.test(cell),
  )
}

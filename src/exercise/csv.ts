import { stringify } from 'csv-stringify/sync'

/**
 * Rows as CSV (RFC 4180).
 *
 * @param forSpreadsheets makes cells harmless that a spreadsheet would take for formulas and run:
 *   an apostrophe goes before them, as a person would type it
 */
export function csvRows(rows: readonly (readonly string[])[], forSpreadsheets: boolean): string {
  return stringify(
    forSpreadsheets ? rows.map((row) => row.map(harmless)) : rows.map((row) => [...row]),
  )
}

/** A cell that begins like a formula does; numbers with a sign are none. */
function harmless(cell: string): string {
  return /^[=+\-@\t\r\n]/.test(cell) &&
    !/^[+-]?(?:\d[\d,]*\.?\d*|\.\d+)(?:[eE][+-]?\d+)?$/.test(cell)
    ? `'${cell}`
    : cell
}

/** What commands need to know of the columns that they draw. */
export {
  columnRank,
  isNumericColumn,
  isProseColumn,
  longestValue,
} from '../../exercise/column-facts.js'

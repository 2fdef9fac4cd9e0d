/** What commands need to show answers and failures. */
export { arrange, cell, type Arranged, type Table } from '../exercise/tabulate.js'
export { maskedHeaders, maskedRequest, maskedUrl } from '../exercise/masking.js'
export { laidOut } from '../exercise/documents-in-text.js'
export { shownBody } from '../exercise/wire-text.js'
export { curlLine } from '../exercise/curl.js'
export { sortRows } from '../exercise/sort-rows.js'
export {
  ContractBreach,
  ServiceFault,
  TransportFailure,
  type CallFailure,
} from '../runtime/failures.js'
export { toPlain } from '../runtime/plain.js'
export type { Exchange } from '../runtime/connection.js'

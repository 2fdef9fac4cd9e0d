/** What commands need to show answers and failures. */
export { arrange, cell, type Arranged, type Table } from '../exercise/tabulate.js'
export { ServiceFault } from '../runtime/failures.js'
export { toPlain } from '../runtime/plain.js'
export type { Exchange } from '../runtime/connection.js'

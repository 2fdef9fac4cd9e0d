/** What commands need to read times as people write them. */
export { readTime } from '../runtime/times.js'

/** What commands need to read times as people write them. */
export { readTime, type Time } from '../runtime/times.js'

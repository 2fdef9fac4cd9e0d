/** What commands need to tell problems. */
export { exitCodes, printable, problem, Problem } from '../contract/problem.js'

/** What commands need so that nothing of others commands a terminal. */
export { visible } from '../contract/visible.js'

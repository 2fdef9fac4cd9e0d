/** What commands need to arrange very many rows. */
export { addTo, largest } from '../contract/lists.js'

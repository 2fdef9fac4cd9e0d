/** What commands need so that no secret of a run is told. */
export { maskedJson, withoutSecrets } from '../../exercise/masking.js'
export type { Person } from './credentials.js'

/** What commands need so that no secret of a run is told. */
export { withoutSecrets } from '../exercise/masking.js'
export type { AskSecret } from './credentials.js'

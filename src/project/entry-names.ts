/** What contracts may be called. */
export const contractName = /^[A-Za-z][\w-]{0,59}$/
/** What sites and credentials may be called. */
export const placeName = /^[\p{L}\p{N}][\p{L}\p{N}_-]{0,59}$/u
/** What views may be called. */
export const viewName = placeName

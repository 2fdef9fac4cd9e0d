/**
 * Members of values that are none of the service's own: what says something about a value, or holds
 * what has no name. The same as contract/special-members.ts, for clients.
 */
export const special = {
  /** Which of several types a value is of. */
  is: '$is',
  /** Elements and attributes that no schema names. */
  open: '$open',
  /** The text of an element that has attributes. */
  text: '$text',
  /** The turns of a group that is repeated. */
  items: '$items',
  /** The version of an entity. */
  etag: '$etag',
  /** The key of an entity that is there, to link to. */
  bind: '$bind',
} as const

import type { WireFacts } from '../dialects/dialect.js'

/** Facts of a dialect whose contracts say all: there are none besides. */
export const plainFacts: WireFacts = {
  operation: () => [],
  endpoint: () => [],
  input: () => [],
  member: () => [],
  type: () => [],
  login: () => [],
  form: () => 'any',
  isAlwaysThere: ({ optional }) => !optional,
  isText: () => false,
  isOrdered: () => false,
}

/** Files of the runtime that the clients of every dialect need. */
export const commonRuntime: readonly string[] = [
  'calendar.ts',
  'connection.ts',
  'digest.ts',
  'failures.ts',
  'harmless.ts',
  'hearing.ts',
  'md5.ts',
  'mime.ts',
  'plain.ts',
  'redirects.ts',
  'refusals.ts',
  'response-text.ts',
  'retries.ts',
  'tokens.ts',
  'waiting.ts',
  'wire-address.ts',
]

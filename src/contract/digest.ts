import { createHash } from 'node:crypto'

/** The digest of a text as it counts for us: line endings don't. */
export function textDigest(text: string): string {
  return createHash('sha256').update(text.replace(/\r\n/g, '\n')).digest('hex')
}

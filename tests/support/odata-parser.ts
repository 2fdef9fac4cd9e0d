import { createRequire } from 'node:module'

/**
 * A parser of OData addresses that others wrote after the ABNF of OData 4.0: an independent judge of
 * what we write. It knows nothing of 4.01, nor of what is named in its exceptions.
 */
const require = createRequire(import.meta.url)
const { Parser } = require('odata-v4-parser') as {
  Parser: new () => Record<Part, (text: string) => unknown>
}
const parser = new Parser()

type Part = 'filter' | 'query' | 'literal' | 'resourcePath'

/** Does the parser take a text as this part of an address? */
export function isTaken(part: Part, text: string): boolean {
  try {
    parser[part](text)
    return true
  } catch {
    return false
  }
}

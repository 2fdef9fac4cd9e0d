import type { Dialect } from '../dialects/dialect.js'
import { codeInMarkdown } from '../printing/escaping.js'
import { joined, markdown, type Markdown } from '../printing/safe-text.js'

/** The variables that fill a client's settings start with this: `BERTHS`. */
export function variablePrefix(contractName: string): string {
  return contractName.replace(/[^A-Za-z0-9]+/g, '_').toUpperCase()
}

/** The variables that fill a client's settings, as a list in Markdown. */
export function variableNames(dialect: Dialect, contractName: string): Markdown {
  const names = [
    'URL',
    'ENDPOINT',
    'USER',
    'PASSWORD',
    'DIGEST',
    'TOKEN',
    'KEY',
    'CLIENT_ID',
    'CLIENT_SECRET',
    ...(dialect.emit.variables ?? []),
    'TIME_LIMIT',
    'RETRIES',
    'MOST_BYTES',
  ]
  const all = names.map((name) => codeInMarkdown(`${variablePrefix(contractName)}_${name}`))
  return markdown`${joined(all.slice(0, -1), ', ')} and ${all.at(-1) ?? markdown``}`
}

import { pc } from './colours.js'
import type { Found, Mark, Match } from '../app/show-contract.js'
import { tableText } from './tables.js'
import { count } from './terminal.js'

/** More matches than this are not read by anybody. */
const most = 60

/** What a search came to, with the matches marked. */
export function foundText({ contract, text, matches }: Found): string {
  if (matches.length === 0)
    return `Nothing in ${contract} has "${text}" in its name or documentation.`
  const shown = matches.slice(0, most)
  const rows = shown.map((match) => [
    pc.dim(match.kind),
    marked(match.name, match.inName) + (match.leftOut ? pc.dim(' (not chosen)') : ''),
    documentationOf(match),
  ])
  return [
    tableText(['', 'name', 'documentation'], rows),
    '',
    `${count(matches.length, 'match', 'matches')}${matches.length > most ? `, of which these are the first ${most}; more words find fewer` : ''}`,
  ].join('\n')
}

function documentationOf({ documentation, inDocumentation }: Match): string {
  return documentation === undefined ? '' : marked(documentation, inDocumentation)
}

function marked(text: string, marks: readonly Mark[]): string {
  let at = 0
  let out = ''
  for (const [start, length] of marks) {
    out += text.slice(at, start) + pc.bold(pc.underline(text.slice(start, start + length)))
    at = start + length
  }
  return out + text.slice(at)
}

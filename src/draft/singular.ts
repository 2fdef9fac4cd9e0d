/** Names of lists that say nothing of what is in them. */
const general =
  /^(?:value|values|item|items|data|results?|records?|rows?|entries|elements|list|content|members|objects)$/i

/** Does a name say nothing of what is called so? */
export function isGeneral(name: string): boolean {
  return general.test(name)
}

/**
 * One of several things, as English has it: `vessels` -> `vessel`, `berthings` -> `berthing`,
 * `ferries` -> `ferry`, `boxes` -> `box`.
 */
export function singular(name: string): string {
  if (/(?:ss|us|is)$/i.test(name)) return name
  if (/[^aeiou]ies$/i.test(name)) return name.replace(/ies$/i, 'y')
  if (/(?:s|x|z|ch|sh)es$/i.test(name)) return name.replace(/es$/i, '')
  return /[^s]s$/i.test(name) && name.length > 3 ? name.slice(0, -1) : name
}

import type { KeptNames } from '../../contract/kept-names.js'
import { operationExports } from '../../naming/names.js'

/** Names of a client that are given twice, each in a sentence. */
export function nameClashesIn({ types, operations, groups, class: own }: KeptNames): string[] {
  const given = new Map<string, string>()
  const clashes: string[] = []
  const give = (name: string, what: string): void => {
    const before = given.get(name.toLowerCase())
    if (before === undefined) given.set(name.toLowerCase(), what)
    else if (before !== what) clashes.push(`${name} is the name of ${before} and of ${what}.`)
  }
  if (own !== undefined) give(own, 'the class')
  for (const [group, name] of Object.entries(groups)) give(name, `the group ${group}`)
  for (const [id, name] of Object.entries(types)) give(name, `the type ${id}`)
  for (const [path, name] of Object.entries(operations)) {
    const [, ...exported] = operationExports(name)
    // A function may be called like a type, but for its capitals.
    for (const each of exported) give(each, `the operation ${path}`)
  }
  return clashes
}

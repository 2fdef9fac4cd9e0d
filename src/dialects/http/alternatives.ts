import type { DataNode } from '../../documents/data-node.js'
import type { References } from './references.js'

/**
 * Words that tell alternatives apart which have no names: the value that each one alone allows the
 * same member, else a member that none of the others has.
 *
 * @returns one for each; undefined where there is no such word
 */
export function wordsForAlternatives(
  alternatives: readonly DataNode[],
  references: References,
): (string | undefined)[] {
  const properties = alternatives.map((each) => {
    const schema = references.peek(each) ?? each
    return schema.members.get('properties')?.members ?? new Map<string, DataNode>()
  })
  const uses = new Map<string, number>()
  for (const own of properties)
    for (const name of own.keys()) uses.set(name, (uses.get(name) ?? 0) + 1)
  const values = [...uses]
    .filter(([, count]) => count === alternatives.length)
    .map(([name]) => properties.map((own) => onlyValueOf(own.get(name))))
    .find(
      (each) => each.every((value) => value !== undefined) && new Set(each).size === each.length,
    )
  if (values !== undefined) return values
  return properties.map((own) => {
    const alone = [...own.keys()].find((name) => uses.get(name) === 1)
    return alone === undefined ? undefined : `With ${alone}`
  })
}

function onlyValueOf(schema: DataNode | undefined): string | undefined {
  const values = schema?.members.get('enum')?.items ?? []
  const value =
    schema?.members.get('const')?.value ?? (values.length === 1 ? values[0]?.value : undefined)
  return typeof value === 'string' && /\p{L}/u.test(value) ? value : undefined
}

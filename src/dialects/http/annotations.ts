import type { DataNode } from '../../documents/data-node.js'
import { brokenRule } from '../../runtime/json/rules.js'
import { liveRule } from './live-rules.js'
import type { Notes } from '../notes.js'
import type { RuleReader } from './rules.js'

/** Summary, description and where to read more, as one text. */
export function documented(node: DataNode): { documentation?: string } {
  const parts = [node.get('summary')?.value, node.get('description')?.value].filter(
    (each): each is string => typeof each === 'string' && each.trim() !== '',
  )
  const further = node.get('externalDocs')
  further?.readWhole()
  const url = further?.members.get('url')?.value
  const said = further?.members.get('description')?.value
  if (typeof url === 'string')
    parts.push(
      typeof said === 'string' && said.trim() !== '' ? `${said.trim()}: ${url}` : `See ${url}`,
    )
  const text = parts
    .map((each) => each.trim())
    .filter((each, at, all) => !all.slice(at + 1).some((other) => beginsWith(other, each)))
    .join('\n\n')
  return text === '' ? {} : { documentation: text }
}

/** Does a text begin with a sentence that another one consists of? */
function beginsWith(text: string, sentence: string): boolean {
  const bare = sentence.replace(/[.:\s]+$/, '')
  return text.startsWith(bare) && /^(?:[.:!?\n]|$)/.test(text.slice(bare.length))
}

/**
 * An example of the metadata, in plain form. One that its own schema does not allow is left out
 * with a note: people copy examples.
 *
 * @param schema where the example stands; `target` is what that refers to
 */
export function exampleOf(
  schema: DataNode,
  target: DataNode,
  rules: RuleReader,
  notes: Notes,
): { example?: unknown } {
  const holder = [schema, target].find(
    (each) => each.members.has('example') || each.members.get('examples')?.kind === 'list',
  )
  const example = holder?.get('example') ?? holder?.list('examples')[0]
  if (holder === undefined || example === undefined || example.kind === 'null') return {}
  return fitting(example, target, rules, notes)
}

/** A value as an example of a schema, where it is one. */
export function fitting(
  example: DataNode,
  schema: DataNode | undefined,
  rules: RuleReader,
  notes: Notes,
): { example?: unknown } {
  example.readWhole()
  const value = example.plain()
  const broken =
    schema === undefined
      ? undefined
      : brokenRule(liveRule(rules.of(schema), rules.named), value, '')
  if (broken === undefined) return { example: value }
  notes.add(
    'ignored',
    'TM-2317',
    { place: broken.path === '' ? '' : `${broken.path} `, reason: broken.message },
    example.origin,
  )
  return {}
}

import { addTo } from '../contract/lists.js'
import { isPlainObject } from '../contract/plain.js'
import { problem } from '../contract/problem.js'
import { special } from '../contract/special-members.js'
import { isNil, parseElements, type XmlElement } from '../runtime/http/xml.js'
import { parsePath } from './input.js'
import { at } from './tabulate.js'

/**
 * The document that is written in a text of an answer, as plain data. Of XML: an element with
 * elements or attributes becomes a record, elements of the same name a list; text beside them is
 * `$text`, an attribute that is called like an element beside it `@name`. Numbers of JSON keep their digits.
 *
 * @param path where in the answer the text is, like `Answer` or `Items[0].Body`; `.` for the answer
 * @throws Problem TM-1010 where there is no text, or one that is neither XML nor JSON
 */
export async function documentInside(value: unknown, path: string): Promise<unknown> {
  const text = path === '.' ? value : at(value, parsePath(path))
  if (typeof text !== 'string')
    throw refused(`there is no text at "${path}" in the answer`, textsAdvice(value))
  try {
    if (/^\s*[[{]/.test(text)) return await jsonIn(text)
    if (/^\ufeff?\s*</.test(text)) return plainOf(parseElements(text.replace(/^\ufeff/, '')))
  } catch (error) {
    const said = error instanceof Error ? (error.message.split('\n')[0] ?? '') : String(error)
    throw refused(`the text at "${path}" is not well-formed: ${said}`, 'Look at it: leave it out.')
  }
  throw refused(
    `the text at "${path}" is neither XML nor JSON; it starts with "${text.trim().slice(0, 40)}"`,
    'Leave it out: the text is shown as it is.',
  )
}

function refused(reason: string, remedy: string): Error {
  return problem('TM-1010', { option: '--inside', reason, remedy })
}

/** Where there are texts that a document may stand in. */
function textsAdvice(value: unknown): string {
  if (typeof value === 'string') return 'The answer is a text itself: --inside . reads it.'
  const names = isPlainObject(value)
    ? Object.entries(value).flatMap(([name, each]) => (typeof each === 'string' ? [name] : []))
    : []
  return names.length === 0
    ? 'There is none at the top of the answer; --format json shows all of it.'
    : `There are texts at ${names.map((name) => `"${name}"`).join(', ')}.`
}

async function jsonIn(text: string): Promise<unknown> {
  const { parse } = await import('lossless-json')
  return parse(text, undefined, (digits) =>
    String(Number(digits)) === digits ? Number(digits) : digits,
  )
}

function plainOf(element: XmlElement): unknown {
  if (isNil(element)) return null
  const { attributes, children, text } = element
  const values = new Map<string, unknown[]>()
  for (const child of children) addTo(values, child.name, plainOf(child))
  const own = Object.entries(attributes)
    .filter(([name]) => !name.startsWith('xsi:'))
    .map(([name, value]) => [values.has(name) ? `@${name}` : name, value] as const)
  if (own.length === 0 && values.size === 0) return text
  const said = text.trim() === '' ? [] : [[special.text, text.trim()] as const]
  const elements = [...values].map(
    ([name, all]) => [name, all.length === 1 ? all[0] : all] as const,
  )
  return Object.fromEntries([...own, ...elements, ...said])
}

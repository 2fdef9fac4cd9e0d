import type { JSONPathQuery } from 'json-p3'
import { problem } from '../contract/problem.js'

/**
 * Is it a JSONPath (RFC 9535)?
 *
 * @throws Problem TM-1010 when it is none
 */
export async function checkPath(path: string): Promise<void> {
  await compiled(path)
}

/**
 * What a JSONPath finds in an answer.
 *
 * @param plain the answer in plain form, as `--json` has it
 * @returns the value itself for a path that can only find one (`$.Lines[0].Text`), else the list
 *   of all values found
 * @throws Problem TM-1010 when the path is not valid, or can only find one value and that is not
 *   there
 */
export async function pick(plain: unknown, path: string): Promise<unknown> {
  const query = await compiled(path)
  const values = query.query(plain as never).values()
  if (!query.singularQuery()) return values
  if (values.length === 0)
    throw problem('TM-1010', {
      option: '--pick',
      reason: `there is nothing at ${path} in the answer`,
      remedy: 'See the whole answer with --format json.',
    })
  return values[0]
}

async function compiled(path: string): Promise<JSONPathQuery> {
  const { JSONPathEnvironment } = await import('json-p3')
  try {
    // Answers are nested as deeply as anybody writes them.
    return new JSONPathEnvironment({ maxRecursionDepth: 1000 }).compile(path)
  } catch (error) {
    throw problem(
      'TM-1010',
      {
        option: '--pick',
        reason: `"${path}" is no JSONPath: ${error instanceof Error ? error.message.replace(/ \(.*$/, '') : String(error)}`,
        remedy:
          'Write it like --pick "$.Lines[0].Text" or --pick "$[?@.Dues > 100].Code" (RFC 9535).',
      },
      { cause: error },
    )
  }
}

import { readFile } from 'node:fs/promises'
import { isPlainObject } from '../../contract/plain.js'
import { problem } from '../../contract/problem.js'
import { messageOf } from '../../contract/system-error.js'
import { widening } from '../../draft/widen.js'
import { yamlWith } from '../../draft/yaml-draft.js'

/** A description that was there, widened by what was recorded later. */
export interface WidenedFile {
  readonly yaml: string
  /** As all of it is now that nobody wrote by hand: by this hand edits are known the next time. */
  readonly drafted: unknown
  readonly told: {
    readonly changed: readonly string[]
    readonly contradictions: readonly string[]
  }
}

/**
 * Widens a description that is there by a later draft.
 *
 * @returns undefined where there is no such file
 * @throws Problem TM-1052 where the file is no description in YAML
 */
export async function widenedFile(file: string, later: object): Promise<WidenedFile | undefined> {
  const text = await readFile(file, 'utf8').catch(() => undefined)
  if (text === undefined) return undefined
  const { parse } = await import('yaml')
  try {
    const current = stringKeys(parse(text))
    if (!isPlainObject(current) || !isPlainObject(current['paths']))
      throw new Error('it has no "paths"')
    const { edits, drafted, contradictions } = widening(current, await evidence(file), later)
    return {
      yaml: edits.length === 0 ? text : yamlWith(text, edits),
      drafted,
      told: { changed: edits.map(({ place }) => place.join(' ')), contradictions },
    }
  } catch (error) {
    throw problem('TM-1052', { file, reason: messageOf(error) }, { cause: error })
  }
}

/** Statuses may be written as numbers. */
function stringKeys(value: unknown): unknown {
  return JSON.parse(JSON.stringify(value ?? null)) as unknown
}

/** Where it is kept what of a description was drafted. */
export function evidenceOf(file: string): string {
  return `${file.replace(/\.ya?ml$/i, '')}.drafted.json`
}

export function evidenceText(drafted: unknown): string {
  return `${JSON.stringify(drafted, null, 1)}\n`
}

async function evidence(file: string): Promise<Record<string, unknown> | undefined> {
  const text = await readFile(evidenceOf(file), 'utf8').catch(() => undefined)
  if (text === undefined) return undefined
  const found: unknown = JSON.parse(text)
  return isPlainObject(found) ? found : undefined
}

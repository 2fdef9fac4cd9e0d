import { readFile } from 'node:fs/promises'
import { problem } from '../../contract/problem.js'
import { fileReason } from '../../contract/system-error.js'
import { maskedJson } from '../../exercise/masking.js'
import { writeFileSafely } from '../../project/safe-writing.js'

/**
 * The text of a file that a person named.
 *
 * @throws Problem TM-1007 when it can't be read
 */
export async function readTextFile(path: string): Promise<string> {
  return readFile(path, 'utf8').catch((error: unknown) => {
    throw problem('TM-1007', { what: path, reason: fileReason(error) }, { cause: error })
  })
}

/**
 * Writes a text to a file, whole or not at all.
 *
 * @throws Problem TM-1008 when it can't be written
 */
export async function saveText(path: string, text: string): Promise<void> {
  await writeFileSafely(path, text)
}

/**
 * Writes a plain value to a file as JSON, without the secrets of this run.
 *
 * @throws Problem TM-1008 when it can't be written
 */
export async function saveJson(path: string, value: unknown): Promise<void> {
  await writeFileSafely(path, `${maskedJson(value, 2)}\n`)
}

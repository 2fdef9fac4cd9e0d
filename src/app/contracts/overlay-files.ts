import { readFile } from 'node:fs/promises'
import { resolve } from 'node:path'
import { problem } from '../../contract/problem.js'
import { fileReason } from '../../contract/system-error.js'
import type { LoadedDocument, OverlayFile } from '../../documents/documents.js'

/**
 * The overlays that mend a description, as they are in their files now.
 *
 * @param folder the project's, where paths start from
 * @param kept overlays as they were kept: of one whose file is gone that is taken
 * @throws Problem TM-1007 when one can't be read
 */
export async function overlayFiles(
  folder: string,
  paths: readonly string[],
  kept: readonly LoadedDocument[] = [],
): Promise<OverlayFile[]> {
  return Promise.all(
    paths.map(async (given) => {
      const path = resolve(folder, given)
      const bytes = await readFile(path).catch((error: unknown) => {
        const before = kept.find(({ from }) => resolve(folder, from) === path)
        if (before !== undefined) return before.bytes
        throw problem('TM-1007', { what: path, reason: fileReason(error) }, { cause: error })
      })
      return { path, bytes }
    }),
  )
}

import { harOf } from '../../exercise/har.js'
import type { Called } from '../call-operation.js'
import { version } from '../package-files.js'
import { saveJson } from '../files/text-files.js'

/**
 * Writes what went over the wire as an HTTP archive (HAR 1.2), secrets masked.
 *
 * @throws Problem TM-1008 when it can't be written
 */
export async function saveHar(file: string, { result }: Called): Promise<void> {
  await saveJson(file, harOf(result.exchanges, new Date(), version()))
}

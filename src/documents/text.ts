import { problem } from '../contract/problem.js'
import { systemCode } from '../contract/system-error.js'

/**
 * Decodes a document's bytes: by its byte-order mark, else the charset it was served with, else its
 * XML declaration, else UTF-8 (XML 1.0, appendix F). The byte-order mark is left out of the result.
 *
 * @param bytes the document as it came
 * @param label its label, for messages
 * @param charset the charset of its Content-Type, when it came over HTTP
 * @throws Problem TM-2014 when the encoding is unknown or the bytes do not fit it
 */
export function decodeText(bytes: Uint8Array, label: string, charset?: string): string {
  const encoding = markOf(bytes) ?? charset ?? declaredEncoding(bytes) ?? 'utf-8'
  try {
    return new TextDecoder(encoding, { fatal: true }).decode(bytes)
  } catch (error) {
    const reason =
      systemCode(error) === 'ERR_ENCODING_NOT_SUPPORTED'
        ? `its encoding "${encoding}" is unknown`
        : `its bytes are not ${encoding}`
    throw problem('TM-2014', { reason }, { place: { document: label }, cause: error })
  }
}

function markOf(bytes: Uint8Array): string | undefined {
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return 'utf-8'
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le'
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be'
  // Without a mark, `<?` in two-byte units tells as much.
  if (bytes[0] === 0x3c && bytes[1] === 0 && bytes[2] === 0x3f) return 'utf-16le'
  if (bytes[0] === 0 && bytes[1] === 0x3c && bytes[2] === 0) return 'utf-16be'
  return undefined
}

function declaredEncoding(bytes: Uint8Array): string | undefined {
  const head = new TextDecoder('latin1').decode(bytes.subarray(0, 200))
  return /^\s*<\?xml[^>]*?encoding\s*=\s*["']([\w.-]+)["']/.exec(head)?.[1]
}

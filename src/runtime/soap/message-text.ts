import type { Response } from '../exchange.js'

/** An answer's bytes as text, by the charset of its Content-Type or of its XML declaration. */
export function textOfResponse(response: Response): string {
  const { body, headers } = response
  const marked = utf16Mark(body)
  const served = /charset\s*=\s*"?([\w.-]+)/i.exec(headers['content-type'] ?? '')?.[1]
  const declared = /^[^<]*<\?xml[^>]*?encoding\s*=\s*["']([\w.-]+)["']/.exec(
    String.fromCharCode(...body.subarray(0, 200)),
  )?.[1]
  try {
    return new TextDecoder(marked ?? served ?? declared ?? 'utf-8').decode(body)
  } catch {
    return new TextDecoder().decode(body)
  }
}

/** The encoding that the first two bytes tell. */
function utf16Mark([first, second]: Uint8Array): string | undefined {
  if (first === 0xff && second === 0xfe) return 'utf-16le'
  return first === 0xfe && second === 0xff ? 'utf-16be' : undefined
}
